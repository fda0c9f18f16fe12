/* The source document of the line that has focus, keyed in the proof leaf; the row keeps it and shows it in
   short. */
import { byId } from "../dom.js";
import { cell, lines, shortenSource, table } from "./lines.js";

let about = null,
  changed = () => {};
export const onSource = (then) => {
  changed = then;
};
const fields = () => [...byId("entry-source").querySelectorAll("[data-source]")];

const show = (row) => {
  about = row;
  byId("entry-source").querySelector("[data-line]").textContent = lines().indexOf(row) + 1;
  fields().forEach((el) => {
    el.value = cell(row, el.dataset.source).value;
  });
};
/* True where the key was meant for the source document. */
export const sourceKey = (event) => {
  const el = event.target,
    all = fields();
  if (event.altKey && event.key.toLowerCase() === "s" && about?.isConnected) {
    event.preventDefault();
    all[0].focus();
    return true;
  }
  if (!el.dataset.source || !["Enter", "Escape"].includes(event.key)) return false;
  event.preventDefault();
  const to = event.key === "Enter" ? all[all.indexOf(el) + 1] : null;
  (to || cell(about, "description")).focus();
  return true;
};

document.addEventListener("focusin", (event) => {
  const row = table() && event.target.closest?.("#entry tbody tr");
  if (row) show(row);
});
document.addEventListener("input", (event) => {
  const name = event.target.dataset?.source;
  if (!name || !about?.isConnected) return;
  cell(about, name).value = event.target.value;
  shortenSource(about);
  changed();
});
