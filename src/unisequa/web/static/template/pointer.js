// The pointer on a template's sheet: selecting, dragging bars and rows, drawing links.
import { toast } from "../app.js";
import { widening } from "../drawing/columns.js";
import { fieldPoint, follow, nudge } from "../drawing/drag.js";
import { CHARACTER, ROW } from "../drawing/scale.js";
import { esc } from "../drawing/svg.js";
import { all, byId } from "../dom.js";
import { PX, X, sight } from "./field.js";
import { countWords } from "./outline.js";
import { lengthWords } from "./rows.js";
import { Sheet } from "./store.js";

Sheet.dragging = null;

Sheet.pressed = function pressed(event) {
  const at = (selector) => event.target.closest(selector);
  const edge = at(".edge");
  if (edge) return widening(event, edge);
  const column = at(".cgrip");
  if (column) return Sheet.columnPressed(event, column);
  if (event.button !== 0) return undefined;
  const knob = at(".knob");
  if (knob) return linkFrom(event, knob);
  const mark = at("#bars .mk");
  if (mark) return barFrom(event, mark);
  const cell = at("#rows .c");
  if (!cell || at("button, a, input")) return undefined;
  return cellFrom(event, cell);
};

function cellFrom(event, cell) {
  const row = cell.closest(".row");
  const id = row.dataset.k;
  const item = Sheet.item(id);
  if (Sheet.editor) Sheet.commit();
  const now = Sheet.item(Sheet.real(id)) ? Sheet.real(id) : id;
  event.preventDefault();
  if (event.shiftKey) {
    Sheet.from = Sheet.from || Sheet.cur.id;
    return Sheet.go(now, cell.dataset.c, { extend: true });
  }
  if (event.ctrlKey || event.metaKey) {
    if (!Sheet.sel.size && Sheet.item(Sheet.cur.id).type === "step") Sheet.sel.add(Sheet.cur.id);
    if (Sheet.sel.has(now)) Sheet.sel.delete(now);
    else if (item.type === "step") Sheet.sel.add(now);
    Sheet.cur = { id: now, c: cell.dataset.c };
    return Sheet.selected();
  }
  const grabbing = cell.dataset.c === "n" && Sheet.editable() && !Sheet.rehearsal && Sheet.lanes === "phase" && ["step", "phase"].includes(item.type) && !(item.line && item.line.in);
  if (grabbing) return rowsFrom(event, now, item);
  if (item.type === "blank") {
    Sheet.go(now, "t");
    return Sheet.type(now, "t");
  }
  return Sheet.go(now, cell.dataset.c);
}

Sheet.doubled = function doubled(event) {
  const cell = event.target.closest("#rows .c");
  if (cell && !event.target.closest("button, a, input")) Sheet.type(cell.parentElement.dataset.k, cell.dataset.c) || Sheet.openPanel();
  const mark = event.target.closest("#bars .mk");
  if (mark) {
    Sheet.go(mark.dataset.k);
    Sheet.openPanel();
  }
};

const over = () => byId("over");

// A bar's body moves it, with all that is selected; its right end stretches it.
function barFrom(event, mark) {
  const key = mark.dataset.k;
  const line = Sheet.line(key);
  const grip = Boolean(event.target.closest(".grip"));
  if (Sheet.editor) Sheet.commit();
  const many = Sheet.sel.has(key) ? Sheet.ownKeys() : [key];
  if (event.shiftKey || event.ctrlKey || event.metaKey) {
    if (!Sheet.sel.size && Sheet.item(Sheet.cur.id).type === "step") Sheet.sel.add(Sheet.cur.id);
    if (Sheet.sel.has(key)) Sheet.sel.delete(key);
    else Sheet.sel.add(key);
    return Sheet.selected();
  }
  const movable = line && !line.in && Sheet.editable();
  const start = fieldPoint(event);
  const marks = many.map(Sheet.markAt).filter(Boolean);
  const bar = mark.querySelector(".bar");
  const stood = { x: Number(bar?.getAttribute("x")), width: Number(bar?.getAttribute("width")) };
  const grain = grainOf();
  Sheet.dragging = { key, slots: 0 };
  const moved = (next) => {
    if (!movable) return;
    let slots = Math.round((fieldPoint(next).x - start.x) / PX() / grain) * grain;
    if (grip) slots = Math.max(slots, 1 - Math.round(line.s[1] - line.s[0]));
    if (slots === Sheet.dragging.slots) return;
    Sheet.dragging.slots = slots;
    nudge(grip ? [mark] : marks, grip, slots * PX(), stood);
    tell(line, key, grip, slots, many.length);
  };
  const dropped = (next) => {
    const { slots } = Sheet.dragging;
    Sheet.dragging = null;
    over().replaceChildren();
    Sheet.barsStale(many);
    if (!next || !slots) {
      Sheet.drawField();
      if (next) Sheet.go(key, Sheet.cur.c, { keep: Sheet.sel.has(key) && many.length > 1 });
      return;
    }
    Sheet.cur.id = key;
    const wanted = grip ? { op: "stretch", key, slots } : { op: "drag", keys: many, slots };
    const local = (model) => {
      const touched = new Set(grip ? [key] : many);
      Sheet.changeLines(model, (one) => touched.has(one.k) && one.s && { s: [one.s[0] + (grip ? 0 : slots), one.s[1] + slots] });
    };
    Sheet.edit(wanted, { local });
    Sheet.selected();
  };
  follow(event, moved, dropped, { across: true });
  return undefined;
}

// What a bar would be, beside it while it is dragged: its offset, or its duration.
function tell(line, key, grip, slots, many) {
  const item = Sheet.item(key);
  const words = grip ? lengthWords(line.s[1] - line.s[0] + slots) : `${offsetWords(line, slots)}${many > 1 ? `, ${many} steps` : ""}`;
  over().innerHTML = told(words, X(line.s[1] + slots) + 14, X(line.s[0] + (grip ? 0 : slots)) - 14, item.y + 19.5);
}

// Words beside the pointer: to the right of what they are about, or to its left where there is no room.
function told(words, right, left, y, more = "") {
  const { left: from, width } = sight();
  const fits = right + words.length * CHARACTER < from + width;
  return `<text class="lb told${more}" x="${fits ? right : left}" y="${y}"${fits ? "" : ' text-anchor="end"'}>${esc(words)}</text>`;
}

// Bars of a job of hours go by whole quarters of an hour, finer where there is room for it.
const grainOf = () => (!Sheet.model.minutes ? 1 : PX() >= 2 ? 1 : PX() >= 0.6 ? 5 : 15);

// The offset that the bar would have; and where the field counts from another anchor, its place in that count.
function offsetWords(line, slots) {
  const minutes = Sheet.model.minutes;
  const anchors = Sheet.model.anchors.filter((anchor) => anchor[2] !== null);
  const anchor = anchors.find((one) => one[0] === line.a) || anchors[0];
  const amount = (n) => (minutes ? lengthWords(Math.abs(n)) : `${Math.abs(n)} wd`);
  if (!anchor) return `${slots > 0 ? "+" : "−"}${amount(slots)}`;
  const end = line.ms && line.at !== undefined ? line.at : line.s[1] - (line.ms || minutes ? 0 : 1);
  const at = (line.e || !line.w ? (line.ms && line.at !== undefined ? line.at : line.s[0]) : end) + slots;
  const n = at - anchor[2];
  const edge = line.e || !line.w ? "starts " : "due ";
  const count = anchor[2] === Sheet.zero() ? "" : ` (at ${countWords(at - Sheet.zero(), minutes)})`;
  return `${edge}${n === 0 ? `on ${anchor[1]}` : `${amount(n)} ${n < 0 ? "before" : "after"} ${anchor[1]}`}${count}`;
}

// Rows grabbed by their number; how far to the right they are held says their level.
function rowsFrom(event, id, item) {
  const keys = item.type === "step" ? (Sheet.sel.has(id) ? Sheet.ownKeys() : [id]) : [];
  const start = { x: event.clientX, y: event.clientY };
  let target = null;
  Sheet.dragging = { rows: true };
  const mark = byId("dropline");
  const moved = (next) => {
    if (Math.abs(next.clientY - start.y) < 5 && Math.abs(next.clientX - start.x) < 8 && !target) return;
    document.body.classList.add("grabbing");
    target = item.type === "phase" ? phaseTarget(next, item) : rowTarget(next, item, start);
    mark.hidden = !target;
    if (target) {
      mark.style.top = `${target.y + 57}px`;
      mark.style.left = `${52 + 16 * (target.level || 0)}px`;
    }
  };
  const dropped = (next) => {
    Sheet.dragging = null;
    mark.hidden = true;
    document.body.classList.remove("grabbing");
    if (!next || !target) {
      if (next) {
        Sheet.go(id, "n", { keep: Sheet.sel.has(id) });
        if (item.type === "step") Sheet.openPanel();
        else Sheet.toggle(id);
      }
      return;
    }
    if (item.type === "phase") Sheet.edit({ op: "move-part", part: "phases", key: item.key, after: target.after }).then(Sheet.selected);
    else Sheet.edit({ op: "move", keys, where: target.where }).then(Sheet.selected);
  };
  follow(event, moved, dropped);
}

function rowTarget(event, item, start) {
  const { y } = fieldPoint(event);
  const i = Math.min(Math.max(Math.round(y / ROW), 0), Sheet.items.length) - 1;
  const above = Sheet.items[i];
  const top = (i + 1) * ROW;
  if (!above) return { y: top, where: { phase: "" }, level: 0 };
  if (above.type === "phase") return { y: top, where: { phase: above.key }, level: 0 };
  if (above.type !== "step" || above.line.in) return null;
  const below = Sheet.items[i + 1];
  const least = below && below.type === "step" && !below.line.in ? Math.min(below.line.lv || 0, (above.line.lv || 0) + 1) : 0;
  const wanted = (item.line.lv || 0) + Math.round((event.clientX - start.x) / 24);
  const level = Math.min(Math.max(wanted, least), Math.min((above.line.lv || 0) + 1, 2));
  return { y: top, where: { after: above.id, level }, level };
}

function phaseTarget(event, item) {
  const { y } = fieldPoint(event);
  const heads = Sheet.items.filter((one) => one.type === "phase");
  const before = heads.filter((head) => head.y + 15 < y);
  const last = before[before.length - 1];
  const next = heads[before.length];
  if (last && last.key === item.key) return null;
  return { y: next ? next.y : Sheet.items.length * ROW, after: last ? last.key : null };
}

// A link drawn from the knob at a bar's end to another bar: its left half is that one's start, its right half its end.
function linkFrom(event, knob) {
  const source = knob.closest(".mk").dataset.k;
  const end = knob.dataset.end;
  Sheet.dragging = {};
  byId("field").classList.add("linking");
  let aim = null;
  const moved = (next) => {
    const point = fieldPoint(next);
    aim = aimAt(point, source, end);
    Sheet.drawAim(source, end, aim, point);
  };
  const dropped = (next) => {
    Sheet.dragging = null;
    byId("field").classList.remove("linking");
    Sheet.clearAim();
    if (next && aim) Sheet.joined(source, aim.key, aim.type);
    else Sheet.drawField();
  };
  follow(event, moved, dropped, { across: true });
}

function aimAt(point, source, end) {
  const item = Sheet.items[Math.floor(point.y / ROW)];
  if (!item || item.type !== "step" || !item.line.s || item.id === source) return null;
  const { x, end: right } = Sheet.ends(item.id);
  if (point.x < x - 20 || point.x > right + 20) return null;
  const border = right - x > 40 ? (x + right) / 2 : right + 2; // a narrow bar's end is aimed at from beyond it
  const into = point.x > border ? "F" : "S";
  return { key: item.id, type: end + into };
}

const shortened = (text) => (text.length > 44 ? `${text.slice(0, 43)}…` : text);
const linkWords = (source, target, type) => {
  const [from, to] = [source, target].map((key) => shortened(Sheet.line(key).t));
  return `${to} ${type[1] === "S" ? "starts" : "ends"} after the ${type[0] === "S" ? "start" : "end"} of ${from}`;
};

// The link as it would be, with the circle it would make before it is let go.
Sheet.drawAim = function drawAim(source, end, aim, point) {
  const from = Sheet.ends(source);
  const x = end === "F" ? from.end : from.x;
  for (const mark of all("#bars .aim, #bars .circle, #links .circle")) mark.classList.remove("aim", "circle");
  const to = aim ? Sheet.ends(aim.key) : null;
  const [px, py] = to ? [aim.type[1] === "F" ? to.end : to.x, to.y] : [point.x, point.y];
  const circle = aim ? Sheet.circle(source, aim.key) : null;
  let words = "";
  if (aim) {
    words = circle ? `A circle: ${circle.map((key) => shortened(Sheet.line(key).t)).join(" → ")}` : linkWords(source, aim.key, aim.type);
    const mark = Sheet.markAt(aim.key);
    if (mark) mark.classList.add("aim");
  }
  for (const key of circle || []) {
    const mark = Sheet.markAt(key);
    if (mark) mark.classList.add("circle");
  }
  for (let i = 0; circle && i + 1 < circle.length; i += 1) {
    for (const path of all(`#links [data-l="${CSS.escape(`${circle[i]} ${circle[i + 1]}`)}"]`)) path.classList.add("circle");
  }
  over().innerHTML = `<path class="aimline${circle ? " circle" : ""}" d="M${x} ${from.y}L${px} ${py}"/>${told(words, px + 14, px - 14, py - 10, circle ? " circle" : "")}`;
  byId("said").textContent = words;
};
Sheet.clearAim = function clearAim() {
  over().replaceChildren();
  for (const mark of all("#bars .aim, #bars .circle, #links .circle")) mark.classList.remove("aim", "circle");
};

Sheet.joined = function joined(source, target, type) {
  const circle = Sheet.circle(source, target);
  if (circle) {
    toast(`That would make a circle: ${circle.map((key) => Sheet.line(key).t).join(" → ")}. Nothing was linked.`);
    Sheet.drawField();
    return undefined;
  }
  const local = (model) => model.links.push([source, target, type]);
  return Sheet.edit({ op: "link", source, target, type }, { local }).then(() => {
    toast(linkWords(source, target, type));
  });
};

// The way along the links, through parents and their parts, from the target back to the source.
Sheet.circle = function circle(source, target) {
  const after = new Map();
  const put = (a, b) => after.set(a, [...(after.get(a) || []), b]);
  for (const line of Sheet.model.lines) {
    put(`b ${line.k}`, `e ${line.k}`);
    if (line.pa) {
      put(`b ${line.pa}`, `b ${line.k}`);
      put(`e ${line.k}`, `e ${line.pa}`);
    }
  }
  for (const [a, b] of Sheet.model.links) put(`e ${a}`, `b ${b}`);
  const came = new Map([[`b ${target}`, null]]);
  const queue = [`b ${target}`];
  for (const here of queue) {
    if (here === `e ${source}`) {
      const way = [];
      for (let at = here; at !== null; at = came.get(at)) way.unshift(at.slice(2));
      return [source, ...way.filter((key, i) => key !== way[i - 1])];
    }
    for (const next of after.get(here) || []) {
      if (came.has(next)) continue;
      came.set(next, here);
      queue.push(next);
    }
  }
  return null;
};

// Links by keyboard: F9 on a step, then to the step that is to follow it, and Enter; S and F say which ends.
Sheet.startLink = function startLink() {
  const item = Sheet.item(Sheet.cur.id);
  if (!Sheet.editable() || Sheet.rehearsal || item.type !== "step" || !item.line.s) return toast("Go to a step that has a bar, then press F9 to draw a link from it.");
  Sheet.linking = { source: item.id, type: "FS" };
  byId("field").classList.add("linking");
  said(`Link from ${item.line.t}: go to the step that follows it and press Enter. S or F change the ends, Escape leaves it.`);
  return undefined;
};

const said = (text) => {
  byId("said").textContent = text;
  toast(text);
};

Sheet.linkKey = function linkKey(event) {
  const { source } = Sheet.linking;
  if (["ArrowDown", "ArrowUp", "PageDown", "PageUp", "Home", "End"].includes(event.key) && !event.altKey) {
    const before = Sheet.linking;
    Sheet.linking = null;
    Sheet.keyed(event);
    Sheet.linking = before;
    aimHere();
    return true;
  }
  event.preventDefault();
  const type = Sheet.linking.type;
  if (event.key.toLowerCase() === "s") Sheet.linking.type = type === "FS" ? "SS" : type === "SS" ? "SF" : "FS";
  else if (event.key.toLowerCase() === "f") Sheet.linking.type = type === "FF" ? "FS" : "FF";
  else if (event.key === "Enter" || event.key === "Escape") {
    const target = Sheet.cur.id;
    const item = Sheet.item(target);
    Sheet.linking = null;
    byId("field").classList.remove("linking");
    Sheet.clearAim();
    if (event.key === "Enter" && item.type === "step" && target !== source) Sheet.joined(source, target, type);
    else toast("");
    return true;
  }
  aimHere();
  return true;
};

function aimHere() {
  const { source, type } = Sheet.linking;
  const target = Sheet.ends(Sheet.cur.id);
  if (!target || Sheet.cur.id === source) return Sheet.clearAim();
  Sheet.showBar(Sheet.cur.id);
  Sheet.drawAim(source, type[0], { key: Sheet.cur.id, type }, target);
  return toast("");
}
