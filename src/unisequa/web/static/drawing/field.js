// The field of a sheet of tasks, drawn from what the page says of it: days, not pixels.
import { drawn } from "./bars.js";
import { columnWidth, restoreWidth } from "./columns.js";
import { Edges } from "./edges.js";
import { dates, daysOff, mondays, plumbHeads, plumbLine, runSpan, stem, weekLines } from "./head.js";
import { Links } from "./links.js";
import { CLOSE, HEAD, ROW, barOf, fitting, placed, wordsReach, xOf } from "./scale.js";
import { esc, Pieces, sized } from "./svg.js";
import { View, bands, bringIn } from "./view.js";
import { all, byId, find, unwatched } from "../dom.js";

/** Pixels a day, by the zoom's name. @type {Record<string, number>} */
export const ZOOMS = { day: 24, week: 11, month: 4, hour: 1440, half: 288, whole: 96 };


/**
 * What the page says of a task's bar: its key, its row, where it is in days, how it looks.
 * @typedef {{ k: string, i: number, s: [number, number], st: string, ms?: boolean, t?: string, cr?: boolean, la?: boolean, mv?: boolean, fx?: boolean, bl?: [number, number], g?: boolean, to?: number, gh?: [number, number], py?: boolean, rd?: boolean }} Told
 *
 * (py: pale, a task of another run or, rd, one in the row of those that ride with an anchor.) And of the whole field, whose bars are in hours or in whole days: its first day and how many there are, days off, plumb lines, rows of phases, bars, links, and
 * the minutes laid on days of those there are; stems are plumb lines through some rows only: the day, the first row,
 * the one behind the last, and what they say; span is the whole run's, from its first day to the one behind its last.
 * @typedef {{ stems?: [number, number, number, string][], first: number, days: number, hours?: boolean, compares?: boolean, today: number, off: import("./head.js").Off[], plumbs: [string, number, string, string?, string?][], was?: number[], windows?: [string, number, number, number][], movable?: boolean, span?: [number, number] | null, heads: number[], rows: number, marks: Told[], links: [string, string, string][], load?: [number, number, number][] }} Model
 */

/** The window of a phase, its ends to take hold of. @param {string} key @param {number} x @param {number} to @param {number} y */
const windowOf = (key, x, to, y) => `<g class="window" data-window="${esc(key)}"><path d="M${x + 1} ${y + 22}v-8H${to - 1}v8"/><rect class="wgrip" data-end="0" x="${x - 5}" y="${y + 8}" width="10" height="18"/><rect class="wgrip" data-end="1" x="${to - 5}" y="${y + 8}" width="10" height="18"/></g>`;

export class RunField {
  constructor() {
    this.view = new View();
    this.px = 24;
    /** @type {Model | null} */
    this.model = null;
    /** @type {Map<string, Told>} */
    this.marks = new Map();
    /** @type {Pieces | null} */
    this.bars = null;
    /** @type {Links | null} */
    this.links = null;
    /** @type {Set<string>} */
    this.chained = new Set();
    /** @type {[string, string][]} */
    this.held = [];
    /** @type {HTMLElement | null} */
    this.watched = null;
    /** @type {Edges | null} */
    this.edges = null;
    /** What the head shows: in which element, under its dates and over them, and between which places it has those.
     * @type {{ of: Element | null, under: string, over: string, key: string, sight: [number, number] }} */
    /** @type {[number, number][]} */
    this.words = [];
    this.head = { of: null, under: "", over: "", key: "", sight: [0, 0] };
    this.selected = "";
    /** @type {[number, number] | null} */
    this.reach = null;
    /** @type {number | null} */
    this.kept = null;
  }

  /** Whether the page shows a sheet now, and not the list. */
  get there() {
    return Boolean(byId("field"));
  }

  get scale() {
    return { first: this.model ? this.model.first : 0, px: this.px };
  }

  get width() {
    return (this.model ? this.model.days : 0) * this.px;
  }

  /** How tall a row is. */
  get row() {
    return this.model && this.model.compares ? CLOSE : ROW;
  }

  /** Where a mark, drawn for a row of the usual height, begins in its row. @param {number} i */
  top(i) {
    return i * this.row + (this.row - ROW) / 2;
  }

  get height() {
    return Math.max(this.model ? this.model.rows : 0, 1) * this.row;
  }

  /** Remember the day at the left edge: the answer comes without the field's width, which takes its place along. */
  keep() {
    this.kept = this.there && this.model ? this.model.first + byId("sheet").scrollLeft / this.px : null;
  }

  /** Take what the page says now, and draw it where it stood. @param {string} zoom @param {string} selected */
  take(zoom, selected) {
    if (this.there) unwatched(() => this.taken(zoom, selected));
  }

  /** @param {string} zoom @param {string} selected */
  taken(zoom, selected) {
    restoreWidth(); // an answer comes without it
    /** @type {Model} */
    const model = JSON.parse(byId("field-model").textContent);
    this.model = model;
    this.bars = new Pieces(byId("bars")); // empty before anything is measured
    this.links = new Links(byId("links"));
    this.px = model.compares ? this.compared(ZOOMS[zoom] || 24) : ZOOMS[zoom] || 24;
    this.marks = new Map(model.marks.map((mark) => [mark.k, mark]));
    const sheet = byId("sheet");
    if (this.watched !== sheet) {
      this.watched = sheet;
      const edges = new Edges(sheet);
      edges.seen = () => this.inSight();
      this.edges = edges;
      const across = () => this.dated(sheet.scrollLeft);
      sheet.addEventListener("scroll", across, { passive: true });
      addEventListener("beforeprint", () => this.dated(0, this.width));
      this.view.watch(sheet, { resized: () => { this.drawMarks(); across(); }, scrolled: () => this.drawMarks(), tall: () => this.height });
    } else {
      this.view.measure(sheet);
    }
    this.selected = selected;
    this.draw();
    if (!this.toChanges() && this.kept !== null) sheet.scrollLeft = (this.kept - model.first) * this.px;
    this.kept = null;
  }

  /** What a shift moves at the left edge; whether there is something. */
  toChanges() {
    const first = this.firstChange();
    if (!this.there || first === null) return false;
    byId("sheet").scrollLeft = first;
    return true;
  }

  /** Where what a shift moves begins; null where there is no such thing. */
  firstChange() {
    if (!this.model || !this.model.compares || !this.reach) return null;
    return Math.max(0, xOf(this.scale, this.reach[0]) - 30);
  }

  /** So close that what a shift moves is seen from its old place to its new one. @param {number} wanted */
  compared(wanted) {
    const marks = this.model ? this.model.marks.filter((mark) => mark.gh) : [];
    if (!marks.length) return wanted;
    const first = Math.min(...marks.map((mark) => Math.min(mark.s[0], mark.gh ? mark.gh[0] : mark.s[0])));
    const last = Math.max(...marks.map((mark) => Math.max(mark.s[1], mark.gh ? mark.gh[1] : mark.s[1])));
    this.reach = [first, last];
    const room = Math.max(byId("sheet").clientWidth - columnWidth() - 80, 100);
    return fitting(Object.values(ZOOMS).filter((px) => px <= wanted).sort((a, b) => a - b), last - first, room);
  }

  draw() {
    const { model, scale, width, height } = this;
    if (!model) return;
    const weeks = mondays(model.first, model.days);
    const lines = placed(model.plumbs.map(([kind, day, text, key, brief]) => ({ kind, x: xOf(scale, day), text, brief, key: model.movable ? key : "" })), width);
    const head = byId("fhead");
    sized(head, { width });
    this.head.under = daysOff(scale, model.off, 36, 22) + weekLines(scale, weeks, 34, HEAD);
    this.words = wordsReach(lines);
    this.head.over = (model.span && model.movable ? runSpan(xOf(scale, model.span[0]), xOf(scale, model.span[1])) : "") + plumbHeads(lines, width);
    const first = this.firstChange();
    this.dated(first !== null ? first : this.kept !== null ? (this.kept - model.first) * this.px : byId("sheet").scrollLeft);
    sized(byId("field"), { width, height });
    const phases = model.heads.map((i) => `<path class="phl" d="M0 ${(i + 1) * this.row - 0.5}H${width}"/>`).join("");
    byId("ground").innerHTML = daysOff(scale, model.off, 0, height) + weekLines(scale, weeks, 0, height) + phases + lines.map((line) => plumbLine(line, height)).join("") + (model.was || []).map((day) => `<path class="plumbwas" d="M${xOf(scale, day)} 0V${height}"/>`).join("") + (model.windows || []).map(([key, from, to, row]) => windowOf(key, xOf(scale, from), xOf(scale, to), this.top(row))).join("") + (model.stems || []).map(([day, from, to, text]) => stem(xOf(scale, day), from * this.row, to * this.row, text)).join("");
    this.drawMarks();
    this.select(this.selected);
  }

  /** The head with its dates where they are in sight, and a screen more to either side; most shifts leave it as it is.
   * @param {number} left  How far the field is scrolled. @param {number} [wide] */
  dated(left, wide = this.view.width) {
    const head = byId("fhead");
    if (!head || !this.model) return;
    const { model, scale } = this;
    const { of, under, over, key, sight } = this.head;
    const now = [scale.first, scale.px, model.days, under, over].join(" ");
    const [from, to] = [Math.max(0, Math.min(left, this.width - wide)), Math.min(left + wide, this.width)];
    if (of === head && key === now && head.firstChild && sight[0] <= from && to <= sight[1]) return;
    const more = Math.max(wide, 400);
    /** @type {[number, number]} */
    const reach = [from - more, to + more];
    unwatched(() => { head.innerHTML = under + dates(scale, model.days, model.off, reach) + over; });
    this.head = { of: head, under, over, key: now, sight: reach };
  }

  /** @param {number} [ahead]  How far beyond what is in sight; some screens, if nothing is said. */
  drawMarks(ahead) {
    unwatched(() => this.marked(ahead));
  }

  /** @param {number} [ahead] */
  marked(ahead) {
    if (!this.there || !this.model || !this.bars || !this.links) return;
    this.view.reach(ahead);
    const seen = this.model.marks.filter((mark) => this.view.has(mark.i * this.row));
    this.bars.update(seen.map((mark) => ({ id: mark.k, y: this.top(mark.i), of: mark, html: () => drawn(this.markOf(mark)) })));
    this.links.update(this.joined());
    this.light(this.selected);
    this.edges?.soon();
  }

  /** All that the next frame is to show is in the page. */
  settled() {
    if (this.there) this.edges?.now();
  }

  /** What stays in sight at the edges of the field. @returns {import("./edges.js").InSight | null} */
  inSight() {
    const { model, scale } = this;
    if (!this.there || !model) return null;
    const plumbs = model.plumbs.filter(([kind]) => kind !== "today").map(([, day, text]) => ({ x: xOf(scale, day), text }));
    const { top, height } = this.view;
    const marks = model.marks.filter((mark) => mark.i * this.row > top - ROW && mark.i * this.row < top + height && !mark.rd);
    const bars = marks.map((mark) => {
      const [x, width] = barOf(scale, mark.s);
      return { key: mark.k, y: this.top(mark.i), x, end: x + width, title: mark.t || "this task" };
    });
    return { scale, dates: true, plumbs, words: this.words, bars };
  }

  /** @param {Told} mark @returns {import("./bars.js").Mark} */
  markOf(mark) {
    const { scale } = this;
    const [x, width] = mark.ms ? [xOf(scale, mark.s[0]), 0] : barOf(scale, mark.s);
    /** @type {[number, number] | null} */
    const ghost = mark.gh ? (mark.ms ? [xOf(scale, mark.gh[0]), 0] : barOf(scale, mark.gh)) : null;
    return {
      key: mark.k, shape: mark.ms ? "milestone" : "bar", x, width, state: mark.py ? `${mark.st} beyond` : mark.st, critical: mark.cr, late: mark.la, moved: mark.mv, fixed: mark.fx, base: mark.bl ? [xOf(scale, mark.bl[0]), xOf(scale, mark.bl[1])] : null,
      slackTo: mark.to ? Math.min(xOf(scale, mark.to), this.width) : null, ghost, label: mark.t, labelAt: mark.g ? 20 : 11, fieldEnd: this.width, grip: mark.g && !mark.ms, knobs: mark.g,
    };
  }

  /** @param {string} key @returns {import("./links.js").Ends | null} */
  endsOf(key) {
    const mark = this.marks.get(key);
    if (!mark || mark.rd) return null;
    const [x, width] = mark.ms ? [xOf(this.scale, mark.s[0]), 0] : barOf(this.scale, mark.s);
    return { x, end: x + width, y: mark.i * this.row + this.row / 2, ms: mark.ms };
  }

  *joined() {
    for (const [source, target, type] of this.model ? this.model.links : []) {
      const a = this.endsOf(source);
      const b = this.endsOf(target);
      if (a && b && this.view.has(a.y, b.y)) yield { source, target, type, a, b };
    }
  }

  /** The mark of a task as it stands in the page. @param {string} key */
  markAt(key) {
    return find(`#bars .mk[data-k="${CSS.escape(key)}"]`);
  }

  /** The links of one row in full ink. @param {string} key */
  light(key) {
    if (!this.there || !this.links) return;
    this.links.light(key);
    this.links.chain(this.chained);
    for (const [anchor, first] of this.held) {
      const plumb = this.model ? this.model.plumbs.find((one) => one[0] === "anchor" && one[3] === anchor) : null;
      const ends = this.endsOf(first);
      if (plumb && ends) this.links.hang(xOf(this.scale, plumb[1]), ends);
    }
    for (const mark of all("#bars .mk.sel")) mark.classList.remove("sel");
    if (key) this.markAt(key)?.classList.add("sel");
  }

  /** What drives the selected task, back to its anchors: links by source and target, and which anchor holds what.
   * @param {{ links: [string, string][], anchors: [string, string][] }} drives */
  drive(drives) {
    this.chained = new Set(drives.links.map((pair) => pair.join(" ")));
    this.held = drives.anchors;
    this.light(this.selected);
  }

  /** The band behind the selected row. @param {string} key */
  select(key) {
    this.selected = key;
    if (!this.there || !this.model) return;
    const mark = this.marks.get(key);
    byId("bands").innerHTML = mark ? bands([mark.i * this.row], this.width, this.row) : "";
    this.light(key);
  }

  /** A task's bar brought into sight. @param {string} key */
  show(key) {
    const ends = this.there && key ? this.endsOf(key) : null;
    if (ends) bringIn(byId("sheet"), ends.x, ends.end - ends.x);
  }

  /** The first bar at the left edge. */
  toWork() {
    const sheet = byId("sheet");
    const starts = this.model ? this.model.marks.filter((mark) => !mark.py).map((mark) => mark.s[0]) : [];
    if (sheet && starts.length) sheet.scrollLeft = Math.max(0, xOf(this.scale, Math.min(...starts)) - 40);
  }

  /** Whether the line of today is in sight; in a field of hours that of now. */
  seesNow() {
    const sheet = byId("sheet");
    const now = this.model && this.model.plumbs.find(([kind]) => kind === "today");
    if (!sheet || !now) return false;
    const x = xOf(this.scale, now[1]) - sheet.scrollLeft;
    return x >= 0 && x <= sheet.clientWidth - columnWidth();
  }

  /** Today a quarter of the way in, or the first anchor when there is no today. */
  toDay() {
    const sheet = byId("sheet");
    if (!sheet || !this.model) return;
    const { first, days, hours } = this.model;
    const today = this.model.plumbs.find(([kind, at]) => kind === "today" && (!hours || (at >= first && at <= first + days)));
    const plumb = today || (hours ? undefined : this.model.plumbs[0]);
    if (hours && !plumb) this.toWork();
    if (plumb) sheet.scrollLeft = Math.max(0, xOf(this.scale, plumb[1]) - (sheet.clientWidth - columnWidth()) / 4);
  }
}
