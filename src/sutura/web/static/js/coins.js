// The sum of coins and notes while they are counted; the server adds them up again.

export const coins = () => ({
  some: false,
  sum: "",

  init() {
    this.add();
  },

  add() {
    const typed = [...this.$root.querySelectorAll("[data-worth]")].filter((one) => /^\d+$/.test(one.value.trim()));
    const minor = typed.reduce((sum, one) => sum + Number(one.dataset.worth) * Number(one.value), 0);
    const digits = Number(this.$root.dataset.digits);
    this.some = typed.length > 0;
    this.sum = (minor / 10 ** digits).toFixed(digits);
  },
});
