// Marks on the device. The server drew each kind once, about (0, 0) with a reach of 1 mm; here it is moved.

import { newName, passed, rounded, simplified } from "./lines.js";

const SVG = "http://www.w3.org/2000/svg";
const MM_STEP = 1.2; // a freehand line keeps a point only this far from the last one
const TOO_SMALL = {
  line: "That was a point, not a line: draw along it.",
  area: "That was too thin for an area: draw round it.",
};
const HINTS = {
  spot: "Press in its middle and drag to its rim.",
  line: "Draw along it.",
  area: "Draw round it.",
  place: "Press where it is.",
  "": "Press a mark to select it; drag or use the arrow keys to move it, Delete to remove it.",
};
// which attributes of a piece are places across, places down, and lengths
const ACROSS = ["cx", "x1", "x2"];
const DOWN = ["cy", "y1", "y2"];
const LENGTHS = ["r"];

// each kind as the server drew it; outside the component, which would wrap it
const PIECES = new Map();

function asPiece(svg) {
  return new DOMParser().parseFromString(`<svg xmlns="${SVG}">${svg}</svg>`, "image/svg+xml").documentElement
    .firstChild;
}

function drawn(kind, mark) {
  const piece = document.importNode(PIECES.get(mark.kind), true);
  if (kind.shape === "line" || kind.shape === "area") {
    piece.setAttribute("points", mark.points.map((point) => point.join(",")).join(" "));
    return piece;
  }
  const [x, y] = mark.points[0];
  const reach = Math.max(mark.reach_mm, kind.least);
  const move = (element, names, by) => {
    for (const name of names) {
      if (element.hasAttribute(name))
        element.setAttribute(name, Number(element.getAttribute(name)) * reach + by);
    }
  };
  for (const element of piece.children) {
    move(element, ACROSS, x);
    move(element, DOWN, y);
    move(element, LENGTHS, 0);
  }
  return piece;
}

// Marks on the device: press and drag for a spot, draw freely for a line or an area, press for a place.
export const drawing = () => ({
  tool: "impact",
  side: "front",
  marks: [],
  undone: [],
  redone: [],
  live: null,
  moved: null,
  selected: -1,
  note: "",
  lost: "",
  kinds: {},
  x: "",
  y: "",
  toX: "",
  wrong: "",
  toY: "",
  across: "10",
  edge: "top",
  strips: [],
  holes: [],
  hole: "",
  init() {
    this.holes = JSON.parse(this.$refs.face.dataset.holes || "[]");
    this.strips = JSON.parse(this.$refs.face.dataset.strips);
    this.kinds = JSON.parse(this.$refs.face.dataset.kinds);
    for (const [name, kind] of Object.entries(this.kinds)) PIECES.set(name, asPiece(kind.svg));
    this.marks = JSON.parse(this.$refs.marks.value || "[]");
    for (const mark of this.marks) mark.id = mark.id || newName();
    this.$watch("side", () => {
      if (!this.canDraw(this.tool)) this.tool = "select";
      this.choose(-1);
    });
    this.$watch("tool", () => {
      if (this.tool !== "select") this.choose(-1);
    });
    this.paint();
  },
  shape() {
    return this.kinds[this.tool] ? this.kinds[this.tool].shape : "";
  },
  canDraw(kind) {
    return kind === "select" || this.kinds[kind].sides.includes(this.isEdges ? "top" : this.side);
  },
  // The edges lie as strips under one another; a place on one of them is along it and across it.
  strip(side) {
    return this.strips.find((one) => one.side === side);
  },
  viewOf(side) {
    return side === "front" || side === "back" ? side : "edges";
  },
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
    return [
      rounded(Math.min(Math.max(x, 0), Number(width))),
      rounded(Math.min(Math.max(y, 0), Number(height))),
    ];
  },
  // A missing screw is missing from one of the holes of its side, where they are known.
  holesOf(side) {
    return this.tool === "missing_screw" ? this.holes.filter((one) => one.side === side) : [];
  },
  nearestHole(at, side) {
    const away = (one) => Math.hypot(one.x - at[0], one.y - at[1]);
    const [best] = this.holesOf(side).sort((a, b) => away(a) - away(b));
    return best ? [best.x, best.y] : at;
  },
  get hasHoles() {
    return this.holesHere.length > 0;
  },
  get holesHere() {
    return this.holesOf(this.isEdges ? this.edge : this.side);
  },
  start(event) {
    if (event.button > 0) return;
    try {
      event.currentTarget.setPointerCapture(event.pointerId);
    } catch {
      /* a lifted finger has no pointer */
    }
    this.lost = "";
    const side = this.sideAt(event);
    const at = this.at(event, side);
    if (this.tool === "select") {
      this.choose(this.nearest(at, side));
      if (this.selected >= 0)
        this.moved = {
          from: at,
          before: JSON.stringify(this.marks),
          mark: JSON.parse(JSON.stringify(this.marks[this.selected])),
        };
      this.$refs.face.focus();
      return;
    }
    this.live = {
      kind: this.tool,
      points: [this.nearestHole(at, side)],
      reach_mm: this.shape() === "spot" ? 3 : 0,
      side,
      note: "",
      id: newName(),
    };
    this.paint();
  },
  move(event) {
    if (this.moved) {
      this.shift(this.moved.mark, this.at(event, this.moved.mark.side), this.moved.from);
      this.paint();
      return;
    }
    if (!this.live) return;
    for (const place of passed(event)) this.follow(this.at(place, this.live.side), MM_STEP);
    this.paint();
  },
  // The mark being drawn goes on to here, when it is at least this far from its last point.
  follow([x, y], step) {
    const last = this.live.points[this.live.points.length - 1];
    const away = Math.hypot(x - last[0], y - last[1]);
    if (this.shape() === "spot")
      this.live.reach_mm = rounded(Math.min(Math.max(away, 3), this.kinds[this.tool].most));
    else if (this.shape() !== "place" && away >= step) this.live.points.push([x, y]);
  },
  end(event) {
    if (this.moved) {
      const before = this.moved.before;
      this.moved = null;
      if (before !== JSON.stringify(this.marks)) {
        this.undone.push(before);
        this.redone = [];
        this.changed();
      }
      return;
    }
    if (!this.live) return;
    // where it was lifted counts, however few places the browser told in between
    this.follow(this.at(event, this.live.side), 0.1);
    const mark = this.live;
    const shape = this.shape();
    this.live = null;
    if (shape === "line" || shape === "area") mark.points = simplified(mark.points, 0.6);
    // an area closes by itself
    if (shape === "area" && String(mark.points[0]) === String(mark.points.at(-1))) mark.points.pop();
    if (mark.points.length >= this.kinds[mark.kind].fewest) {
      this.add(mark);
      return;
    }
    this.lost = TOO_SMALL[shape];
    this.paint();
  },
  cancel() {
    if (this.live)
      this.lost = "The browser took the finger away: nothing was kept of that mark. Draw it again.";
    this.live = null;
    this.moved = null;
    this.paint();
  },
  // A mark is chosen by pressing within 5 mm of it, by the list, or with Tab and the arrow keys.
  nearest(at, side) {
    let best = 5,
      found = -1;
    this.marks.forEach((mark, index) => {
      if ((mark.side || "front") !== side) return;
      const away =
        Math.min(...mark.points.map((p) => Math.hypot(p[0] - at[0], p[1] - at[1]))) - (mark.reach_mm || 0);
      if (away < best) {
        best = away;
        found = index;
      }
    });
    return found;
  },
  choose(key) {
    this.selected = key;
    this.note = key >= 0 && this.marks[key] ? this.marks[key].note || "" : "";
    if (key >= 0 && this.marks[key]) {
      this.side = this.viewOf(this.marks[key].side || "front");
      this.tool = "select";
    }
    this.paint();
  },
  isSelected(key) {
    return this.selected === key;
  },
  get hasSelected() {
    return this.selected >= 0;
  },
  shift(mark, to, from) {
    const by = [to[0] - from[0], to[1] - from[1]];
    this.marks[this.selected].points = mark.points.map((p) =>
      this.inside(p[0] + by[0], p[1] + by[1], mark.side),
    );
  },
  key(event) {
    if (this.selected < 0) return;
    const step = event.shiftKey ? 5 : 1;
    const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
      event.key
    ];
    if (by) {
      event.preventDefault();
      this.keepFor(() => this.shift(this.marks[this.selected], by, [0, 0]));
    } else if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      this.remove(this.selected);
    } else if (event.key === "Escape") this.choose(-1);
  },
  saveNote() {
    if (this.selected >= 0)
      this.keepFor(() => {
        this.marks[this.selected].note = this.note;
      });
  },
  add(mark) {
    this.keepFor(() => this.marks.push(mark));
  },
  // A place as typed, read as every number is: a comma is a point. What is none, or lies off the face, is said
  // where it was typed, and nothing is added.
  read(text, label, most) {
    const plain = String(text).trim().replace(",", ".");
    const value = Number(plain);
    if (/^\d+(\.\d+)?$/.test(plain) && value <= most) return value;
    this.wrong ||= plain
      ? `“${String(text).trim()}” cannot be taken as ${label}: write mm from 0 to ${most}, such as 20.5`
      : `Write ${label} in mm, from 0 to ${most}`;
    return 0;
  },
  addTyped() {
    const shape = this.shape();
    this.wrong = shape ? "" : "Choose what it is first, such as Crack or Impact; Select adds nothing";
    if (!shape) return;
    const side = this.isEdges ? this.edge : this.side;
    const picked = this.holesHere.find((one) => one.says === this.hole);
    if (picked) {
      this.add({
        kind: this.tool,
        points: [[picked.x, picked.y]],
        reach_mm: 0,
        side,
        note: "",
        id: newName(),
      });
      return;
    }
    const { width, height } = this.strip(side) || this.$refs.face.dataset;
    const [across, down] = [Number(width), Number(height)];
    const a = [
      this.read(this.x, "millimetres from the left", across),
      this.read(this.y, "millimetres from the top", down),
    ];
    const b = this.hasEnd
      ? [this.read(this.toX, "its end from the left", across), this.read(this.toY, "its end from the top", down)]
      : a;
    const reach =
      shape === "spot" ? this.read(this.across, "millimetres across", Math.min(across, down)) / 2 : 0;
    if (this.wrong) return;
    const points = { line: [a, b], area: [a, [b[0], a[1]], b, [a[0], b[1]]] }[shape] || [a];
    this.add({ kind: this.tool, points, reach_mm: reach, side, note: "", id: newName() });
  },
  remove(key) {
    this.selected = -1;
    this.keepFor(() => this.marks.splice(key, 1));
  },
  keepFor(change) {
    this.undone.push(JSON.stringify(this.marks));
    this.redone = [];
    change();
    this.changed();
  },
  undo() {
    this.back(this.undone, this.redone);
  },
  redo() {
    this.back(this.redone, this.undone);
  },
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
  get nothingToUndo() {
    return this.undone.length === 0;
  },
  get nothingToRedo() {
    return this.redone.length === 0;
  },
  get isFront() {
    return this.side === "front";
  },
  get isBack() {
    return this.side === "back";
  },
  get isEdges() {
    return this.side === "edges";
  },
  get hasEnd() {
    return ["line", "area"].includes(this.shape());
  },
  get hasReach() {
    return this.shape() === "spot";
  },
  get hint() {
    return this.lost || HINTS[this.shape()];
  },
  paint() {
    const { view, edgesView } = this.$refs.face.dataset;
    this.$refs.face.setAttribute("viewBox", this.isEdges ? edgesView : view);
    const all = this.marks.map((mark, index) => [mark, index]).concat(this.live ? [[this.live, -2]] : []);
    // a window may remember a kind of an older release: it stays in the list, where it can be removed
    const shown = all.filter(
      ([mark]) => PIECES.has(mark.kind) && this.viewOf(mark.side || "front") === this.side,
    );
    this.$refs.layer.replaceChildren(...shown.map(([mark, index]) => this.placed(mark, index)));
  },
  placed(mark, index) {
    const piece = drawn(this.kinds[mark.kind], mark);
    if (index === this.selected) piece.classList.add("mark-chosen");
    const strip = this.strip(mark.side);
    if (!strip) return piece;
    const group = document.createElementNS(SVG, "g");
    group.setAttribute("transform", `translate(${strip.x} ${strip.y})`);
    group.append(piece);
    return group;
  },
});
