/* Drag and drop: rows with draggable=true onto rows with data-onto; the table says where to send it. */
let dragged = null;

document.addEventListener("dragstart", (event) => {
  const row = event.target.closest?.("tr[draggable=true], .card[draggable=true]");
  if (!row) return;
  dragged = row.dataset.row;
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", dragged);
});
document.addEventListener("dragover", (event) => {
  const row = event.target.closest?.("tr[data-onto]");
  document.querySelectorAll("tr.drop").forEach((other) => other !== row && other.classList.remove("drop"));
  if (row && dragged !== null && row.dataset.onto !== dragged) {
    event.preventDefault();
    row.classList.add("drop");
  }
});
document.addEventListener("drop", (event) => {
  const row = event.target.closest?.("tr[data-onto]");
  const table = row?.closest("table[data-move]");
  if (!row || !table || dragged === null) return;
  event.preventDefault();
  window.htmx.ajax("POST", table.dataset.move, {
    values: { what: dragged, onto: row.dataset.onto, seen: table.dataset.seen },
    target: "#told",
  });
  dragged = null;
});
document.addEventListener("dragend", () => {
  dragged = null;
  document.querySelectorAll("tr.drop").forEach((row) => row.classList.remove("drop"));
});
