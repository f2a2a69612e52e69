// What is on view and nothing more: rules and words come from the server.
"use strict";

const MM_STEP = 1.2; // a freehand line keeps a point only this far from the last one

function simplified(points, tolerance) {
  // Douglas–Peucker: drop points that lie within the tolerance of the straight line.
  if (points.length < 3) return points;
  const [a, b] = [points[0], points[points.length - 1]];
  const span = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
  let worst = 0, at = 0;
  for (let i = 1; i < points.length - 1; i++) {
    const p = points[i];
    const away = Math.abs((b[0] - a[0]) * (a[1] - p[1]) - (a[0] - p[0]) * (b[1] - a[1])) / span;
    if (away > worst) { worst = away; at = i; }
  }
  if (worst <= tolerance) return [a, b];
  return simplified(points.slice(0, at + 1), tolerance).slice(0, -1).concat(simplified(points.slice(at), tolerance));
}

const one = (value) => Math.round(value * 10) / 10;

document.addEventListener("alpine:init", () => {
  // The intake form: kept while typing, so that it can be left at any second.
  Alpine.data("intake", () => ({
    saved: "", damage: "", panel: "", odd: "", labels: [], timer: null, sending: false, changes: 0,
    init() {
      const form = this.$root;
      this.labels = JSON.parse(form.dataset.labels).map((says, key) => ({ says, key }));
      this.damage = form.dataset.damage;
      this.panel = form.dataset.panel;
      this.odd = form.dataset.odd;
      if (this.recall()) this.later(50);
      form.addEventListener("input", () => this.later());
      form.addEventListener("change", () => this.later());
      form.addEventListener("sutura:drawn", () => { this.labels = this.drawn(); this.later(150); });
      form.addEventListener("submit", () => { this.number(); this.remember(); });
      window.addEventListener("beforeunload", () => this.leave());
      window.addEventListener("pagehide", () => this.leave());
    },
    drawn() {
      const marks = JSON.parse(this.$root.elements.marks.value || "[]");
      return marks.map((mark, i) => ({ key: i, says: i < this.labels.length ? this.labels[i].says : mark.kind }));
    },
    later(wait) {
      this.changes += 1;
      this.remember();
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.keep(), wait || 700);
    },
    number() {
      // each sending is numbered, so that one overtaken on the way cannot undo a later one
      this.$root.elements.seq.value = String(Number(this.$root.elements.seq.value) + 1);
    },
    // Until the server has it, the window remembers what was typed: through a reload, through a lost connection.
    fields() { return [...this.$root.elements].filter((one) => one.name && (one.type !== "hidden" || one.name === "marks") && one.type !== "submit"); },
    remember() {
      const kept = this.fields().map((one) => [one.name, one.type === "radio" || one.type === "checkbox" ? [one.value, one.checked] : one.value]);
      sessionStorage.setItem(this.$root.dataset.keep, JSON.stringify(kept));
    },
    forget() { sessionStorage.removeItem(this.$root.dataset.keep); },
    recall() {
      const kept = JSON.parse(sessionStorage.getItem(this.$root.dataset.keep) || "null");
      if (!kept) return false;
      for (const one of this.fields()) {
        const at = kept.findIndex(([name, value]) => name === one.name && (typeof value === "string" || value[0] === one.value));
        if (at < 0) continue;
        const value = kept[at][1];
        if (typeof value === "string") one.value = value; else one.checked = value[1];
      }
      return true;
    },
    leave() {
      // leaving within the pause after the last key: send what is there; a sent form needs no more
      if (!this.timer || this.$root.dataset.sent) return;
      clearTimeout(this.timer);
      this.timer = null;
      this.number();
      navigator.sendBeacon(this.$root.dataset.keep, new FormData(this.$root));
    },
    async keep() {
      if (this.$root.dataset.sent) return;
      if (this.sending) { this.later(300); return; }
      this.sending = true;
      this.timer = null;
      const changes = this.changes;
      this.number();
      try {
        const answer = await fetch(this.$root.dataset.keep, { method: "POST", body: new FormData(this.$root) });
        if (!answer.ok) throw new Error(String(answer.status));
        const said = await answer.json();
        this.saved = said.saved;
        this.damage = said.damage;
        this.panel = said.panel;
        this.odd = said.odd;
        this.labels = said.labels.map((says, key) => ({ says, key }));
        if (changes === this.changes) this.forget();
      } catch {
        this.saved = "Not kept just now: the connection is away. What you typed is still here.";
        if (!this.timer) this.later(4000);
      }
      this.sending = false;
    },
  }));

  // A dropped EDID file becomes hexadecimal digits in the field beside it, so that it is kept with the rest.
  Alpine.data("edidFile", () => ({
    async read(event) {
      const file = event.target.files[0];
      if (!file) return;
      const bytes = new Uint8Array(await file.slice(0, 65536).arrayBuffer());
      this.$refs.hex.value = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
      this.$refs.hex.dispatchEvent(new Event("input", { bubbles: true }));
      event.target.value = "";
    },
  }));

  // Marks on the face: press and drag for an impact, draw freely for a crack.
  Alpine.data("drawing", () => ({
    tool: "impact", marks: [], undone: [], live: null, x: "", y: "", toX: "", toY: "", across: "10",
    init() {
      this.marks = JSON.parse(this.$refs.marks.value || "[]");
      this.paint();
    },
    at(event) {
      const svg = this.$refs.face;
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const [wide, high] = [Number(svg.dataset.width), Number(svg.dataset.height)];
      return [one(Math.min(Math.max(point.x, 0), wide)), one(Math.min(Math.max(point.y, 0), high))];
    },
    start(event) {
      if (event.button > 0) return;
      try { event.currentTarget.setPointerCapture(event.pointerId); } catch { /* a lifted finger has no pointer */ }
      this.live = { kind: this.tool, points: [this.at(event)], reach_mm: this.tool === "impact" ? 3 : 0 };
      this.paint();
    },
    move(event) {
      if (!this.live) return;
      const [x, y] = this.at(event);
      const last = this.live.points[this.live.points.length - 1];
      const away = Math.hypot(x - last[0], y - last[1]);
      if (this.live.kind === "impact") this.live.reach_mm = one(Math.min(Math.max(away, 3), 60));
      else if (away >= MM_STEP) this.live.points.push([x, y]);
      this.paint();
    },
    end() {
      const mark = this.live;
      this.live = null;
      if (mark && mark.kind === "crack") mark.points = simplified(mark.points, 0.6);
      if (mark && (mark.kind === "impact" || mark.points.length > 1)) this.add(mark);
      else this.paint();
    },
    cancel() { this.live = null; this.paint(); },
    add(mark) { this.keepFor(() => this.marks.push(mark)); },
    addTyped() {
      const numbers = [this.x, this.y].map(Number);
      const other = [this.toX, this.toY].map(Number);
      if (this.x === "" || this.y === "" || (this.tool === "crack" && (this.toX === "" || this.toY === ""))) return;
      this.add({
        kind: this.tool, points: this.tool === "crack" ? [numbers, other] : [numbers],
        reach_mm: this.tool === "impact" ? Number(this.across) / 2 : 0,
      });
    },
    remove(key) { this.keepFor(() => this.marks.splice(key, 1)); },
    keepFor(change) {
      this.undone.push(JSON.stringify(this.marks));
      change();
      this.changed();
    },
    undo() {
      if (!this.undone.length) return;
      this.marks = JSON.parse(this.undone.pop());
      this.changed();
    },
    changed() {
      this.$refs.marks.value = JSON.stringify(this.marks);
      this.paint();
      this.$dispatch("sutura:drawn");
    },
    get nothingToUndo() { return this.undone.length === 0; },
    get isCrack() { return this.tool === "crack"; },
    paint() {
      const layer = this.$refs.layer;
      const make = (name, attributes) => {
        const element = document.createElementNS("http://www.w3.org/2000/svg", name);
        for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
        return element;
      };
      layer.replaceChildren(...this.marks.concat(this.live ? [this.live] : []).map((mark) => {
        if (mark.kind === "crack") return make("polyline", { class: "mark-crack", points: mark.points.map((p) => p.join(",")).join(" ") });
        const group = make("g", { class: "mark-impact" });
        const [x, y] = mark.points[0];
        const reach = Math.max(mark.reach_mm, 1.5);
        group.append(make("circle", { cx: x, cy: y, r: reach }));
        for (let k = 0; k < 7; k++) {
          const turn = (k * 2 * Math.PI) / 7 + 0.4;
          group.append(make("line", { x1: x, y1: y, x2: x + reach * Math.cos(turn), y2: y + reach * Math.sin(turn) }));
        }
        return group;
      }));
    },
  }));

  // A text field whose answer from the server appears below it while typing.
  Alpine.data("asks", () => ({
    timer: null, last: "",
    ask() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.fetch(), 180);
    },
    async fetch() {
      const text = this.$refs.asked.value.trim();
      if (text === this.last) return;
      this.last = text;
      const answer = await fetch(this.$root.dataset.url + encodeURIComponent(text)).catch(() => null);
      if (answer && answer.ok && this.last === text) this.$refs.answer.innerHTML = await answer.text();
    },
  }));

  Alpine.data("functionList", () => ({
    set(value, reason) {
      for (const line of this.$root.querySelectorAll("fieldset")) {
        if (line.querySelector(":checked")) continue;
        line.querySelector(`input[value="${value}"]`).checked = true;
        if (reason) line.querySelector("input:not([type=radio])").value = reason;
      }
      this.$root.dispatchEvent(new Event("change", { bubbles: true }));
    },
    rest() { this.set("not_testable", this.$refs.why.value); },
    allWork() { this.set("works", ""); },
  }));

  // Counting screws: nothing is filled in beforehand, the person counts.
  Alpine.data("counting", () => ({
    count: "",
    init() { this.count = this.$refs.count.value; },
    more() { this.count = String(Number(this.count || 0) + 1); },
    fewer() { this.count = String(Math.max(Number(this.count || 0) - 1, 0)); },
  }));

  Alpine.data("printing", () => ({ print() { globalThis.print(); } }));
});

// The ticket is the sign that an intake became a job: the window has nothing to remember any more.
if (location.pathname.endsWith("/ticket")) sessionStorage.clear();

document.addEventListener("keydown", (event) => {
  if (event.key !== "F2") return;
  const scan = document.getElementById("scan");
  if (scan) { event.preventDefault(); scan.focus(); scan.select(); }
});

// A form is sent once; the server would answer a second sending with the first result anyway.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.method !== "post") return;
  if (form.dataset.sent) { event.preventDefault(); return; }
  form.dataset.sent = "yes";
});
window.addEventListener("pageshow", () => {
  for (const form of document.forms) delete form.dataset.sent;
  const refusal = document.getElementById("refusal");
  if (refusal) refusal.focus();
});
