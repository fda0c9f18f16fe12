/* Everything a key does is also a button or link that says so (data-key, data-say). */
import { byId, element, selected, typing } from "./dom.js";
import { noteFinder } from "./find.js";
import { foundingKey } from "./founding.js";
import { keyName } from "./keyname.js";
import { later, queued } from "./patience.js";
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
    term.append(element("kbd", key));
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
  el.click();
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
  if (!askToEdit(row)) return false;
  event.preventDefault();
  return true;
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
  editing.parentElement.querySelector(button).click();
};
const controlKey = (event) => {
  const twin = acts().find((el) => el.dataset.key === `Ctrl+${event.key.toLowerCase()}`);
  if (!twin) return;
  event.preventDefault();
  twin.click();
};
const pageKey = (event, el, row) => {
  const first = event.key === "ArrowDown" && !row && (selected() || firstRow());
  if (first && (el === document.body || el.id === "work")) {
    event.preventDefault();
    focusRow(first);
    return;
  }
  const fitting = acts().filter((act) => act.dataset.key === keyName(event));
  const near = selected()?.closest("[data-sheet]");
  const act = fitting.find((one) => near?.contains(one)) || fitting[0];
  if (act) {
    event.preventDefault();
    if (act.id === "find") noteFinder(el);
    if (!later(event, act)) use(act);
  } else if (row && event.key.length === 1) later(event, null);
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
  if (row && (rowKey(event, row) || (event.key === "Enter" && enterOnRow(event, row)))) return;
  if (event.key === "?") {
    event.preventDefault();
    showKeys();
  } else if (event.key === "p") byId("leaves")?.classList.toggle("folded");
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
