/* A page that makes something whole: rows of a form are added and taken by key, Ctrl+Enter sends it. */
import { byId } from "./dom.js";

const addRow = (form, after) => {
  const list = byId(form.dataset.rowsOf);
  const row = byId(`${form.dataset.rowsOf}-row`).content.firstElementChild.cloneNode(true);
  if (after) after.after(row);
  else list.append(row);
  return row;
};
export const addFirstRows = () =>
  document.querySelectorAll("form[data-rows-of]").forEach((form) => {
    if (!byId(form.dataset.rowsOf).children.length) addRow(form);
  });

const ROW_ACTS = {
  ArrowUp: (row) => row.previousElementSibling?.before(row),
  ArrowDown: (row) => row.nextElementSibling?.after(row),
  Delete: (row) => {
    (row.nextElementSibling || row.previousElementSibling)?.querySelector("input").focus();
    row.remove();
  },
};
export const foundingKey = (event, form) => {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
    event.preventDefault();
    form.requestSubmit();
    return;
  }
  const el = document.activeElement,
    row = el.closest("ol.segments > li");
  if (event.altKey && event.key === "n" && form.dataset.rowsOf) {
    event.preventDefault();
    addRow(form, row).querySelector("input").focus();
    return;
  }
  if (!row || !event.altKey || !(event.key in ROW_ACTS)) return;
  event.preventDefault();
  ROW_ACTS[event.key](row);
  if (row.isConnected) el.focus();
};

/* Faults stand on the cells they are about; the first of them takes focus. */
document.addEventListener("htmx:afterSwap", (event) => {
  const form = document.querySelector("form.founding");
  if (!form || event.detail.target.id !== "told") return;
  form.querySelectorAll("[aria-invalid]").forEach((el) => el.removeAttribute("aria-invalid"));
  const cells = [...event.detail.target.querySelectorAll("[data-column]")]
    .map(({ dataset }) => {
      const place =
        "line" in dataset ? form.querySelector(`ol.segments > li:nth-child(${dataset.line})`) : form;
      return place?.querySelector(`[name="${CSS.escape(dataset.column)}"]`);
    })
    .filter(Boolean);
  cells.forEach((el) => el.setAttribute("aria-invalid", "true"));
  cells[0]?.focus();
});
document.addEventListener("click", (event) => {
  const form = event.target.closest("[data-add-row]")?.closest("form");
  if (form) addRow(form).querySelector("input").focus();
});
