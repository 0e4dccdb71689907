// What every page has: theme, list of keys, short messages.
import { all, byId } from "./dom.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("shell", () => ({
    theme() {
      const root = document.documentElement;
      const now = root.dataset.theme || (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
      const next = now === "dark" ? "light" : "dark";
      root.dataset.theme = next;
      document.cookie = `theme=${next};path=/;max-age=31536000;samesite=lax`;
    },
    keys() {
      byId("keys").showModal();
    },
  }));
});

let toastTimer = 0;
/**
 * A short message in the corner; nothing takes it away. With something to undo it stays for a minute.
 * @param {string} text @param {() => unknown} [undo]
 */
export function toast(text, undo) {
  const box = byId("toast");
  box.textContent = text;
  clearTimeout(toastTimer);
  if (undo) {
    const button = Object.assign(document.createElement("button"), { type: "button", className: "link ml-3", textContent: "Undo" });
    button.addEventListener("click", () => {
      toast("");
      undo();
    });
    box.append(button);
  }
  if (text) toastTimer = setTimeout(() => { box.textContent = ""; }, undo ? 60000 : 8000);
  clearOfToast();
}

/** A message stands above the bars at the foot of the page, whichever came first: they are there to be pressed. */
export function clearOfToast() {
  const box = byId("toast");
  if (!box.firstChild) return;
  const tops = all("#tray, #many").filter((bar) => bar.offsetHeight).map((bar) => bar.getBoundingClientRect().top);
  box.style.bottom = tops.length ? `${innerHeight - Math.min(...tops) + 10}px` : "";
}

// One request after the other: one that were made while another is on its way would be put off, and its promise kept
// too early; or, behind a second one, be dropped.
let last = Promise.resolve();
/** @param {"GET" | "POST"} method @param {string} path @param {Record<string, unknown>} more */
export function ask(method, path, more) {
  const next = () => htmx.ajax(method, path, { source: "body", ...more });
  last = last.then(next, next);
  return last;
}

// Posts values and swaps the answer in, keeping scroll, focus and what is typed elsewhere.
/** @param {string} path @param {Record<string, unknown>} values @param {string} [target] */
export function send(path, values, target = "#work") {
  return ask("POST", path, { target, swap: "outerMorph", values });
}

const typing = (/** @type {any} */ element) => element.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  if (event.key === "?" && !typing(event.target)) {
    byId("keys").showModal();
    event.preventDefault();
  }
});
// What can be done on this page, by any part of what its button says; pressed as if one had pressed that.
const MOST_ACTS = 6;
function showActs(/** @type {string} */ text) {
  /** @type {Map<string, any>} */
  const acts = new Map();
  for (const one of text ? all("#main :is(button, summary, a.btn, a.link, .views a):not([data-open], [data-k], :disabled)") : []) {
    const says = (one.getAttribute("aria-label") || one.textContent).replace(/\s+/g, " ").trim();
    if (says.length < 60 && says.toLowerCase().includes(text) && one.checkVisibility() && !acts.has(says)) acts.set(says, one);
  }
  byId("here").replaceChildren(...[...acts].slice(0, MOST_ACTS).map(([says, one]) => {
    const row = Object.assign(document.createElement("button"), { type: "button", className: "foundrow w-full text-left cursor-pointer" });
    row.append(Object.assign(document.createElement("span"), { className: "kind", textContent: "here" }), Object.assign(document.createElement("b"), { textContent: says }));
    row.addEventListener("click", () => {
      byId("find").close();
      one.click();
    });
    return row;
  }));
}
// Finding from anywhere: a slash opens it, arrows go through what is found.
function openFinder() {
  const box = byId("find");
  if (!box || box.open) return;
  box.showModal();
  byId("find-text").select();
  if (!byId("found").childElementCount) look();
}
let looking = 0;
function look() {
  clearTimeout(looking);
  showActs(byId("find-text").value.trim().toLowerCase());
  const path = `${document.body.dataset.root}find?q=${encodeURIComponent(byId("find-text").value)}`;
  looking = setTimeout(() => ask("GET", path, { target: "#found", swap: "innerHTML" }), 120);
}
document.addEventListener("input", (event) => /** @type {any} */ (event.target).id === "find-text" && look());
document.addEventListener("click", (event) => {
  if (!(/** @type {any} */ (event.target).closest("[data-find]"))) return;
  event.preventDefault();
  openFinder();
});
document.addEventListener("keydown", (event) => {
  if (event.key === "/" && !typing(event.target)) {
    event.preventDefault();
    openFinder();
    return;
  }
  const box = byId("find");
  if (!box || !box.open || !["ArrowDown", "ArrowUp", "Enter"].includes(event.key)) return;
  event.stopImmediatePropagation();
  const rows = [...box.querySelectorAll(".foundrow")];
  const at = rows.indexOf(document.activeElement);
  if (event.key === "Enter") {
    if (at < 0 && rows[0]) {
      event.preventDefault();
      rows[0].click();
    }
    return;
  }
  event.preventDefault();
  const next = rows[at + (event.key === "ArrowDown" ? 1 : -1)];
  if (next) next.focus();
  else byId("find-text").focus();
}, true);
// What a page, or an answer, has to say.
function tell() {
  const work = byId("work");
  if (work && work.dataset.toast) {
    const { toast: text, undo } = work.dataset;
    toast(text, undo ? () => work.dispatchEvent(new CustomEvent("undo", { bubbles: true, detail: undo })) : undefined);
    delete work.dataset.toast;
    delete work.dataset.undo;
  }
}
addEventListener("load", tell);
document.addEventListener("htmx:after:swap", tell);
document.addEventListener("htmx:error", () => toast("The server did not answer. Check the connection and try again; nothing was changed."));
// The answers are whole pieces of this page; dark and light are told to the page, not left to the browser.
if (!document.documentElement.dataset.theme && matchMedia("(prefers-color-scheme: dark)").matches) {
  document.documentElement.dataset.theme = "dark";
}

// What every panel of a task has, wherever it is shown: boxes that are ticked, and what is written on it.
const onDesk = () => (location.pathname === document.body.dataset.root ? "desk" : "");
document.addEventListener("change", (event) => {
  /** @type {any} */
  const box = event.target;
  if (!box.dataset || box.dataset.box === undefined) return;
  const values = { box: box.dataset.box, on: box.checked ? "yes" : "", on_page: onDesk() };
  ask("POST", box.closest("[data-boxes]").dataset.boxes, { target: "#panel", swap: "none", values });
});
// Files of a task: sent as they are chosen, taken out at once; the panel comes anew.
/** @param {any} from @param {string} path @param {FormData} form */
async function file(from, path, form) {
  const headers = { "x-csrf-token": document.body.dataset.csrf || "", accept: "application/json" };
  const answer = await fetch(path, { method: "POST", body: form, headers }).catch(() => null);
  if (!answer) return toast("The server did not answer. Check the connection and try again; nothing was changed.");
  if (!answer.ok) return toast((await answer.json()).error.message);
  const panel = from.closest("#panel").querySelector("[data-panel]").dataset.panel;
  return ask("GET", `${panel}${onDesk() ? "?on=desk" : ""}`, { target: "#panel", swap: "innerHTML" });
}
document.addEventListener("change", (event) => {
  /** @type {any} */
  const input = event.target;
  if (!input.dataset || !input.dataset.files || !input.files[0]) return;
  const form = new FormData();
  form.append("file", input.files[0]);
  file(input, input.dataset.files, form);
});
document.addEventListener("click", (event) => {
  const button = /** @type {any} */ (event.target).closest("[data-unfile]");
  if (button) file(button, button.dataset.unfile, new FormData());
});
// How many days are left, said with one button where the field for it lies folded away.
document.addEventListener("click", (event) => {
  if (!(/** @type {any} */ (event.target).closest("[data-left]"))) return;
  byId("longer").open = true;
  (byId("left").disabled ? byId("by") : byId("left")).focus();
});
// A comment that is being written stays while its task's panel comes anew: a file was added, the task begun.
let writing = { path: "", text: "" };
document.addEventListener("input", (/** @type {any} */ event) => {
  if (event.target.id === "comment") writing = { path: event.target.form.dataset.comment, text: event.target.value };
});
document.addEventListener("htmx:after:swap", () => {
  const box = byId("comment");
  if (writing.text && box && !box.value && box.form.dataset.comment === writing.path) box.value = writing.text;
});
document.addEventListener("submit", (event) => {
  /** @type {any} */
  const form = event.target;
  const path = form.dataset.comment || form.dataset.proposeFor;
  if (!path) return;
  event.preventDefault();
  const values = { ...Object.fromEntries(new FormData(form)), on_page: onDesk() };
  if (form.dataset.comment) writing = { path: "", text: "" }; // the answer has it, or asks for it again
  ask("POST", path, { target: "#panel", swap: "innerHTML", values }).then(() => form.dataset.comment && byId("comment")?.focus());
});

// A page that says what is wrong begins there.
const [came] = /** @type {any[]} */ (performance.getEntriesByType("navigation"));
const wrong = came && came.responseStatus >= 400 && !document.querySelector("[autofocus]") ? document.querySelector("main [aria-invalid]") : null;
if (wrong instanceof HTMLElement) wrong.focus();
