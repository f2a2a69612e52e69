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

// An edge that cools: says so when the time is over at which it can be cut.
export const cooling = () => ({
  cold: false,
  init() {
    const until = Date.parse(this.$root.dataset.until);
    if (!until) return;
    const left = until - Date.now();
    this.timer = setTimeout(() => (this.cold = true), Math.max(left, 0));
  },
  destroy() {
    clearTimeout(this.timer);
  },
});
