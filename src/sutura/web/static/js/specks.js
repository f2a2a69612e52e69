// Specks on the drawing of a face: by a click, or by arrows and Enter.

export const speckling = () => ({
  specks: [],
  at: [20, 20],
  says: "Click every speck on the drawing. None marked: it is clean.",
  svg() {
    return this.$refs.face.querySelector("svg");
  },
  mark(event) {
    const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg().getScreenCTM().inverse());
    this.at = [place.x, place.y];
    this.add();
  },
  key(event) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (by) {
      event.preventDefault();
      this.at = [this.at[0] + by[0], this.at[1] + by[1]];
      this.says = `At ${this.at[0].toFixed(0)}, ${this.at[1].toFixed(0)} mm; Enter marks a speck.`;
      this.draw();
    } else if (event.key === "Enter") {
      event.preventDefault();
      this.add();
    }
  },
  add() {
    this.specks.push(this.at.map((n) => Math.round(n * 10) / 10));
    this.told();
  },
  undo() {
    this.specks.pop();
    this.told();
  },
  told() {
    this.$refs.field.value = JSON.stringify(this.specks);
    this.says = this.specks.length ? `${this.specks.length} marked.` : "None marked: it is clean.";
    this.draw();
  },
  draw() {
    const svg = this.svg();
    for (const old of svg.querySelectorAll(".marked, .cross")) old.remove();
    const ring = (x, y, name) => {
      const made = document.createElementNS("http://www.w3.org/2000/svg", "circle");
      made.setAttribute("cx", x);
      made.setAttribute("cy", y);
      made.setAttribute("r", 2.2);
      made.setAttribute("class", name);
      svg.append(made);
    };
    for (const [x, y] of this.specks) ring(x, y, "speck marked");
    ring(this.at[0], this.at[1], "cross");
  },
});
