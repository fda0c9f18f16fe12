/* What is typed ahead waits and then goes where it was meant. An act that was begun by a key is on its way
   until its answer is there: keys typed meanwhile go, in order, into the field that comes with it, on
   another page too. A key for the proof waits while the proof of the selected row is on its way, else it
   would act on the row before. */
import { typing } from "./dom.js";

const PATIENCE = 4000;
/* A link that leads to no page, as to a file, leaves this one where it is. */
const GOING = 6000;
const CARRIED = "pine-typed-ahead";
let due = null, // the row whose proof is on its way
  since = 0,
  waiting = [],
  going = null; // the timer of a page that is being left
const awaited = new Set(); // requests that an act began

const onItsWay = () => awaited.size > 0 || going !== null;
const WAITS = new Set(["Enter", "Backspace", "Tab", "ArrowDown", "ArrowUp"]);

/* True where keys wait already, or for an act, and this one with them: in their order, so in a field that has
   come meanwhile too. */
export const queued = (event) => {
  if ((!waiting.length && !onItsWay()) || event.ctrlKey || event.altKey || event.metaKey) return false;
  if (!event.isTrusted || event.isComposing) return false;
  if (event.key === "Escape") {
    forget();
    return false;
  }
  if (typing(document.activeElement) && !waiting.length) return false;
  if (event.key.length > 1 && !WAITS.has(event.key)) return false;
  event.preventDefault();
  waiting.push(event.shiftKey && event.key === "Tab" ? "Shift+Tab" : event.key);
  return true;
};

/* True where the key waits for the proof; `el` is what it would use. */
export const later = (event, el) => {
  if (!due || Date.now() - since > PATIENCE || (el && !el.closest("#proof"))) return false;
  if (!waiting.length)
    setTimeout(() => {
      if (waiting.length && !onItsWay()) arrived();
    }, PATIENCE);
  waiting.push(event.key);
  return true;
};

/* An act is about to be used by a key: what it asks for is awaited. */
let begun = false;
export const begin = (el, use) => {
  begun = true;
  use();
  begun = false;
  const plainLink = el?.matches("a[href]:not([hx-get], [hx-post], [download], [target])");
  const form = el?.matches("button:not([type=button])") && el.form;
  if (plainLink || (form && !form.matches("[hx-get], [hx-post]") && !el.matches("[hx-get], [hx-post]"))) go();
};
const go = () => {
  clearTimeout(going);
  going = setTimeout(() => {
    going = null;
    arrived();
  }, GOING);
};

const FIELDS = "a[href], button, input:not([type=hidden]), select, textarea, [tabindex='0']";
const tab = (el, back) => {
  const fields = [...document.querySelectorAll(FIELDS)].filter((one) => !one.disabled && one.offsetParent);
  fields[fields.indexOf(el) + (back ? -1 : 1)]?.focus();
};
const choose = (el, key) => {
  const option = [...el.options].find((one) => one.text.toLowerCase().startsWith(key.toLowerCase()));
  if (!option) return;
  el.value = option.value;
  el.dispatchEvent(new Event("change", { bubbles: true }));
};
const put = (el, key) => {
  const [from, to] = [el.selectionStart ?? el.value.length, el.selectionEnd ?? el.value.length];
  const back = key === "Backspace";
  if (el.selectionStart === null) el.value = back ? el.value.slice(0, -1) : el.value + key;
  else el.setRangeText(back ? "" : key, back && from === to ? Math.max(0, from - 1) : from, to, "end");
  el.dispatchEvent(new InputEvent("input", { bubbles: true, data: back ? null : key }));
};
const replay = (key) => {
  const el = document.activeElement;
  if (key.endsWith("Tab")) return tab(el, key !== "Tab");
  const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true });
  if (!el.dispatchEvent(event)) return undefined;
  if (typing(el) && el.matches("select") && key.length === 1) return choose(el, key);
  if (typing(el) && (key.length === 1 || key === "Backspace")) return put(el, key);
  if (key === "Enter" && el.matches("button, a[href], summary")) el.click();
  else if (key === "Enter" && typing(el) && el.form) el.form.requestSubmit();
  return undefined;
};
/* One after the other: a key may begin an act that the next ones wait for. */
const arrived = () => {
  due = null;
  const keys = waiting;
  waiting = [];
  while (keys.length) {
    replay(keys.shift());
    if (onItsWay()) {
      waiting.push(...keys);
      return;
    }
  }
};
const forget = () => {
  due = null;
  waiting = [];
  awaited.clear();
  clearTimeout(going);
  going = null;
};

/* Requests that an act began, and those that follow from them: not what a row asks for as it has focus. */
document.addEventListener("htmx:beforeSend", ({ detail }) => {
  const follows = awaited.size && !detail.elt.matches("[hx-trigger^=focus]");
  if (begun || follows) awaited.add(detail.xhr);
});
/* Once a field stands with focus, what else the answer asks for is nothing to wait for. */
const answered = (xhr) => {
  if (!awaited.delete(xhr)) return;
  setTimeout(() => {
    if (going === null && typing(document.activeElement)) awaited.clear();
    if (!onItsWay()) arrived();
  });
};
document.addEventListener("htmx:afterSettle", ({ detail }) => answered(detail.xhr));
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  const leads = ["HX-Redirect", "HX-Refresh"].some((name) => detail.xhr.getResponseHeader(name));
  if (leads && awaited.has(detail.xhr)) go();
  setTimeout(() => answered(detail.xhr), 150); // an answer that puts nothing into the page never settles
});
["htmx:sendError", "htmx:timeout"].forEach((name) =>
  document.addEventListener(name, ({ detail }) => {
    if (awaited.delete(detail.xhr) && !onItsWay()) waiting = [];
  }),
);
/* Given up for another: what was typed waits for that one, or goes where focus is. */
document.addEventListener("htmx:sendAbort", ({ detail }) => answered(detail.xhr));
document.addEventListener("pointerdown", () => onItsWay() && forget());

/* To another page: what was typed goes along, and what is typed while it comes (early.js) after it. */
addEventListener("pagehide", () => {
  if (going === null) return;
  sessionStorage.setItem(CARRIED, JSON.stringify({ keys: waiting, at: Date.now() }));
  forget();
});
document.addEventListener("DOMContentLoaded", () => {
  const early = window.pineEarly?.taken() || [];
  const carried = JSON.parse(sessionStorage.getItem(CARRIED) || "null");
  sessionStorage.removeItem(CARRIED);
  const before = carried && Date.now() - carried.at <= 10 * GOING ? carried.keys : [];
  waiting = [...before, ...early];
  if (waiting.length) setTimeout(arrived);
});

/* The place that a row fills once it has had focus for a moment is busy until it is filled. */
let filling = null;
const placeOf = (row) => document.querySelector(row.getAttribute("hx-target"));
const awaitFilling = (row) => {
  filling = row;
  placeOf(row)?.setAttribute("aria-busy", "true");
};
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.elt === filling) placeOf(filling)?.removeAttribute("aria-busy");
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
  const isDue = detail.target?.id === "proof" && detail.requestConfig?.elt.dataset.row === due;
  if (isDue && !onItsWay()) arrived();
});
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target === document.body) due = null;
});
document.addEventListener("htmx:responseError", () => (due = null));
