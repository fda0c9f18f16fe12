/* Names of lines or columns while a formula is typed: below the field, from an opening bracket on; arrows and
   Enter choose, a click too, Esc closes. The names stand in a list on the page that `data-names` names. */
import { byId, element } from "./dom.js";
import { markOption, stepOption } from "./options.js";

const MOST = 12;

/* What is typed of a name at a place in a formula: where it begins and the text; null outside of brackets. */
export const begunName = (text, caret) => {
  const open = text.lastIndexOf("[", caret - 1);
  if (open < 0 || text.slice(open, caret).includes("]")) return null;
  return {
    from: open + 1,
    text: text
      .slice(open + 1, caret)
      .trim()
      .toLowerCase(),
  };
};

/* Names that fit what is typed: ids that begin with it, then ids and labels that hold it. */
export const fittingNames = (names, typed) => {
  const begins = names.filter(([id]) => id.toLowerCase().startsWith(typed));
  const holds = names.filter(
    ([id, label]) => !id.toLowerCase().startsWith(typed) && `${id} ${label}`.toLowerCase().includes(typed),
  );
  return [...begins, ...holds].slice(0, MOST);
};

/* The formula with a name put in place of what was typed of it, and where the caret stands then. */
export const withName = (text, caret, from, id) => {
  const rest = text.slice(caret).replace(/^[^\]+*/()-]*\]?/, "");
  const before = `${text.slice(0, from)}${id}]`;
  return { text: before + rest, caret: before.length };
};

let box = null,
  field = null;
const close = () => {
  box?.remove();
  box = null;
  if (field) markOption(field, [], null);
};
const choose = (id) => {
  const begun = begunName(field.value, field.selectionStart);
  if (begun) {
    const made = withName(field.value, field.selectionStart, begun.from, id);
    field.value = made.text;
    field.setSelectionRange(made.caret, made.caret);
  }
  close();
};
const optionOf = ([id, label]) => {
  const option = element("div");
  option.setAttribute("role", "option");
  option.dataset.id = id;
  option.append(element("span", id, "code"), element("span", label));
  option.addEventListener("mousedown", (event) => {
    event.preventDefault();
    choose(id);
  });
  return option;
};
const offer = (el) => {
  close();
  field = el;
  const begun = begunName(el.value, el.selectionStart);
  const list = byId(el.dataset.names);
  if (!begun || !list) return;
  const names = [...list.options].map((option) => [option.value, option.label]);
  const options = fittingNames(names, begun.text).map(optionOf);
  if (!options.length) return;
  box = element("div", "", "options");
  box.setAttribute("role", "listbox");
  box.setAttribute("aria-label", el.dataset.namesOf ?? "Lines of the statement");
  box.append(...options);
  el.parentElement.append(box);
  markOption(el, options, options[0]);
};

document.addEventListener("input", (event) => {
  if (event.target.dataset?.names) offer(event.target);
});
document.addEventListener(
  "keydown",
  (event) => {
    if (!box || event.target !== field) return;
    const options = [...box.children];
    const chosen = options.find((option) => option.getAttribute("aria-selected") === "true");
    if (event.key === "ArrowDown" || event.key === "ArrowUp") stepOption(field, options, event.key);
    else if (event.key === "Enter" && chosen) choose(chosen.dataset.id);
    else if (event.key === "Escape") close();
    else return;
    event.preventDefault();
    event.stopPropagation();
  },
  true,
);
document.addEventListener("focusout", (event) => {
  if (event.target === field) close();
});
