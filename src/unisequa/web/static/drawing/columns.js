// The border between the worded columns and the field, dragged or moved by the arrow keys.
const WIDEST = 900;
const NARROWEST = 240;

const box = () => /** @type {HTMLElement} */ (document.querySelector(".sheet"));
const widthName = () => `columns-${document.querySelector(".sheet.wide") ? "template" : "run"}`;

/** How wide the worded columns are, in pixels. */
export const columnWidth = () => /** @type {HTMLElement} */ (document.querySelector(".rows")).getBoundingClientRect().width;

/** Make them so wide, and keep it. @param {number} width */
export function widen(width) {
  const to = Math.min(Math.max(Math.round(width), NARROWEST), WIDEST);
  box().style.setProperty("--rows", `${to}px`);
  const edge = document.querySelector(".edge");
  if (edge) edge.setAttribute("aria-valuenow", String(to));
  localStorage.setItem(widthName(), String(to));
}

/** As wide as they were left. */
export function restoreWidth() {
  const kept = box() && localStorage.getItem(widthName());
  if (kept && innerWidth > 760) widen(Number(kept));
}

/** The border taken hold of. @param {PointerEvent} event @param {HTMLElement} edge */
export function widening(event, edge) {
  const from = columnWidth() - event.clientX;
  const move = (/** @type {PointerEvent} */ moved) => widen(from + moved.clientX);
  edge.setPointerCapture(event.pointerId);
  edge.addEventListener("pointermove", move);
  edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", move), { once: true });
  event.preventDefault();
}
