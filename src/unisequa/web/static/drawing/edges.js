// What stays in sight while a field is scrolled: its month, and at its edges where bars and plumb lines lie that are not.
import { all, unwatched } from "../dom.js";
import { columnWidth } from "./columns.js";
import { HEAD, ROW, CHARACTER, dateOf, monthWords, xOf } from "./scale.js";
import { bringIn } from "./view.js";

/**
 * @typedef {object} InSight
 * @property {import("./scale.js").Scale} scale
 * @property {boolean} dates  Whether the field is of days, so that a month is named.
 * @property {{ x: number, text: string }[]} plumbs
 * @property {[number, number][]} words  From where to where the head's own words reach.
 * @property {Iterable<{ key: string, y: number, x: number, end: number, title: string }>} bars  Those of rows in sight.
 */

const BUTTON = 18;

/** The first day of the month after that of a day. @param {number} ordinal */
function nextMonth(ordinal) {
  const date = dateOf(ordinal);
  return Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 1) / 86400000 + 719163;
}

/** @param {string} className @param {string} text */
function piece(className, text) {
  const made = Object.assign(document.createElement("button"), { type: "button", className, textContent: text, tabIndex: -1 });
  made.setAttribute("aria-hidden", "true"); // by keyboard a row's bar comes into sight with its row
  return made;
}

/** @param {HTMLElement} parent @param {string} className */
const box = (parent, className) => parent.appendChild(Object.assign(document.createElement("div"), { className }));

/** An arrow in the row of a bar that is out of sight. @typedef {{ element: HTMLButtonElement, key: string, y: number, x: number, end: number, side: string, title: string }} Arrow */

/** The layer over a sheet's field; it lets the pointer through except where an arrow stands. */
export class Edges {
  /** @param {HTMLElement} sheet  Scrolled; its parent is what the layer lies in. */
  constructor(sheet) {
    this.sheet = sheet;
    this.layer = Object.assign(document.createElement("div"), { className: "edges" });
    this.head = box(this.layer, "edgehead");
    /** Where arrows lie as the rows do, moved as one while these are scrolled. */
    this.moved = box(box(this.layer, "edgerows"), "edgemoved");
    sheet.after(this.layer);
    this.waiting = 0;
    this.place = "";
    this.told = "";
    /** @type {Map<string, Arrow>} */
    this.kept = new Map();
    /** @type {() => InSight | null} */
    this.seen = () => null;
    /** Where the sheet stands; measured while it is scrolled, before rows that come make it be laid out anew. */
    this.at = { fresh: false, left: 0, top: 0, height: 0, width: 0, place: "" };
    sheet.addEventListener("scroll", () => { this.measure(); this.soon(); }, { passive: true });
    this.moved.addEventListener("click", (event) => {
      const arrow = this.kept.get(/** @type {HTMLElement} */ (event.target).dataset.edge || "");
      if (arrow) bringIn(sheet, arrow.x, arrow.end - arrow.x);
    });
  }

  measure() {
    const { sheet } = this;
    const width = sheet.clientWidth - columnWidth();
    const place = `left: ${sheet.offsetLeft + columnWidth()}px; top: ${sheet.offsetTop}px; width: ${width}px; height: ${sheet.clientHeight}px`;
    this.at = { fresh: true, left: sheet.scrollLeft, top: sheet.scrollTop, height: sheet.clientHeight, width, place };
  }

  /** Draw it at the next frame. */
  soon() {
    cancelAnimationFrame(this.waiting);
    this.waiting = requestAnimationFrame(() => unwatched(() => this.draw()));
  }

  /** Draw it at once, where all else has just been drawn: the frame then lays out the page once. */
  now() {
    cancelAnimationFrame(this.waiting);
    unwatched(() => this.draw());
  }

  draw() {
    const { sheet, layer } = this;
    if (!this.at.fresh) this.measure();
    this.at.fresh = false;
    const { width, left, top, place } = this.at;
    const seen = width > 120 ? this.seen() : null;
    if (!layer.isConnected) sheet.after(layer); // a page swapped anew leaves it out
    layer.hidden = !seen;
    if (!seen) return;
    if (this.place !== place) layer.style.cssText = place;
    this.place = place;
    this.moved.style.transform = `translateY(${-top}px)`;
    this.arrows(seen.bars, left, width);
    const month = seen.dates ? this.month(seen.scale, left) : "";
    const sides = this.named(seen, left, width);
    const told = [month, ...sides.map((one) => `${one.x} ${one.text}`)].join("\n");
    if (this.told === told) return;
    this.told = told;
    this.head.replaceChildren(...sides.map((one) => this.plumb(one)));
    if (month) this.head.append(Object.assign(document.createElement("span"), { className: "stuckmonth", textContent: month }));
  }

  /** The month at the left edge, while its own name is not there. @param {import("./scale.js").Scale} scale @param {number} left */
  month(scale, left) {
    const day = Math.floor(scale.first + Math.max(left, 0) / scale.px);
    const text = monthWords(day);
    const said = all("#fhead .mon").map((one) => Number(one.getAttribute("x"))).find((x) => x >= left); // a month of many weeks is named more than once
    const room = Math.min(xOf(scale, nextMonth(day)), said === undefined ? Infinity : said) - left;
    return room < text.length * CHARACTER + 16 ? "" : text;
  }

  /**
   * The nearest plumb line out of sight on either side, by name; where that would cover a word of the head, an arrow.
   * @param {InSight} seen @param {number} left @param {number} width
   */
  named({ plumbs, words }, left, width) {
    const before = plumbs.filter((line) => line.x < left).sort((a, b) => b.x - a.x);
    const behind = plumbs.filter((line) => line.x > left + width).sort((a, b) => a.x - b.x);
    /** @type {[typeof plumbs, string][]} */
    const sides = [[before, "left"], [behind, "right"]];
    return sides.filter(([lines]) => lines.length).map(([lines, side]) => {
      const [{ text }] = lines;
      const more = lines.length - 1;
      const title = more ? `${text} and ${more} more` : text;
      const fits = (/** @type {string} */ said) => {
        const length = (said.length + 2) * CHARACTER + 12;
        const [from, to] = side === "left" ? [left, left + length] : [left + width - length, left + width];
        return length <= width / 2 && !words.some(([a, b]) => a < to && b > from && b > left && a < left + width);
      };
      const name = [title, more ? `${text} +${more}` : text].find(fits) || "";
      return { side, x: lines[0].x, title, text: side === "left" ? `‹ ${name}` : `${name} ›` };
    });
  }

  /** @param {{ side: string, x: number, text: string, title: string }} one */
  plumb({ side, x, text, title }) {
    const made = Object.assign(piece("stuckplumb", text.trim()), { title });
    made.style.setProperty(side, "0");
    made.addEventListener("click", () => bringIn(this.sheet, x));
    return made;
  }

  /** An arrow in each row whose bar is out of sight; those of rows scrolled away serve the rows that come. @param {InSight["bars"]} bars @param {number} left @param {number} width */
  arrows(bars, left, width) {
    const { top, height } = this.at;
    const wanted = [];
    for (const { key, y, x, end, title } of bars) {
      const at = HEAD + y - top;
      if (at < HEAD - ROW || at > height - ROW) continue;
      const side = end < left + 3 ? "left" : x > left + width - 3 ? "right" : "";
      if (side) wanted.push({ key, y, x, end, title, side });
    }
    const keys = new Set(wanted.map((one) => one.key));
    const spare = [...this.kept.values()].filter((one) => !keys.has(one.key));
    for (const one of spare) this.kept.delete(one.key);
    for (const one of wanted) {
      const kept = this.kept.get(one.key) || spare.pop() || { element: this.moved.appendChild(piece("edgearrow", "")), key: "", y: -1, x: 0, end: 0, side: "", title: "" };
      const { element } = kept;
      if (kept.side !== one.side) {
        element.textContent = one.side === "left" ? "‹" : "›";
        element.classList.toggle("right", one.side === "right");
      }
      if (kept.title !== one.title) element.title = `To the bar of ${one.title}`;
      if (kept.key !== one.key) element.dataset.edge = one.key;
      if (kept.y !== one.y) element.style.top = `${one.y + (ROW - BUTTON) / 2}px`;
      this.kept.set(one.key, Object.assign(kept, one));
    }
    for (const one of spare) one.element.remove();
  }
}
