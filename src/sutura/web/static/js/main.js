// What is on view and nothing more: rules and words come from the server. One module a room.

import { cooling, counting, functionList, sounding } from "./bench.js";
import { coins } from "./coins.js";
import { edidFile, intake } from "./intake.js";
import { keys, pressed, showKeys, tapped } from "./keys.js";
import { zooming } from "./look.js";
import { drawing } from "./marks.js";
import { following, railing } from "./rails.js";
import { scanned } from "./scanner.js";
import { signing } from "./signing.js";
import { speckling } from "./specks.js";
import { asks, watching } from "./waiting.js";

const printing = () => ({
  print() {
    globalThis.print();
  },
});

const COMPONENTS = {
  asks,
  coins,
  cooling,
  counting,
  drawing,
  edidFile,
  following,
  functionList,
  intake,
  keys,
  printing,
  railing,
  signing,
  sounding,
  speckling,
  watching,
  zooming,
};

document.addEventListener("alpine:init", () => {
  for (const [name, component] of Object.entries(COMPONENTS)) Alpine.data(name, component);
});

// The ticket is the sign that an intake became a job: the window has nothing to remember any more.
if (location.pathname.endsWith("/ticket")) sessionStorage.clear();

document.addEventListener("keydown", (event) => {
  if (event.key !== "F2") return;
  const scan = document.getElementById("scan");
  if (!scan) return;
  event.preventDefault();
  scan.focus();
  scan.select();
});

// before anything else hears of a key
document.addEventListener("keydown", scanned, { capture: true });
document.addEventListener("keydown", pressed);
document.addEventListener("click", tapped);
showKeys();

// On a narrow screen the rail shows the hours around now first.
for (const box of document.querySelectorAll(".rail-box")) {
  const now = box.querySelector(".here");
  const drawing = box.querySelector("svg");
  if (now && drawing) {
    const at = (Number(now.getAttribute("x1")) / drawing.viewBox.baseVal.width) * drawing.clientWidth;
    box.scrollLeft = at - box.clientWidth / 2;
  }
}

// A form is sent once; the server would answer a second sending with the first result anyway.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.method !== "post") return;
  if (form.dataset.sent) event.preventDefault();
  else form.dataset.sent = "yes";
});

window.addEventListener("pageshow", () => {
  for (const form of document.forms) delete form.dataset.sent;
  const refusal = document.getElementById("refusal");
  if (refusal) refusal.focus();
});
