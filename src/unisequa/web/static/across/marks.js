// A run drawn as its phases, with the stroke where its work stands, its deadline and its anchors.
import { ROW, barOf, dateOf, xOf } from "../drawing/scale.js";
import { element, esc } from "../drawing/svg.js";

/** @typedef {import("../drawing/scale.js").Scale} Scale */
/**
 * @typedef {object} Run
 * @property {number} id
 * @property {string} n  Its name.
 * @property {string} k  Its keeper.
 * @property {string} s  Where it stands, in words.
 * @property {string} w  Why.
 * @property {string} c  A class: live, bad, good, prepared, held, over.
 * @property {number | null} f
 * @property {number | null} l  The boundary behind its last day.
 * @property {number | null} d
 * @property {number | null} x  The day on which it is expected to end.
 * @property {number | null} m  The day of its progress mark.
 * @property {[number, number]} t  Tasks over, and all.
 * @property {[string, string, number, number, number, number, number][]} p  Phases: key, label, first and last day, over, tasks, line.
 * @property {[number, string][]} a
 * @property {string} no  What there is no time for.
 */

const HEIGHTS = [11, 9, 7.5];
const GAP = 1;
const NEAR = 3;

/** The phases of a run, or the whole of it where it has none. @param {Run} run @returns {Run["p"]} */
const partsOf = (run) => (run.p.length || run.f === null || run.l === null ? run.p : [["", run.n, run.f, run.l - 1, run.t[0], run.t[1], 0]]);

/** @param {Run} run @param {number} over @param {number} tasks */
function stateOf(run, over, tasks) {
  if (run.c === "over" || (tasks && over === tasks)) return "done";
  if (run.c === "prepared" || run.c === "held" || !over) return "waiting";
  return "under-way";
}

/** How the phases of a run lie below each other. @param {Run["p"]} parts @param {number} tall */
function lanesOf(parts, tall) {
  const lanes = 1 + Math.max(0, ...parts.map((part) => part[6]));
  const height = HEIGHTS[Math.min(lanes, HEIGHTS.length) - 1];
  const top = (tall - lanes * height - (lanes - 1) * GAP) / 2;
  return { height, topOf: (/** @type {number} */ lane) => top + lane * (height + GAP) };
}

/** The phase of a run at a place in its row, and its anchor there. @param {Scale} scale @param {Run} run @param {number} x @param {number} y @param {number} tall */
export function pointedAt(scale, run, x, y, tall = ROW) {
  const { height, topOf } = lanesOf(partsOf(run), tall);
  const part = run.p.find(([, , first, last, , , lane]) => {
    const [from, width] = barOf(scale, [first, last + 1]);
    return x >= from && x <= from + width && y >= topOf(lane) - GAP && y <= topOf(lane) + height;
  });
  const anchor = run.a.find(([day]) => Math.abs(xOf(scale, day + 0.5) - x) < NEAR);
  return { part, anchor };
}

/** A run as few elements: one for all its phases that stand alike. @param {Scale} scale @param {Run} run @param {number} tall */
export function drawnRun(scale, run, tall = ROW) {
  const parts = partsOf(run);
  const { height, topOf } = lanesOf(parts, tall);
  /** @type {Map<string, string>} */
  const paths = new Map();
  const put = (/** @type {string} */ state, /** @type {number} */ x, /** @type {number} */ y, /** @type {number} */ wide) => paths.set(state, `${paths.get(state) || ""}M${x} ${y}h${wide}v${height}h${-wide}z`);
  for (const [, , first, last, over, tasks, lane] of parts) {
    const [x, width] = barOf(scale, [first, last + 1]);
    const state = stateOf(run, over, tasks);
    const wide = Math.max(width - 1, 2);
    put(`bar ${state}`, x, topOf(lane), wide);
    if (state === "under-way") put("begun", x, topOf(lane), Math.max(Math.round((wide * over) / Math.max(tasks, 1)), 1));
  }
  const order = [...paths].sort(([a], [b]) => Number(a === "begun") - Number(b === "begun"));
  const bars = order.map(([state, path]) => `<path class="${state}" d="${path}"/>`);
  const anchors = run.a.length ? `<path class="plumb thin" d="${run.a.map(([day]) => `M${xOf(scale, day + 0.5)} 3V${tall - 3}`).join("")}"/>` : "";
  const end = run.d === null ? "" : `<path class="endline" d="M${xOf(scale, run.d)} 4V${tall - 3}M${xOf(scale, run.d) - 4} 4h8"/>`;
  const mark = run.m === null ? "" : `<path class="markline ${run.c}" d="M${xOf(scale, run.m + 0.5)} 1V${tall - 1}"/>`;
  const later = run.x !== null && run.l !== null && run.c !== "over" && run.x + 1 > run.l ? `<path class="slack" d="M${xOf(scale, run.l) + 2} ${tall / 2}H${xOf(scale, run.x + 1)}"><title>expected end</title></path>` : "";
  const [x, width] = run.f === null || run.l === null ? [0, 0] : barOf(scale, [run.f, run.l]);
  const hit = run.f === null ? "" : `<rect class="hit" x="${x}" y="1" width="${width}" height="${tall - 2}"/>`;
  return `<g class="mk run" data-run="${run.id}">${hit}${bars.join("")}${later}${anchors}${end}${mark}</g>`;
}

/** What a link is drawn from, at the end of the run that is pointed at. @param {Scale} scale @param {Run} run */
export function knobOf(scale, run) {
  if (run.f === null || run.l === null || run.c === "over") return null;
  const [x, width] = barOf(scale, [run.f, run.l]);
  const knob = element("circle", { class: "knob", "data-knob": run.id, cx: x + width + 9, cy: ROW / 2, r: 4 });
  const title = element("title");
  title.textContent = "Drag it to the run that is to wait for this one";
  knob.append(title);
  return knob;
}

/** Runs of a group beneath each other. @param {Scale} scale @param {[number, string, string, number, number, number][]} runs */
export function drawnGroup(scale, runs) {
  return runs
    .map(([id, name, kind, first, end, lane]) => {
      const [x, width] = barOf(scale, [first, end]);
      const state = kind === "over" ? "done" : kind === "prepared" || kind === "held" ? "waiting" : "under-way";
      return `<g class="mk run" data-run="${id}" data-told="${esc(name)}"><rect class="bar ${state}${kind === "bad" ? " bad" : ""}" x="${x}" y="${5 + lane * 12}" width="${Math.max(width - 1, 2)}" height="9"/></g>`;
    })
    .join("");
}

/** A right-angled line from the end of one run to the start of another. @param {number} x @param {number} y @param {number} to @param {number} down */
export function joint(x, y, to, down) {
  const bend = Math.max(x + 6, to - 6);
  return `<path class="lk" d="M${x} ${y}H${bend}V${down}H${to}"/><path class="lka" d="M${to} ${down}l-5 -3v6z"/>`;
}

/** The first days of the months of a field. @param {number} first @param {number} days */
export function monthsOf(first, days) {
  const found = [];
  for (let day = first; day < first + days; day += 1) if (dateOf(day).getUTCDate() === 1) found.push(day);
  return found;
}

const APART = 40;

/** Months by short names, as many as have room, and the years above them. @param {Scale} scale @param {number[]} months */
export function monthNames(scale, months) {
  const every = [1, 3, 6, 12].find((n) => n * 30 * scale.px >= APART) || 12;
  return months
    .map((day) => {
      const date = dateOf(day);
      const month = date.getUTCMonth();
      const x = xOf(scale, day) + 4;
      const year = month === 0 || day === months[0] ? `<text class="mon" x="${x}" y="31">${date.getUTCFullYear()}</text>` : "";
      const name = month % every ? "" : `<text class="dn" x="${x}" y="52">${date.toLocaleDateString("en-GB", { month: "short", timeZone: "UTC" })}</text>`;
      return year + name;
    })
    .join("");
}
