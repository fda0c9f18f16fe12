/* A page, or a part of one, has come: focus, tab stops, the address. */
import { byId, selected } from "./dom.js";
import { addFirstRows } from "./founding.js";
import { begin } from "./patience.js";
import { focusRow, placeTabStops } from "./rows.js";

const settle = (root) => {
  addFirstRows();
  placeTabStops();
  const wanted = root.querySelector?.("[data-focus]");
  if (!wanted) return;
  if (wanted.matches("tr")) {
    focusRow(wanted);
    window.htmx.trigger(wanted, "focus");
  } else {
    wanted.focus();
    wanted.select?.();
  }
  wanted.removeAttribute("data-focus");
};
/* The address holds the whole state: which draft or version a page shows stands in it, so that a link is a
   view. */
const writeAddress = () => {
  const view = document.querySelector("[data-view]");
  if (!view) return;
  const here = new URL(location.href),
    [name, value] = view.dataset.view.split("=");
  here.searchParams.delete("draft");
  here.searchParams.delete("version");
  if (name) here.searchParams.set(name, value);
  if (here.href !== location.href) history.replaceState(history.state, "", here);
};
document.addEventListener("htmx:afterSettle", (event) => {
  settle(event.target.parentElement || document);
  writeAddress();
});
document.addEventListener("DOMContentLoaded", () => {
  settle(document);
  writeAddress();
});

/* A new row opens right after the selected one; what was open before is dropped. */
document.addEventListener("htmx:beforeSwap", (event) => {
  const from = event.detail.requestConfig?.elt;
  if (!from?.matches?.("[data-after-row]") || event.detail.xhr.status >= 300) return;
  document.querySelectorAll("tr.editing").forEach((row) => row.remove());
  const row = selected();
  if (!row) return;
  event.detail.target = row;
  event.detail.swapOverride = "afterend";
});

/* What was kept with a row goes on with the next one: `data-go-on` names the key of the act that opens it. */
let goOn = "";
document.addEventListener("click", ({ target }) => {
  const save = target.closest("[data-save]");
  if (save) goOn = save.dataset.goOn || "";
});
document.addEventListener("htmx:responseError", () => (goOn = ""));
document.addEventListener("htmx:afterSettle", ({ target }) => {
  if (!goOn || target !== document.body) return;
  const act = document.querySelector(`[data-key="${CSS.escape(goOn)}"]`);
  goOn = "";
  if (act) begin(act, () => act.click());
});

document.addEventListener("click", (event) => {
  document.querySelectorAll("details.drop[open]").forEach((menu) => {
    if (!menu.contains(event.target)) menu.open = false;
  });
  const fold = event.target.closest("[data-fold]");
  if (fold) byId(fold.dataset.fold).hidden = !byId(fold.dataset.fold).hidden;
});
/* A slider through stops, each an option of its list with the address it leads to. */
const stopOf = (slider) => slider.list.options[Number(slider.value)];
document.addEventListener("input", ({ target }) => {
  if (!target.matches("input[type=range][list]")) return;
  target.setAttribute("aria-valuetext", stopOf(target).label);
  byId(target.dataset.shows).textContent = stopOf(target).label;
});
document.addEventListener("change", ({ target }) => {
  if (target.matches("select[data-go]")) location.href = target.value;
  if (target.matches("input[type=range][list]")) location.href = stopOf(target).dataset.address;
});
