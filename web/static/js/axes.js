/* What stands down or across in a matrix, dragged there: a field let go on a slot is asked for in its place.
   The same by keys stands in the menus below. */
const slotOf = (event) => event.target.closest?.("[data-slot]");
let carried = "";

document.addEventListener("dragstart", (event) => {
  carried = event.target.dataset?.axis ?? "";
  if (carried) event.dataTransfer.setData("text/plain", carried);
});
document.addEventListener("dragend", () => {
  carried = "";
  for (const slot of document.querySelectorAll("[data-slot].over")) slot.classList.remove("over");
});
document.addEventListener("dragover", (event) => {
  const slot = carried && slotOf(event);
  if (!slot) return;
  event.preventDefault();
  slot.classList.add("over");
});
document.addEventListener("dragleave", (event) => slotOf(event)?.classList.remove("over"));
document.addEventListener("drop", (event) => {
  const slot = carried && slotOf(event);
  if (!slot) return;
  event.preventDefault();
  const there = new URL(location.href);
  const name = slot.dataset.slot;
  const other = document.querySelector(`[data-slot="${{ down: "across", across: "down" }[name]}"]`);
  if (other?.dataset.now === carried) there.searchParams.set(other.dataset.slot, slot.dataset.now);
  there.searchParams.set(name, carried);
  location.assign(there);
});
