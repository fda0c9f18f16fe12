/* Keying a budget: cells of one spreadsheet row pasted into an input go on into those after it. */

/* What each input holds after texts were pasted into one of them; the rest stay. */
export const filledOn = (values, at, texts) =>
  values.map((value, i) => (i >= at && i - at < texts.length ? texts[i - at].trim() : value));

document.addEventListener(
  "paste",
  (event) => {
    const el = event.target;
    const row = el.closest?.("table.budget tr.editing");
    const text = event.clipboardData?.getData("text/plain").trim() || "";
    if (!row || !text.includes("\t") || text.includes("\n")) return;
    event.preventDefault();
    event.stopImmediatePropagation(); // what else is pasted onto a table goes to its preview
    const inputs = [...row.querySelectorAll("input:not([type=hidden])")];
    const values = filledOn(
      inputs.map((input) => input.value),
      inputs.indexOf(el),
      text.split("\t"),
    );
    inputs.forEach((input, i) => (input.value = values[i]));
  },
  true,
);
