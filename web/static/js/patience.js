/* A key for the proof waits while the proof of the selected row is on its way, else it would act on the row
   before. Keys after it wait too, in order, and are then put where focus is. */
import { typing } from "./dom.js";

const PATIENCE = 4000;
let due = null, // the row whose proof is on its way
  since = 0,
  waiting = [];

/* True where keys wait already, and this one after them. */
export const queued = (event) => {
  if (!waiting.length || event.ctrlKey || event.altKey || event.metaKey || !event.isTrusted) return false;
  event.preventDefault();
  waiting.push(event.key);
  return true;
};

/* True where the key waits for the proof; `el` is what it would use. */
export const later = (event, el) => {
  if (!due || Date.now() - since > PATIENCE || (el && !el.closest("#proof"))) return false;
  if (!waiting.length)
    setTimeout(() => {
      if (waiting.length) arrived();
    }, PATIENCE);
  waiting.push(event.key);
  return true;
};
const replay = (key) => {
  const el = document.activeElement;
  if (typing(el) && key.length === 1 && !el.matches("select")) {
    el.setRangeText(key, el.selectionStart, el.selectionEnd, "end");
    el.dispatchEvent(new Event("input", { bubbles: true }));
  } else if (key === "Enter" && typing(el) && el.form) el.form.requestSubmit();
  else el.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
};
const arrived = () => {
  const keys = waiting;
  due = null;
  waiting = [];
  keys.forEach(replay);
};
const forget = () => {
  due = null;
  waiting = [];
};

/* The place that a row fills once it has had focus for a moment is busy until it is filled. */
let awaited = null;
const placeOf = (row) => document.querySelector(row.getAttribute("hx-target"));
const awaitFilling = (row) => {
  awaited = row;
  placeOf(row)?.setAttribute("aria-busy", "true");
};
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.elt === awaited) placeOf(awaited)?.removeAttribute("aria-busy");
});

document.addEventListener("focusin", (event) => {
  const { target } = event;
  if (target.matches("[hx-target][hx-trigger^=focus]")) awaitFilling(target);
  if (!target.matches("tr[hx-target='#proof'][hx-trigger^=focus]")) return;
  due = target.dataset.row;
  since = Date.now();
});
/* An answer to the row before can still come in while this row's is on its way: it isn't the one. */
document.addEventListener("htmx:afterSettle", ({ detail }) => {
  if (detail.target?.id === "proof" && detail.requestConfig?.elt.dataset.row === due) arrived();
});
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target === document.body) forget();
});
document.addEventListener("htmx:responseError", forget);
document.addEventListener("htmx:sendError", forget);
