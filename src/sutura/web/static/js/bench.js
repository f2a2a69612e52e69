// The function list and the counting of screws.

export const functionList = () => ({
  set(value, reason) {
    for (const line of this.$root.querySelectorAll("fieldset")) {
      if (line.querySelector("input:checked")) continue;
      line.querySelector(`input[value="${value}"]`).checked = true;
      if (reason) line.querySelector("input:not([type=radio])").value = reason;
    }
    this.$root.dispatchEvent(new Event("change", { bubbles: true }));
  },
  rest() {
    this.set("not_testable", this.$refs.why.value);
  },
  allWork() {
    this.set("works", "");
  },
  allFlush() {
    this.set("yes", "");
  },
});

// Counting screws: nothing is filled in beforehand, the person counts.
export const counting = () => ({
  count: "",
  init() {
    this.count = this.$refs.count.value;
  },
  more() {
    this.count = String(Number(this.count || 0) + 1);
  },
  fewer() {
    this.count = String(Math.max(Number(this.count || 0) - 1, 0));
  },
});

// Three short tones, where somebody allowed them on this machine.
const ALLOWED = "sound";
const sound = () => {
  if (localStorage.getItem(ALLOWED) !== "yes") return;
  const audio = new AudioContext();
  for (const at of [0, 0.35, 0.7]) {
    const tone = audio.createOscillator();
    tone.frequency.value = 880;
    tone.connect(audio.destination);
    tone.start(audio.currentTime + at);
    tone.stop(audio.currentTime + at + 0.2);
  }
};

export const sounding = () => ({
  on: false,
  init() {
    this.on = localStorage.getItem(ALLOWED) === "yes";
  },
  keep() {
    localStorage.setItem(ALLOWED, this.on ? "yes" : "");
    if (this.on) sound();
  },
});

// An edge that cools: says so when the time is over at which it can be cut.
export const cooling = () => ({
  cold: false,
  init() {
    const until = Date.parse(this.$root.dataset.until);
    if (!until) return;
    const left = until - Date.now();
    this.timer = setTimeout(
      () => {
        this.cold = true;
        sound();
      },
      // a timer of the browser counts no further than this, and would be over at once
      Math.min(Math.max(left, 0), 2 ** 31 - 1),
    );
  },
  destroy() {
    clearTimeout(this.timer);
  },
});
