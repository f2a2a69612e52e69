// The rails of a day: a stitch is dragged, or moved by keys, and the server says what that would do. And a page
// that follows the plan.

import { handUp, holding, underHand } from "./hand.js";

const QUARTER = 15;

export const railing = () => ({
  says: "",
  at: null,
  moved: false,
  timer: null,
  svg() {
    return this.$root.querySelector("svg.day");
  },
  pick(block, x, y) {
    const svg = this.svg();
    const people = svg.dataset.people.split(" ");
    const line = Number(block.querySelector(".sewn").getAttribute("y1"));
    const row = Math.round((line - Number(svg.dataset.top)) / Number(svg.dataset.row) - 0.5);
    this.at = { block, x, y, row, people, start: Number(block.dataset.start), minutes: 0, rows: 0 };
    this.moved = false;
  },
  // how much a pixel is in the drawing
  scale() {
    return this.svg().getScreenCTM().a;
  },
  show() {
    const svg = this.svg();
    const { block, minutes, rows } = this.at;
    const x = (minutes / Number(svg.dataset.minutes)) * Number(svg.dataset.room);
    block.setAttribute("transform", `translate(${x.toFixed(1)} ${rows * Number(svg.dataset.row)})`);
    block.classList.add("moving");
  },
  grab(event) {
    const block = event.target.closest(".stitches.hands");
    if (block) this.pick(block, event.clientX, event.clientY);
  },
  drag(event) {
    if (!this.at || this.at.x === null || event.buttons === 0) return;
    const [dx, dy] = [event.clientX - this.at.x, event.clientY - this.at.y];
    if (!this.moved && Math.hypot(dx, dy) < 5) return;
    event.preventDefault();
    this.moved = true;
    const svg = this.svg();
    const scale = this.scale();
    const minutes = (dx / scale / Number(svg.dataset.room)) * Number(svg.dataset.minutes);
    this.move(Math.round(minutes / 5) * 5, Math.round(dy / scale / Number(svg.dataset.row)));
  },
  move(minutes, rows) {
    const { row, people } = this.at;
    this.at.minutes = Math.max(minutes, -this.at.start);
    this.at.rows = Math.min(Math.max(rows, -row), people.length - 1 - row);
    this.show();
  },
  drop() {
    if (!this.at || !this.moved) return;
    this.at.x = null;
    this.ask();
  },
  // a drag is no press of the link
  held(event) {
    if (!this.moved) return;
    event.preventDefault();
    event.stopPropagation();
    this.moved = false;
  },
  key(event) {
    const turn = { PageUp: -1, PageDown: 1 }[event.key];
    if (turn) {
      const day = Number(this.$root.dataset.day) + turn;
      event.preventDefault();
      if (day >= 0 && day < Number(this.$root.dataset.days)) location.assign(`/plan?day=${day}`);
      return;
    }
    const block = event.target.closest(".stitches.hands");
    const by = {
      ArrowLeft: [-QUARTER, 0],
      ArrowRight: [QUARTER, 0],
      ArrowUp: [0, -1],
      ArrowDown: [0, 1],
    }[event.key];
    if (!block || !this.$refs.form) return;
    if (event.key === "Escape") {
      this.back();
      return;
    }
    if (!by) return;
    event.preventDefault();
    if (!this.at || this.at.block !== block) {
      this.back();
      this.pick(block, null, null);
    }
    this.move(this.at.minutes + by[0], this.at.rows + by[1]);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), 600);
  },
  back() {
    clearTimeout(this.timer);
    if (this.at) {
      this.at.block.removeAttribute("transform");
      this.at.block.classList.remove("moving");
    }
    this.at = null;
    this.says = "";
    this.$refs.effect.innerHTML = "";
  },
  async ask() {
    const { block, start, minutes, row, rows, people } = this.at;
    // local time of the shop, reckoned without a zone
    const opens = new Date(`${this.svg().dataset.opens}:00Z`);
    const begins = new Date(opens.getTime() + (start + minutes) * 60000).toISOString().slice(0, 16);
    this.$refs.code.value = block.dataset.code;
    this.$refs.person.value = people[row + rows];
    this.$refs.start.value = begins;
    const who = this.$refs.person.selectedOptions[0].textContent;
    this.says = `${block.dataset.code} at ${begins.slice(11)} with ${who}: it is worked out what that does …`;
    this.$refs.effect.innerHTML = "";
    const asked = new URLSearchParams(new FormData(this.$refs.form));
    const answer = await fetch(`${this.$refs.form.action}?${asked}`).catch(() => null);
    if (!this.at || this.at.block !== block) return;
    const page = answer ? new DOMParser().parseFromString(await answer.text(), "text/html") : null;
    const effect = page && page.getElementById("effect");
    this.says = effect ? `${block.dataset.code} at ${begins.slice(11)} with ${who}:` : "The server does not answer.";
    if (effect) this.$refs.effect.innerHTML = effect.innerHTML;
  },
});

// A page that follows the plan: asks for a word, and shows itself anew when that is another.
export const following = () => ({
  init() {
    this.later();
  },
  later() {
    setTimeout(() => this.ask(), 4000);
  },
  async ask() {
    const root = this.$root;
    const answer = document.hidden ? null : await fetch("/plan/seen").catch(() => null);
    const word = answer && answer.ok ? await answer.text() : root.dataset.seen;
    const typing = root.contains(document.activeElement) && document.activeElement.matches("input, textarea, select");
    if (word === root.dataset.seen || typing) {
      this.later();
      return;
    }
    const fresh = await fetch(location.href).catch(() => null);
    const page = fresh && fresh.ok ? new DOMParser().parseFromString(await fresh.text(), "text/html") : null;
    const anew = page && page.querySelector("[data-seen]");
    if (anew) {
      await handUp();
      const focused = document.activeElement.getAttribute?.("href");
      const stays = holding(underHand(document.body));
      root.innerHTML = anew.innerHTML;
      root.dataset.seen = anew.dataset.seen;
      if (focused) root.querySelector(`a[href="${CSS.escape(focused)}"]`)?.focus();
      stays();
    }
    this.later();
  },
});
