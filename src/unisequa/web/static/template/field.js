// The field of a template's sheet: bars, links, plumb lines and the head, drawn from slots to pixels.
import { drawn } from "../drawing/bars.js";
import { columnWidth } from "../drawing/columns.js";
import { Edges } from "../drawing/edges.js";
import { dates, daysOff, mondays, plumbHeads, plumbLine, weekLines } from "../drawing/head.js";
import { Links } from "../drawing/links.js";
import { ROW, barOf, placed, wordsReach, xOf } from "../drawing/scale.js";
import { Pieces } from "../drawing/svg.js";
import { View, bands, bringIn } from "../drawing/view.js";
import { all, byId, find } from "../dom.js";
import { Sheet } from "./store.js";
import { anchorOf, countWords, numbers, weeksOf, zeroOf } from "./outline.js";

/** Pixels a slot: a day, or of a job of hours a minute, an hour then being as wide as a day and a half. */
export const PX = () => (Sheet.model.minutes && !Sheet.model.dates ? Sheet.px / 40 : Sheet.px);
export const scale = () => ({ first: Sheet.model.first, px: PX() });
export const X = (day) => xOf(scale(), day);

const view = new View();
let bars = null;
let links = null;
let edges = null;
let heads = [];

// The slots that the field spans: those of the model, and where they are fewer than there is room for, as many as fill it.
const reach = () => (Sheet.model.dates ? Sheet.model.days : Math.max(Sheet.model.days, view.width / PX()));
Sheet.width = () => reach() * PX();
Sheet.height = () => Math.max(Sheet.items.length * ROW, view.height - 58 - 34);

Sheet.watchView = function watchView() {
  bars = new Pieces(byId("bars"));
  links = new Links(byId("links"));
  edges = new Edges(byId("sheet"));
  byId("sheet").addEventListener("scroll", () => Sheet.showFault(), { passive: true });
  addEventListener("beforeprint", () => { Sheet.allRows = true; Sheet.drawRows(); });
  addEventListener("afterprint", () => { Sheet.allRows = false; Sheet.drawRows(); });
  edges.seen = () => ({ scale: scale(), dates: Boolean(Sheet.model.dates), plumbs: verticals().filter((line) => line.kind === "anchor" || line.kind === "deadline"), words: wordsReach(heads), bars: inRows() });
  view.watch(byId("sheet"), {
    resized: () => {
      if (Sheet.dragging) return;
      Sheet.drawField();
      Sheet.showBar(Sheet.cur.id);
    },
    scrolled: () => {
      Alpine.mutateDom(() => Sheet.drawRows());
      Sheet.drawMarks();
    },
    tall: () => Sheet.height(),
  });
};

Sheet.reachView = () => view.reach();
Sheet.inView = (y) => view.has(y);

Sheet.drawField = function drawField() {
  const { model } = Sheet;
  const width = Sheet.width();
  const height = Sheet.height();
  const field = byId("field");
  const fault = byId("fieldfault");
  fault.hidden = !model.fault;
  fault.textContent = model.fault ? `The steps cannot be laid out: ${model.fault}` : "";
  const at = scale();
  const zero = Sheet.zero();
  const weeks = model.dates ? mondays(model.first, reach()) : weeksOf(model, reach(), zero, at.px);
  const lines = placed(verticals(), width);
  heads = lines;
  const off = model.off || [];
  const words = model.dates ? dates(at, model.days, off) : numbers(model, at, reach(), zero);
  replace("fhead", daysOff(at, off, 36, 22) + weekLines(at, weeks, 38, 58) + words + plumbHeads(lines, width));
  byId("fhead").setAttribute("width", width);
  field.setAttribute("width", width);
  field.setAttribute("height", height + 34);
  const phases = Sheet.items.filter((item) => item.type === "phase" || item.type === "lane").map((item) => `<path class="phl" d="M0 ${item.y + 29.5}H${width}"/>`);
  replace("ground", daysOff(at, off, 0, height) + weekLines(at, weeks, 0, height) + phases.join("") + lines.map((line) => plumbLine(line, height)).join(""));
  Sheet.drawMarks();
  Sheet.drawSelection();
};

const shown = new Map();
function replace(id, html) {
  if (shown.get(id) === html) return;
  shown.set(id, html);
  byId(id).innerHTML = html;
}

function verticals() {
  const { model } = Sheet;
  const middle = model.minutes && !model.dates ? 0 : 0.5;
  const zero = Sheet.zero();
  const lines = model.anchors.filter((anchor) => anchor[2] !== null).map(([, label, day]) => ({ kind: "anchor", x: X(day + middle), text: anchorWords(label, day - zero), brief: label }));
  if (model.today) lines.push({ kind: "today", x: X(model.today), text: "Today" });
  if (model.deadline) lines.push({ kind: "deadline", x: X(model.deadline + 1), text: "Deadline" });
  for (const [day, label] of model.labels) lines.push({ kind: "label", x: X(day + middle), text: label, low: !model.dates });
  return lines;
}

// An anchor's name, and without dates how far it stands in the one count that goes across the whole field.
const anchorWords = (label, n) => (Sheet.model.dates || n === 0 ? label : `${label} ${countWords(n, Sheet.model.minutes)}`);

/** The slot that the whole field is counted from. */
Sheet.zero = () => zeroOf(Sheet.model, Sheet.countedFrom);
/** What the count is from, in words. */
Sheet.zeroWords = function zeroWords() {
  const anchor = anchorOf(Sheet.model, Sheet.countedFrom);
  if (Sheet.model.dates) return "";
  return anchor ? `${Sheet.model.minutes ? "Hours" : "Working days"} from ${anchor[1]}` : "No anchor to count from yet";
};

// Count from the anchor that the step at the cursor is measured from; there already, from the first again.
Sheet.countFrom = function countFrom(key) {
  Sheet.countedFrom = Sheet.countedFrom === key ? "" : key;
  Sheet.drawField();
  byId("said").textContent = Sheet.zeroWords();
};

/** A milestone's middle: of the day on which it reads, or at its minute. @param {any} line */
const middleOf = (line) => (line.at === undefined ? X(line.s[0]) : X(line.at + 0.5));

Sheet.drawMarks = function drawMarks() {
  view.reach();
  links.update(joined());
  bars.update(wanted());
  Sheet.light();
  edges.soon();
};

// Where the bars of the rows lie, for the arrows at the edges.
function* inRows() {
  const { top, height } = view;
  for (const item of Sheet.items) {
    if (item.y < top - ROW || item.y > top + height) continue;
    const ends = Sheet.ends(item.id);
    if (ends) yield { key: item.id, y: item.y, x: ends.x, end: ends.end, title: item.line.t };
  }
}

// A bar is of its line, in one scale: where both are the ones it was drawn of, it stays as it is.
let look = { text: "", of: new WeakMap() };
function* wanted() {
  const narrow = Sheet.work().querySelector(".sheet").dataset.narrow === "yes";
  const grips = Sheet.editable();
  const text = [PX(), Sheet.model.first, Sheet.model.dates, Boolean(Sheet.rehearsal), narrow, grips].join();
  if (look.text !== text) look = { text, of: new WeakMap() };
  for (const item of Sheet.items) {
    const line = item.type === "step" ? item.line : item.type === "include" && !item.open ? item.head : null;
    if (!line || !line.s || !view.has(item.y)) continue;
    const parts = line.ch ? partsBelow(item) : 0;
    if (!look.of.has(line) || look.of.get(line).parts !== parts) look.of.set(line, { parts });
    yield { id: item.id, y: item.y, of: look.of.get(line), html: () => drawn(markOf(item, line, narrow, grips)) };
  }
}

// The rows below a parent that are of its parts.
function partsBelow(item) {
  const from = Sheet.at.get(item.id) + 1;
  let to = from;
  while (Sheet.items[to] && Sheet.items[to].type === "step" && (Sheet.items[to].line.lv || 0) > (item.line.lv || 0) && Sheet.items[to].line.in === item.line.in) to += 1;
  return to - from;
}

/** @returns {import("../drawing/bars.js").Mark} */
function markOf(item, line, narrow, grips) {
  const [x, width] = line.ms ? [middleOf(line), 0] : barOf(scale(), line.s);
  const own = grips && item.type === "step" && !line.in;
  const whole = line.ch || item.type === "include";
  return {
    key: item.id, shape: line.ms ? "milestone" : whole ? "span" : "bar", x, width, state: "waiting", late: Boolean(line.dr) && !(whole && !line.ms),
    critical: Boolean(line.cr && Sheet.rehearsal), slackTo: line.to && Sheet.rehearsal ? X(line.to) : null,
    rows: line.ch ? partsBelow(item) : 0, label: narrow ? line.t : "", labelAt: 20, grip: own && !whole, knobs: own,
  };
}

// What was moved by hand is drawn anew the next time.
Sheet.barsStale = (keys) => bars.stale(keys);

Sheet.ends = function ends(key) {
  const item = Sheet.item(key);
  const line = item && item.type === "step" && item.line;
  if (!line || !line.s) return null;
  const [x, width] = line.ms ? [middleOf(line), 0] : barOf(scale(), line.s);
  return { x, end: x + width, y: item.y + 15, ms: line.ms };
};

function* joined() {
  for (const [source, target, type] of Sheet.model.links) {
    const a = Sheet.ends(source);
    const b = Sheet.ends(target);
    if (a && b && view.has(a.y, b.y)) yield { source, target, type, a, b };
  }
}

// The links of the row under the pointer, or of the one the cursor is in, in full ink.
Sheet.light = function light(key = Sheet.cur.id) {
  if (!links) return;
  links.light(key);
  for (const mark of all("#bars .mk.sel")) mark.classList.remove("sel");
  Sheet.markAt(key)?.classList.add("sel");
};
Sheet.markAt = (key) => find(`#bars .mk[data-k="${CSS.escape(key)}"]`);

// The band behind the selected rows, without drawing the field anew.
Sheet.drawSelection = function drawSelection() {
  const chosen = Sheet.items.filter((item) => Sheet.sel.has(item.id) || (item.id === Sheet.cur.id && item.type === "step"));
  byId("bands").innerHTML = bands(chosen.map((item) => item.y), Sheet.width());
};

// The bar of a row brought into sight.
Sheet.showBar = function showBar(key) {
  const line = Sheet.line(key);
  if (line && line.s && !Sheet.dragging) bringIn(byId("sheet"), X(line.s[0]), 36);
};

/** Where the field begins to be seen, and how much of it is. */
export const sight = () => ({ left: byId("sheet").scrollLeft, width: byId("sheet").clientWidth - columnWidth() });
