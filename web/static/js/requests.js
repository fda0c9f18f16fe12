/* What is asked of the server. An answer that isn't one (signed out, offline, an error of ours) is said, and
   nothing that was keyed goes. */
import { byId, element, selected } from "./dom.js";

const LOST = "The server does not answer. What you keyed stays here; try again in a moment.";
const BROKEN =
  "Something went wrong on our side. What you keyed stays here; try again, or tell who runs this.";
const SIGNED_OUT = "You are signed out. What you keyed is here again once you have signed in.";

/* What an answer of this status means to who asked: "read" its content, "sign-in", or the words to say. */
export const verdict = (status, isJson) => {
  if (status === 401) return "sign-in";
  if (status === 403) return "This page was open while somebody signed in or out. Load it again to go on.";
  if (status >= 500 || !isJson) return BROKEN;
  return "read";
};

export const complain = (text) => {
  const told = byId("told");
  if (!told) return;
  const box = element("div", "", "fault-box");
  box.setAttribute("role", "alert");
  box.dataset.lost = "";
  box.append(element("p", text, "must"));
  told.replaceChildren(box);
};
/* What has to be kept where the page may have to be loaded again (the server is away, breaks, has signed
   somebody out), and forgotten as soon as the server has it. */
const keepers = [];
export const whenLost = (keep, forget) => keepers.push({ keep, forget });
/* An answer to what was asked before something was lost doesn't say that the server is back. */
let turn = 0,
  lostAt = 0;
/* Nor is anything lost that the browser gives up because the page is left. */
let leaving = false;
addEventListener("pagehide", () => (leaving = true));
addEventListener("pageshow", () => (leaving = false));
const lose = (text) => {
  if (leaving) return;
  lostAt = ++turn;
  keepers.forEach(({ keep }) => keep());
  complain(text);
};
const answered = (askedAt, sentSomething) => {
  if (askedAt < lostAt) return;
  if (sentSomething) keepers.forEach(({ forget }) => forget());
  document.querySelector("#told [data-lost]")?.remove();
};
/* It leads back to this page. */
const goToSignIn = (address) => {
  const there = new URL(address, location.origin);
  there.searchParams.set("next", location.pathname + location.search);
  location.href = there;
};

/* The JSON that the server answers with, refusals (422) too; null where there is none: then the page says
   why. Null without a word where a signal says that nobody waits for it any more. */
export const ask = async (address, options = {}) => {
  const askedAt = ++turn;
  let reply = null,
    content = null;
  try {
    reply = await fetch(address, { ...options, headers: { Accept: "application/json", ...options.headers } });
    content = await reply.json();
  } catch {
    if (options.signal?.aborted) return null;
    if (!reply) {
      lose(LOST);
      return null;
    }
  }
  const means = verdict(reply.status, content !== null);
  if (means === "read") {
    answered(askedAt, options.method === "POST");
    return content;
  }
  lose(means === "sign-in" ? SIGNED_OUT : means);
  if (means === "sign-in") goToSignIn(content?.sign_in || "/sign-in/");
  return null;
};
/* For what is asked anew with each key: who asks again gives up what was asked before, so that neither its
   answer nor its loss comes after the newer one's. Gives the signal for the next request. */
export const onlyLatest = () => {
  let before = null;
  return () => {
    before?.abort();
    before = new AbortController();
    return before.signal;
  };
};
const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
export const send = (address, body, signal) =>
  ask(address, {
    signal,
    method: "POST",
    headers: { "Content-Type": "application/json", "X-CSRFToken": token() },
    body: JSON.stringify(body),
  });

/* An act on the selected row names the parameter its key goes by in data-with-row; one that can do without a
   row says so by data-row-or-none. */
document.addEventListener("htmx:configRequest", (event) => {
  const { withRow, rowOrNone } = event.detail.elt.dataset;
  if (withRow === undefined) return;
  const row = selected();
  if (row) event.detail.parameters[withRow] = row.dataset.row;
  else if (rowOrNone === undefined) event.preventDefault();
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.requestConfig.verb.toLowerCase() !== "get") byId("told")?.replaceChildren();
});
document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  if (xhr.status < 500 || xhr.getResponseHeader("HX-Retarget")) return;
  event.detail.shouldSwap = false;
  complain(BROKEN);
});
document.addEventListener("htmx:sendError", () => complain(LOST));
document.addEventListener("htmx:timeout", () => complain(LOST));
