/* A field for a date: keyed or pasted as it is written in Britain or by the standard, kept as 2026-09-30; ↓
   opens a small calendar. */
import { MONTH_NAMES, dayByKey, daysOfMonth, readDay, today, writtenDay } from "./dates.js";
import { element } from "./dom.js";

const CALENDAR_KEYS = new Set(["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "PageUp", "PageDown"]);
const settle = (field) => {
  const day = readDay(field.value);
  if (day && day !== field.value) field.value = day;
  field.toggleAttribute("aria-invalid", Boolean(field.value.trim()) && !day);
};

let card = null,
  field = null;
const close = () => {
  card?.remove();
  card = null;
  field?.setAttribute("aria-expanded", "false");
};
const announce = (name) => field.dispatchEvent(new Event(name, { bubbles: true }));
const draw = (day) => {
  const [year, month, chosen] = day.split("-").map(Number);
  const first = (new Date(Date.UTC(year, month - 1, 1)).getUTCDay() + 6) % 7;
  const grid = element("div", "", "days");
  grid.append(...["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"].map((name) => element("small", name)));
  for (let i = 0; i < first; i++) grid.append(element("span"));
  for (let i = 1; i <= daysOfMonth(year, month); i++) {
    const el = element("span", String(i), i === chosen ? "on" : "");
    el.dataset.day = writtenDay(year, month, i);
    grid.append(el);
  }
  card.replaceChildren(element("b", `${MONTH_NAMES[month - 1]} ${year}`), grid);
};
const open = () => {
  card = element("div", "", "day-card");
  card.setAttribute("aria-hidden", "true");
  document.body.append(card);
  const at = field.getBoundingClientRect();
  field.value = readDay(field.value) || today();
  draw(field.value);
  card.style.left = `${Math.min(at.left, innerWidth - card.offsetWidth - 8)}px`;
  const below = at.bottom + card.offsetHeight + 8 <= innerHeight;
  card.style.top = `${below ? at.bottom + 2 : at.top - card.offsetHeight - 2}px`;
  field.setAttribute("aria-expanded", "true");
  announce("input");
};
const calendarKey = (event) => {
  if (CALENDAR_KEYS.has(event.key)) {
    const day = dayByKey(event.key, field.value);
    if (day) {
      field.value = day;
      draw(day);
      announce("input");
    }
  } else if (event.key === "Enter" || event.key === "Escape") {
    close();
    announce("change");
  } else {
    if (event.key !== "Tab") close();
    return;
  }
  event.preventDefault();
  event.stopPropagation();
};

document.addEventListener(
  "keydown",
  (event) => {
    const el = event.target;
    if (!el.matches?.("input[data-day]") || el.readOnly) return;
    if (card) calendarKey(event);
    else if (event.key === "ArrowDown" && !event.altKey) {
      field = el;
      event.preventDefault();
      event.stopPropagation();
      open();
    } else if (event.key === "Enter") settle(el);
  },
  true,
);
document.addEventListener(
  "change",
  (event) => {
    if (event.target.matches?.("input[data-day]")) settle(event.target);
  },
  true,
);
document.addEventListener("focusout", (event) => {
  if (event.target === field) close();
});
document.addEventListener("mousedown", (event) => {
  const day = event.target.closest?.(".day-card [data-day]")?.dataset.day;
  if (!day) return;
  event.preventDefault();
  field.value = day;
  close();
  announce("change");
});
document.addEventListener(
  "paste",
  (event) => {
    const el = event.target,
      day = el.matches?.("input[data-day]") && readDay(event.clipboardData?.getData("text/plain") || "");
    if (!day) return;
    event.preventDefault();
    event.stopPropagation();
    el.value = day;
    el.dispatchEvent(new Event("change", { bubbles: true }));
  },
  true,
);
