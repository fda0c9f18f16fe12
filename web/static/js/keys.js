/* Everything a key does is also a button or link that says so (data-key, data-say). */
import { byId, element, selected, typing } from "./dom.js";
import { noteFinder } from "./find.js";
import { foundingKey } from "./founding.js";
import { keyName } from "./keyname.js";
import { begin, later, queued } from "./patience.js";
import { askToEdit, endChoosingApart, firstRow, focusRow, opener, rowKey, rowOf } from "./rows.js";

const visible = (el) => el.offsetParent !== null || el === document.activeElement;
const acts = () =>
  [...document.querySelectorAll("[data-key]")].filter(
    (el) => (visible(el) || "always" in el.dataset) && !el.disabled,
  );

const showKeys = () => {
  const dialog = byId("keys");
  const list = dialog.querySelector("dl");
  const listed = new Set();
  list.replaceChildren();
  const add = (key, says) => {
    if (listed.has(key)) return;
    listed.add(key);
    const term = document.createElement("dt");
    const single = /^(Shift\+)?.$/.test(key);
    if (single && letters() === "off") return;
    term.append(element("kbd", single && letters() === "alt" ? `Alt+${key}` : key));
    list.append(term, element("dd", says));
  };
  acts().forEach((el) => add(el.dataset.key, el.dataset.say || el.textContent.trim()));
  if (document.querySelector("table[data-rows]")) {
    add("↑ ↓", "Go through the rows");
    if (document.querySelector("table[data-many]")) {
      add("Shift+↑ ↓", "Choose several rows");
      add("Space", "Add the row to those chosen, or take it out");
      add("Ctrl+V", "Paste rows from a spreadsheet");
    }
    add("Enter", "Open or edit the row; add the next");
    add("Esc", "Drop what is being edited");
  }
  add("p", "Fold the proof away");
  add("?", "These keys");
  dialog.showModal();
};

let openedFrom = null;
const use = (el) => {
  if (el.matches("input, select, textarea")) {
    const closed = el.closest("details:not([open])");
    if (closed) closed.open = true;
    el.focus();
    el.select?.();
    return;
  }
  const menu = el.matches("summary") && el.parentElement,
    from = document.activeElement;
  begin(el, () => el.click());
  if (menu?.open) {
    openedFrom = from;
    menu.querySelector(":scope > :not(summary) :is(a, button, input, select, textarea)")?.focus();
  }
};

const enterOnRow = (event, row) => {
  const open = opener(row);
  if (open) {
    event.preventDefault();
    if (!later(event, open)) use(open);
    return true;
  }
  if (later(event, null)) return true;
  let edits = false;
  begin(row, () => (edits = askToEdit(row)));
  if (edits) event.preventDefault();
  return edits;
};
const escape = (el) => {
  const menu = el?.closest("details[open]");
  if (menu) {
    menu.open = false;
    (openedFrom?.isConnected ? openedFrom : menu.querySelector("summary")).focus();
    openedFrom = null;
    return;
  }
  if (typing(el)) el.blur();
  endChoosingApart(el);
  selected()?.focus();
};
/* Enter keeps the row that is being edited, Esc drops it. */
const editingKey = (event, el, editing) => {
  const button = { Enter: "[data-save]", Escape: "[data-drop]" }[event.key];
  if (!button || (event.key === "Enter" && el.matches("button"))) return;
  event.preventDefault();
  const pressedOn = editing.parentElement.querySelector(button);
  begin(pressedOn, () => pressedOn.click());
};
const controlKey = (event) => {
  const twin = acts().find((el) => el.dataset.key === `Ctrl+${event.key.toLowerCase()}`);
  if (!twin) return;
  event.preventDefault();
  begin(twin, () => twin.click());
};
const pageKey = (event, el, row) => {
  const first = event.key === "ArrowDown" && !row && (selected() || firstRow());
  if (first && (el === document.body || el.id === "work")) {
    event.preventDefault();
    focusRow(first);
    return;
  }
  const fitting = acts().filter((act) => act.dataset.key === pressed(event));
  const near = selected()?.closest("[data-sheet]");
  const act = fitting.find((one) => near?.contains(one)) || fitting[0];
  if (act) {
    event.preventDefault();
    if (act.id === "find") noteFinder(el);
    if (!later(event, act)) use(act);
  } else if (row && event.key.length === 1) later(event, null);
};

/* Single letters may be switched off, or asked for with Alt (WCAG 2.1.4): what a key is called then. */
const letters = () => document.body.dataset.letters || "plain";
const isLetter = ({ key, code, altKey }) => key.length === 1 || (altKey && /^(Key|Digit)/.test(code || ""));
const pressed = (event) => {
  if (!isLetter(event) || event.key === " ") return keyName(event);
  if (letters() === "plain") return keyName(event);
  if (letters() === "off" || !event.altKey) return "";
  const letter = event.code.startsWith("Key") ? event.code.slice(3) : event.key;
  const shifted = event.shiftKey ? letter.toUpperCase() : letter.toLowerCase();
  return keyName({ key: shifted, altKey: false });
};

/* Ctrl+Enter sends the form of a text that has lines of its own. */
const sendsText = (event, el) => {
  const sends = event.key === "Enter" && (event.ctrlKey || event.metaKey) && el?.matches("textarea");
  if (!sends || !el.form) return false;
  event.preventDefault();
  el.form.requestSubmit();
  return true;
};

/* True where the key belongs to what has focus: a form, a row being edited, the search; or has to wait. */
const takenByFocus = (event, el) => {
  if (queued(event)) return true;
  if (sendsText(event, el)) return true;
  const founding = el?.closest("form.founding");
  if (founding && (event.ctrlKey || event.metaKey || event.altKey)) foundingKey(event, founding);
  const editing = el?.closest("tr.editing");
  if (editing && !event.defaultPrevented) editingKey(event, el, editing);
  return event.defaultPrevented || Boolean(editing || el?.closest(".find"));
};
const keyOfPage = (event, el) => {
  const row = rowOf(el);
  const name = pressed(event);
  const forRow = name || event.key.length > 1 || event.key === " ";
  if (row && forRow && (rowKey(event, row) || (event.key === "Enter" && enterOnRow(event, row)))) return;
  if (name === "?") {
    event.preventDefault();
    showKeys();
  } else if (name === "p") byId("leaves")?.classList.toggle("folded");
  else pageKey(event, el, row);
};
document.addEventListener("keydown", (event) => {
  const el = document.activeElement;
  if (event.defaultPrevented || document.querySelector("dialog[open]") || takenByFocus(event, el)) return;
  if (event.key === "Escape") escape(el);
  else if (typing(el)) return;
  else if (event.ctrlKey || event.metaKey) controlKey(event);
  else keyOfPage(event, el);
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-act=keys]")) showKeys();
});
