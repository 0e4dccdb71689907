// What stays in sight while a field is scrolled: its month, and at its edges where bars and plumb lines lie that are not.
import { columnWidth } from "./columns.js";
import { HEAD, ROW, CHARACTER, dateOf, xOf } from "./scale.js";
import { bringIn } from "./view.js";

/**
 * @typedef {object} InSight
 * @property {import("./scale.js").Scale} scale
 * @property {boolean} dates  Whether the field is of days, so that a month is named.
 * @property {{ x: number, text: string }[]} plumbs
 * @property {Iterable<{ key: string, y: number, x: number, end: number, title: string }>} bars  Those of rows in sight.
 */

const BUTTON = 18;
const MONTH = { month: "long", year: "numeric", timeZone: "UTC" };

/** @param {number} ordinal  A day. @returns {string} */
const monthOf = (ordinal) => dateOf(ordinal).toLocaleDateString("en-GB", /** @type {Intl.DateTimeFormatOptions} */ (MONTH));

/** The first day of the month after that of a day. @param {number} ordinal */
function nextMonth(ordinal) {
  const date = dateOf(ordinal);
  return Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 1) / 86400000 + 719163;
}

/** @param {string} className @param {string} text @param {Record<string, string>} style */
function piece(className, text, style) {
  const made = Object.assign(document.createElement("button"), { type: "button", className, textContent: text, tabIndex: -1 });
  made.setAttribute("aria-hidden", "true"); // by keyboard a row's bar comes into sight with its row
  Object.assign(made.style, style);
  return made;
}

/** The layer over a sheet's field; it lets the pointer through except where an arrow stands. */
export class Edges {
  /** @param {HTMLElement} sheet  Scrolled; its parent is what the layer lies in. */
  constructor(sheet) {
    this.sheet = sheet;
    this.layer = document.createElement("div");
    this.layer.className = "edges";
    sheet.after(this.layer);
    this.waiting = 0;
    /** @type {() => InSight | null} */
    this.seen = () => null;
    sheet.addEventListener("scroll", () => this.soon(), { passive: true });
  }

  /** Draw it at the next frame. */
  soon() {
    cancelAnimationFrame(this.waiting);
    this.waiting = requestAnimationFrame(() => this.draw());
  }

  draw() {
    const { sheet, layer } = this;
    const width = sheet.clientWidth - columnWidth();
    const seen = width > 120 ? this.seen() : null;
    if (!layer.isConnected) sheet.after(layer); // a page swapped anew leaves it out
    layer.hidden = !seen;
    if (!seen) return;
    const left = sheet.scrollLeft;
    Object.assign(layer.style, { left: `${sheet.offsetLeft + columnWidth()}px`, top: `${sheet.offsetTop}px`, width: `${width}px`, height: `${sheet.clientHeight}px` });
    /** @type {HTMLElement[]} */
    const pieces = [...this.named(seen.plumbs, left, width), ...this.arrows(seen.bars, left, width)];
    if (seen.dates) pieces.push(...this.month(seen.scale, left));
    layer.replaceChildren(...pieces);
  }

  /** The month at the left edge, while its own name is not there. @param {import("./scale.js").Scale} scale @param {number} left */
  month(scale, left) {
    const day = Math.floor(scale.first + Math.max(left, 0) / scale.px);
    const text = monthOf(day);
    const room = xOf(scale, nextMonth(day)) - left;
    if (room < text.length * CHARACTER + 16) return [];
    const name = Object.assign(document.createElement("span"), { className: "stuckmonth", textContent: text });
    return [name];
  }

  /** The nearest plumb line out of sight on either side, by name. @param {{ x: number, text: string }[]} plumbs @param {number} left @param {number} width */
  named(plumbs, left, width) {
    const before = plumbs.filter((line) => line.x < left).sort((a, b) => b.x - a.x);
    const behind = plumbs.filter((line) => line.x > left + width).sort((a, b) => a.x - b.x);
    /** @type {[typeof plumbs, string][]} */
    const sides = [[before, "left"], [behind, "right"]];
    return sides.filter(([lines]) => lines.length).map(([lines, side]) => {
      const more = lines.length > 1 ? ` and ${lines.length - 1} more` : "";
      const made = piece("stuckplumb", side === "left" ? `‹ ${lines[0].text}${more}` : `${lines[0].text}${more} ›`, { [side]: "2px", top: "2px" });
      made.addEventListener("click", () => bringIn(this.sheet, lines[0].x));
      return made;
    });
  }

  /** An arrow in each row whose bar is out of sight. @param {InSight["bars"]} bars @param {number} left @param {number} width */
  arrows(bars, left, width) {
    const top = this.sheet.scrollTop;
    const made = [];
    for (const { key, y, x, end, title } of bars) {
      const at = HEAD + y - top;
      if (at < HEAD - 6 || at > this.sheet.clientHeight - ROW) continue;
      const side = end < left + 3 ? "left" : x > left + width - 3 ? "right" : "";
      if (!side) continue;
      const arrow = piece("edgearrow", side === "left" ? "‹" : "›", { [side]: "0", top: `${at + (ROW - BUTTON) / 2}px` });
      arrow.title = `To the bar of ${title}`;
      arrow.dataset.edge = key;
      arrow.addEventListener("click", () => bringIn(this.sheet, x, end - x));
      made.push(arrow);
    }
    return made;
  }
}
