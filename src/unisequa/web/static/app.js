// What every page has: theme, list of keys, short messages.
import { byId } from "./dom.js";

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
/** A short message in the corner; nothing takes it away. @param {string} text */
export function toast(text) {
  const box = byId("toast");
  box.textContent = text;
  clearTimeout(toastTimer);
  if (text) toastTimer = setTimeout(() => { box.textContent = ""; }, 8000);
}

// Posts values and swaps the answer in, keeping scroll, focus and what is typed elsewhere.
/** @param {string} path @param {Record<string, unknown>} values @param {string} [target] */
export function send(path, values, target = "#work") {
  return htmx.ajax("POST", path, { source: "body", target, swap: "outerMorph", values });
}

const typing = (/** @type {any} */ element) => element.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  if (event.key === "?" && !typing(event.target)) {
    byId("keys").showModal();
    event.preventDefault();
  }
});
document.addEventListener("htmx:after:swap", () => {
  const work = byId("work");
  if (work && work.dataset.toast) {
    toast(work.dataset.toast);
    delete work.dataset.toast;
  }
});
document.addEventListener("htmx:error", () => toast("The server did not answer. Check the connection and try again; nothing was changed."));
// The answers are whole pieces of this page; dark and light are told to the page, not left to the browser.
if (!document.documentElement.dataset.theme && matchMedia("(prefers-color-scheme: dark)").matches) {
  document.documentElement.dataset.theme = "dark";
}
