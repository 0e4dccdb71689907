// The widths of single columns: their edges in the head dragged, moved by the arrow keys, fitted to what they hold.
import { byId, find } from "../dom.js";
import { Sheet } from "./store.js";

const NARROWEST = 36;
const WIDEST = 420;
const PADDING = 14;
const USUAL = 100;
/** Columns that take the room which the others leave have no width of their own. */
const FIXED = ["r", "w", "d", "f", "da", "sl"];

const kept = () => JSON.parse(byId("sheet").dataset.widths || "{}");
let telling = 0;

/** Kept for whoever is signed in, once the edge has come to rest. @param {Record<string, number>} all */
function keep(all) {
  byId("sheet").dataset.widths = JSON.stringify(all);
  clearTimeout(telling);
  telling = setTimeout(tell, 400);
}

function tell() {
  clearTimeout(telling);
  telling = 0;
  const headers = { "x-csrf-token": document.body.dataset.csrf || "", "content-type": "application/json", accept: "application/json" };
  fetch("/account/widths", { method: "POST", keepalive: true, headers, body: JSON.stringify({ widths: kept() }) }).catch(() => {});
}
addEventListener("pagehide", () => telling && tell());

/** @param {string} c @param {number | null} width  Nothing: as wide as it is by itself. */
function widen(c, width) {
  const to = width === null ? "" : `${Math.min(Math.max(Math.round(width), NARROWEST), WIDEST)}px`;
  byId("sheet").style.setProperty(`--w-${c}`, to);
  byId("sheet").classList.toggle(`has-w-${c}`, Boolean(to));
  const all = kept();
  if (to) all[c] = Math.round(/** @type {number} */ (width));
  else delete all[c];
  if (JSON.stringify(all) !== byId("sheet").dataset.widths) keep(all);
  find(`.cgrip[data-col="${c}"]`)?.setAttribute("aria-valuenow", String(Math.round(width ?? USUAL)));
}

Sheet.restoreColumns = function restoreColumns() {
  for (const [c, width] of Object.entries(kept())) if (FIXED.includes(c)) widen(c, Number(width));
};

/** The grip at the right edge of a column's head; none where its width is what is left. @param {string} c @param {string} name */
export function gripOf(c, name) {
  if (!FIXED.includes(c)) return "";
  const grip = document.createElement("i");
  grip.className = "cgrip";
  grip.tabIndex = 0;
  grip.title = "Drag; double click or Enter fits it to what it holds";
  grip.setAttribute("role", "separator");
  grip.setAttribute("aria-orientation", "vertical");
  grip.setAttribute("aria-label", `Width of ${name}`);
  grip.dataset.col = c;
  for (const [end, value] of [["now", kept()[c] || USUAL], ["min", NARROWEST], ["max", WIDEST]]) grip.setAttribute(`aria-value${end}`, String(Math.round(Number(value))));
  return grip;
}

const head = (/** @type {string} */ c) => /** @type {HTMLElement} */ (find(`#corner .c-${c}`));

/** As wide as the widest of what it holds. @param {string} c */
function fit(c) {
  const pen = /** @type {CanvasRenderingContext2D} */ (document.createElement("canvas").getContext("2d"));
  const cell = find(`#rows .c-${c}`);
  const style = getComputedStyle(cell || head(c));
  pen.font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
  const texts = Sheet.model.lines.map((/** @type {any} */ line) => line[c === "r" && Sheet.rehearsal ? "who" : c] || "");
  widen(c, Math.max(...texts.map((/** @type {string} */ text) => pen.measureText(text).width), 24) + PADDING);
  Sheet.refresh();
}

Sheet.columnPressed = function columnPressed(/** @type {any} */ event, /** @type {any} */ grip) {
  const c = grip.dataset.col;
  const from = head(c).getBoundingClientRect().width - event.clientX;
  const move = (/** @type {PointerEvent} */ moved) => widen(c, from + moved.clientX);
  const done = () => {
    grip.removeEventListener("pointermove", move);
    Sheet.refresh();
  };
  grip.setPointerCapture(event.pointerId);
  grip.addEventListener("pointermove", move);
  grip.addEventListener("pointerup", done, { once: true });
  event.preventDefault();
};

Sheet.columnKeyed = function columnKeyed(/** @type {any} */ event) {
  const c = event.target.dataset.col;
  const by = { ArrowLeft: -8, ArrowRight: 8 }[/** @type {string} */ (event.key)];
  if (by) widen(c, head(c).getBoundingClientRect().width + by);
  else if (event.key === "Enter") fit(c);
  else if (event.key === "Delete" || event.key === "Backspace") widen(c, null);
  else return false;
  event.preventDefault();
  Sheet.refresh();
  return true;
};

document.addEventListener("dblclick", (/** @type {any} */ event) => {
  const grip = event.target.closest(".cgrip");
  if (grip) fit(grip.dataset.col);
});
