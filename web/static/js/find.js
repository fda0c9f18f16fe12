/* Find anything: a combobox whose options are links; arrows and Enter choose, Esc gives focus back. */
import { byId, selected } from "./dom.js";
import { markOption, stepOption } from "./options.js";

let finder = null;
export const noteFinder = (el) => {
  finder = el;
};
const field = () => byId("find");
const links = () => [...byId("found").querySelectorAll("[role=option]")];
const chosenLink = () => links().find((link) => link.getAttribute("aria-selected") === "true");
const close = () => {
  byId("found").replaceChildren();
  markOption(field(), [], null);
};
const leave = () => {
  close();
  field().value = "";
  field().blur();
  const back = finder?.isConnected && finder !== document.body ? finder : selected() || byId("work");
  back.focus();
  finder = null;
};
const enter = () => {
  const options = links();
  if (options.length && field().dataset.shown === field().value) (chosenLink() || options[0]).click();
  else field().dataset.go = "1";
};

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || !event.target.closest?.(".find")) return;
  if (event.key === "Escape") {
    event.preventDefault();
    leave();
  } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    stepOption(field(), links(), event.key);
  } else if (event.key === "Enter") {
    event.preventDefault();
    enter();
  }
});
document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target.id !== "found") return;
  field().dataset.shown = field().value;
  markOption(field(), links(), null);
  if (!field().dataset.go) return;
  delete field().dataset.go;
  links()[0]?.click();
});
document.addEventListener("click", (event) => {
  if (byId("found") && !event.target.closest(".find")) close();
});
