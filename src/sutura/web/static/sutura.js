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

// A mark's own name within its drawing, so that a photo can be of it.
const newName = () => crypto.getRandomValues(new Uint32Array(1))[0].toString(36);

const one = (value) => Math.round(value * 10) / 10;

document.addEventListener("alpine:init", () => {
  // The intake form: kept while typing, so that it can be left at any second.
  Alpine.data("intake", () => ({
    saved: "", damage: "", panel: "", odd: "", pieces: {}, labels: [], timer: null, sending: false, changes: 0,
    init() {
      const form = this.$root;
      this.labels = JSON.parse(form.dataset.labels).map((label, key) => ({ ...label, key }));
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
      return marks.map((mark, i) => ({ key: i, id: mark.id || "", says: i < this.labels.length ? this.labels[i].says : mark.kind }));
    },
    // a photo can be of any mark that has a name
    get named() { return this.labels.filter((label) => label.id); },
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
    fields() { return [...this.$root.elements].filter((one) => one.name && (one.type !== "hidden" || ["marks", "signature"].includes(one.name)) && !["submit", "file"].includes(one.type)); },
    // a photo is sent by its own button, not with every pause in typing
    typed() { const form = new FormData(this.$root); form.delete("photo"); return form; },
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
      navigator.sendBeacon(this.$root.dataset.keep, this.typed());
    },
    async keep() {
      if (this.$root.dataset.sent) return;
      if (this.sending) { this.later(300); return; }
      this.sending = true;
      this.timer = null;
      const changes = this.changes;
      this.number();
      try {
        const answer = await fetch(this.$root.dataset.keep, { method: "POST", body: this.typed() });
        if (!answer.ok) throw new Error(String(answer.status));
        const said = await answer.json();
        this.saved = said.saved;
        this.damage = said.damage;
        this.panel = said.panel;
        this.odd = said.odd;
        for (const [name, text] of [["reading", said.reading], ["opening", said.opening], ["plan", said.plan], ["same", said.same]]) {
          const place = this.$root.querySelector(`[x-ref=${name}]`);
          // only what changed is written anew, so that a screen reader says nothing twice
          if (place && this.pieces[name] !== text) { place.innerHTML = text; this.pieces[name] = text; }
        }
        this.labels = said.labels.map((label, key) => ({ ...label, key }));
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

  // Marks on the device: press and drag for a spot, draw freely for a line or an area, press for a place.
  Alpine.data("drawing", () => ({
    tool: "impact", side: "front", marks: [], undone: [], redone: [], live: null, moved: null, selected: -1, note: "", kinds: {},
    x: "", y: "", toX: "", toY: "", across: "10", edge: "top", strips: [],
    init() {
      this.strips = JSON.parse(this.$refs.face.dataset.strips);
      this.kinds = JSON.parse(this.$refs.face.dataset.kinds);
      this.marks = JSON.parse(this.$refs.marks.value || "[]");
      for (const mark of this.marks) mark.id = mark.id || newName();
      this.$watch("side", () => { if (!this.canDraw(this.tool)) this.tool = "select"; this.choose(-1); });
      this.$watch("tool", () => { if (this.tool !== "select") this.choose(-1); });
      this.paint();
    },
    shape() { return this.kinds[this.tool] ? this.kinds[this.tool].shape : ""; },
    canDraw(kind) { return kind === "select" || this.kinds[kind].sides.includes(this.isEdges ? "top" : this.side); },
    // The edges lie as strips under one another; a place on one of them is along it and across it.
    strip(side) { return this.strips.find((one) => one.side === side); },
    viewOf(side) { return side === "front" || side === "back" ? side : "edges"; },
    point(event) {
      const svg = this.$refs.face;
      return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    },
    sideAt(event) {
      if (!this.isEdges) return this.side;
      const { y } = this.point(event);
      const away = (one) => Math.abs(y - one.y - one.height / 2);
      return [...this.strips].sort((a, b) => away(a) - away(b))[0].side;
    },
    at(event, side) {
      const point = this.point(event);
      const strip = this.strip(side) || { x: 0, y: 0 };
      return this.inside(point.x - strip.x, point.y - strip.y, side);
    },
    inside(x, y, side) {
      const { width, height } = this.strip(side) || this.$refs.face.dataset;
      return [one(Math.min(Math.max(x, 0), Number(width))), one(Math.min(Math.max(y, 0), Number(height)))];
    },
    start(event) {
      if (event.button > 0) return;
      try { event.currentTarget.setPointerCapture(event.pointerId); } catch { /* a lifted finger has no pointer */ }
      const side = this.sideAt(event);
      const at = this.at(event, side);
      if (this.tool === "select") {
        this.choose(this.nearest(at, side));
        if (this.selected >= 0) this.moved = { from: at, before: JSON.stringify(this.marks), mark: JSON.parse(JSON.stringify(this.marks[this.selected])) };
        this.$refs.face.focus();
        return;
      }
      this.live = { kind: this.tool, points: [at], reach_mm: this.shape() === "spot" ? 3 : 0, side, note: "", id: newName() };
      this.paint();
    },
    move(event) {
      if (this.moved) { this.shift(this.moved.mark, this.at(event, this.moved.mark.side), this.moved.from); this.paint(); return; }
      if (!this.live) return;
      const [x, y] = this.at(event, this.live.side);
      const last = this.live.points[this.live.points.length - 1];
      const away = Math.hypot(x - last[0], y - last[1]);
      if (this.shape() === "spot") this.live.reach_mm = one(Math.min(Math.max(away, 3), 60));
      else if (this.shape() !== "place" && away >= MM_STEP) this.live.points.push([x, y]);
      this.paint();
    },
    end() {
      if (this.moved) {
        const before = this.moved.before;
        this.moved = null;
        if (before !== JSON.stringify(this.marks)) { this.undone.push(before); this.redone = []; this.changed(); }
        return;
      }
      const mark = this.live;
      const shape = this.shape();
      this.live = null;
      if (mark && (shape === "line" || shape === "area")) mark.points = simplified(mark.points, 0.6);
      const fewest = { spot: 1, place: 1, line: 2, area: 3 }[shape];
      if (mark && mark.points.length >= fewest) this.add(mark);
      else this.paint();
    },
    cancel() { this.live = null; this.moved = null; this.paint(); },
    // A mark is chosen by pressing within 5 mm of it, by the list, or with Tab and the arrow keys.
    nearest(at, side) {
      let best = 5, found = -1;
      this.marks.forEach((mark, index) => {
        if ((mark.side || "front") !== side) return;
        const away = Math.min(...mark.points.map((p) => Math.hypot(p[0] - at[0], p[1] - at[1]))) - (mark.reach_mm || 0);
        if (away < best) { best = away; found = index; }
      });
      return found;
    },
    choose(key) {
      this.selected = key;
      this.note = key >= 0 && this.marks[key] ? this.marks[key].note || "" : "";
      if (key >= 0 && this.marks[key]) { this.side = this.viewOf(this.marks[key].side || "front"); this.tool = "select"; }
      this.paint();
    },
    isSelected(key) { return this.selected === key; },
    get hasSelected() { return this.selected >= 0; },
    shift(mark, to, from) {
      const by = [to[0] - from[0], to[1] - from[1]];
      this.marks[this.selected].points = mark.points.map((p) => this.inside(p[0] + by[0], p[1] + by[1], mark.side));
    },
    key(event) {
      if (this.selected < 0) return;
      const step = event.shiftKey ? 5 : 1;
      const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
      if (by) { event.preventDefault(); this.keepFor(() => this.shift(this.marks[this.selected], by, [0, 0])); }
      else if (event.key === "Delete" || event.key === "Backspace") { event.preventDefault(); this.remove(this.selected); }
      else if (event.key === "Escape") this.choose(-1);
    },
    saveNote() { if (this.selected >= 0) this.keepFor(() => { this.marks[this.selected].note = this.note; }); },
    add(mark) { this.keepFor(() => this.marks.push(mark)); },
    addTyped() {
      const [a, b] = [[this.x, this.y], [this.toX, this.toY]].map((pair) => pair.map(Number));
      const shape = this.shape();
      if (!shape || this.x === "" || this.y === "" || (this.hasEnd && (this.toX === "" || this.toY === ""))) return;
      const points = { line: [a, b], area: [a, [b[0], a[1]], b, [a[0], b[1]]] }[shape] || [a];
      this.add({ kind: this.tool, points, reach_mm: shape === "spot" ? Number(this.across) / 2 : 0, side: this.isEdges ? this.edge : this.side, note: "", id: newName() });
    },
    remove(key) { this.selected = -1; this.keepFor(() => this.marks.splice(key, 1)); },
    keepFor(change) {
      this.undone.push(JSON.stringify(this.marks));
      this.redone = [];
      change();
      this.changed();
    },
    undo() { this.back(this.undone, this.redone); },
    redo() { this.back(this.redone, this.undone); },
    back(from, to) {
      if (!from.length) return;
      to.push(JSON.stringify(this.marks));
      this.marks = JSON.parse(from.pop());
      this.selected = -1;
      this.changed();
    },
    changed() {
      this.$refs.marks.value = JSON.stringify(this.marks);
      this.paint();
      this.$dispatch("sutura:drawn");
    },
    get nothingToUndo() { return this.undone.length === 0; },
    get nothingToRedo() { return this.redone.length === 0; },
    get isFront() { return this.side === "front"; },
    get isBack() { return this.side === "back"; },
    get isEdges() { return this.side === "edges"; },
    get hasEnd() { return ["line", "area"].includes(this.shape()); },
    get hasReach() { return this.shape() === "spot"; },
    get hint() {
      return {
        spot: "Press in its middle and drag to its rim.", line: "Draw along it.", area: "Draw round it.", place: "Press where it is.",
        "": "Press a mark to select it; drag or use the arrow keys to move it, Delete to remove it.",
      }[this.shape()];
    },
    paint() {
      const make = (name, attributes) => {
        const element = document.createElementNS("http://www.w3.org/2000/svg", name);
        for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
        return element;
      };
      const draw = (mark, index) => {
        const shape = this.kinds[mark.kind].shape;
        const name = "mark-" + mark.kind.replaceAll("_", "-") + (index === this.selected ? " mark-chosen" : "");
        const points = mark.points.map((p) => p.join(",")).join(" ");
        if (shape === "line") return make("polyline", { class: name, points });
        if (shape === "area") return make("polygon", { class: name, points });
        const [x, y] = mark.points[0];
        const reach = Math.max(mark.reach_mm, mark.kind === "impact" ? 1.5 : 1.2);
        if (mark.kind !== "impact") return make("circle", { class: name, cx: x, cy: y, r: reach });
        const group = make("g", { class: name });
        group.append(make("circle", { cx: x, cy: y, r: reach }));
        for (let k = 0; k < 7; k++) {
          const turn = (k * 2 * Math.PI) / 7 + 0.4;
          group.append(make("line", { x1: x, y1: y, x2: x + reach * Math.cos(turn), y2: y + reach * Math.sin(turn) }));
        }
        return group;
      };
      const place = (mark, index) => {
        const strip = this.strip(mark.side);
        if (!strip) return draw(mark, index);
        const group = make("g", { transform: `translate(${strip.x} ${strip.y})` });
        group.append(draw(mark, index));
        return group;
      };
      const { view, edgesView } = this.$refs.face.dataset;
      this.$refs.face.setAttribute("viewBox", this.isEdges ? edgesView : view);
      const all = this.marks.map((mark, index) => [mark, index]).concat(this.live ? [[this.live, -2]] : []);
      this.$refs.layer.replaceChildren(...all.filter(([mark]) => this.viewOf(mark.side || "front") === this.side).map(([mark, index]) => place(mark, index)));
    },
  }));

  // Long work: asks how far it is, and shows the page anew when it is done.
  Alpine.data("watching", () => ({
    says: "", done: -1, since: 0, slow: false,
    init() { this.says = this.$el.querySelector("[role=status]").textContent; this.since = Date.now(); this.later(); },
    later() { setTimeout(() => this.ask(), 700); },
    async ask() {
      const answer = await fetch(this.$root.dataset.url).catch(() => null);
      if (!answer || !answer.ok) { this.later(); return; }
      const said = await answer.json();
      if (said.state !== this.$root.dataset.state) { location.reload(); return; }
      if (said.done !== this.done) { this.done = said.done; this.since = Date.now(); }
      this.slow = Date.now() - this.since > 15000;
      this.says = said.says;
      this.$refs.bar.value = said.done;
      this.later();
    },
  }));

  // A drawing to look at closely: buttons, keys, and dragging it about.
  Alpine.data("zooming", () => ({
    side: "front", held: null, first: "",
    init() { this.first = this.$refs.drawing.getAttribute("viewBox"); },
    get isFront() { return this.side === "front"; },
    get isBack() { return this.side === "back"; },
    box() { return this.$refs.drawing.getAttribute("viewBox").split(" ").map(Number); },
    show(x, y, wide, high) { this.$refs.drawing.setAttribute("viewBox", [x, y, wide, high].map((n) => n.toFixed(2)).join(" ")); },
    zoom(share) {
      const [x, y, wide, high] = this.box();
      const full = Number(this.first.split(" ")[2]);
      if ((share < 1 && wide < full / 12) || (share > 1 && wide > full * 1.5)) return;
      this.show(x + (wide * (1 - share)) / 2, y + (high * (1 - share)) / 2, wide * share, high * share);
    },
    closer() { this.zoom(0.7); },
    away() { this.zoom(1 / 0.7); },
    whole() { this.$refs.drawing.setAttribute("viewBox", this.first); },
    shift(byX, byY) { const [x, y, wide, high] = this.box(); this.show(x + byX, y + byY, wide, high); },
    key(event) {
      const step = this.box()[2] / 10;
      const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
      if (by) { event.preventDefault(); this.shift(by[0], by[1]); }
      else if (event.key === "+" || event.key === "=") this.closer();
      else if (event.key === "-") this.away();
      else if (event.key === "0") this.whole();
    },
    grab(event) { this.held = [event.clientX, event.clientY]; },
    drag(event) {
      if (!this.held) return;
      const scale = this.$refs.drawing.getScreenCTM().a;
      this.shift((this.held[0] - event.clientX) / scale, (this.held[1] - event.clientY) / scale);
      this.held = [event.clientX, event.clientY];
    },
    drop() { this.held = null; },
  }));

  // A customer's signature: strokes on a pad, kept with the rest of the form.
  Alpine.data("signing", () => ({
    strokes: [], live: null,
    init() {
      this.strokes = JSON.parse(this.$refs.strokes.value || "[]");
      // a signature that the window remembered is shown, not hidden in a closed detail
      if (this.strokes.length) this.$root.open = true;
      this.paint();
    },
    at(event) {
      const pad = this.$refs.pad;
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(pad.getScreenCTM().inverse());
      const { width, height } = pad.viewBox.baseVal;
      return [one(Math.min(Math.max(point.x, 0), width)), one(Math.min(Math.max(point.y, 0), height))];
    },
    start(event) {
      try { event.currentTarget.setPointerCapture(event.pointerId); } catch { /* a lifted finger has no pointer */ }
      this.live = [this.at(event)];
    },
    move(event) { if (this.live) { this.live.push(this.at(event)); this.paint(); } },
    end() {
      if (this.live && this.live.length > 1) this.strokes.push(simplified(this.live, 0.3));
      this.live = null;
      this.keep();
    },
    wipe() { this.strokes = []; this.keep(); },
    keep() {
      this.$refs.strokes.value = this.strokes.length ? JSON.stringify(this.strokes) : "";
      this.$refs.strokes.dispatchEvent(new Event("change", { bubbles: true }));
      this.paint();
    },
    paint() {
      this.$refs.ink.replaceChildren(...this.strokes.concat(this.live ? [this.live] : []).map((stroke) => {
        const line = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
        line.setAttribute("points", stroke.map((p) => p.join(",")).join(" "));
        return line;
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
