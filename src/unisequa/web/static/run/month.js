// Tasks in the weeks of a month by pointer: a bar is moved to other days, its right end stretches it.
import { toast } from "../app.js";
import { all } from "../dom.js";
import { follow } from "../drawing/drag.js";
import { dayWords } from "../drawing/scale.js";
import { element as made } from "../drawing/svg.js";

/** The weeks as they lie: each element, its Monday, and where its days begin. */
const weeks = () => all("#months svg.week").map((element) => ({ element, monday: Number(element.dataset.monday), days: [...element.querySelectorAll(".dayof")].map((day) => [Number(day.getAttribute("x")), Number(day.getAttribute("width"))]) }));

/** The day under the pointer, and none beside the weeks. @param {{ clientX: number, clientY: number }} at */
function dayAt(at) {
  for (const { element, monday, days } of weeks()) {
    const box = element.getBoundingClientRect();
    if (at.clientY < box.top || at.clientY >= box.bottom) continue;
    const x = at.clientX - box.left;
    const day = days.findIndex(([left, width]) => x >= left && x < left + width);
    return day < 0 ? null : monday + day;
  }
  return null;
}

/** The days that a task would take, drawn over its weeks. @param {number} first @param {number} last */
function aim(first, last) {
  for (const { element, monday, days } of weeks()) {
    element.querySelector(".aimdays")?.remove();
    const [from, to] = [Math.max(first - monday, 0), Math.min(last - monday, 6)];
    if (from > to) continue;
    const right = days[to][0] + days[to][1];
    element.append(made("rect", { class: "ghost aimdays", x: String(days[from][0] + 2), y: "2", width: String(right - days[from][0] - 4), height: String(Number(element.getAttribute("height")) - 5) }));
  }
}

/**
 * Take hold of a task in its week; null where that is none that may be moved.
 * @param {PointerEvent} event @param {(key: string, kind: string, by: number) => void} dropped
 */
export function monthly(event, dropped) {
  const target = /** @type {Element} */ (event.target);
  const span = /** @type {SVGElement | null} */ (target.closest(".mspan[data-first]"));
  const begun = span && dayAt(event);
  if (!span || event.button !== 0 || typeof begun !== "number") return null;
  const { key = "", first: from, last: to, started } = /** @type {Record<string, string>} */ ({ ...span.dataset });
  const [first, last] = [Number(from), Number(to)];
  const end = Boolean(target.closest(".mgrip"));
  const state = { key, days: 0, over: false };
  let moved = false;
  follow(event, (next) => {
    const day = dayAt(next);
    if (day === null) return undefined;
    state.days = Math.max(day - begun, end ? first - last : -Infinity);
    moved = moved || state.days !== 0;
    if (!moved) return undefined;
    if (started && !end) return toast("This task is under way: its start stands. Drag its right end instead.");
    aim(first + (end ? 0 : state.days), last + state.days);
    return toast(dayWords(end ? last + state.days : first + state.days));
  }, (next) => {
    state.over = true;
    aim(1, 0);
    if (!started || end || !moved) toast("");
    if (next && state.days && (end || !started)) dropped(key, end ? "end" : "move", state.days);
  }, { within: "months" });
  return state;
}
