// Drawings that are looked at.

// A drawing to look at closely: buttons, keys, and dragging it about.
export const zooming = () => ({
  side: "front",
  held: null,
  first: "",
  init() {
    this.first = this.$refs.drawing.getAttribute("viewBox");
  },
  get isFront() {
    return this.side === "front";
  },
  get isBack() {
    return this.side === "back";
  },
  box() {
    return this.$refs.drawing.getAttribute("viewBox").split(" ").map(Number);
  },
  show(x, y, wide, high) {
    this.$refs.drawing.setAttribute("viewBox", [x, y, wide, high].map((n) => n.toFixed(2)).join(" "));
  },
  zoom(share) {
    const [x, y, wide, high] = this.box();
    const full = Number(this.first.split(" ")[2]);
    if ((share < 1 && wide < full / 12) || (share > 1 && wide > full * 1.5)) return;
    this.show(x + (wide * (1 - share)) / 2, y + (high * (1 - share)) / 2, wide * share, high * share);
  },
  closer() {
    this.zoom(0.7);
  },
  away() {
    this.zoom(1 / 0.7);
  },
  whole() {
    this.$refs.drawing.setAttribute("viewBox", this.first);
  },
  shift(byX, byY) {
    const [x, y, wide, high] = this.box();
    this.show(x + byX, y + byY, wide, high);
  },
  key(event) {
    const step = this.box()[2] / 10;
    const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
      event.key
    ];
    if (by) {
      event.preventDefault();
      this.shift(by[0], by[1]);
    } else if (event.key === "+" || event.key === "=") this.closer();
    else if (event.key === "-") this.away();
    else if (event.key === "0") this.whole();
  },
  grab(event) {
    this.held = [event.clientX, event.clientY];
  },
  drag(event) {
    if (!this.held) return;
    const scale = this.$refs.drawing.getScreenCTM().a;
    this.shift((this.held[0] - event.clientX) / scale, (this.held[1] - event.clientY) / scale);
    this.held = [event.clientX, event.clientY];
  },
  drop() {
    this.held = null;
  },
});
