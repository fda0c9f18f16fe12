/* Rows of a table: one tab stop a table, arrows go from row to row, several are chosen by Shift, Ctrl and
   Space. */
import { between, byId, selected, typing } from "./dom.js";

const PAGE = 15;
const ROW = "table[data-rows] tbody tr[tabindex]:not([hidden])";
const rowsOf = (el) => [...el.closest("table").querySelectorAll("tbody tr[tabindex]:not([hidden])")];
export const rowOf = (el) => el?.closest?.(ROW) || null;
export const firstRow = () => document.querySelector(ROW);

/* Several rows: Shift goes on from the anchor, Ctrl adds or takes one; the bar above says how many. After
   Space rows are chosen apart: arrows only go, Space adds or takes out, Esc or a click ends it. */
let anchor = null,
  keeping = false,
  apart = false;

/* Tab reaches a table once, at the row chosen last or its first. */
const makeTabStop = (row) => {
  row
    .closest("table")
    .querySelectorAll("tbody tr[tabindex='0']")
    .forEach((other) => other !== row && other.setAttribute("tabindex", "-1"));
  row.setAttribute("tabindex", "0");
};
export const placeTabStops = () =>
  document.querySelectorAll("table[data-rows]").forEach((table) => {
    if (table.querySelector("tbody tr[tabindex='0']:not([hidden])")) return;
    const row =
      table.querySelector("tbody tr[tabindex][aria-selected=true]:not([hidden])") ||
      table.querySelector("tbody tr[tabindex]:not([hidden])");
    row?.setAttribute("tabindex", "0");
  });

const stand = (row) => {
  keeping = true;
  row.focus({ preventScroll: true });
  keeping = false;
  makeTabStop(row);
  row.scrollIntoView({ block: "nearest" });
};
export const focusRow = (row) => {
  if (!row) return;
  document
    .querySelectorAll("table[data-rows] tr[aria-selected=true]")
    .forEach((other) => other.setAttribute("aria-selected", "false"));
  row.setAttribute("aria-selected", "true");
  row.focus({ preventScroll: true });
  makeTabStop(row);
  row.scrollIntoView({ block: "nearest" });
  anchor = row;
  countChosen();
};
const chosen = () => [...document.querySelectorAll("table[data-many] tr[aria-selected=true][data-row]")];
const countChosen = () => {
  const rows = chosen();
  const keys = rows.map((row) => row.dataset.row).join(",");
  document.querySelectorAll("form[data-with-chosen] [name=what]").forEach((input) => (input.value = keys));
  const bar =
    rows[0]?.closest("[data-sheet]")?.querySelector("form[data-chosen]") ||
    document.querySelector("form[data-several], form[data-chosen]:not([hidden])");
  if (!bar) return;
  bar.hidden = rows.length < 2;
  bar.querySelector("[name=what]").value = keys;
  bar.querySelector("[data-count]").textContent = `${rows.length} chosen`;
};

/* The places from one row to another, whichever stands first. */
export const span = (from, to) => [Math.min(from, to), Math.max(from, to)];

const choose = (row, onFromAnchor) => {
  if (onFromAnchor) {
    const rows = rowsOf(row),
      start = anchor && rows.includes(anchor) ? anchor : row;
    const [first, last] = span(rows.indexOf(start), rows.indexOf(row));
    rows.forEach((other, i) => other.setAttribute("aria-selected", String(i >= first && i <= last)));
  } else {
    row.setAttribute("aria-selected", row.getAttribute("aria-selected") === "true" ? "false" : "true");
  }
  stand(row);
  countChosen();
};
const chooseOn = (row, next) => {
  if (chosen().length < 2) anchor = row;
  if (next) choose(next, true);
};
const chooseApart = (row) => {
  if (apart || chosen().length > 1) choose(row, false);
  apart = true;
};
export const endChoosingApart = (el) => {
  if (!apart) return;
  apart = false;
  if (el?.matches("tr")) focusRow(el);
};

/* Where a key leads in a list of so many rows; null where it leads nowhere. */
export const placeByKey = (key, at, count) => {
  const to = {
    ArrowDown: at + 1,
    ArrowUp: at - 1,
    PageDown: at + PAGE,
    PageUp: at - PAGE,
    Home: 0,
    End: count - 1,
  }[key];
  return to === undefined ? null : between(to, 0, count - 1);
};

/* True where the key was meant for the rows. */
export const rowKey = (event, row) => {
  const rows = rowsOf(row),
    at = rows.indexOf(row),
    { dataset } = row.closest("table"),
    many = "many" in dataset,
    arrow = event.key === "ArrowDown" || event.key === "ArrowUp";
  if (many && (event.key === " " || (event.shiftKey && arrow))) {
    event.preventDefault();
    if (event.key === " ") chooseApart(row);
    else chooseOn(row, rows[at + (event.key === "ArrowDown" ? 1 : -1)]);
    return true;
  }
  if ("steps" in dataset && (event.key === "j" || event.key === "k")) {
    event.preventDefault();
    focusRow(rows[placeByKey(event.key === "j" ? "ArrowDown" : "ArrowUp", at, rows.length)]);
    return true;
  }
  const to = placeByKey(event.key, at, rows.length);
  if (to === null || event.altKey) return false;
  event.preventDefault();
  if (apart) stand(rows[to]);
  else focusRow(rows[to]);
  return true;
};

/* True where the table is edited in place: the row then opens as inputs. */
export const askToEdit = (row) => {
  if (!row.closest("[data-edit]")) return false;
  row.dispatchEvent(new CustomEvent("pine:edit", { bubbles: true }));
  return true;
};
export const opener = (row) => row.querySelector("[data-open]") || document.querySelector("[data-open-row]");

document.addEventListener("click", (event) => {
  const row = rowOf(event.target);
  if (!row || event.target.closest("a, button, input, select, summary")) return;
  if ((event.shiftKey || event.ctrlKey || event.metaKey) && row.closest("table[data-many]"))
    choose(row, event.shiftKey);
  else {
    apart = false;
    focusRow(row);
  }
});
document.addEventListener("dblclick", (event) => {
  const row = rowOf(event.target);
  if (!row || event.target.closest("a, button, input")) return;
  const open = opener(row);
  if (open) open.click();
  else askToEdit(row);
});
document.addEventListener("focusin", (event) => {
  const row = rowOf(event.target);
  if (row && row === event.target && !keeping) focusRow(row);
});
document.addEventListener("mousedown", (event) => {
  if (event.shiftKey && event.target.closest("table[data-many] tbody")) event.preventDefault();
});

/* Rows of a spreadsheet pasted onto a table go to its preview. */
document.addEventListener("paste", (event) => {
  const el = document.activeElement;
  const table =
    el.closest("table[data-paste]") ||
    selected()?.closest("table[data-paste]") ||
    document.querySelector("table[data-paste]");
  const text = event.clipboardData?.getData("text/plain");
  const several = /[\t\n]/.test(text?.trim() || "") && el.closest("tr.editing");
  if (event.defaultPrevented || !table || !text?.trim() || (typing(el) && !several)) return;
  event.preventDefault();
  window.htmx.ajax("POST", table.dataset.paste, {
    values: { text },
    target: table.closest("[data-brought]") || byId("brought"),
  });
});
