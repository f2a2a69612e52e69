// A hand scanner types faster than any hand and ends with Enter. What it types outside a field is searched for; it
// never presses what happens to have the focus. A key that is held down is one press.

// keys of a scanner come so many milliseconds apart at most, also in a browser that is busy, and so many of them
// make a code; outside a field nobody types four letters as fast as that
const APART = 80;
const LEAST = 4;

let text = "";
let last = 0;

const inField = (target) => target.matches("input:not([type=radio], [type=checkbox]), textarea, select");

export const scanned = (event) => {
  if (event.repeat && ["Enter", " ", "F9"].includes(event.key)) {
    event.preventDefault();
    event.stopImmediatePropagation();
    return;
  }
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  const quick = event.timeStamp - last <= APART;
  last = event.timeStamp;
  // what is typed into a field stays there
  if (inField(event.target)) {
    text = "";
    return;
  }
  if (event.key.length === 1) {
    text = quick ? text + event.key : event.key;
    // a space in the middle of a code presses no button
    if (text.length > 1 && event.key === " ") event.preventDefault();
    return;
  }
  if (event.key === "Shift") return;
  const code = quick && event.key === "Enter" ? text : "";
  text = "";
  if (code.length < LEAST) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  if (document.getElementById("scan")) location.assign(`/scan?q=${encodeURIComponent(code)}`);
};
