// The border between the worded columns and the field, dragged or moved by the arrow keys.
const WIDEST = 900;
const NARROWEST = 240;

const box = () => /** @type {HTMLElement} */ (document.querySelector(".sheet"));
/** Sheets by their class, each kept as wide as it was left; that of a run has none. @type {Record<string, string>} */
const SHEETS = { wide: "template", compared: "changes", start: "start", desk: "desk", horizon: "horizon", joiners: "joiners" };
const widthName = () => `columns-${SHEETS[[...box().classList].find((name) => name in SHEETS) || ""] || "run"}`;

/** How wide the worded columns are, in pixels. */
export const columnWidth = () => document.querySelector(".rows")?.getBoundingClientRect().width || 0; // where the last row has gone, no column is left

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

const LOWEST = 150;

/** The tray so high, kept; without a number as it was left. @param {number} [height] */
export function trayHigh(height) {
  const tray = document.getElementById("tray");
  const kept = height === undefined ? Number(localStorage.getItem("tray-height")) : height;
  if (!tray || !kept || innerWidth <= 760) return;
  const to = Math.min(Math.max(Math.round(kept), LOWEST), Math.round(innerHeight * 0.8));
  tray.style.setProperty("--tray", `${to}px`);
  tray.classList.add("dragged");
  tray.querySelector("[data-tray-edge]")?.setAttribute("aria-valuenow", String(Math.round((100 * to) / innerHeight)));
  localStorage.setItem("tray-height", String(to));
}

/** Its upper edge taken hold of. @param {PointerEvent} event @param {HTMLElement} edge */
export function heightening(event, edge) {
  const tray = /** @type {HTMLElement} */ (document.getElementById("tray"));
  const from = tray.getBoundingClientRect().height + event.clientY;
  const move = (/** @type {PointerEvent} */ moved) => trayHigh(from - moved.clientY);
  edge.setPointerCapture(event.pointerId);
  edge.addEventListener("pointermove", move);
  edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", move), { once: true });
  event.preventDefault();
}

/** The same by the arrow keys. @param {KeyboardEvent} event */
export function heightenedBy(event) {
  const by = { ArrowUp: 24, ArrowDown: -24 }[event.key];
  const tray = document.getElementById("tray");
  if (!by || !tray) return false;
  event.preventDefault();
  trayHigh(tray.getBoundingClientRect().height + by);
  return true;
}
