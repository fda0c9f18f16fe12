/* Tables edited in place: a row opens as inputs, Enter keeps it and opens the next, Esc drops it, faults
   stand on their cell. */
import { byId } from "./dom.js";

const sheetOf = (el) => el?.closest?.("[data-sheet]");
const selected = () => document.querySelector("[data-sheet] tr[aria-selected=true][data-row]");
const chosen = (sheet) =>
  [...sheet.querySelectorAll("tr[aria-selected=true][data-row]")].map((row) => row.dataset.row);
let next = "";

const drop = () => {
  document.querySelectorAll("[data-sheet] tr.editing").forEach((row) => row.remove());
  document.querySelectorAll("tr.being-edited").forEach((row) => {
    row.classList.remove("being-edited");
    row.focus();
  });
  byId("told")?.replaceChildren();
};

const open = (sheet, row, adding) => {
  if (!sheet?.dataset.edit) return;
  drop();
  const wanted = row?.classList.contains("wanted");
  const part = !row
    ? ""
    : adding && !wanted
      ? `&near=${encodeURIComponent(row.dataset.row)}`
      : `&key=${encodeURIComponent(row.dataset.row)}`;
  const target = row || sheet.querySelector("tbody");
  window.htmx
    .ajax("GET", sheet.dataset.edit + part, { target, swap: row ? "afterend" : "afterbegin" })
    .then(() => {
      if (row && (!adding || wanted)) row.classList.add("being-edited");
    });
};
document.addEventListener("pine:edit", (event) => open(sheetOf(event.target), event.target, false));

document.addEventListener("click", (event) => {
  const el = event.target.closest(
    "[data-add], [data-edit-row], [data-several], [data-sheet] [data-drop], [data-sheet] [data-save]",
  );
  const sheet = sheetOf(el);
  if (!sheet) return;
  if (el.matches("[data-add]")) open(sheet, sheet.contains(selected()) ? selected() : null, true);
  if (el.matches("[data-edit-row]") && sheet.contains(selected())) open(sheet, selected(), false);
  if (el.matches("[data-drop]")) drop();
  if (el.matches("[data-save]")) next = "next" in el.dataset ? sheet.dataset.sheet : "";
  if (el.matches("[data-several]")) {
    const form = sheet.querySelector("form[data-chosen]");
    window.htmx.ajax("POST", form.getAttribute("hx-post"), {
      values: { what: chosen(sheet).join(","), act: el.dataset.several, seen: form.elements.seen.value },
      target: "#told",
    });
  }
});

/* After a change the page is read anew: the row of the address is selected again, and the next one opened.
 */
const place = () => {
  const sheet = document.querySelector("[data-sheet]:not([data-placed])");
  if (!sheet) return;
  document.querySelectorAll("[data-sheet]").forEach((el) => el.setAttribute("data-placed", ""));
  const [name, ...key] = (new URLSearchParams(location.search).get("row") || "").split(":");
  const at = document.querySelector(`[data-sheet="${CSS.escape(name)}"]`);
  const row = at && [...at.querySelectorAll("tr[data-row]")].find((tr) => tr.dataset.row === key.join(":"));
  if (row) row.focus();
  if (at && next === name) open(at, row || null, true);
  next = "";
};
document.addEventListener("htmx:afterSettle", place);
document.addEventListener("DOMContentLoaded", place);

/* A fault that names a column stands on the cell that is being edited. */
document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target.id !== "told") return;
  document.querySelectorAll("tr.editing .cell-fault").forEach((el) => el.remove());
  document.querySelectorAll("tr.editing [aria-invalid]").forEach((el) => el.removeAttribute("aria-invalid"));
  let first = null;
  event.detail.target.querySelectorAll("[data-column]").forEach((told) => {
    const cell = document.querySelector(
      `tr.editing [name="${CSS.escape(told.dataset.column)}"]:not([type=hidden])`,
    );
    if (!cell) return;
    const note = document.createElement("small");
    note.className = "cell-fault";
    note.setAttribute("role", "alert");
    note.textContent = told.textContent.trim();
    cell.after(note);
    cell.setAttribute("aria-invalid", "true");
    told.remove();
    first ||= cell;
  });
  if (!first) return;
  next = "";
  first.focus();
  first.select?.();
  if (!event.detail.target.querySelector("p")) event.detail.target.replaceChildren();
});
