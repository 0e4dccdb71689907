// Bars of a run by pointer: its body moves a task, its right end stretches it. Dates are the server's: this only moves
// pixels by whole days, or by five minutes, and says when a bar was let go.
import { toast } from "../app.js";
import { all } from "../dom.js";
import { fieldPoint, follow, nudge } from "../drawing/drag.js";
import { dayWords, isoOf, slotAt, timeOf } from "../drawing/scale.js";
import { element as made } from "../drawing/svg.js";

/** By how much a bar of hours is moved: five minutes, as a part of a day. */
const FIVE = 5 / 1440;

/** So many days, whole or to five minutes. @param {number} days @param {boolean} hours */
const stepped = (days, hours) => (hours ? Math.round(days / FIVE) * FIVE : Math.round(days));

/**
 * The day that a mark would land on, moved or stretched by so many days.
 * @param {{ s: [number, number], ms?: boolean }} mark @param {boolean} grip @param {number} days
 */
export const landing = (mark, grip, days) => Math.floor(grip ? mark.s[1] - 1 : mark.s[0]) + days;

/**
 * The time that a mark of hours would land on, on the five minutes; as a place within days.
 * @param {{ s: [number, number] }} mark @param {boolean} grip @param {number} days
 */
export const landingAt = (mark, grip, days) => Math.round((mark.s[grip ? 1 : 0] + days) / FIVE) * FIVE;

/**
 * Take hold of an anchor by its plumb line.
 * @param {PointerEvent} event @param {import("../drawing/field.js").RunField} field
 * @param {(key: string, day: string) => Promise<void>} dropped
 */
export function plumbed(event, field, dropped) {
  const grip = /** @type {HTMLElement | null} */ (/** @type {Element} */ (event.target).closest("[data-anchor]"));
  const plumb = grip && field.model && field.model.plumbs.find(([kind, , , key]) => kind === "anchor" && key === grip.dataset.anchor);
  if (!grip || !plumb || event.button !== 0) return null;
  const hours = Boolean(field.model && field.model.hours);
  const lines = all(`[data-anchor="${CSS.escape(grip.dataset.anchor || "")}"]`).map((one) => /** @type {Element} */ (one.parentElement)); // in the head and in the field
  const state = { key: plumb[3], days: 0 };
  const at = () => (hours ? Math.round((plumb[1] + state.days) / FIVE) * FIVE : Math.floor(plumb[1]) + state.days);
  for (const line of lines) line.classList.add("held");
  follow(event, (_, by) => {
    state.days = stepped(by / field.px, hours);
    for (const line of lines) line.setAttribute("transform", `translate(${state.days * field.px} 0)`);
    toast(hours ? timeOf(at()).slice(11) : dayWords(at()));
  }, (next) => {
    state.over = true;
    for (const line of lines) {
      line.classList.remove("held");
      line.removeAttribute("transform");
    }
    toast("");
    if (next && state.days) dropped(plumb[3] || "", hours ? timeOf(at()) : isoOf(at()));
  }, { across: true, along: false });
  return state;
}

/**
 * How many days are worked between one and another, negative where that is earlier.
 * @param {import("../drawing/field.js").Model} model @param {number} from @param {number} days
 */
function worked(model, from, days) {
  const off = new Set(model.off.flatMap(([first, count]) => Array.from({ length: count }, (_, n) => first + n)));
  const between = Array.from({ length: Math.abs(days) }, (_, n) => Math.min(from, from + days) + n);
  return Math.sign(days) * between.filter((day) => !off.has(day)).length;
}

/** @param {number} days */
const workedWords = (days) => `${Math.abs(days)} working day${Math.abs(days) === 1 ? "" : "s"} ${days < 0 ? "earlier" : "later"}`;

/**
 * Take hold of the whole run by its span in the head; it is moved by working days.
 * @param {PointerEvent} event @param {import("../drawing/field.js").RunField} field
 * @param {(by: string) => Promise<void>} dropped
 */
export function spanned(event, field, dropped) {
  const span = /** @type {Element | null} */ (/** @type {Element} */ (event.target).closest("[data-span]"));
  const { model } = field;
  if (!span || !model || event.button !== 0) return null;
  const head = /** @type {Element} */ (span.closest("svg")).getBoundingClientRect();
  const from = Math.floor(slotAt(field.scale, event.clientX - head.left));
  const state = { key: "", days: 0 };
  span.classList.add("held");
  follow(event, (_, by) => {
    const days = Math.round(by / field.px);
    state.days = worked(model, from, days);
    span.setAttribute("transform", `translate(${days * field.px} 0)`);
    toast(`The whole run ${workedWords(state.days)}`);
  }, (next) => {
    state.over = true;
    span.classList.remove("held");
    span.removeAttribute("transform");
    toast("");
    if (next && state.days) dropped(`${state.days > 0 ? "+" : ""}${state.days}`);
  }, { across: true, along: false });
  return state;
}

/** So many minutes, or working days, later or earlier, as it is typed. @param {number} count @param {boolean} hours */
const typed = (count, hours) => `${hours ? "" : "wd"}${count < 0 ? "-" : "+"}${Math.abs(count)}${hours ? "m" : ""}`;

/**
 * Take hold of a bar; with one of several that are chosen, of all of these.
 * @param {PointerEvent} event @param {import("../drawing/field.js").RunField} field
 * @param {{ movable: boolean, together: (key: string) => string[], clicked: (key: string) => void, dropped: (key: string, kind: string, day: string, by?: string) => Promise<void> }} page
 */
export function grabbed(event, field, { movable, together, clicked, dropped }) {
  const target = /** @type {Element} */ (event.target);
  const element = target.closest("#bars .mk");
  const grip = Boolean(target.closest(".grip"));
  if (!element || event.button !== 0 || (!grip && !target.closest(".hit"))) return null;
  const key = /** @type {SVGElement} */ (element).dataset.k;
  const mark = field.marks.get(key);
  const hours = Boolean(field.model && field.model.hours);
  const started = !grip && ["under-way", "in-review"].includes(mark.st);
  const fixed = !movable || ["done", "dropped"].includes(mark.st);
  const box = element.querySelector(".bar");
  const bar = { x: Number(box?.getAttribute("x")), width: Number(box?.getAttribute("width")) };
  const state = { key, days: 0 };
  const others = grip ? [] : together(key || "").filter((one) => one !== key);
  const held = [element, ...others.map((one) => field.markAt(one)).filter((one) => one !== null)];
  const by = () => (hours || !field.model ? Math.round(state.days * 1440) : worked(field.model, Math.floor(mark.s[0]), state.days));
  element.classList.add("dragging");
  const moved = (/** @type {PointerEvent} */ _, /** @type {number} */ px) => {
    if (fixed || started) return;
    const wanted = stepped(px / field.px, hours);
    const least = hours ? FIVE : 1;
    const days = grip ? Math.max(wanted, least - (hours ? mark.s[1] - mark.s[0] : Math.round(mark.s[1] - mark.s[0]))) : wanted;
    if (days === state.days) return;
    state.days = days;
    nudge(held, grip, days * field.px, bar);
    const day = hours ? timeOf(landingAt(mark, grip, days)).slice(11) : dayWords(landing(mark, grip, days));
    toast(others.length ? `${others.length + 1} tasks, ${hours ? day : workedWords(by())}` : day);
  };
  const let_go = (/** @type {PointerEvent | null} */ next) => {
    state.over = true;
    element.classList.remove("dragging");
    if (next && state.days && (!others.length || by())) {
      toast("");
      const day = hours ? timeOf(landingAt(mark, grip, state.days)) : isoOf(landing(mark, grip, state.days));
      dropped(key, grip ? "end" : "move", day, others.length ? typed(by(), hours) : "");
      return;
    }
    nudge(held, false, 0, bar);
    if (grip) nudge([element], true, 0, bar);
    field.bars.stale([key]);
    field.drawMarks();
    if (next && started && !fixed && next.clientX !== event.clientX) toast("This task is under way: its start stands. Drag its right end instead.");
    if (next) clicked(key);
  };
  follow(event, moved, let_go, { across: true });
  return state;
}

/**
 * Draw a link from the knob at a bar's end to another bar: its left half is that one's start, its right half its end.
 * @param {PointerEvent} event @param {import("../drawing/field.js").RunField} field
 * @param {(source: string, target: string, type: string) => Promise<void>} dropped
 */
export function linked(event, field, dropped) {
  const knob = /** @type {SVGElement | null} */ (/** @type {Element} */ (event.target).closest(".knob"));
  const mark = knob && /** @type {SVGElement | null} */ (knob.closest(".mk"));
  if (!knob || !mark || event.button !== 0) return null;
  const source = mark.dataset.k || "";
  const from = field.endsOf(source);
  const box = document.getElementById("links");
  if (!from || !box) return null;
  const state = { key: source, days: 0 };
  const line = made("path", { class: "aimline", d: "" });
  box.append(line);
  /** @type {{ key: string, type: string } | null} */
  let aim = null;
  follow(event, (next) => {
    const point = fieldPoint(next);
    aim = aimed(field, point, source, knob.dataset.end || "F");
    for (const one of document.querySelectorAll("#bars .aim")) one.classList.remove("aim");
    const to = aim && field.endsOf(aim.key);
    if (aim) field.markAt(aim.key)?.classList.add("aim");
    const [x, y] = aim && to ? [aim.type[1] === "F" ? to.end : to.x, to.y] : [point.x, point.y];
    line.setAttribute("d", `M${knob.dataset.end === "F" ? from.end : from.x} ${from.y}L${x} ${y}`);
    if (aim) toast(`${aim.type[1] === "S" ? "Starts" : "Ends"} after the ${aim.type[0] === "S" ? "start" : "end"} of it`);
  }, (next) => {
    state.over = true;
    line.remove();
    toast("");
    for (const one of document.querySelectorAll("#bars .aim")) one.classList.remove("aim");
    if (next && aim) dropped(source, aim.key, aim.type);
  }, { across: true });
  return state;
}

/** What a link that is let go there leads to. @param {import("../drawing/field.js").RunField} field @param {{ x: number, y: number }} point @param {string} source @param {string} end */
function aimed(field, point, source, end) {
  const row = Math.floor(point.y / field.row);
  const mark = field.model && field.model.marks.find((one) => one.i === row && !one.py && one.k !== source);
  const ends = mark && field.endsOf(mark.k);
  if (!mark || !ends || point.x < ends.x - 20 || point.x > ends.end + 20) return null;
  const border = ends.end - ends.x > 40 ? (ends.x + ends.end) / 2 : ends.end + 2; // a narrow bar's end is aimed at from beyond it
  return { key: mark.k, type: end + (point.x > border ? "F" : "S") };
}

/**
 * Take hold of an end of a phase's window.
 * @param {PointerEvent} event @param {import("../drawing/field.js").RunField} field
 * @param {(key: string, days: string) => Promise<void>} dropped
 */
export function windowed(event, field, dropped) {
  const grip = /** @type {SVGElement | null} */ (/** @type {Element} */ (event.target).closest(".wgrip"));
  const box = grip && /** @type {SVGElement | null} */ (grip.closest(".window"));
  const found = box && field.model && (field.model.windows || []).find(([key]) => key === box.dataset.window);
  if (!grip || !box || !found || event.button !== 0) return null;
  const late = grip.dataset.end === "1";
  const state = { key: found[0], days: 0 };
  const span = () => {
    const [first, last] = [found[1] + (late ? 0 : state.days), found[2] - 1 + (late ? state.days : 0)];
    return late ? [first, Math.max(first, last)] : [Math.min(first, last), last];
  };
  box.classList.add("held");
  follow(event, (_, by) => {
    state.days = Math.round(by / field.px);
    grip.setAttribute("transform", `translate(${state.days * field.px} 0)`);
    toast(dayWords(span()[late ? 1 : 0]));
  }, (next) => {
    state.over = true;
    box.classList.remove("held");
    grip.removeAttribute("transform");
    toast("");
    if (next && state.days) dropped(found[0], span().map(isoOf).join(" to "));
  }, { across: true, along: false });
  return state;
}
