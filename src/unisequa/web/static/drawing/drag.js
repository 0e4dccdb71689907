// Following the pointer until it is let go; near an edge of the sheet it scrolls on, and how far it has come counts that
// as well. Escape lets go of nothing.
import { columnWidth } from "./columns.js";

/**
 * @param {PointerEvent} event
 * @param {(next: PointerEvent, by: number) => void} moved  With how far it has come across the field, in pixels.
 * @param {(next: PointerEvent | null, by: number) => void} dropped  Null where it was left by Escape.
 * @param {{ across?: boolean, along?: boolean, within?: string }} [options]  Whether it scrolls to the sides, and up and down; what scrolls.
 */
export function follow(event, moved, dropped, { across = false, along = true, within = "sheet" } = {}) {
  const sheet = /** @type {HTMLElement} */ (document.getElementById(within));
  const begun = fieldPoint(event).x;
  const by = () => fieldPoint(last).x - begun;
  let last = event;
  let dragged = false;
  let frame = 0;
  const tick = () => {
    const around = sheet.getBoundingClientRect();
    const left = around.left + columnWidth();
    const dx = last.clientX > around.right - 36 ? 12 : last.clientX < left + 24 && last.clientX > left - 40 ? -12 : 0;
    const dy = last.clientY > around.bottom - 30 ? 8 : last.clientY < around.top + 70 && last.clientY > around.top - 30 ? -8 : 0;
    const before = [sheet.scrollLeft, sheet.scrollTop];
    if (across) sheet.scrollLeft += dx;
    if (along) sheet.scrollTop += dy;
    if (before[0] !== sheet.scrollLeft || before[1] !== sheet.scrollTop) moved(last, by());
    frame = requestAnimationFrame(tick);
  };
  const own = (/** @type {PointerEvent} */ next) => next.pointerId === event.pointerId;
  const move = (/** @type {PointerEvent} */ next) => {
    if (!own(next)) return;
    last = next;
    dragged ||= Math.hypot(next.clientX - event.clientX, next.clientY - event.clientY) > 4;
    moved(next, by());
  };
  const end = (/** @type {PointerEvent | null} */ next) => {
    cancelAnimationFrame(frame);
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", up);
    window.removeEventListener("pointercancel", cancelled);
    window.removeEventListener("keydown", escape, true);
    dropped(next, by());
  };
  const up = (/** @type {PointerEvent} */ next) => {
    if (!own(next)) return;
    last = next;
    if (dragged) unclicked();
    end(next);
  };
  // The page is scrolled by that finger instead.
  const cancelled = (/** @type {PointerEvent} */ next) => { if (own(next)) end(null); };
  const escape = (/** @type {KeyboardEvent} */ next) => {
    if (next.key !== "Escape") return;
    next.preventDefault();
    next.stopPropagation();
    window.addEventListener("pointerup", unclicked, { once: true });
    end(null);
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", up);
  window.addEventListener("pointercancel", cancelled);
  window.addEventListener("keydown", escape, true);
  frame = requestAnimationFrame(tick);
  event.preventDefault();
}

/** The click with which a browser ends a drag is none: what lies below where it was let go was not asked for. */
function unclicked() {
  const none = (/** @type {Event} */ event) => event.stopPropagation();
  window.addEventListener("click", none, { capture: true, once: true });
  setTimeout(() => window.removeEventListener("click", none, true));
}

/** Where the pointer is in the field, in pixels. @param {PointerEvent} event */
export function fieldPoint(event) {
  const field = document.getElementById("field")?.getBoundingClientRect() || { left: 0, top: 0 };
  return { x: event.clientX - field.left, y: event.clientY - field.top };
}

/**
 * A bar moved or stretched by hand: only its pixels, while it is held.
 * @param {Element[]} marks @param {boolean} grip @param {number} by  In pixels.
 * @param {{ x: number, width: number }} bar  As it stood.
 */
export function nudge(marks, grip, by, bar) {
  if (!grip) {
    for (const mark of marks) mark.setAttribute("transform", `translate(${by} 0)`);
    return;
  }
  const [mark] = marks;
  mark.querySelector(".bar")?.setAttribute("width", String(bar.width + by));
  mark.querySelector(".grip")?.setAttribute("x", String(bar.x + bar.width + by - 3));
}
