// A run started in a stretch of days: of which template, from when to when.
import { isoOf } from "../drawing/scale.js";
import { byId } from "../dom.js";

/** @param {number} [first] @param {number} [last]  Days, both included. */
export function openStretch(first, last) {
  const dialog = byId("stretch");
  const form = dialog.querySelector("form[method=get]");
  if (form) {
    form.elements.first.value = first === undefined ? "" : isoOf(first);
    form.elements.last.value = last === undefined ? "" : isoOf(last);
    form.onsubmit = () => { form.action = `${document.body.dataset.root}start/${byId("stretch-template").value}`; };
  }
  dialog.querySelector("[data-close]").onclick = () => dialog.close();
  dialog.showModal();
}
