// Answers of the server that appear without a new page.

import { handUp, holding, underHand } from "./hand.js";

// Long work: asks how far it is, and shows the page anew when it is done.
export const watching = () => ({
  says: "",
  done: -1,
  since: 0,
  slow: false,
  init() {
    this.says = this.$el.querySelector("[role=status]").textContent;
    this.since = Date.now();
    this.later();
  },
  later() {
    setTimeout(() => this.ask(), 700);
  },
  async ask() {
    const answer = await fetch(this.$root.dataset.url).catch(() => null);
    if (!answer || !answer.ok) {
      this.later();
      return;
    }
    const said = await answer.json();
    if (said.state !== this.$root.dataset.state) {
      location.reload();
      return;
    }
    if (said.done !== this.done || said.at_it) {
      this.done = said.done;
      this.since = Date.now();
    }
    this.slow = Date.now() - this.since > 15000;
    this.says = said.says;
    if (said.total) this.$refs.bar.value = said.done;
    this.later();
  },
});

// A text field whose answer from the server appears below it while typing.
export const asks = () => ({
  timer: null,
  last: "",
  ask() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.fetch(), 180);
  },
  async fetch() {
    const text = this.$refs.asked.value.trim();
    if (text === this.last) return;
    this.last = text;
    const answer = await fetch(this.$root.dataset.url + encodeURIComponent(text)).catch(() => null);
    if (!answer || !answer.ok || this.last !== text) return;
    const said = await answer.text();
    await handUp();
    const stays = holding(underHand(document.body));
    this.$refs.answer.innerHTML = said;
    stays();
  },
});
