/* A page is seen before its scripts stand: what is typed until then is kept for it. No module, so that it is
   there first. */
(() => {
  const typed = [];
  const keep = (event) => {
    const el = document.activeElement;
    const plain = !event.ctrlKey && !event.altKey && !event.metaKey && event.isTrusted;
    if (!plain || (el && el !== document.body) || (event.key.length > 1 && event.key !== "Enter")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    typed.push(event.key);
  };
  addEventListener("keydown", keep, true);
  const end = () => removeEventListener("keydown", keep, true);
  addEventListener("load", end); // where scripts never come, keys are the browser's
  window.pineEarly = {
    taken: () => {
      end();
      return typed;
    },
  };
})();
