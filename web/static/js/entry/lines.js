/* The lines of a journal that is keyed in: rows of inputs, read and written here only. */
import { byId } from "../dom.js";
import { cellsOf } from "./pasted.js";

export const table = () => byId("entry");
export const lines = () => [...table().querySelectorAll("tbody tr:not(.generated)")];
export const cell = (row, name) => row.querySelector(`[name=${CSS.escape(name)}]`);
const HEAD = ":is(#entry-head, #entry-then)";
export const headCell = (name) => document.querySelector(`${HEAD} [name=${CSS.escape(name)}]`);
const cells = (row) => [...row.querySelectorAll("[name]")];

export const COLUMNS = [
  "line_company",
  "account",
  "dimensions",
  "debit",
  "credit",
  "partner",
  "description",
  "source_type",
  "source_number",
  "source_party",
  "source_item",
];

/* The source document of a line in short, below its description. */
export const shortenSource = (row) => {
  const parts = ["type", "number", "party", "item"].map((name) => cell(row, `source_${name}`).value.trim());
  row.querySelector("[data-source-of]").textContent = parts.filter(Boolean).join(" ");
};
export const addLine = (values = {}) => {
  const row = byId("entry-line").content.firstElementChild.cloneNode(true);
  table().querySelector("tbody").append(row);
  row.firstElementChild.textContent = lines().length;
  for (const [name, value] of Object.entries(values)) {
    const field = cell(row, name);
    if (field) field.value = value;
  }
  shortenSource(row);
  return row;
};
export const addEmptyLine = () => addLine({ account: table().dataset.prefix });

/* The journal as the server reads it. */
export const journal = () => {
  const head = Object.fromEntries(
    [...document.querySelectorAll(`${HEAD} [name]`)].map((el) => [el.name, el.value]),
  );
  head.lines = lines().map((row) => Object.fromEntries(cells(row).map((el) => [el.name, el.value])));
  return head;
};
export const isBlank = (row) =>
  cells(row).every((el) => !el.value || (el.name === "account" && el.value === table().dataset.prefix));

/* Cells of a spreadsheet fill rows from the cell the cursor stands in. */
export const fillFrom = (el, text) => {
  const from = COLUMNS.indexOf(el.name),
    at = lines().indexOf(el.closest("tr"));
  cellsOf(text).forEach((values, i) => {
    const row = lines()[at + i] || addLine();
    values.forEach((value, j) => {
      const into = COLUMNS[from + j] && cell(row, COLUMNS[from + j]);
      if (into) into.value = value;
    });
    shortenSource(row);
  });
};

/* Goes on to the next cell; after the last one a line is added. */
export const goOn = (el) => {
  const all = [
    ...document.querySelectorAll(
      "#entry-head [name]:not([type=hidden]), #entry tbody [name]:not([type=hidden])",
    ),
  ];
  let to = all[all.indexOf(el) + 1] || cell(addEmptyLine(), "account");
  if (to.name === "line_company") to = cell(to.closest("tr"), "account");
  to.focus();
  if (to.type === "text") to.setSelectionRange(to.value.length, to.value.length);
};
