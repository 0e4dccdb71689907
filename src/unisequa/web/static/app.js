// What every page has: theme, list of keys, short messages.
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
      document.getElementById("keys").showModal();
    },
  }));
});

let toastTimer = 0;
function toast(text) {
  const box = document.getElementById("toast");
  box.textContent = text;
  clearTimeout(toastTimer);
  if (text) toastTimer = setTimeout(() => { box.textContent = ""; }, 8000);
}

// Posts values and swaps the answer in, keeping scroll, focus and what is typed elsewhere.
function send(path, values, target = "#work") {
  return htmx.ajax("POST", path, { source: "body", target, swap: "outerMorph", values });
}

const typing = (element) => element.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  if (event.key === "?" && !typing(event.target)) {
    document.getElementById("keys").showModal();
    event.preventDefault();
  }
});
document.addEventListener("htmx:after:swap", () => {
  const work = document.getElementById("work");
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
