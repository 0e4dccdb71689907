// A table that is being looked at before it is put in: every choice and every mended cell is looked at anew.
import { byId } from "./dom.js";

/**
 * Look at the form's table anew whenever something in it is chosen or typed; focus and scrolling stay.
 * @param {any} form @param {(form: any) => Promise<string | null>} look  Gives the page or piece that holds `#brought`.
 * @param {(fresh: Document) => void} [shown]  Told once it is there.
 */
export function watchBrought(form, look, shown) {
  let turn = Promise.resolve();
  const again = () => {
    turn = turn.then(async () => {
      const html = await look(form);
      const fresh = html === null ? null : new DOMParser().parseFromString(html, "text/html");
      const piece = fresh && fresh.getElementById("brought");
      if (!fresh || !piece) return;
      swap(form, piece);
      if (shown) shown(fresh);
    });
    return turn;
  };
  form.addEventListener("change", (/** @type {any} */ event) => {
    if (event.target.closest("#brought")) again();
  });
  form.addEventListener("focusout", (/** @type {any} */ event) => {
    if (event.target.dataset.owed) again();
  });
  form.addEventListener("keydown", (/** @type {KeyboardEvent} */ event) => {
    const input = /** @type {any} */ (event.target);
    if (event.key !== "Enter" || !input.matches("#brought input")) return;
    event.preventDefault();
    again().then(() => nextFault(input.name)?.focus());
  });
  return again;
}

/** The next cell that is still to be mended, behind one. @param {string} name */
function nextFault(name) {
  const cells = [...document.querySelectorAll("#brought input[aria-invalid]")];
  const at = cells.findIndex((cell) => /** @type {any} */ (cell).name === name);
  return /** @type {any} */ (cells[at + 1] || cells[0]);
}

/** @param {any} form @param {Element} piece */
function swap(form, piece) {
  const active = /** @type {any} */ (document.activeElement);
  const name = form.contains(active) ? active.name : "";
  const typing = name && active.matches("input");
  const caret = typing ? [active.selectionStart, active.selectionEnd] : null;
  const box = form.querySelector(".broughttable");
  const at = box ? [box.scrollTop, box.scrollLeft] : [0, 0];
  byId("brought").replaceWith(piece);
  const now = form.querySelector(".broughttable");
  if (now) [now.scrollTop, now.scrollLeft] = at;
  const again = name && form.querySelector(`[name="${CSS.escape(name)}"]`);
  if (!again) return;
  if (typing && again.value !== active.value) { // typed on while the table was looked at
    again.value = active.value;
    again.dataset.owed = "yes";
  }
  again.focus({ preventScroll: true });
  if (caret && again.setSelectionRange) again.setSelectionRange(...caret);
}
