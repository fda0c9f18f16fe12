/* A question before an act takes focus, and gives it back to where it was when it is left. */
import { selected } from "./dom.js";

let asker = null;
const leave = () => {
  document.querySelector(".question")?.remove();
  if (asker?.isConnected) asker.focus();
  asker = null;
};

document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  if (xhr.status < 300 && xhr.responseText.includes("question"))
    asker = document.activeElement.closest("tr[data-row]") || selected() || document.activeElement;
});
document.addEventListener("htmx:afterSettle", (event) =>
  event.target.querySelector?.(".question [name=why], .question button")?.focus(),
);
document.addEventListener(
  "keydown",
  (event) => {
    if (event.key !== "Escape" || !event.target.closest?.(".question")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    leave();
  },
  true,
);
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-act=leave-question]")) leave();
});
