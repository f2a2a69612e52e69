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
