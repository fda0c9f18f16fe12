/* A combobox by the ARIA pattern: the field keeps focus, aria-activedescendant names the chosen option. */
import { between } from "./dom.js";

/* The place an arrow leads to among so many options, from -1 where none is chosen yet. */
export const placeOfOption = (key, at, count) => between(at + (key === "ArrowDown" ? 1 : -1), 0, count - 1);

/* Makes `option` (or none) the chosen one. */
export const markOption = (field, options, option) => {
  options.forEach((other, i) => {
    other.id ||= `option-${field.id || field.name}-${i}`;
    other.setAttribute("aria-selected", String(other === option));
  });
  field.setAttribute("aria-expanded", String(options.length > 0));
  if (option) field.setAttribute("aria-activedescendant", option.id);
  else field.removeAttribute("aria-activedescendant");
  option?.scrollIntoView({ block: "nearest" });
};
export const stepOption = (field, options, key) => {
  if (!options.length) return;
  const at = options.findIndex((option) => option.getAttribute("aria-selected") === "true");
  markOption(field, options, options[placeOfOption(key, at, options.length)]);
};
