// The horizon: rows fetched as one scrolls, runs dragged, a stretch drawn to start one.
import { columnWidth, restoreWidth, widening } from "../drawing/columns.js";
import { fieldPoint, follow } from "../drawing/drag.js";
import { Edges } from "../drawing/edges.js";
import { dates, daysOff, mondays, plumbHeads, plumbLine, weekLines } from "../drawing/head.js";
import { HEAD, ROW, dayWords, isoOf, placed, slotAt, xOf } from "../drawing/scale.js";
import { Pieces, esc } from "../drawing/svg.js";
import { View } from "../drawing/view.js";
import { byId, find, unwatched } from "../dom.js";
import { drawnGroup, drawnRun, joint, knobOf, monthNames, monthsOf, pointedAt } from "./marks.js";
import { Elements, itemsOf, narrow, within } from "./rows.js";
import { openStretch } from "./stretch.js";
import { tell } from "./told.js";
import { drawWait, goWait } from "./wait.js";

/** @typedef {import("./marks.js").Run} Run @typedef {import("./rows.js").Item} Item */

/** @type {Record<string, number>} */
const PX = { week: 4.5, month: 2, quarter: 0.9 };
const BATCH = 60;
/** How far beyond what is drawn runs are fetched, so that they are there when their rows are. */
const BEYOND = 60 * ROW;

class Horizon {
  constructor() {
    this.model = JSON.parse(byId("field-model").textContent);
    this.sheet = byId("sheet");
    /** @type {Map<number, Run>} */
    this.runs = new Map(this.model.rows.map((/** @type {Run} */ run) => [run.id, run]));
    /** @type {Set<number>} */
    this.asked = new Set();
    this.view = new View();
    this.bars = new Pieces(byId("bars"));
    /** @type {[number, number][]} */
    this.joined = [];
    this.moved = 0;
    this.selected = "";
    /** The run that another is to wait for, while that is chosen by keys. @type {Run | undefined} */
    this.from = undefined;
    this.drawing = false;
    this.scale = { first: this.model.first, px: PX[this.model.zoom] };
    this.width = this.model.days * this.scale.px;
    this.lay();
    const edges = new Edges(this.sheet);
    edges.seen = () => (narrow() ? null : { scale: this.scale, dates: this.scale.px > 3, plumbs: [], words: [], bars: this.model.packed ? [] : this.beside() });
    this.edges = edges;
    this.view.watch(this.sheet, { resized: () => this.resized(), scrolled: () => this.rows(), tall: () => this.tall });
    this.ground();
    this.rows();
    this.toDay();
    this.links();
  }

  /** Where each row lies. */
  lay() {
    this.wasNarrow = narrow();
    this.items = itemsOf(this.model);
    const last = this.items[this.items.length - 1];
    this.tall = last ? last.y + last.height : ROW;
    byId("rows").style.height = `${this.tall + ROW}px`;
    this.elements = new Elements(byId("rows"), (item) => this.row(item));
    this.bars.update([]);
  }

  resized() {
    if (this.wasNarrow !== narrow()) this.lay();
    this.rows();
  }

  ground() {
    const { model, scale, width } = this;
    const height = this.tall + ROW;
    const closely = scale.px > 3;
    const weeks = closely ? mondays(model.first, model.days) : monthsOf(model.first, model.days);
    const lines = placed([{ kind: "today", x: xOf(scale, model.today + 0.5), text: "today" }], width);
    const head = byId("fhead");
    head.setAttribute("width", width);
    const named = model.off.filter((/** @type {any} */ off) => off[2]);
    head.innerHTML = daysOff(scale, named, 36, 22) + weekLines(scale, weeks, closely ? 34 : 40, HEAD) + (closely ? dates(scale, model.days, []) : monthNames(scale, weeks)) + plumbHeads(lines, width);
    const field = byId("field");
    field.setAttribute("width", width);
    field.setAttribute("height", height);
    const leave = this.items.flatMap((item) => (item.of.leave || []).map((/** @type {[number, number, string]} */ [a, b, label]) => `<rect class="leave" x="${xOf(scale, a)}" y="${item.y + 3}" width="${(b + 1 - a) * scale.px}" height="${item.height - 6}"><title>${esc(label)}</title></rect>`));
    byId("ground").innerHTML = daysOff(scale, named, 0, height) + weekLines(scale, weeks, 0, height) + leave.join("") + lines.map((line) => plumbLine(line, height)).join("");
  }

  /** The runs of the rows in sight, whose bars may lie beside it. */
  beside() {
    const { top, height } = this.view;
    return within(this.items, top, top + height - HEAD).flatMap((item) => {
      const run = item.kind === "run" && item.y >= top ? this.runs.get(item.of) : undefined;
      return run && run.f !== null && run.l !== null ? [{ key: item.id, y: item.y, x: xOf(this.scale, run.f), end: xOf(this.scale, run.l), title: run.n }] : [];
    });
  }

  /** What of one row stands at the left. @param {Item} item */
  row(item) {
    const run = item.kind === "run" ? this.runs.get(item.of) : undefined;
    const chosen = this.selected === item.id ? " sel" : "";
    if (run) return { of: `${run.id}${chosen}`, className: `row${chosen}`, fill: (/** @type {HTMLElement} */ row) => this.fill(row, run) };
    const html = item.kind === "run" ? `<span class="t text-soft">…</span>` : `<span class="t">${esc(item.label || "all")} <span class="n ml-1">${item.count}</span></span>`;
    return {
      of: item.kind === "run" ? null : item,
      className: item.kind === "run" ? "row" : "row ph",
      fill: (/** @type {HTMLElement} */ row) => {
        row.innerHTML = html;
      },
    };
  }

  /** A run's name, keeper and standing, in the elements of the run whose row it was before. @param {HTMLElement} row @param {Run} run */
  fill(row, run) {
    if (row.firstElementChild?.tagName !== "A" || narrow()) row.innerHTML = `<a class="t"></a><span class="w text-soft"></span><span class="s"></span>`;
    const [name, keeper, stands] = /** @type {any} */ (row.children);
    name.href = `${document.body.dataset.root}runs/${run.id}`;
    for (const [part, text, title] of [[name, run.n, run.n], [keeper, run.k, run.k], [stands, run.s, run.w]]) {
      part.textContent = text;
      part.title = title;
    }
    stands.className = `s ${run.c}`;
    if (run.no) stands.append(" ", Object.assign(document.createElement("b"), { className: "late", title: run.no, textContent: "no time" }));
    if (narrow() && run.f !== null && run.l !== null) row.insertAdjacentHTML("beforeend", this.strip(run));
  }

  /** The run alone, as wide as a narrow screen. @param {Run} run */
  strip(run) {
    const first = run.f || 0;
    const days = Math.max((run.l || 0) - first, 1);
    const scale = { first, px: (innerWidth - 24) / days };
    const now = this.model.today + 0.5;
    const line = now > first && now < first + days ? `<path class="today" d="M${xOf(scale, now)} 0V22"/>` : "";
    return `<svg class="strip" width="${innerWidth - 24}" height="22" aria-hidden="true">${drawnRun(scale, run, 22)}${line}</svg>`;
  }

  rows() {
    unwatched(() => this.drawn());
  }

  /** The rows in sight and some screens more, with their bars. */
  drawn() {
    this.view.reach();
    const items = within(this.items, this.view.from, this.view.to);
    this.elements?.update(items);
    this.fetch();
    if (narrow()) return;
    /** @type {import("../drawing/svg.js").Wanted[]} */
    const wanted = [];
    for (const { id, y, kind, of } of items) {
      const run = kind === "run" && this.runs.get(of);
      if (kind === "packed") wanted.push({ id, y, of, html: () => drawnGroup(this.scale, of.runs) });
      else if (run) wanted.push({ id, y, of: run, html: () => drawnRun(this.scale, run) });
    }
    this.bars.update(wanted);
    this.select(this.selected);
    this.join();
    this.edges.soon();
  }

  /** Ask for the rows that are missing: those that are drawn, then those that may be next. */
  async fetch() {
    const { from, to } = this.view;
    const items = [...within(this.items, from, to), ...within(this.items, from - BEYOND, to + BEYOND)];
    const ids = [...new Set(items.filter((item) => item.kind === "run" && !this.runs.has(item.of) && !this.asked.has(item.of)).map((item) => item.of))].slice(0, BATCH);
    if (!ids.length) return;
    for (const id of ids) this.asked.add(id);
    try {
      const answer = await fetch(`${document.body.dataset.root}horizon/rows?ids=${ids.join(",")}`);
      if (!answer.ok) throw new Error(String(answer.status));
      for (const run of await answer.json()) this.runs.set(run.id, run);
    } catch {
      for (const id of ids) this.asked.delete(id);
      byId("toast").textContent = "The rows did not come; scroll on to ask again.";
      return;
    }
    const got = new Set(ids);
    if (within(this.items, this.view.from, this.view.to).some((item) => got.has(item.of))) this.rows();
    else this.fetch();
  }

  /** Which runs wait for which. */
  async links() {
    const ids = [...new Set(this.items.filter((item) => item.kind === "run").map((item) => item.of))];
    if (this.model.packed || !ids.length) return;
    const answer = await fetch(`${document.body.dataset.root}horizon/links?ids=${ids.slice(0, 5000).join(",")}`);
    if (!answer.ok) return;
    this.joined = await answer.json();
    this.join();
  }

  join() {
    const at = new Map(this.items.filter((item) => item.kind === "run" && this.view.has(item.y)).map((item) => [item.of, item.y]));
    byId("links").innerHTML = this.joined
      .map(([source, target]) => {
        const a = this.runs.get(source);
        const b = this.runs.get(target);
        if (!a || !b || a.l === null || b.f === null || !at.has(source) || !at.has(target)) return "";
        return joint(xOf(this.scale, a.l), Number(at.get(source)) + ROW / 2, xOf(this.scale, b.f), Number(at.get(target)) + ROW / 2);
      })
      .join("");
  }

  toDay() {
    this.sheet.scrollLeft = Math.max(0, xOf(this.scale, this.model.today) - (this.sheet.clientWidth - columnWidth()) / 4);
  }

  /** @param {string} id */
  select(id) {
    const item = this.items.find((one) => one.id === id);
    byId("bands").innerHTML = item ? `<rect class="selrow" x="0" y="${item.y}" width="${this.width}" height="${item.height}"/>` : "";
    for (const row of document.querySelectorAll("#rows .row.sel")) row.classList.remove("sel");
    find(`#rows [data-id="${CSS.escape(id || "none")}"]`)?.classList.add("sel");
  }

  /** Choose a row, and have it in sight. @param {Item | undefined} item */
  choose(item) {
    if (!item) return;
    this.putBack();
    this.selected = item.id;
    const { scrollTop, clientHeight } = this.sheet;
    if (item.y < scrollTop) this.sheet.scrollTop = item.y - ROW;
    if (item.y + item.height > scrollTop + clientHeight - HEAD) this.sheet.scrollTop = item.y + item.height - clientHeight + HEAD + ROW;
    this.rows();
  }

  /** The run of the chosen row. */
  get chosen() {
    const item = this.items.find((one) => one.id === this.selected);
    return item && item.kind === "run" ? this.runs.get(item.of) : undefined;
  }

  /** A run moved by so many days, as long as it is held. @param {number} id @param {number} days */
  nudge(id, days) {
    this.moved = days;
    for (const mark of document.querySelectorAll(`#bars [data-run="${id}"]`)) mark.setAttribute("transform", days ? `translate(${days * this.scale.px} 0)` : "");
    const run = this.runs.get(id);
    if (days && run && run.f !== null) tell([`${run.n}: from ${dayWords(run.f + days)}, ${Math.abs(days)} d ${days > 0 ? "later" : "earlier"}`, "Let go, or press Enter, to see what follows."]);
    else tell([]);
  }

  /** What of a run is pointed at. @param {Run} run @param {{ x: number, y: number }} point */
  pointed(run, { x, y }) {
    const [item] = this.model.packed ? [] : within(this.items, y, y);
    return item ? pointedAt(this.scale, run, x, y - item.y, item.height) : { part: undefined, anchor: undefined };
  }

  /** The run that is pointed at has a knob to draw a link from. @param {Element} mark */
  knob(mark) {
    const run = this.model.packed ? undefined : this.runs.get(Number(/** @type {SVGElement} */ (mark).dataset.run));
    if (mark.querySelector(".knob") || !run) return;
    find("#bars .knob")?.remove();
    const made = knobOf(this.scale, run);
    if (made) mark.append(made);
  }

  putBack() {
    if (this.moved && this.chosen) this.nudge(this.chosen.id, 0);
    this.moved = 0;
  }

  /** Go and see what moving a run would do. @param {Run | undefined} run @param {number} days */
  consider(run, days) {
    if (!run || run.f === null || !days) return;
    const form = byId("consider");
    form.elements.run.value = String(run.id);
    form.elements.edits.value = JSON.stringify([{ edit: "shift", to: isoOf(run.f + days) }]);
    form.submit();
  }
}

/** @param {Horizon} page */
function listen(page) {
  let pointed = "";
  const field = byId("field");
  field.addEventListener("pointermove", async (/** @type {any} */ event) => {
    const mark = event.target.closest?.("[data-run]");
    const run = mark && page.runs.get(Number(mark.dataset.run));
    const { part, anchor } = run ? page.pointed(run, fieldPoint(event)) : { part: undefined, anchor: undefined };
    const key = mark ? `${mark.dataset.run} ${part ? part[0] : ""} ${anchor || ""}` : "";
    if (key === pointed || page.moved || page.drawing) return;
    if (mark) page.knob(mark);
    pointed = key;
    if (!mark) return tell([]);
    const at = [event.clientX, event.clientY];
    if (!run) return tell([mark.dataset.told || ""], at[0], at[1]);
    if (anchor) return tell([`${anchor[1]}: ${dayWords(anchor[0])}`, run.n], at[0], at[1]);
    const span = part ? `${dayWords(part[2])} – ${dayWords(part[3])}, ${part[4]} of ${part[5]} over` : `${run.t[0]} of ${run.t[1]} tasks over`;
    tell([`${part ? part[1] : run.n}: ${span}`, run.w || run.s], at[0], at[1]);
    if (!part) return;
    const answer = await fetch(`${document.body.dataset.root}runs/${run.id}/phase?key=${encodeURIComponent(part[0])}`);
    if (answer.ok && pointed === key) tell(await answer.json(), at[0], at[1]);
    return;
  });
  field.addEventListener("pointerleave", () => {
    pointed = "";
    if (!page.moved) tell([]);
  });
  document.addEventListener("pointerdown", (/** @type {any} */ event) => {
    const edge = event.target.closest?.(".edge");
    if (edge) widening(event, edge);
  });
  field.addEventListener("pointerdown", (/** @type {any} */ event) => {
    if (event.button) return;
    const mark = event.target.closest?.("[data-run]");
    const knob = event.target.closest?.("[data-knob]");
    if (!mark) return drawStretch(page, event);
    if (knob) return drawWait(page, event, Number(knob.dataset.knob));
    const id = Number(mark.dataset.run);
    const run = page.runs.get(id);
    const item = page.items.find((one) => one.kind === "run" && one.of === id);
    if (item) page.choose(item);
    const days = (/** @type {number} */ px) => (Math.abs(px) < 4 ? 0 : Math.round(px / page.scale.px));
    follow(event, (_, px) => page.nudge(id, days(px)), (next, px) => {
      const by = next ? days(px) : 0;
      if (by && run && run.c !== "over") return page.consider(run, by);
      page.nudge(id, 0);
      if (next && Math.abs(px) < 4 && page.model.packed) location.assign(`${document.body.dataset.root}runs/${id}`);
      return undefined;
    }, { across: true });
    return undefined;
  });
  byId("rows").addEventListener("click", (/** @type {any} */ event) => {
    const row = event.target.closest(".row");
    if (row && !event.target.closest("a")) page.choose(page.items.find((item) => item.id === row.dataset.id));
  });
  document.addEventListener("keydown", (/** @type {any} */ event) => {
    if (event.target.closest?.("input, select, textarea, dialog") || event.ctrlKey || event.metaKey) return;
    const runs = page.items.filter((item) => item.kind !== "group");
    const at = runs.findIndex((item) => item.id === page.selected);
    if (event.key === "ArrowDown" || event.key === "ArrowUp") page.choose(runs[Math.max(0, at + (event.key === "ArrowDown" ? 1 : -1))]);
    else if (event.key === "F9" && page.chosen && page.chosen.c !== "over") {
      page.from = page.chosen;
      tell([`A run that waits for ${page.from.n}`, "Go to it by the arrows, then Enter; Escape leaves it."]);
    } else if (page.from && event.key === "Enter") goWait(page.from, page.chosen);
    else if (page.from && event.key === "Escape") {
      page.from = undefined;
      tell([]);
    }
    else if (event.altKey && (event.key === "ArrowLeft" || event.key === "ArrowRight") && page.chosen) page.nudge(page.chosen.id, page.moved + (event.key === "ArrowRight" ? 1 : -1) * (event.shiftKey ? 7 : 1));
    else if (event.key === "Enter" && page.chosen && !event.target.closest("a, button")) {
      if (page.moved) page.consider(page.chosen, page.moved);
      else location.assign(`${document.body.dataset.root}runs/${page.chosen.id}`);
    } else if (event.key === "Escape" && page.moved) page.putBack();
    else if (event.key.toLowerCase() === "n" && !event.altKey) openStretch();
    else return;
    event.preventDefault();
  });
}

/** An empty stretch drawn: the days from where it began to where it is let go. @param {Horizon} page @param {PointerEvent} event */
function drawStretch(page, event) {
  const begun = fieldPoint(event);
  const top = Math.floor(begun.y / ROW) * ROW + 4;
  const days = (/** @type {number} */ x) => /** @type {[number, number]} */ ([Math.floor(slotAt(page.scale, Math.min(begun.x, x))), Math.floor(slotAt(page.scale, Math.max(begun.x, x)))]);
  const draw = (/** @type {PointerEvent} */ next) => {
    const { x } = fieldPoint(next);
    if (Math.abs(x - begun.x) < 4) return;
    const [first, last] = days(x);
    byId("bands").innerHTML = `<rect class="ghost" x="${xOf(page.scale, first)}" y="${top}" width="${(last + 1 - first) * page.scale.px}" height="${ROW - 8}"/>`;
    tell([`${dayWords(first)} – ${dayWords(last)}`, "Let go to start a run in these days."], next.clientX, next.clientY);
  };
  follow(event, draw, (next) => {
    const x = next ? fieldPoint(next).x : begun.x;
    tell([]);
    page.select(page.selected);
    if (next && Math.abs(x - begun.x) >= 4) openStretch(...days(x));
  }, { across: true });
}

restoreWidth();
if (byId("field-model")) listen(new Horizon());
document.body.dataset.ready = "yes";
