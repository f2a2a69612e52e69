// The customer's signature.

import { rounded, simplified } from "./lines.js";

// A customer's signature: strokes on a pad, kept with the rest of the form.
export const signing = () => ({
  strokes: [],
  live: null,
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
    return [rounded(Math.min(Math.max(point.x, 0), width)), rounded(Math.min(Math.max(point.y, 0), height))];
  },
  start(event) {
    try {
      event.currentTarget.setPointerCapture(event.pointerId);
    } catch {
      /* a lifted finger has no pointer */
    }
    this.live = [this.at(event)];
  },
  move(event) {
    if (this.live) {
      this.live.push(this.at(event));
      this.paint();
    }
  },
  end() {
    if (this.live && this.live.length > 1) this.strokes.push(simplified(this.live, 0.3));
    this.live = null;
    this.keep();
  },
  wipe() {
    this.strokes = [];
    this.keep();
  },
  keep() {
    this.$refs.strokes.value = this.strokes.length ? JSON.stringify(this.strokes) : "";
    this.$refs.strokes.dispatchEvent(new Event("change", { bubbles: true }));
    this.paint();
  },
  paint() {
    this.$refs.ink.replaceChildren(
      ...this.strokes.concat(this.live ? [this.live] : []).map((stroke) => {
        const line = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
        line.setAttribute("points", stroke.map((p) => p.join(",")).join(" "));
        return line;
      }),
    );
  },
});
