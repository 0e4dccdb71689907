// The ground of a field and the head above it: days off, weeks, plumb lines, months and days.
import { HEAD, apart, dateOf, dayWords, monthWords, xOf } from "./scale.js";
import { esc } from "./svg.js";

/** @typedef {import("./scale.js").Scale} Scale @typedef {import("./scale.js").Line} Line */
/** @typedef {[number, number, string]} Off  The first day off, how many, and what it is called. */

/** @type {Record<string, [string, string]>} */
const CLASSES = { anchor: ["plumb", "anc"], today: ["today", "tod"], label: ["dlab", "dl"], deadline: ["plumb", "anc"] };

/** Days off as stripes; those without a name are one element. @param {Scale} scale @param {Off[]} off @param {number} y @param {number} height */
export function daysOff(scale, off, y, height) {
  const plain = off.filter(([, , name]) => !name).map(([first, days]) => `M${xOf(scale, first)} ${y}h${days * scale.px}v${height}h${-days * scale.px}z`);
  const named = off.filter(([, , name]) => name).map(([first, days, name]) => `<rect class="named" x="${xOf(scale, first)}" y="${y}" width="${days * scale.px}" height="${height}"><title>${esc(name)}</title></rect>`);
  return (plain.length ? `<path class="off" d="${plain.join("")}"/>` : "") + named.join("");
}

/** Lines where weeks begin. @param {Scale} scale @param {number[]} weeks @param {number} from @param {number} to */
export const weekLines = (scale, weeks, from, to) => (weeks.length ? `<path class="wk" d="${weeks.map((day) => `M${xOf(scale, day)} ${from}V${to}`).join("")}"/>` : "");

/** Where an anchor that may be moved is taken hold of. @param {Line} line @param {number} half  Of its width. @param {number} height */
const gripOf = (line, half, height) => (line.key ? `<rect class="plumbgrip" data-anchor="${esc(line.key)}" x="${line.x - half}" y="0" width="${2 * half}" height="${height}"/>` : "");

/** A plumb line through the field. @param {Line} line @param {number} height */
export function plumbLine(line, height) {
  const foot = line.kind === "anchor" ? `<path class="plumbw" d="M${line.x - 4} ${height - 7}h8l-4 7z"/>` : "";
  const bar = line.kind === "deadline" ? `<path class="plumb" d="M${line.x - 5} 1h10"/>` : "";
  return `<g><path class="${CLASSES[line.kind][0]}" d="M${line.x} 0V${height}"/>${foot}${bar}${gripOf(line, 4, height)}</g>`;
}

/** A plumb line through some rows, with its word at the top. @param {number} x @param {number} from @param {number} to @param {string} text */
export function stem(x, from, to, text) {
  return `<path class="plumb" d="M${x} ${from + 5}V${to - 6}"/><path class="plumbw" d="M${x - 4} ${to - 8}h8l-4 7z"/><text class="anc" x="${x + 6}" y="${from + 19.5}">${esc(text)}</text>`;
}

/** The plumb lines in the head, with their words where there is room. @param {Line[]} lines @param {number} width */
export function plumbHeads(lines, width) {
  let out = "";
  for (const line of lines) {
    const [mark, word] = CLASSES[line.kind];
    const weight = line.kind === "anchor" ? `<path class="plumbw" d="M${line.x - 4} 17h8l-4 6z"/>` : "";
    out += `<g><title>${esc(line.text)}</title><path class="${mark}" d="M${line.x} ${line.low ? HEAD : 17}V${line.low ? 20 : 5}"/>${weight}`;
    if (line.shown) out += `<text class="${word}${line.end ? " end" : ""}" x="${line.x + (line.end ? -6 : 6)}" y="${line.low ? 29 : 13}">${esc(line.said || line.text)}</text>`;
    out += `${gripOf(line, 7, HEAD)}</g>`;
  }
  return `${out}<path class="wk" d="M0 57.5H${width}"/>`;
}

/** The whole run in its head, to be taken hold of. @param {number} from @param {number} to */
export const runSpan = (from, to) => `<g class="runspan" data-span=""><title>The whole run: drag it to move all that is not begun, and its anchors</title><path d="M${from + 1} 31v5M${from + 1} 33.5H${to - 1}M${to - 1} 31v5"/><rect x="${from}" y="29" width="${to - from}" height="9"/></g>`;

/** The Mondays of a field. @param {number} first @param {number} days */
export function mondays(first, days) {
  const found = [];
  for (let day = Math.ceil(first); day < first + days; day += 1) if ((day + 6) % 7 === 0) found.push(day);
  return found;
}

/**
 * Months, and every day; every Monday where days are narrow, hours where they are wide.
 * @param {Scale} scale @param {number} days @param {Off[]} off
 * @param {[number, number]} sight  Between which places: each word takes its time to be laid out.
 */
export function dates(scale, days, off, sight = [-Infinity, Infinity]) {
  const months = [];
  const letters = [];
  /** @type {Record<string, string[]>} */
  const numbers = { "": [], " rest": [] };
  const rests = new Set(off.flatMap(([first, count]) => Array.from({ length: count }, (_, i) => first + i)));
  let out = "";
  for (let day = scale.first; day < scale.first + days; day += 1) {
    const date = dateOf(day);
    const n = date.getUTCDate();
    const monday = date.getUTCDay() === 1;
    if (n === 1 || day === scale.first || (monday && scale.px >= 24)) {
      months.push({ x: xOf(scale, day), off: n !== 1, text: monthWords(day) });
    }
    if (xOf(scale, day + 1) < sight[0] || xOf(scale, day) > sight[1]) continue;
    const rest = rests.has(day) ? " rest" : "";
    if (scale.px >= 200) {
      for (let hour = 0; hour < 24; hour += scale.px >= 900 ? 1 : 2) out += `<text class="dn mid" x="${xOf(scale, day + hour / 24)}" y="55">${scale.px >= 900 ? `${hour}:00` : hour}</text>`;
      for (let hour = 0; hour < 24; hour += scale.px >= 900 ? 6 : 24) out += `<text class="let" x="${xOf(scale, day + hour / 24) + 3}" y="43">${dayWords(day)}</text>`;
    } else if (scale.px >= 22) {
      letters.push({ x: xOf(scale, day + 0.5), letter: "SMTWTFS"[date.getUTCDay()] });
      numbers[rest].push(`<tspan x="${xOf(scale, day + 0.5)}">${n}</tspan>`);
    } else if (monday && (scale.px > 4 || n <= 7)) {
      out += `<text class="dn" x="${xOf(scale, day) + 3}" y="52">${n}</text>`;
    }
  }
  // One element each, every letter and number at its place: sixty words take longer to be laid out.
  if (letters.length) out += `<text class="let mid" x="${letters.map((one) => one.x).join(" ")}" y="43">${letters.map((one) => one.letter).join("")}</text>`;
  for (const [rest, said] of Object.entries(numbers)) if (said.length) out += `<text class="dn mid${rest}" y="55">${said.join("")}</text>`;
  const named = apart(months, 96).filter((tick) => tick.x >= sight[0] && tick.x <= sight[1]);
  return named.map((tick) => `<text class="mon${tick.off ? " rest" : ""}" x="${tick.x + 4}" y="31">${tick.text}</text>`).join("") + out;
}
