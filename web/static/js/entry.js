"use strict";
/* A journal keyed in: lines as rows of inputs, completion, the check while typing. The server decides
   everything. */
(() => {
  let timer = 0,
    sent = 0,
    last = {},
    owing = null;
  const table = () => document.getElementById("entry");
  const lines = () => [...table().querySelectorAll("tbody tr:not(.generated)")];
  const csrf = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

  const addLine = (values = {}) => {
    const row = document.getElementById("entry-line").content.firstElementChild.cloneNode(true);
    table().querySelector("tbody").append(row);
    row.firstElementChild.textContent = lines().length;
    for (const [name, value] of Object.entries(values)) {
      const field = row.querySelector(`[name=${name}]`);
      if (field) field.value = value;
    }
    short(row);
    return row;
  };
  const read = () => {
    const head = {};
    document.querySelectorAll("#entry-head [name]").forEach((el) => (head[el.name] = el.value));
    head.lines = lines().map((row) =>
      Object.fromEntries([...row.querySelectorAll("[name]")].map((el) => [el.name, el.value])),
    );
    return head;
  };
  /* What the server says to a request, or null where it couldn't be asked: then the page says so and keeps
     what was keyed. */
  const ask = async (url, options = {}) => {
    const told = document.getElementById("told");
    try {
      const reply = await fetch(url, {
        ...options,
        headers: { Accept: "application/json", ...options.headers },
      });
      const content = await reply.json();
      if (reply.status === 401) {
        location.href = content.sign_in;
        return null;
      }
      if (told.dataset.lost) {
        delete told.dataset.lost;
        told.replaceChildren();
      }
      return content;
    } catch {
      told.dataset.lost = "1";
      told.replaceChildren(
        para(
          "The server does not answer. What you keyed stays here; it is checked again with your next key.",
          "must",
        ),
      );
      return null;
    }
  };
  const send = (url, body) =>
    ask(url, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": csrf() },
      body: JSON.stringify(body),
    });
  const para = (text, kind) => {
    const p = document.createElement("p");
    if (kind) p.className = kind;
    p.textContent = text;
    return p;
  };

  /* A line is told its faults once it was left, not while it is keyed; an empty one never. */
  const blank = (row) =>
    [...row.querySelectorAll("[name]")].every(
      (el) => !el.value || (el.name === "account" && el.value === table().dataset.prefix),
    );
  const ripe = (row) => row && "left" in row.dataset && !row.contains(document.activeElement) && !blank(row);
  const mark = (faults, all) => {
    document.querySelectorAll("#entry [aria-invalid], #entry-head [aria-invalid]").forEach((el) => {
      el.removeAttribute("aria-invalid");
      el.removeAttribute("title");
    });
    const box = document.getElementById("entry-faults");
    box.replaceChildren();
    const rows = lines();
    faults.forEach((fault) => {
      if (fault.line && !all && !ripe(rows[fault.line - 1])) return;
      const cell = fault.line
        ? rows[fault.line - 1]?.querySelector(`[name=${CSS.escape(fault.column || "account")}]`)
        : document.querySelector(`#entry-head [name=${CSS.escape(fault.column || "journal")}]`);
      if (cell && fault.column !== "journal") {
        cell.setAttribute("aria-invalid", "true");
        cell.title = fault.what;
      }
      box.append(para(`${fault.line ? `Line ${fault.line}: ` : ""}${fault.what} ${fault.way_out}`, "must"));
    });
  };
  const show = (told) => {
    last = told;
    if (owing?.isConnected && !owing.value && told.owed) {
      const cell = owing.closest("tr").querySelector(`[name=${told.side}]`);
      cell.value = told.owed;
      if (cell !== owing) cell.focus();
      check();
    }
    owing = null;
    /* A quick code is written out as what it stands for, once its cell was left. */
    told.expanded?.forEach((line) => {
      const row = lines()[line.line - 1],
        cell = row?.querySelector("[name=account]");
      if (!cell || cell === document.activeElement || cell.value.trim() !== line.was) return;
      cell.value = line.account;
      row.querySelector("[name=dimensions]").value = line.dimensions;
    });
    mark(told.faults);
    const sums = document.getElementById("entry-sums");
    sums.replaceChildren(
      ...(told.sums || []).map((s) =>
        para(
          `${s.company}: debit ${s.debit}, credit ${s.credit}, difference ${s.difference}`,
          s.difference === "0" ? "ok" : "look",
        ),
      ),
    );
    document.getElementById("entry-difference").textContent = `Difference ${told.difference ?? "—"}`;
    const one = told.sums?.length === 1 ? told.sums[0] : null;
    document.getElementById("entry-debit").textContent = one ? one.debit : "";
    document.getElementById("entry-credit").textContent = one ? one.credit : "";
    const added = document.getElementById("entry-added");
    if (told.added?.length)
      added.replaceChildren(
        ...told.added.map((a) =>
          para(
            `${a.company} ${a.account} ${a.name}: ${a.debit ? "debit" : "credit"} ${a.debit || a.credit}, ` +
              `partner ${a.partner}`,
          ),
        ),
      );
    else added.replaceChildren(para("None.", "soft"));
    lines().forEach((row, i) => {
      row.querySelector("[name=account]").title ||= told.names?.[i + 1] || "";
    });
    document.getElementById("entry-post").disabled = !told.ready;
  };
  const check = (wait = 180) => {
    clearTimeout(timer);
    const mine = ++sent;
    timer = setTimeout(async () => {
      const told = await send(table().dataset.check, read());
      if (mine === sent && told?.faults && table()) show(told);
    }, wait);
  };
  const post = async () => {
    const button = document.getElementById("entry-post");
    if (button.disabled) return;
    button.disabled = true;
    const told = await send(table().dataset.post, read());
    if (told?.go) location.href = told.go;
    else {
      if (told?.faults) mark(told.faults, true);
      button.disabled = false;
    }
  };

  /* Completion below the field: the options come from the server; arrows and Enter choose. */
  let box = null,
    field = null,
    asked = 0;
  const closeOptions = () => {
    box?.remove();
    box = null;
    field?.setAttribute("aria-expanded", "false");
  };
  const choose = (text, on) => {
    field.value = text;
    const el = field;
    closeOptions();
    if (on) complete(el);
    check();
  };
  const complete = async (el) => {
    field = el;
    const mine = ++asked;
    const whose = el.closest("tr").querySelector("[name=line_company]").value;
    const on = document.querySelector("#entry-head [name=date]").value;
    const query = new URLSearchParams({ text: el.value, what: el.name, whose, on });
    const told = await ask(`${table().dataset.complete}?${query}`);
    if (!told?.options || mine !== asked || document.activeElement !== el) return;
    const { options } = told,
      was = box?.querySelector("[aria-selected=true]")?.dataset.text;
    closeOptions();
    if (!options.length) return;
    box = document.createElement("div");
    box.className = "options";
    box.id = "options";
    box.setAttribute("role", "listbox");
    options.forEach((option) => {
      const button = document.createElement("button");
      button.type = "button";
      button.tabIndex = -1;
      button.setAttribute("role", "option");
      button.dataset.text = option.text;
      if (option.text === was) button.setAttribute("aria-selected", "true");
      const code = document.createElement("span"),
        name = document.createElement("span");
      code.className = "code";
      code.textContent = option.code;
      name.textContent = option.name;
      button.append(code, name);
      button.addEventListener("mousedown", (event) => {
        event.preventDefault();
        choose(option.text, true);
      });
      box.append(button);
    });
    el.parentElement.append(box);
    el.setAttribute("aria-expanded", "true");
  };
  const optionKey = (event) => {
    if (!box) return false;
    const all = [...box.children],
      at = all.findIndex((b) => b.getAttribute("aria-selected") === "true");
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      const to = all[Math.max(0, Math.min(all.length - 1, at + (event.key === "ArrowDown" ? 1 : -1)))];
      all.forEach((b) => b.setAttribute("aria-selected", String(b === to)));
      to.scrollIntoView({ block: "nearest" });
      return true;
    }
    if (event.key === "Enter" && at >= 0) {
      event.preventDefault();
      choose(all[at].dataset.text, true);
      return true;
    }
    if (event.key === "Escape") {
      event.preventDefault();
      event.stopPropagation();
      closeOptions();
      return true;
    }
    return false;
  };
  /* The source document of the line that has focus, keyed in the proof leaf; the row keeps it and shows it
     in short. */
  let about = null;
  const source = () => document.getElementById("entry-source");
  const short = (row) => {
    const parts = ["type", "number", "party", "item"].map((name) =>
      row.querySelector(`[name=source_${name}]`).value.trim(),
    );
    row.querySelector("[data-source-of]").textContent = parts.filter(Boolean).join(" ");
  };
  const tellSource = (row) => {
    about = row;
    source().querySelector("[data-line]").textContent = lines().indexOf(row) + 1;
    source()
      .querySelectorAll("[data-source]")
      .forEach((el) => (el.value = row.querySelector(`[name=${el.dataset.source}]`).value));
  };
  const sourceKey = (event) => {
    const el = event.target,
      all = [...source().querySelectorAll("[data-source]")];
    if (event.altKey && event.key.toLowerCase() === "s" && about?.isConnected) {
      event.preventDefault();
      all[0].focus();
      return true;
    }
    if (!el.dataset.source || !["Enter", "Escape"].includes(event.key)) return false;
    event.preventDefault();
    const to = event.key === "Enter" ? all[all.indexOf(el) + 1] : null;
    (to || about.querySelector("[name=description]")).focus();
    return true;
  };
  document.addEventListener("focusin", (event) => {
    const row = table() && event.target.closest?.("#entry tbody tr");
    if (row) tellSource(row);
  });
  document.addEventListener("input", (event) => {
    const name = event.target.dataset?.source;
    if (!name || !about?.isConnected) return;
    about.querySelector(`[name=${name}]`).value = event.target.value;
    short(about);
    check();
  });

  const next = (el) => {
    const all = [
      ...document.querySelectorAll(
        "#entry-head [name]:not([type=hidden]), #entry tbody [name]:not([type=hidden])",
      ),
    ];
    let to = all[all.indexOf(el) + 1];
    if (!to) {
      const row = addLine({ account: table().dataset.prefix });
      to = row.querySelector("[name=account]");
    }
    if (to.name === "line_company") to = to.closest("tr").querySelector("[name=account]");
    to.focus();
    if (to.setSelectionRange && to.type === "text") to.setSelectionRange(to.value.length, to.value.length);
  };

  document.addEventListener("keydown", (event) => {
    if (!table()) return;
    const el = event.target;
    if (event.key === "Enter" && event.ctrlKey) {
      event.preventDefault();
      post();
      return;
    }
    if (sourceKey(event)) return;
    if (!el.closest("#entry, #entry-head") || !el.name) return;
    if (optionKey(event)) return;
    if (event.key === "Enter") {
      event.preventDefault();
      closeOptions();
      next(el);
    }
    if (event.key === "=" && (el.name === "debit" || el.name === "credit") && !el.value) {
      event.preventDefault();
      owing = el;
      check(0);
    }
    if (["ArrowDown", "ArrowUp"].includes(event.key) && el.tagName !== "SELECT" && el.type !== "date") {
      const rows = lines(),
        at = rows.indexOf(el.closest("tr"));
      const row = rows[at + (event.key === "ArrowDown" ? 1 : -1)];
      if (at >= 0 && row) {
        event.preventDefault();
        row.querySelector(`[name=${el.name}]`).focus();
      }
    }
  });
  document.addEventListener("input", (event) => {
    if (!table() || !event.target.closest("#entry, #entry-head")) return;
    check();
    if (["account", "dimensions"].includes(event.target.name)) complete(event.target);
  });
  document.addEventListener("change", (event) => {
    if (table() && event.target.closest("#entry, #entry-head"))
      check(event.target.name === "account" ? 0 : 180);
  });
  document.addEventListener("focusout", (event) => {
    const row = event.target.closest?.("#entry tbody tr");
    if (!row || row.contains(event.relatedTarget)) return;
    row.dataset.left = "1";
    if (last.faults) setTimeout(() => table() && mark(last.faults), 0);
  });
  document.addEventListener("focusout", (event) => {
    if (event.target === field)
      setTimeout(() => {
        if (document.activeElement !== field) closeOptions();
      }, 120);
  });
  /* Paste from a spreadsheet fills rows: cells by tab, rows by line, from the cell the cursor stands in. */
  document.addEventListener("paste", (event) => {
    const el = event.target;
    const text = event.clipboardData?.getData("text/plain") || "";
    if (!table() || !el.closest?.("#entry tbody") || !/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    const names = [
      "line_company",
      "account",
      "dimensions",
      "debit",
      "credit",
      "partner",
      "description",
      "source_type",
      "source_number",
      "source_party",
      "source_item",
    ];
    const from = names.indexOf(el.name),
      at = lines().indexOf(el.closest("tr"));
    text
      .replace(/\r/g, "")
      .trimEnd()
      .split("\n")
      .forEach((line, i) => {
        const row = lines()[at + i] || addLine();
        line.split("\t").forEach((cell, j) => {
          const into = row.querySelector(`[name=${names[from + j]}]`);
          if (into) into.value = cell.trim();
        });
        short(row);
      });
    check();
  });
  document.addEventListener("click", async (event) => {
    if (!table()) return;
    if (event.target.closest("#entry-post")) post();
    if (event.target.closest("#entry-forget")) {
      await send(table().dataset.forget, {});
      location.reload();
    }
  });
  const start = () => {
    if (!table() || table().dataset.ready) return;
    table().dataset.ready = "1";
    const kept = document.getElementById("entry-kept");
    const content = kept ? JSON.parse(kept.textContent) : null;
    if (content) {
      for (const name of ["date", "kind", "description"]) {
        const el = document.querySelector(`#entry-head [name=${name}]`);
        if (el && content[name]) el.value = content[name];
      }
      content.lines.forEach(addLine);
      check();
    }
    while (lines().length < 2) addLine({ account: table().dataset.prefix });
  };
  document.addEventListener("DOMContentLoaded", start);
  document.addEventListener("htmx:afterSettle", start);
})();
