/* What the server says of the journal while it is keyed: faults, sums, lines that will be added. */
import { byId, element } from "../dom.js";
import { cell, headCell, isBlank, lines } from "./lines.js";

/* Faults of a line wait until it was left with something in it; `everything` shows them all. */
export const shownFaults = (faults, isRipe, everything = false) =>
  faults.filter((fault) => !fault.line || everything || isRipe(fault.line));
export const faultText = (fault) =>
  `${fault.line ? `Line ${fault.line}: ` : ""}${fault.what} ${fault.way_out}`;
export const sumText = (sum) =>
  `${sum.company}: debit ${sum.debit}, credit ${sum.credit}, difference ${sum.difference}`;
export const addedText = (line) =>
  `${line.company} ${line.account} ${line.name}: ` +
  `${line.debit ? "debit" : "credit"} ${line.debit || line.credit}, partner ${line.partner}`;

const isRipe = (number) => {
  const row = lines()[number - 1];
  return Boolean(row) && "left" in row.dataset && !row.contains(document.activeElement) && !isBlank(row);
};
export const markFaults = (faults, everything = false) => {
  document.querySelectorAll("#entry [aria-invalid], #entry-head [aria-invalid]").forEach((el) => {
    el.removeAttribute("aria-invalid");
    el.removeAttribute("title");
  });
  const rows = lines(),
    shown = shownFaults(faults, isRipe, everything);
  for (const fault of shown) {
    const row = rows[fault.line - 1];
    const el = fault.line ? row && cell(row, fault.column || "account") : headCell(fault.column || "journal");
    if (!el || fault.column === "journal") continue;
    el.setAttribute("aria-invalid", "true");
    el.title = fault.what;
  }
  byId("entry-faults").replaceChildren(...shown.map((fault) => element("p", faultText(fault), "must")));
};

export const showSums = ({ sums = [], difference, added = [], further = [], names = {}, ready }) => {
  byId("entry-sums").replaceChildren(
    ...sums.map((sum) => element("p", sumText(sum), sum.difference === "0" ? "ok" : "look")),
  );
  byId("entry-difference").textContent = `Difference ${difference ?? "—"}`;
  const only = sums.length === 1 ? sums[0] : null;
  byId("entry-debit").textContent = only ? only.debit : "";
  byId("entry-credit").textContent = only ? only.credit : "";
  byId("entry-added").replaceChildren(
    ...(added.length ? added.map((line) => element("p", addedText(line))) : [element("p", "None.", "soft")]),
  );
  byId("entry-further").replaceChildren(...further.map((text) => element("p", text)));
  lines().forEach((row, i) => {
    cell(row, "account").title ||= names[i + 1] || "";
  });
  byId("entry-post").disabled = !ready;
};
