/* The elevation: arrows go from bay to bay, Enter zooms in, a post or bay can be dragged onto another bay
   (M is its twin). */
import { nearestAlong } from "./nearest.js";

const drawing = () => document.querySelector("svg[data-elevation]");
const parts = () => [...drawing().querySelectorAll("g[data-row]")];
const middle = (el) => {
  const b = el.getBoundingClientRect();
  return { x: b.left + b.width / 2, y: b.top + b.height / 2 };
};
/* Tab reaches the drawing once, at the part chosen last or its first. */
const makeTabStop = (part) => {
  drawing()
    .querySelectorAll("g[tabindex='0']")
    .forEach((other) => other.setAttribute("tabindex", "-1"));
  part?.setAttribute("tabindex", "0");
};
const select = (part) => {
  drawing()
    .querySelectorAll(".on")
    .forEach((el) => el.classList.remove("on"));
  part.classList.add("on");
  makeTabStop(part);
};
const nearest = (from, key) => {
  const others = parts().filter((part) => part !== from);
  return others[nearestAlong(key, middle(from), others.map(middle))];
};
const zoom = (code) => {
  const address = new URL(location.href);
  address.searchParams.set("zoom", code);
  address.searchParams.delete("at");
  location.href = address;
};
document.addEventListener("keydown", (event) => {
  const part = document.activeElement?.closest?.("g[data-row]");
  if (!drawing() || event.altKey || event.ctrlKey) return;
  if (!part) {
    if (event.key.startsWith("Arrow") && document.activeElement === document.body) {
      event.preventDefault();
      parts()[0]?.focus();
    }
    return;
  }
  if (event.key.startsWith("Arrow")) {
    event.preventDefault();
    nearest(part, event.key)?.focus();
  }
  if (event.key === "Enter" && part.dataset.zoom) {
    event.preventDefault();
    zoom(part.dataset.zoom);
  }
});
document.addEventListener("focusin", (event) => {
  const part = event.target.closest?.("g[data-row]");
  if (part) select(part);
});
document.addEventListener("dblclick", (event) => {
  const part = event.target.closest?.("g[data-zoom]");
  if (part) zoom(part.dataset.zoom);
});

let dragged = null,
  start = null,
  ghost = null;
const under = (event) =>
  document
    .elementsFromPoint(event.clientX, event.clientY)
    .map((el) => el.closest("g[data-onto]"))
    .find((el) => el && el !== dragged);
document.addEventListener("pointerdown", (event) => {
  const part = event.target.closest?.("svg[data-elevation] g[data-row]");
  if (part && event.button === 0) {
    dragged = part;
    start = { x: event.clientX, y: event.clientY };
  }
});
document.addEventListener("pointermove", (event) => {
  if (!dragged || (Math.hypot(event.clientX - start.x, event.clientY - start.y) < 6 && !ghost)) return;
  if (!ghost) {
    ghost = true;
    drawing().classList.add("dragging");
    dragged.classList.add("lifted");
  }
  drawing()
    .querySelectorAll(".drop")
    .forEach((el) => el.classList.remove("drop"));
  under(event)?.classList.add("drop");
});
document.addEventListener("pointerup", (event) => {
  const part = dragged,
    onto = ghost ? under(event) : null,
    building = part?.closest("[data-move]");
  drawing()?.classList.remove("dragging");
  drawing()
    ?.querySelectorAll(".drop, .lifted")
    .forEach((el) => el.classList.remove("drop", "lifted"));
  dragged = ghost = null;
  if (part && onto && onto.dataset.onto !== part.dataset.row) {
    window.htmx.ajax("POST", building.dataset.move, {
      values: { what: part.dataset.row, onto: onto.dataset.onto, seen: building.dataset.seen },
      target: "#told",
    });
  }
});

document.addEventListener("DOMContentLoaded", () => {
  if (drawing()) makeTabStop(drawing().querySelector("g.on[data-row]") || parts()[0]);
});
