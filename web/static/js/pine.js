"use strict";
/* Keys, rows, drag and drop, find. Everything a key does is also a button or link that says so (data-key,
   data-say). */
(() => {
  const typing = (el) =>
    el && (el.matches("input:not([type=checkbox]), textarea, select") || el.isContentEditable);
  const visible = (el) => el.offsetParent !== null || el === document.activeElement;
  const acts = () =>
    [...document.querySelectorAll("[data-key]")].filter(
      (el) => (visible(el) || "always" in el.dataset) && !el.disabled,
    );

  const showKeys = () => {
    const dialog = document.getElementById("keys");
    const list = dialog.querySelector("dl");
    const seen = new Set();
    list.replaceChildren();
    const add = (key, say) => {
      if (seen.has(key)) return;
      seen.add(key);
      const dt = document.createElement("dt"),
        kbd = document.createElement("kbd"),
        dd = document.createElement("dd");
      kbd.textContent = key;
      dt.append(kbd);
      dd.textContent = say;
      list.append(dt, dd);
    };
    acts().forEach((el) => add(el.dataset.key, el.dataset.say || el.textContent.trim()));
    if (document.querySelector("table[data-rows]")) {
      add("↑ ↓", "Go through the rows");
      if (document.querySelector("table[data-many]")) {
        add("Shift+↑ ↓", "Choose several rows");
        add("Space", "Add the row to those chosen, or take it out");
        add("Ctrl+V", "Paste rows from a spreadsheet");
      }
      add("Enter", "Open or edit the row; add the next");
      add("Esc", "Drop what is being edited");
    }
    add("p", "Fold the proof away");
    add("?", "These keys");
    dialog.showModal();
  };

  const rowsOf = (el) => [...el.closest("table").querySelectorAll("tbody tr[tabindex]")];
  const focusRow = (row) => {
    if (!row) return;
    document
      .querySelectorAll("table[data-rows] tr[aria-selected=true]")
      .forEach((r) => r.setAttribute("aria-selected", "false"));
    row.setAttribute("aria-selected", "true");
    row.focus({ preventScroll: true });
    row.scrollIntoView({ block: "nearest" });
    anchor = row;
    tellChosen();
  };
  /* Several rows: Shift goes on from the row chosen first, Ctrl adds or takes one; the bar above says how
     many. */
  let anchor = null;
  const chosen = () => [...document.querySelectorAll("table[data-many] tr[aria-selected=true][data-row]")];
  const tellChosen = () => {
    const rows = chosen();
    const bar =
      rows[0]?.closest("[data-sheet]")?.querySelector("form[data-chosen]") ||
      document.querySelector("form[data-several], form[data-chosen]:not([hidden])");
    if (!bar) return;
    bar.hidden = rows.length < 2;
    bar.querySelector("[name=what]").value = rows.map((r) => r.dataset.row).join(",");
    bar.querySelector("[data-count]").textContent = `${rows.length} chosen`;
  };
  const choose = (row, shift) => {
    const rows = rowsOf(row);
    if (shift) {
      const from = rows.indexOf(anchor && rows.includes(anchor) ? anchor : row),
        to = rows.indexOf(row);
      rows.forEach((r, i) =>
        r.setAttribute(
          "aria-selected",
          i >= Math.min(from, to) && i <= Math.max(from, to) ? "true" : "false",
        ),
      );
    } else {
      row.setAttribute("aria-selected", row.getAttribute("aria-selected") === "true" ? "false" : "true");
    }
    keeping = true;
    row.focus({ preventScroll: true });
    keeping = false;
    row.scrollIntoView({ block: "nearest" });
    tellChosen();
  };
  let keeping = false;
  /* After Space rows are chosen apart: arrows only go, Space adds or takes out, Esc or a click ends it. */
  let apart = false;
  const stand = (row) => {
    keeping = true;
    row.focus({ preventScroll: true });
    keeping = false;
    row.scrollIntoView({ block: "nearest" });
  };
  const use = (el) => {
    if (el.matches("input, select, textarea")) {
      el.focus();
      el.select?.();
      return;
    }
    const menu = el.matches("summary") && el.parentElement,
      from = document.activeElement;
    el.click();
    if (menu?.open) {
      opener = from;
      menu.querySelector(":scope > :not(summary) :is(a, button, input, select, textarea)")?.focus();
    }
  };
  let opener = null;
  /* A key for the proof waits while the proof of the selected row is on its way, else it would act on the
     row before.
     Keys after it wait too, in order, and are then put where focus is. */
  const PATIENCE = 4000;
  let due = false,
    shown = null,
    waiting = [];
  const later = (event, el) => {
    if (!due || (el && !el.closest("#proof"))) return false;
    if (!waiting.length)
      setTimeout(() => {
        if (waiting.length) arrived();
      }, PATIENCE);
    waiting.push(event.key);
    return true;
  };
  const replay = (key) => {
    const el = document.activeElement;
    if (typing(el) && key.length === 1 && !el.matches("select")) {
      el.setRangeText(key, el.selectionStart, el.selectionEnd, "end");
      el.dispatchEvent(new Event("input", { bubbles: true }));
    } else if (key === "Enter" && typing(el) && el.form) el.form.requestSubmit();
    else el.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
  };
  const arrived = () => {
    const keys = waiting;
    due = false;
    waiting = [];
    keys.forEach(replay);
  };
  document.addEventListener("focusin", (event) => {
    if (
      !event.target.matches("tr[hx-target='#proof'][hx-trigger^=focus]") ||
      event.target.dataset.row === shown
    )
      return;
    due = true;
    shown = event.target.dataset.row;
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.target?.id === "proof") arrived();
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.target === document.body) {
      due = false;
      shown = null;
      waiting = [];
    }
  });
  ["htmx:responseError", "htmx:sendError"].forEach((name) =>
    document.addEventListener(name, () => {
      due = false;
      shown = null;
      waiting = [];
    }),
  );
  const rowKey = (event, row) => {
    const rows = rowsOf(row),
      at = rows.indexOf(row);
    if (
      event.shiftKey &&
      (event.key === "ArrowDown" || event.key === "ArrowUp") &&
      row.closest("table[data-many]")
    ) {
      event.preventDefault();
      if (chosen().length < 2) anchor = row;
      const to = rows[at + (event.key === "ArrowDown" ? 1 : -1)];
      if (to) choose(to, true);
      return true;
    }
    if (event.key === " " && row.closest("table[data-many]")) {
      event.preventDefault();
      if (apart || chosen().length > 1) choose(row, false);
      apart = true;
      return true;
    }
    if ("steps" in row.closest("table").dataset && (event.key === "j" || event.key === "k")) {
      event.preventDefault();
      focusRow(rows[Math.max(0, Math.min(rows.length - 1, at + (event.key === "j" ? 1 : -1)))]);
      return true;
    }
    const to = {
      ArrowDown: at + 1,
      ArrowUp: at - 1,
      PageDown: at + 15,
      PageUp: at - 15,
      Home: 0,
      End: rows.length - 1,
    }[event.key];
    if (to !== undefined && !event.altKey) {
      event.preventDefault();
      const next = rows[Math.max(0, Math.min(rows.length - 1, to))];
      apart ? stand(next) : focusRow(next);
      return true;
    }
    if (event.key === "Enter") {
      const open = row.querySelector("[data-open]") || document.querySelector("[data-open-row]");
      if (open) {
        event.preventDefault();
        later(event, open) || use(open);
        return true;
      }
      if (later(event, null)) return true;
      if (row.closest("[data-edit]")) {
        event.preventDefault();
        document.dispatchEvent(new CustomEvent("pine:edit", { detail: row }));
        return true;
      }
    }
    return false;
  };

  /* Acts of the page that work on the selected row: {row} in their address stands for it. */
  const selected = () => document.querySelector("tr[aria-selected=true][data-row], g.on[data-row]");
  document.addEventListener("htmx:configRequest", (event) => {
    if (event.detail.path.includes("~row~")) {
      const row = selected();
      if (!row) {
        event.preventDefault();
        return;
      }
      event.detail.path = event.detail.path.replace("~row~", encodeURIComponent(row.dataset.row));
    }
    if (event.detail.path.includes("~maybe~")) {
      const row = selected();
      event.detail.path = event.detail.path.replace(
        "~maybe~",
        encodeURIComponent(row ? row.dataset.row : ""),
      );
    }
  });

  /* A page that makes something whole: rows of a form are added and taken by key, Ctrl+Enter sends it. */
  const addRow = (form, after) => {
    const list = document.getElementById(form.dataset.rowsOf);
    const row = document
      .getElementById(`${form.dataset.rowsOf}-row`)
      .content.firstElementChild.cloneNode(true);
    after ? after.after(row) : list.append(row);
    return row;
  };
  const foundingKey = (event, form) => {
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
      event.preventDefault();
      form.requestSubmit();
      return;
    }
    const row = document.activeElement.closest("ol.segments > li");
    if (event.altKey && event.key === "n" && form.dataset.rowsOf) {
      event.preventDefault();
      addRow(form, row).querySelector("input").focus();
      return;
    }
    if (!row || !event.altKey || !["ArrowUp", "ArrowDown", "Delete"].includes(event.key)) return;
    event.preventDefault();
    const el = document.activeElement,
      other = event.key === "ArrowUp" ? row.previousElementSibling : row.nextElementSibling;
    if (event.key === "Delete") {
      (other || row.previousElementSibling)?.querySelector("input").focus();
      row.remove();
      return;
    }
    if (other) event.key === "ArrowUp" ? other.before(row) : other.after(row);
    el.focus();
  };
  document.addEventListener("htmx:afterSwap", (event) => {
    const form = document.querySelector("form.founding");
    if (!form || event.detail.target.id !== "told") return;
    form.querySelectorAll("[aria-invalid]").forEach((el) => el.removeAttribute("aria-invalid"));
    const told = [...event.detail.target.querySelectorAll("[data-column]")];
    const cells = told
      .map((el) => {
        const place =
          "line" in el.dataset ? form.querySelector(`ol.segments > li:nth-child(${el.dataset.line})`) : form;
        return place?.querySelector(`[name="${CSS.escape(el.dataset.column)}"]`);
      })
      .filter(Boolean);
    cells.forEach((el) => el.setAttribute("aria-invalid", "true"));
    cells[0]?.focus();
  });
  document.addEventListener("click", (event) => {
    const form = event.target.closest("[data-add-row]")?.closest("form");
    if (form) addRow(form).querySelector("input").focus();
  });

  document.addEventListener("keydown", (event) => {
    const el = document.activeElement;
    if (event.defaultPrevented || document.querySelector("dialog[open]")) return;
    if (waiting.length && !event.ctrlKey && !event.altKey && !event.metaKey && event.isTrusted) {
      event.preventDefault();
      waiting.push(event.key);
      return;
    }
    const founding = el?.closest("form.founding");
    if (founding && (event.ctrlKey || event.metaKey || event.altKey)) {
      foundingKey(event, founding);
      if (event.defaultPrevented) return;
    }
    const editing = el && el.closest("tr.editing");
    if (editing) {
      if (event.key === "Enter" && !el.matches("button")) {
        event.preventDefault();
        editing.parentElement.querySelector("[data-save]").click();
        return;
      }
      if (event.key === "Escape") {
        event.preventDefault();
        editing.parentElement.querySelector("[data-drop]").click();
        return;
      }
      return;
    }
    if (el && el.id === "find") {
      findKey(event);
      return;
    }
    if (el && el.closest("#found")) {
      findKey(event);
      return;
    }
    if (event.key === "Escape") {
      const menu = el?.closest("details[open]");
      if (menu) {
        menu.open = false;
        (opener?.isConnected ? opener : menu.querySelector("summary")).focus();
        opener = null;
        return;
      }
      if (typing(el)) el.blur();
      if (apart) {
        apart = false;
        if (el?.matches("tr")) focusRow(el);
      }
      const row = selected();
      if (row) row.focus();
      return;
    }
    if (typing(el)) return;
    if (event.ctrlKey || event.metaKey) {
      const twin = acts().find((a) => a.dataset.key === `Ctrl+${event.key.toLowerCase()}`);
      if (twin) {
        event.preventDefault();
        twin.click();
      }
      return;
    }
    const row = el && el.closest("table[data-rows] tr[tabindex]");
    if (row && rowKey(event, row)) return;
    if (event.key === "?") {
      event.preventDefault();
      showKeys();
      return;
    }
    if (event.key === "p") {
      document.getElementById("leaves")?.classList.toggle("folded");
      return;
    }
    if (event.key === "ArrowDown" && !row) {
      const first = selected() || document.querySelector("table[data-rows] tbody tr[tabindex]");
      if (first && (el === document.body || el.id === "work")) {
        event.preventDefault();
        focusRow(first);
        return;
      }
    }
    const name = (event.altKey ? "Alt+" : /^[A-Z]$/.test(event.key) ? "Shift+" : "") + event.key;
    const fitting = acts().filter((a) => a.dataset.key === name);
    const near = selected()?.closest("[data-sheet]");
    const act = fitting.find((a) => near?.contains(a)) || fitting[0];
    if (act) {
      event.preventDefault();
      if (act.id === "find") finder = el;
      later(event, act) || use(act);
    } else if (row && event.key.length === 1) later(event, null);
  });

  document.addEventListener("click", (event) => {
    const row = event.target.closest("table[data-rows] tbody tr[tabindex]");
    if (row && !event.target.closest("a, button, input, select, summary")) {
      if ((event.shiftKey || event.ctrlKey || event.metaKey) && row.closest("table[data-many]"))
        choose(row, event.shiftKey);
      else {
        apart = false;
        focusRow(row);
      }
    }
    document.querySelectorAll("details.drop[open]").forEach((d) => {
      if (!d.contains(event.target)) d.open = false;
    });
    if (event.target.closest("[data-act=keys]")) showKeys();
    const fold = event.target.closest("[data-fold]");
    if (fold)
      document.getElementById(fold.dataset.fold).hidden = !document.getElementById(fold.dataset.fold).hidden;
    if (!event.target.closest(".find")) document.getElementById("found")?.replaceChildren();
  });
  document.addEventListener("dblclick", (event) => {
    const row = event.target.closest("table[data-rows] tbody tr[tabindex]");
    if (!row || event.target.closest("a, button, input")) return;
    const open = row.querySelector("[data-open]") || document.querySelector("[data-open-row]");
    if (open) open.click();
    else if (row.closest("[data-edit]"))
      document.dispatchEvent(new CustomEvent("pine:edit", { detail: row }));
  });
  document.addEventListener("focusin", (event) => {
    const row = event.target.closest("table[data-rows] tbody tr[tabindex]");
    if (row && row === event.target && !keeping) focusRow(row);
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("select[data-go]")) location.href = event.target.value;
  });

  /* Rows of a spreadsheet pasted onto a table go to its preview. */
  document.addEventListener("paste", (event) => {
    const table =
      document.activeElement.closest("table[data-paste]") ||
      selected()?.closest("table[data-paste]") ||
      document.querySelector("table[data-paste]");
    const text = event.clipboardData?.getData("text/plain");
    const el = document.activeElement;
    const several = /[\t\n]/.test(text?.trim() || "") && el.closest("tr.editing");
    if (!table || !text?.trim() || (typing(el) && !several)) return;
    event.preventDefault();
    htmx.ajax("POST", table.dataset.paste, {
      values: { text },
      target: table.closest("[data-brought]") || "#brought",
    });
  });
  document.addEventListener("mousedown", (event) => {
    if (event.shiftKey && event.target.closest("table[data-many] tbody")) event.preventDefault();
  });

  let finder = null;
  const findKey = (event) => {
    const links = [...document.querySelectorAll("#found a")];
    const at = links.findIndex((a) => a.classList.contains("on"));
    if (event.key === "Escape") {
      document.getElementById("found").replaceChildren();
      document.getElementById("find").value = "";
      document.getElementById("find").blur();
      (finder?.isConnected && finder !== document.body
        ? finder
        : selected() || document.getElementById("work")
      ).focus();
      finder = null;
    }
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      const to = links[Math.max(0, Math.min(links.length - 1, at + (event.key === "ArrowDown" ? 1 : -1)))];
      links.forEach((a) => a.classList.toggle("on", a === to));
      to?.scrollIntoView({ block: "nearest" });
    }
    if (event.key === "Enter") {
      event.preventDefault();
      const field = document.getElementById("find");
      if (links.length && field.dataset.shown === field.value) links[Math.max(0, at)].click();
      else field.dataset.go = "1";
    }
  };
  document.addEventListener("htmx:afterSwap", (event) => {
    if (event.detail.target.id === "found") {
      const field = document.getElementById("find");
      field.dataset.shown = field.value;
      if (field.dataset.go) {
        delete field.dataset.go;
        document.querySelector("#found a")?.click();
      }
    }
  });
  /* A question before an act takes focus, and gives it back to where it was when it is left. */
  let asker = null;
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.xhr.status < 300 && event.detail.xhr.responseText.includes("question"))
      asker = document.activeElement.closest("tr[data-row]") || selected() || document.activeElement;
  });
  document.addEventListener("htmx:afterSettle", (event) =>
    event.target.querySelector?.(".question [name=why], .question button")?.focus(),
  );
  const leaveQuestion = () => {
    document.querySelector(".question")?.remove();
    if (asker?.isConnected) asker.focus();
    asker = null;
  };
  document.addEventListener(
    "keydown",
    (event) => {
      if (event.key !== "Escape" || !event.target.closest?.(".question")) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      leaveQuestion();
    },
    true,
  );
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-act=leave-question]")) leaveQuestion();
  });
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (!["GET", "get"].includes(event.detail.requestConfig.verb))
      document.getElementById("told")?.replaceChildren();
  });
  const settle = (root) => {
    document.querySelectorAll("form[data-rows-of]").forEach((form) => {
      if (!document.getElementById(form.dataset.rowsOf).children.length) addRow(form);
    });
    const wanted = root.querySelector?.("[data-focus]");
    if (wanted) {
      wanted.matches("tr")
        ? (focusRow(wanted), window.htmx?.trigger(wanted, "focus"))
        : (wanted.focus(), wanted.select?.());
      wanted.removeAttribute("data-focus");
    }
  };
  /* The address holds the whole state: which draft or version a page shows stands in it, so that a link is a
     view. */
  const address = () => {
    const view = document.querySelector("[data-view]");
    if (!view) return;
    const here = new URL(location.href),
      [name, value] = view.dataset.view.split("=");
    here.searchParams.delete("draft");
    here.searchParams.delete("version");
    if (name) here.searchParams.set(name, value);
    if (here.href !== location.href) history.replaceState(history.state, "", here);
  };
  document.addEventListener("htmx:afterSettle", (event) => {
    settle(event.target.parentElement || document);
    address();
  });
  document.addEventListener("DOMContentLoaded", () => {
    settle(document);
    address();
  });

  /* A new row opens right after the selected one; what was open before is dropped. */
  document.addEventListener("htmx:beforeSwap", (event) => {
    const from = event.detail.requestConfig?.elt;
    if (!from?.matches?.("[data-after-row]") || event.detail.xhr.status >= 300) return;
    document.querySelectorAll("tr.editing").forEach((row) => row.remove());
    const row = selected();
    if (row) {
      event.detail.target = row;
      event.detail.swapOverride = "afterend";
    }
  });

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
    document.querySelectorAll("tr.drop").forEach((r) => r !== row && r.classList.remove("drop"));
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
    htmx.ajax("POST", table.dataset.move, {
      values: { what: dragged, onto: row.dataset.onto, seen: table.dataset.seen },
      target: "#told",
    });
    dragged = null;
  });
  document.addEventListener("dragend", () => {
    dragged = null;
    document.querySelectorAll("tr.drop").forEach((r) => r.classList.remove("drop"));
  });
})();
