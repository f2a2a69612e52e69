// Keys of our own, none of which a hand scanner types: F9 presses the next action of the page, F7 shows another
// step that may be done now, F8 opens the list of keys, and in that list a digit goes to its room.

const nextAction = () =>
  [...document.querySelectorAll("main .button.main")].find((one) => one.offsetParent && !one.disabled);

export const showKeys = () => {
  const next = nextAction();
  if (!next) return;
  const sign = document.createElement("kbd");
  sign.className = "key-sign";
  sign.setAttribute("aria-hidden", "true");
  sign.textContent = "F9";
  next.append(sign);
  next.setAttribute("aria-keyshortcuts", "F9");
};

// At a step with screws a digit is the screw of that place. A hand scanner types digits, too, but never one alone:
// what is followed by another key at once is no press of ours.
let waiting = 0;
const digit = (event) => {
  const alone = !waiting;
  clearTimeout(waiting);
  waiting = setTimeout(() => (waiting = 0), 150);
  const screw = /^[1-9]$/.test(event.key) && document.querySelector(`[data-digit="${event.key}"]`);
  if (!screw || !alone || event.target.matches("input, textarea, select")) return false;
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    waiting = 0;
    screw.click();
  }, 150);
  return true;
};

// A screw in the drawing of the tray is tapped for the button of its place.
export const tapped = (event) => {
  const place = event.target.closest?.("[data-place]")?.dataset.place;
  if (place) document.querySelector(`.one-by-one button[value="${CSS.escape(place)}"]`)?.click();
};

export const pressed = (event) => {
  const list = document.getElementById("keys");
  if (!list || event.ctrlKey || event.altKey || event.metaKey) return;
  const wanted = list.open
    ? list.querySelector(`[data-key="${CSS.escape(event.key)}"]`)
    : (event.key === "F9" && nextAction()) || (event.key === "F7" && document.querySelector("[data-other]"));
  if (!list.open && digit(event)) return;
  if (event.key === "F8" && !list.open) list.showModal();
  else if (wanted) wanted.click();
  else return;
  event.preventDefault();
};

export const keys = () => ({
  open() {
    document.getElementById("keys").showModal();
  },
  close() {
    document.getElementById("keys").close();
  },
});
