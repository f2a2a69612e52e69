// Keys of our own: digits for the rooms, 0 for the next action, ? for the list of them. They rest while a field has
// the focus, and whoever does not want them turns them off in the list.

const OFF = "sutura-keys-off";
const RESTING = "input, textarea, select, [contenteditable], [role=application]";

const nextAction = () =>
  [...document.querySelectorAll("main .button.main")].find((one) => one.offsetParent && !one.disabled);

const rooms = () => [...document.querySelectorAll(".rooms a")];

const shown = (key) => {
  const sign = document.createElement("kbd");
  sign.className = "key-sign";
  sign.setAttribute("aria-hidden", "true");
  sign.textContent = key;
  return sign;
};

export const showKeys = () => {
  if (localStorage.getItem(OFF)) return;
  rooms().forEach((room, place) => {
    room.append(shown(String(place + 1)));
    room.setAttribute("aria-keyshortcuts", String(place + 1));
  });
  const next = nextAction();
  if (next) {
    next.append(shown("0"));
    next.setAttribute("aria-keyshortcuts", "0");
  }
};

const list = () => document.getElementById("keys");

export const pressed = (event) => {
  const resting = event.target.closest?.(RESTING) || event.ctrlKey || event.altKey || event.metaKey;
  if (resting || localStorage.getItem(OFF)) return;
  if (event.key === "?") {
    event.preventDefault();
    list()?.showModal();
    return;
  }
  const wanted = event.key === "0" ? nextAction() : rooms()[Number(event.key) - 1];
  if (!/^[0-9]$/.test(event.key) || !wanted || list()?.open) return;
  event.preventDefault();
  wanted.click();
};

export const keys = () => ({
  off: Boolean(localStorage.getItem(OFF)),
  open() {
    list().showModal();
  },
  close() {
    list().close();
  },
  change() {
    if (this.off) localStorage.setItem(OFF, "yes");
    else localStorage.removeItem(OFF);
  },
});
