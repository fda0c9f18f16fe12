/* Sections of a tree in a table: rows whose data-level is deeper belong to the row above them. What is folded
   stands in the address, and comes back with the same page as long as the tab is there. */
import { element } from "./dom.js";
import { focusRow } from "./rows.js";

const TABLE = "table[data-sections]";
const rowsOf = (table) => [...table.querySelectorAll("tbody tr[data-level]")];
const levelOf = (row) => Number(row.dataset.level);
const table = () => document.querySelector(TABLE);

/* For rows by level the place of the row that each belongs to, -1 at the top. */
export const parentsOf = (levels) => {
  const path = [];
  return levels.map((level, at) => {
    while (path.length && levels[path.at(-1)] >= level) path.pop();
    const parent = path.length ? path.at(-1) : -1;
    path.push(at);
    return parent;
  });
};
/* Which rows are out of sight where some are folded. */
export const hiddenBy = (parents, folded) => {
  const hidden = [];
  parents.forEach((parent, at) => (hidden[at] = parent >= 0 && (hidden[parent] || folded[parent])));
  return hidden;
};
/* The place of the next (step 1) or the last (-1) section from a row on; its own where there is none. */
export const sectionFrom = (isSection, at, step) => {
  for (let to = at + step; to >= 0 && to < isSection.length; to += step) if (isSection[to]) return to;
  return at;
};
/* The place of the section that somebody means by some letters of its name; -1 where none is. */
export const named = (names, words) => {
  const wanted = words.trim().toLowerCase(),
    low = names.map((name) => name.toLowerCase());
  if (!wanted) return -1;
  const ways = [
    (name) => name === wanted,
    (name) => name.startsWith(wanted),
    (name) => name.includes(wanted),
  ];
  return ways.map((fits) => low.findIndex(fits)).find((at) => at >= 0) ?? -1;
};

const tree = () => {
  const rows = rowsOf(table()),
    parents = parentsOf(rows.map(levelOf)),
    sections = rows.map((_, at) => parents[at + 1] === at);
  return { rows, parents, sections };
};
const titleOf = (row) => row.cells[0].textContent.trim();

const kept = () => `folded:${location.pathname}`;
const readFolded = () => {
  const asked = new URL(location.href).searchParams.get("folded");
  const text = asked ?? sessionStorage.getItem(kept()) ?? "";
  return new Set(text.split(",").filter(Boolean));
};
const writeFolded = (folded) => {
  const here = new URL(location.href),
    text = [...folded].join(",");
  if (text) here.searchParams.set("folded", text);
  else here.searchParams.delete("folded");
  sessionStorage.setItem(kept(), text);
  if (here.href !== location.href) history.replaceState(history.state, "", here);
};

/* The handle of a section, before its name. */
const handle = (row, isFolded) => {
  let button = row.querySelector("button.fold");
  if (!button) {
    button = element("button", "", "fold");
    button.type = "button";
    button.tabIndex = -1;
    button.setAttribute("aria-label", `What is below ${titleOf(row)}`);
    row.cells[0].prepend(button);
  }
  button.setAttribute("aria-expanded", String(!isFolded));
};
const show = (folded) => {
  const { rows, parents, sections } = tree();
  const hidden = hiddenBy(
    parents,
    rows.map((row) => folded.has(row.dataset.row)),
  );
  rows.forEach((row, at) => {
    row.hidden = hidden[at];
    if (sections[at]) handle(row, folded.has(row.dataset.row));
  });
  const list = document.getElementById("section-names");
  list?.replaceChildren(
    ...rows
      .filter((_, at) => sections[at])
      .map((row) => Object.assign(element("option"), { value: titleOf(row) })),
  );
};
const setFolded = (folded) => {
  writeFolded(folded);
  show(folded);
};
/* A row in sight, whatever it belongs to is folded. */
const reveal = (row) => {
  const { rows, parents } = tree(),
    folded = readFolded();
  for (let at = parents[rows.indexOf(row)]; at >= 0; at = parents[at]) folded.delete(rows[at].dataset.row);
  setFolded(folded);
};
const goTo = (row) => {
  reveal(row);
  focusRow(row);
};

const acts = {
  /* Of a row without anything in sight below it the section that it belongs to. */
  fold: ({ rows, parents, sections }, at) => {
    const folded = readFolded(),
      closed = !sections[at] || folded.has(rows[at].dataset.row),
      to = closed && parents[at] >= 0 ? parents[at] : at;
    if (sections[to]) folded.add(rows[to].dataset.row);
    setFolded(folded);
    focusRow(rows[to]);
  },
  unfold: ({ rows }, at) => {
    const folded = readFolded();
    folded.delete(rows[at].dataset.row);
    setFolded(folded);
    focusRow(rows[at]);
  },
  next: ({ rows, sections }, at) => goTo(rows[sectionFrom(sections, at, 1)]),
  before: ({ rows, sections }, at) => goTo(rows[sectionFrom(sections, at, -1)]),
};
const selectedRow = () => table().querySelector("tbody tr[data-level][aria-selected=true]");
const foldTo = (level) => {
  const { rows, parents, sections } = tree();
  const folded = rows.filter((row, at) => sections[at] && level && levelOf(row) >= level - 1);
  setFolded(new Set(folded.map((row) => row.dataset.row)));
  let at = rows.indexOf(selectedRow());
  while (at >= 0 && rows[at].hidden) at = parents[at];
  if (at >= 0) focusRow(rows[at]);
};
const close = (el) => el.closest("details")?.removeAttribute("open");

document.addEventListener("click", (event) => {
  const button = event.target.closest("button.fold, [data-section], [data-fold-to]");
  if (!button || !table()) return;
  if (button.dataset.foldTo !== undefined) foldTo(Number(button.dataset.foldTo));
  else {
    const known = tree(),
      isHandle = button.matches(".fold"),
      row = isHandle ? button.closest("tr") : selectedRow(),
      isFolded = isHandle && readFolded().has(row.dataset.row),
      act = isHandle ? (isFolded ? "unfold" : "fold") : button.dataset.section;
    acts[act](known, Math.max(known.rows.indexOf(row), 0));
  }
  close(button);
});
const jump = (field) => {
  const { rows, sections } = tree(),
    there = rows.filter((_, at) => sections[at]),
    at = named(there.map(titleOf), field.value);
  if (at < 0) return;
  field.value = "";
  close(field);
  reveal(there[at]);
  acts.unfold({ rows }, rows.indexOf(there[at]));
};
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !event.target.matches?.("[data-jump]") || !table()) return;
  event.preventDefault();
  jump(event.target);
});

/* Before focus comes to a row, it has to be in sight. */
const settle = () => {
  if (!table()) return;
  setFolded(readFolded());
  const wanted = table().querySelector("tr[data-focus]");
  if (wanted) reveal(wanted);
};
document.addEventListener("DOMContentLoaded", settle);
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target === document.body) settle();
});
