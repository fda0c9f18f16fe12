/* A journal keyed in: lines as rows of inputs, completion, the check while typing. The server decides
   everything. */
import { byId } from "../dom.js";
import { onlyLatest, send, whenLost } from "../requests.js";
import { closeOptions, complete, onChoice, optionKey } from "./completion.js";
import { markFaults, showSums } from "./judgement.js";
import { addEmptyLine, addLine, cell, fillFrom, goOn, headCell, journal, lines, table } from "./lines.js";
import { isOfSpreadsheet } from "./pasted.js";
import { onSource, sourceKey } from "./source.js";
import { forgetUnfinished, keepUnfinished, takeUnfinished } from "./unfinished.js";

const TYPING = 180;
const checking = onlyLatest();
let timer = 0,
  faults = null,
  owing = null;

/* An empty amount takes what the journal still owes, on the side it is owed. */
const payOwed = ({ owed, side }) => {
  if (owing?.isConnected && !owing.value && owed) {
    const into = cell(owing.closest("tr"), side);
    into.value = owed;
    if (into !== owing) into.focus();
    check();
  }
  owing = null;
};
/* A quick code is written out as what it stands for, once its cell was left. */
const writeOut = (line) => {
  const row = lines()[line.line - 1],
    el = row && cell(row, "account");
  if (!el || el === document.activeElement || el.value.trim() !== line.was) return;
  el.value = line.account;
  cell(row, "dimensions").value = line.dimensions;
};
/* No check comes back any more from what was asked before. The signal of the next one. */
const endChecks = () => {
  clearTimeout(timer);
  return checking();
};
const check = (wait = TYPING) => {
  const signal = endChecks();
  timer = setTimeout(async () => {
    const judged = await send(table().dataset.check, journal(), signal);
    if (signal.aborted || !judged?.faults || !table()) return;
    faults = judged.faults;
    payOwed(judged);
    judged.expanded?.forEach(writeOut);
    markFaults(faults);
    showSums(judged);
  }, wait);
};
const post = async () => {
  const button = byId("entry-post");
  if (button.disabled) return;
  button.disabled = true;
  endChecks();
  const posted = await send(table().dataset.post, journal());
  if (posted?.go) {
    location.href = posted.go;
    return;
  }
  if (posted?.faults) markFaults(posted.faults, true);
  button.disabled = false;
};
onChoice(check);
onSource(check);
whenLost(
  () => table() && keepUnfinished(journal()),
  () => table() && forgetUnfinished(),
);

const isOfEntry = (el) => Boolean(table()) && Boolean(el.closest?.("#entry, #entry-head, #entry-then"));
/* The same cell of the line above or below. */
const stepLine = (event, el) => {
  const rows = lines(),
    at = rows.indexOf(el.closest("tr")),
    row = rows[at + (event.key === "ArrowDown" ? 1 : -1)];
  if (at < 0 || !row) return;
  event.preventDefault();
  cell(row, el.name).focus();
};
const cellKey = (event, el) => {
  if (event.key === "Enter") {
    event.preventDefault();
    closeOptions();
    goOn(el);
  } else if (event.key === "=" && (el.name === "debit" || el.name === "credit") && !el.value) {
    event.preventDefault();
    owing = el;
    check(0);
  } else if (["ArrowDown", "ArrowUp"].includes(event.key) && el.tagName !== "SELECT") stepLine(event, el);
};

document.addEventListener("keydown", (event) => {
  if (!table()) return;
  if (event.key === "Enter" && event.ctrlKey) {
    event.preventDefault();
    post();
    return;
  }
  if (event.altKey && event.key.toLowerCase() === "r") {
    event.preventDefault();
    headCell("then").focus();
    return;
  }
  if (sourceKey(event) || !isOfEntry(event.target) || !event.target.name) return;
  if (event.target.closest("#entry-then")) return;
  if (!optionKey(event)) cellKey(event, event.target);
});
document.addEventListener("input", (event) => {
  if (!isOfEntry(event.target)) return;
  check();
  if (["account", "dimensions"].includes(event.target.name)) complete(event.target);
});
document.addEventListener("change", (event) => {
  if (isOfEntry(event.target)) check(event.target.name === "account" ? 0 : TYPING);
});
document.addEventListener("focusout", (event) => {
  const row = event.target.closest?.("#entry tbody tr");
  if (!row || row.contains(event.relatedTarget)) return;
  row.dataset.left = "1";
  if (faults) setTimeout(() => table() && markFaults(faults), 0);
});
document.addEventListener("paste", (event) => {
  const text = event.clipboardData?.getData("text/plain") || "";
  if (!table() || !event.target.closest?.("#entry tbody") || !isOfSpreadsheet(text)) return;
  event.preventDefault();
  fillFrom(event.target, text);
  check();
});
document.addEventListener("click", async (event) => {
  if (!table()) return;
  if (event.target.closest("#entry-post")) post();
  if (!event.target.closest("#entry-forget")) return;
  endChecks();
  if (await send(table().dataset.forget, {})) location.reload();
});

const start = () => {
  if (!table() || table().dataset.ready) return;
  table().dataset.ready = "1";
  const before = takeUnfinished() || (byId("entry-kept") && JSON.parse(byId("entry-kept").textContent));
  if (before) {
    for (const name of ["date", "kind", "description", "then", "repeat_until"]) {
      const el = headCell(name);
      if (el && before[name]) el.value = before[name];
    }
    before.lines.forEach(addLine);
    check();
  }
  while (lines().length < 2) addEmptyLine();
};
document.addEventListener("DOMContentLoaded", start);
document.addEventListener("htmx:afterSettle", start);
