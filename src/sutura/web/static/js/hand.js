// A press is a button going down and coming up on the same thing: nothing moves on the page in between,
// and what is under the hand stays where it is when an answer comes.

let down = false;
let lifting = null;
const told = [];

const up = () => {
  clearTimeout(lifting);
  lifting = null;
  down = false;
  for (const call of told) call();
};
const listen = (name, call) => globalThis.addEventListener(name, call, true);
listen("pointerdown", () => {
  clearTimeout(lifting);
  down = true;
});
listen("pointerup", (event) => {
  // the click comes right after the button is let go; after a finger is lifted it takes the browser a while
  lifting = setTimeout(up, event.pointerType === "mouse" ? 0 : 400);
});
listen("click", () => {
  // the page's own answer to it first
  if (down) setTimeout(up);
});
listen("pointercancel", () => setTimeout(up));
listen("blur", (event) => event.target === globalThis && setTimeout(up));

export const isDown = () => down;

// Called each time a hand comes up.
export const whenUp = (call) => told.push(call);

// A lifted hand that nobody told of holds an answer up 3 s.
export const handUp = async () => {
  for (let waited = 0; down && waited < 3000; waited += 50) {
    await new Promise((done) => {
      setTimeout(done, 50);
    });
  }
};

// Call what comes back when the page has changed; it says if what was given could stay where it was.
export const holding = (target) => {
  const top = () => target.getBoundingClientRect().top;
  const before = target && top();
  return () => {
    if (!target || !target.isConnected) return true;
    globalThis.scrollBy(0, top() - before);
    return Math.abs(top() - before) <= 1;
  };
};

export const underHand = (within) => {
  const focused = document.activeElement;
  return [...within.querySelectorAll(":hover")].at(-1) || (within.contains(focused) ? focused : null);
};
