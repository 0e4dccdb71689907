// Tasks chosen together: by a key, by a click with Ctrl or Shift in the sheet, by their boxes in the list.
import { clearOfToast } from "../app.js";
import { all, byId } from "../dom.js";

/** @type {Set<string>} */
export const chosen = new Set();

// Where a reach begins that Shift ends: what was chosen, or gone to, last.
let from = "";

/** @param {string} key */
export const reachFrom = (key) => { from = key; };

/** One more, or one fewer. @param {string} key */
export function choose(key) {
  if (!chosen.delete(key)) chosen.add(key);
  reachFrom(key);
  showChosen();
}

/** All from where a reach begins to here. @param {string} key @param {boolean} also  Whether what is chosen stays so. */
export function chooseTo(key, also) {
  const keys = all("#work .row[data-k], #work [data-choose]").map((one) => one.dataset.k || one.dataset.choose);
  if (!keys.includes(from)) reachFrom(key);
  const [a, b] = [keys.indexOf(from), keys.indexOf(key)].sort((x, y) => x - y);
  if (!also) chosen.clear();
  for (const one of keys.slice(a, b + 1)) chosen.add(one);
  showChosen();
}

export function chooseNone() {
  chosen.clear();
  showChosen();
}

/** The rows and boxes of what is chosen, and what can be done with it. */
export function showChosen() {
  const bar = byId("many");
  for (const row of all("#work .row[data-k]")) row.classList.toggle("chosen", chosen.has(row.dataset.k));
  for (const box of all("#work [data-choose]")) box.checked = chosen.has(box.dataset.choose);
  if (!bar) return;
  bar.hidden = !chosen.size;
  byId("many-count").textContent = `${chosen.size} chosen`;
  clearOfToast();
}

// A reach chosen with Shift marks no text.
document.addEventListener("mousedown", (event) => {
  /** @type {any} */
  const at = event.target;
  if (event.shiftKey && at.closest("#work .row[data-k], #work [data-choose]") && !at.matches("input[type=text]")) event.preventDefault();
});
