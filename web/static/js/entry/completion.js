/* Completion below a field of a line: the options come from the server; arrows and Enter choose. */
import { element } from "../dom.js";
import { markOption, stepOption } from "../options.js";
import { ask, onlyLatest } from "../requests.js";
import { cell, headCell, table } from "./lines.js";

const LEAVING = 120;
const asking = onlyLatest();
let box = null,
  field = null,
  changed = () => {};
export const onChoice = (then) => {
  changed = then;
};

export const closeOptions = () => {
  box?.remove();
  box = null;
  if (field) markOption(field, [], null);
};
const choose = (text) => {
  const el = field;
  el.value = text;
  closeOptions();
  complete(el);
  changed();
};
const optionOf = ({ text, code, name }) => {
  const option = element("div");
  option.setAttribute("role", "option");
  option.dataset.text = text;
  option.append(element("span", code, "code"), element("span", name));
  option.addEventListener("mousedown", (event) => {
    event.preventDefault();
    choose(text);
  });
  return option;
};
export const complete = async (el) => {
  field = el;
  const signal = asking();
  const query = new URLSearchParams({
    text: el.value,
    what: el.name,
    whose: cell(el.closest("tr"), "line_company").value,
    on: headCell("date").value,
  });
  const answer = await ask(`${table().dataset.complete}?${query}`, { signal });
  if (!answer?.options || signal.aborted || document.activeElement !== el) return;
  const before = box?.querySelector("[aria-selected=true]")?.dataset.text;
  closeOptions();
  if (!answer.options.length) return;
  box = element("div", "", "options");
  box.id = "options";
  box.setAttribute("role", "listbox");
  box.setAttribute("aria-label", el.getAttribute("aria-label"));
  const options = answer.options.map(optionOf);
  box.append(...options);
  el.parentElement.append(box);
  markOption(el, options, options.find((option) => option.dataset.text === before) || null);
};

/* True where the key was meant for the options. */
export const optionKey = (event) => {
  if (!box) return false;
  const options = [...box.children],
    chosen = options.find((option) => option.getAttribute("aria-selected") === "true");
  if (event.key === "ArrowDown" || event.key === "ArrowUp") stepOption(field, options, event.key);
  else if (event.key === "Enter" && chosen) choose(chosen.dataset.text);
  else if (event.key === "Escape") {
    event.stopPropagation();
    closeOptions();
  } else return false;
  event.preventDefault();
  return true;
};
document.addEventListener("focusout", (event) => {
  if (event.target !== field) return;
  setTimeout(() => {
    if (document.activeElement !== field) closeOptions();
  }, LEAVING);
});
