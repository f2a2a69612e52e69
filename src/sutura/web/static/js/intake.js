// The intake form, and a panel's bytes beside it.

import { handUp, holding, isDown, underHand, whenUp } from "./hand.js";

// The intake form: kept while typing, so that it can be left at any second.
export const intake = () => ({
  saved: "",
  damage: "",
  panel: "",
  odd: "",
  pieces: {},
  done: {},
  labels: [],
  timer: null,
  sending: false,
  changes: 0,
  unfolded: null,
  pricing: null,
  init() {
    const form = this.$root;
    this.labels = JSON.parse(form.dataset.labels).map((label, key) => ({ ...label, key }));
    this.damage = form.dataset.damage;
    this.panel = form.dataset.panel;
    this.odd = form.dataset.odd;
    this.done = JSON.parse(form.dataset.done);
    if (this.recall()) this.later(50);
    form.addEventListener("input", () => this.later());
    form.addEventListener("change", () => this.later());
    form.addEventListener("sutura:drawn", () => {
      this.labels = this.drawn();
      this.later(150);
    });
    form.addEventListener("focusin", (event) => this.fold(event.target));
    whenUp(() => this.unfolded && this.fold(this.unfolded));
    form.addEventListener("submit", () => {
      this.number();
      this.remember();
    });
    this.priced();
    window.addEventListener("beforeunload", () => this.leave());
    window.addEventListener("pagehide", () => this.leave());
  },
  drawn() {
    const marks = JSON.parse(this.$root.elements.marks.value || "[]");
    return marks.map((mark, i) => ({
      key: i,
      id: mark.id || "",
      says: i < this.labels.length ? this.labels[i].says : mark.kind,
    }));
  },
  // a photo can be of any mark that has a name
  get named() {
    return this.labels.filter((label) => label.id);
  },
  later(wait) {
    this.changes += 1;
    this.remember();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.keep(), wait || 700);
  },
  // one tick agrees to each text that is needed; what is taken back of them takes that back
  tickNeeded(event) {
    for (const one of this.$root.querySelectorAll("[name=consent][data-needed]")) one.checked = event.target.checked;
  },
  untickAll(event) {
    if (!event.target.checked) this.$root.querySelector("[name=consent][value=usual]").checked = false;
  },
  doneSays(name) {
    return this.done[name] || "";
  },
  // What is done above folds to its line when the hand goes on.
  fold(target) {
    this.unfolded = isDown() ? target : null;
    if (isDown()) return;
    for (const part of this.$root.querySelectorAll(".fold[open]")) {
      const above = part.compareDocumentPosition(target) === Node.DOCUMENT_POSITION_FOLLOWING;
      if (!above || !this.done[part.dataset.fold]) continue;
      const stays = holding(target);
      part.open = false;
      // too near the head of the page to keep the place: it folds the next time
      if (!stays()) part.open = true;
    }
  },
  // who is named below with the reason is not listed under the name as well
  once() {
    const below = [...this.$root.querySelectorAll("[x-ref=same] [name=_pick_customer]")].map(
      (one) => one.value,
    );
    for (const one of this.$root.querySelectorAll(".known [name=_pick_customer]")) {
      one.closest("li").hidden = below.includes(one.value);
    }
  },
  number() {
    // each sending is numbered, so that one overtaken on the way cannot undo a later one
    this.$root.elements._seq.value = String(Number(this.$root.elements._seq.value) + 1);
  },
  // Until the server has it, the window remembers what was typed: through a reload, through a lost connection.
  fields() {
    return [...this.$root.elements].filter(
      (one) =>
        one.name &&
        (one.type !== "hidden" || ["marks", "signature"].includes(one.name)) &&
        !["submit", "file"].includes(one.type),
    );
  },
  // a photo is sent by its own button, not with every pause in typing
  typed() {
    const form = new FormData(this.$root);
    form.delete("photo");
    return form;
  },
  remember() {
    const kept = this.fields().map((one) => [
      one.name,
      one.type === "radio" || one.type === "checkbox" ? [one.value, one.checked] : one.value,
    ]);
    sessionStorage.setItem(this.$root.dataset.keep, JSON.stringify(kept));
  },
  forget() {
    sessionStorage.removeItem(this.$root.dataset.keep);
  },
  recall() {
    const kept = JSON.parse(sessionStorage.getItem(this.$root.dataset.keep) || "null");
    if (!kept) return false;
    for (const one of this.fields()) {
      const at = kept.findIndex(
        ([name, value]) => name === one.name && (typeof value === "string" || value[0] === one.value),
      );
      if (at < 0) continue;
      const value = kept[at][1];
      if (typeof value === "string") one.value = value;
      else one.checked = value[1];
    }
    return true;
  },
  leave() {
    // leaving within the pause after the last key: send what is there; a sent form needs no more
    if (!this.timer || this.$root.dataset.sent) return;
    clearTimeout(this.timer);
    this.timer = null;
    this.number();
    navigator.sendBeacon(this.$root.dataset.keep, this.typed());
  },
  async show(said) {
    const stays = holding(underHand(this.$root));
    this.saved = said.saved;
    this.damage = said.damage;
    this.panel = said.panel;
    this.odd = said.odd;
    this.done = said.done;
    if (said.further) this.$root.querySelector(".further").open = true;
    for (const [name, text] of [
      ["reading", said.reading],
      ["opening", said.opening],
      ["plan", said.plan],
      ["same", said.same],
    ]) {
      const place = this.$root.querySelector(`[x-ref=${name}]`);
      // only what changed is written anew, so that a screen reader says nothing twice
      if (place && this.pieces[name] !== text) {
        // what the person opened in it stays open
        const opened = [...place.querySelectorAll("details")].map((part) => part.open);
        place.innerHTML = text;
        place.querySelectorAll("details").forEach((part, i) => {
          part.open ||= Boolean(opened[i]);
        });
        this.pieces[name] = text;
      }
    }
    this.once();
    // the texts of x-text are written after this
    await this.$nextTick();
    stays();
  },
  // What it may cost by what is kept: asked for apart, when nothing was typed for a moment.
  priced() {
    const place = this.$root.querySelector("[x-ref=estimate]");
    clearTimeout(this.pricing);
    if (!place) return;
    this.pricing = setTimeout(async () => {
      const answer = await fetch(place.dataset.url).catch(() => null);
      if (!answer || !answer.ok) return;
      const text = await answer.text();
      await handUp();
      if (this.pieces.estimate === text) return;
      const stays = holding(underHand(this.$root));
      place.innerHTML = text;
      this.pieces.estimate = text;
      stays();
    }, 1200);
  },
  async keep() {
    if (this.$root.dataset.sent) return;
    if (this.sending) {
      this.later(300);
      return;
    }
    this.sending = true;
    this.timer = null;
    const changes = this.changes;
    this.number();
    try {
      const answer = await fetch(this.$root.dataset.keep, { method: "POST", body: this.typed() });
      if (!answer.ok) throw new Error(String(answer.status));
      const said = await answer.json();
      await handUp();
      await this.show(said);
      // an answer to an older state says nothing of what was drawn since
      if (changes === this.changes) {
        this.labels = said.labels.map((label, key) => ({ ...label, key }));
        this.forget();
        this.priced();
      }
    } catch {
      this.saved = "Not kept just now: the connection is away. What you typed is still here.";
      if (!this.timer) this.later(4000);
    }
    this.sending = false;
  },
});

// A dropped EDID file becomes hexadecimal digits in the field beside it, so that it is kept with the rest.
export const edidFile = () => ({
  async read(event) {
    const file = event.target.files[0];
    if (!file) return;
    const bytes = new Uint8Array(await file.slice(0, 65536).arrayBuffer());
    this.$refs.hex.value = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
    this.$refs.hex.dispatchEvent(new Event("input", { bubbles: true }));
    event.target.value = "";
  },
});
