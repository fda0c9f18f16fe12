/* What htmx has put into a page works only a moment after it is there to be seen. Whoever is quicker (a key,
   Enter in a field) meets a form that would be sent as a plain one, or a button that does nothing: so
   whatever is used is made ready first. */
const EVENTS = ["click", "submit", "change", "input", "focus"];
const ACTS = "[hx-get], [hx-post]";
/* What is ready stays as it is: made ready anew, it would forget what it is about to do. */
const isReady = (el) => el["htmx-internal-data"]?.firstInitCompleted;

const makeReady = ({ target }) => {
  for (const el of [target.closest?.(ACTS), target.form?.closest(ACTS)])
    if (el && !isReady(el)) window.htmx?.process(el);
};
/* Before anybody else hears of it. */
EVENTS.forEach((name) => document.addEventListener(name, makeReady, true));
