// A rule as it is written: what is typed is sent as it is, and its dates come back.
import { byId } from "../dom.js";

const form = () => byId("rule");
let timer = 0;

// What surrounds the sentence is drawn anew; the sentence itself only where one has left it.
async function refresh(/** @type {boolean} */ whole) {
  const body = new URLSearchParams(/** @type {any} */ (new FormData(form())));
  const answer = await fetch(form().dataset.path, { method: "POST", body, headers: { "x-csrf-token": document.body.dataset.csrf ?? "" } });
  if (!answer.ok) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
  const main = byId("main");
  const [old, made] = [form(), fresh.getElementById("rule")];
  const at = /** @type {any} */ (document.activeElement)?.id;
  for (const part of [...main.children]) if (part !== old) part.remove();
  for (const part of [...fresh.body.children]) if (part !== made) main.append(part);
  for (const said of old.querySelectorAll(".fault, .hint")) said.remove();
  for (const said of made?.querySelectorAll(".fault, .hint") ?? []) old.append(said);
  if (whole && made) {
    old.querySelector(".sentence").replaceWith(made.querySelector(".sentence"));
    if (at) byId(at)?.focus();
  }
}

function soon(/** @type {number} */ ms, /** @type {boolean} */ whole) {
  clearTimeout(timer);
  timer = setTimeout(() => refresh(whole), ms);
}

document.addEventListener("input", (event) => form()?.contains(event.target) && soon(350, false));
document.addEventListener("change", (event) => form()?.contains(event.target) && soon(30, true));
