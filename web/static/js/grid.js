/* A matrix: arrows go from cell to cell, Shift chooses a rectangle, what a cell is about comes into the proof
   leaf. */
import { between } from "./dom.js";

const CELL = "table[data-cells] td[data-col]";
/* A cell that stands for nothing is no place to begin. */
const BEGIN = "td[data-col]:not(:has(.box.none))";
const SOON = 120;
const tableOf = (cell) => cell.closest("table[data-cells]");
const rowsOf = (table) => [...table.tBodies[0].rows].filter((row) => row.dataset.keyRow !== undefined);
const cellsOf = (row) => [...row.querySelectorAll("td[data-col]")];
const placeOf = (cell) => ({
  row: rowsOf(tableOf(cell)).indexOf(cell.parentElement),
  col: cellsOf(cell.parentElement).indexOf(cell),
});
export const cellOf = (el) => el?.closest?.(CELL) || null;

let anchor = null,
  asking = null;

/* Where a key leads from a place in a matrix of so many rows and columns; null where it leads nowhere. */
export const stepByKey = (key, { row, col }, rows, cols) => {
  const to = {
    ArrowDown: [row + 1, col],
    ArrowUp: [row - 1, col],
    ArrowRight: [row, col + 1],
    ArrowLeft: [row, col - 1],
    PageDown: [row + 15, col],
    PageUp: [row - 15, col],
    Home: [row, 0],
    End: [row, cols - 1],
  }[key];
  return to ? { row: between(to[0], 0, rows - 1), col: between(to[1], 0, cols - 1) } : null;
};

const chosen = (table) => [...table.querySelectorAll("td[aria-selected=true]")];
/* Forms that act on cells get the keys of those that are chosen. */
const tellForms = (table) => {
  const keys = chosen(table).map((cell) => [cell.parentElement.dataset.keyRow, cell.dataset.col]);
  document.querySelectorAll("form[data-with-cells] [name=cells]").forEach((input) => {
    input.value = JSON.stringify(keys);
  });
  document.querySelectorAll("[data-cells-count]").forEach((el) => {
    el.textContent = keys.length > 1 ? `${keys.length.toLocaleString("en-GB")} cells chosen` : "";
  });
};
const choose = (table, cells) => {
  chosen(table).forEach((cell) => cell.removeAttribute("aria-selected"));
  cells.forEach((cell) => cell.setAttribute("aria-selected", "true"));
  tellForms(table);
};
const rectangle = (table, from, to) => {
  const [a, b] = [placeOf(from), placeOf(to)];
  const [top, bottom] = [Math.min(a.row, b.row), Math.max(a.row, b.row)];
  const [left, right] = [Math.min(a.col, b.col), Math.max(a.col, b.col)];
  return rowsOf(table)
    .slice(top, bottom + 1)
    .flatMap((row) => cellsOf(row).slice(left, right + 1));
};

/* The proof follows the cell that has focus, once it stays there for a moment. */
const ask = (cell) => {
  clearTimeout(asking);
  const { cellProof, cellTarget } = tableOf(cell).dataset;
  if (!cellProof) return;
  asking = setTimeout(() => {
    const address = new URL(cellProof, location.href);
    address.searchParams.set("row", cell.parentElement.dataset.keyRow);
    address.searchParams.set("col", cell.dataset.col);
    window.htmx.ajax("GET", address.pathname + address.search, { target: cellTarget, swap: "innerHTML" });
  }, SOON);
};
const stand = (cell, extending) => {
  const table = tableOf(cell);
  if (!extending) anchor = cell;
  table.querySelectorAll("td[tabindex='0']").forEach((other) => other.setAttribute("tabindex", "-1"));
  cell.setAttribute("tabindex", "0");
  choose(table, extending && anchor?.isConnected ? rectangle(table, anchor, cell) : [cell]);
  cell.focus({ preventScroll: true });
  cell.scrollIntoView({ block: "nearest", inline: "nearest" });
  ask(cell);
};

/* Tab reaches a matrix once, at the cell that was chosen last or its first. */
export const placeCellStops = () =>
  document.querySelectorAll("table[data-cells]").forEach((table) => {
    if (table.querySelector("td[tabindex='0']")) return;
    table.querySelector(BEGIN)?.setAttribute("tabindex", "0");
  });

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || event.altKey || event.ctrlKey || event.metaKey) return;
  const el = document.activeElement;
  const cell = cellOf(el);
  if (!cell) {
    const first =
      (el === document.body || el?.id === "work") && document.querySelector(`table[data-cells] ${BEGIN}`);
    if (first && event.key === "ArrowDown") {
      event.preventDefault();
      stand(document.querySelector("td[aria-selected=true]") || first, false);
    }
    return;
  }
  const rows = rowsOf(tableOf(cell)),
    to = stepByKey(event.key, placeOf(cell), rows.length, cellsOf(cell.parentElement).length);
  if (event.key === "Enter") {
    const act = document.querySelector("[data-cell-enter]");
    if (!act) return;
    event.preventDefault();
    act.click();
  } else if (to) {
    event.preventDefault();
    stand(cellsOf(rows[to.row])[to.col], event.shiftKey);
  }
});
document.addEventListener("click", (event) => {
  const cell = cellOf(event.target);
  if (cell && !event.target.closest("a, button")) stand(cell, event.shiftKey);
});
/* A form that comes into the page later is told too. */
document.addEventListener("htmx:afterSettle", () => {
  placeCellStops();
  const table = document.querySelector("table[data-cells]");
  if (table) tellForms(table);
});
document.addEventListener("DOMContentLoaded", placeCellStops);
/* After the page was read anew the cell that was worked on has focus again. */
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target !== document.body) return;
  const wanted = document.querySelector("td[data-focus]");
  if (wanted) stand(wanted, false);
});
