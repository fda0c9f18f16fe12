"use strict";
/* Dates: keyed or pasted as they are written in Britain or by the standard, kept as 2026-09-30; ↓ opens a
   small calendar. */
(() => {
  const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
  const NAMES = [
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
  const two = (n) => String(n).padStart(2, "0");
  const written = (y, m, d) => {
    const day = new Date(Date.UTC(y, m - 1, d));
    return day.getUTCFullYear() === y && day.getUTCMonth() === m - 1 && day.getUTCDate() === d
      ? `${String(y).padStart(4, "0")}-${two(m)}-${two(d)}`
      : "";
  };
  const year = (text) =>
    text === undefined ? new Date().getFullYear() : text.length < 3 ? 2000 + Number(text) : Number(text);
  /* The date that a text means, as 2026-09-30; empty where it means none. The day comes before the month. */
  const read = (text) => {
    const plain = text.trim().toLowerCase();
    let met = /^(\d{4})[-/. ](\d{1,2})[-/. ](\d{1,2})$/.exec(plain) || /^(\d{4})(\d{2})(\d{2})$/.exec(plain);
    if (met) return written(Number(met[1]), Number(met[2]), Number(met[3]));
    met = /^(\d{1,2})[-/. ]+(\d{1,2})(?:[-/. ]+(\d{4}|\d{2}))?\.?$/.exec(plain);
    if (met) return written(year(met[3]), Number(met[2]), Number(met[1]));
    met = /^(\d{1,2})(?:st|nd|rd|th)?[- .]*([a-z]{3,9})\.?,?(?:[- ]*(\d{4}|\d{2}))?$/.exec(plain);
    const month = met && NAMES.findIndex((name) => name.toLowerCase().startsWith(met[2])) + 1;
    return month && MONTHS.includes(met[2].slice(0, 3)) ? written(year(met[3]), month, Number(met[1])) : "";
  };
  const settle = (field) => {
    const day = read(field.value);
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
  const tell = () => {
    field.dispatchEvent(new Event("input", { bubbles: true }));
  };
  const draw = (day) => {
    const [y, m, d] = day.split("-").map(Number);
    const first = (new Date(Date.UTC(y, m - 1, 1)).getUTCDay() + 6) % 7,
      length = new Date(Date.UTC(y, m, 0)).getUTCDate();
    card.replaceChildren();
    const head = document.createElement("b"),
      grid = document.createElement("div");
    head.textContent = `${NAMES[m - 1]} ${y}`;
    grid.className = "days";
    ["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"].forEach((name) => {
      const el = document.createElement("small");
      el.textContent = name;
      grid.append(el);
    });
    for (let i = 0; i < first; i++) grid.append(document.createElement("span"));
    for (let i = 1; i <= length; i++) {
      const el = document.createElement("span");
      el.textContent = i;
      el.dataset.day = written(y, m, i);
      if (i === d) el.className = "on";
      grid.append(el);
    }
    card.append(head, grid);
  };
  const open = () => {
    card = document.createElement("div");
    card.className = "day-card";
    card.setAttribute("aria-hidden", "true");
    document.body.append(card);
    const now = new Date(),
      at = field.getBoundingClientRect();
    field.value = read(field.value) || written(now.getFullYear(), now.getMonth() + 1, now.getDate());
    draw(field.value);
    card.style.left = `${Math.min(at.left, innerWidth - card.offsetWidth - 8)}px`;
    const below = at.bottom + card.offsetHeight + 8 <= innerHeight;
    card.style.top = `${below ? at.bottom + 2 : at.top - card.offsetHeight - 2}px`;
    field.setAttribute("aria-expanded", "true");
    tell();
  };
  const moved = (key) => {
    const [y, m, d] = field.value.split("-").map(Number);
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 }[key];
    if (by) {
      const day = new Date(Date.UTC(y, m - 1, d + by));
      return written(day.getUTCFullYear(), day.getUTCMonth() + 1, day.getUTCDate());
    }
    const month = m - 1 + (key === "PageDown" ? 1 : -1),
      length = new Date(Date.UTC(y, month + 1, 0)).getUTCDate();
    const day = new Date(Date.UTC(y, month, Math.min(d, length)));
    return written(day.getUTCFullYear(), day.getUTCMonth() + 1, day.getUTCDate());
  };

  document.addEventListener(
    "keydown",
    (event) => {
      const el = event.target;
      if (!el.matches?.("input[data-day]") || el.readOnly) return;
      if (!card && event.key === "ArrowDown" && !event.altKey) {
        field = el;
        event.preventDefault();
        event.stopPropagation();
        open();
        return;
      }
      if (!card) {
        if (event.key === "Enter") settle(el);
        return;
      }
      if (["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "PageUp", "PageDown"].includes(event.key)) {
        const day = moved(event.key);
        if (day) {
          field.value = day;
          draw(day);
          tell();
        }
      } else if (event.key === "Enter" || event.key === "Escape") {
        close();
        field.dispatchEvent(new Event("change", { bubbles: true }));
      } else {
        if (event.key !== "Tab") close();
        return;
      }
      event.preventDefault();
      event.stopPropagation();
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
    field.dispatchEvent(new Event("change", { bubbles: true }));
  });
  document.addEventListener(
    "paste",
    (event) => {
      const el = event.target,
        day = el.matches?.("input[data-day]") && read(event.clipboardData?.getData("text/plain") || "");
      if (!day) return;
      event.preventDefault();
      event.stopPropagation();
      el.value = day;
      el.dispatchEvent(new Event("change", { bubbles: true }));
    },
    true,
  );
})();
