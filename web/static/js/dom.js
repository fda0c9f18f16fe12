/* What several modules ask of the page. */

export const typing = (el) =>
  Boolean(el) && (el.matches("input:not([type=checkbox]), textarea, select") || el.isContentEditable);

export const byId = (id) => document.getElementById(id);

/* The row that the page's acts work on: of a table, or of the elevation. */
export const selected = () => document.querySelector("tr[aria-selected=true][data-row], g.on[data-row]");

export const element = (name, text = "", className = "") => {
  const el = document.createElement(name);
  el.textContent = text;
  if (className) el.className = className;
  return el;
};

export const between = (number, least, most) => Math.max(least, Math.min(most, number));
