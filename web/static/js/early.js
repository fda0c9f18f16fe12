/* While a page comes that a key leads to, what is typed is kept for it: before anything else of it works. No
   module, so that it is there first. */
(() => {
  const typed = [];
  const keeps = sessionStorage.getItem("pine-typed-ahead") !== null;
  const keep = (event) => {
    const el = document.activeElement;
    const plain = !event.ctrlKey && !event.altKey && !event.metaKey && event.isTrusted;
    if (!plain || el?.matches("input, textarea, select") || (event.key.length > 1 && event.key !== "Enter"))
      return;
    event.preventDefault();
    event.stopImmediatePropagation();
    typed.push(event.key);
  };
  if (keeps) addEventListener("keydown", keep, true);
  window.pineEarly = {
    taken: () => {
      removeEventListener("keydown", keep, true);
      return typed;
    },
  };
})();
