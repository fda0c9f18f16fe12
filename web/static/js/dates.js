/* Dates as people write them, and as the standard does. */
export const MONTH_NAMES = [
  "January",
  "February",
  "March",
  "April",
  "May",
  "June",
  "July",
  "August",
  "September",
  "October",
  "November",
  "December",
];
const SHORT_NAMES = new Set(MONTH_NAMES.map((name) => name.slice(0, 3).toLowerCase()));
const WRITTEN = [/^(\d{4})[-/. ](\d{1,2})[-/. ](\d{1,2})$/, /^(\d{4})(\d{2})(\d{2})$/];
const DAY_FIRST = /^(\d{1,2})[-/. ]+(\d{1,2})(?:[-/. ]+(\d{4}|\d{2}))?\.?$/;
const NAMED = /^(\d{1,2})(?:st|nd|rd|th)?[- .]*([a-z]{3,9})\.?,?(?:[- ]*(\d{4}|\d{2}))?$/;

const two = (number) => String(number).padStart(2, "0");
/* A day as 2026-09-30; empty where there is none such. */
export const writtenDay = (year, month, day) => {
  const date = new Date(Date.UTC(year, month - 1, day));
  return date.getUTCFullYear() === year && date.getUTCMonth() === month - 1 && date.getUTCDate() === day
    ? `${String(year).padStart(4, "0")}-${two(month)}-${two(day)}`
    : "";
};
export const today = () => {
  const now = new Date();
  return writtenDay(now.getFullYear(), now.getMonth() + 1, now.getDate());
};
const yearOf = (text) =>
  text === undefined ? new Date().getFullYear() : text.length < 3 ? 2000 + Number(text) : Number(text);

/* The date that a text means, as 2026-09-30; empty where it means none. The day comes before the month. */
export const readDay = (text) => {
  const plain = text.trim().toLowerCase();
  const standard = WRITTEN.map((form) => form.exec(plain)).find(Boolean);
  if (standard) return writtenDay(Number(standard[1]), Number(standard[2]), Number(standard[3]));
  const dayFirst = DAY_FIRST.exec(plain);
  if (dayFirst) return writtenDay(yearOf(dayFirst[3]), Number(dayFirst[2]), Number(dayFirst[1]));
  const named = NAMED.exec(plain);
  const month = named && MONTH_NAMES.findIndex((name) => name.toLowerCase().startsWith(named[2])) + 1;
  return month && SHORT_NAMES.has(named[2].slice(0, 3))
    ? writtenDay(yearOf(named[3]), month, Number(named[1]))
    : "";
};

export const daysOfMonth = (year, month) => new Date(Date.UTC(year, month, 0)).getUTCDate();

/* Where a key of the calendar leads from a day: arrows by days and weeks, the page keys by months; empty at
   the end of all years. */
export const dayByKey = (key, from) => {
  const [year, month, day] = from.split("-").map(Number);
  const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 }[key];
  const there = by
    ? new Date(Date.UTC(year, month - 1, day + by))
    : new Date(Date.UTC(year, month - 1 + (key === "PageDown" ? 1 : -1), 1));
  const [y, m] = [there.getUTCFullYear(), there.getUTCMonth() + 1];
  return writtenDay(y, m, by ? there.getUTCDate() : Math.min(day, daysOfMonth(y, m)));
};
