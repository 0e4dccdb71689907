// The worded columns of a template's sheet: rows and cells, kept element by element so that focus stays.
import { CHARACTER, ROW } from "../drawing/scale.js";
import { byId, find } from "../dom.js";
import { Sheet } from "./store.js";
import { Suggest } from "./suggest.js";
import { gripOf } from "./widths.js";

Sheet.columns = () => (Sheet.rehearsal ? ["n", "t", "r", "w", "da", "sl"] : ["n", "t", "r", "w", "d", "f"]);
const NAMES = { n: "Number", t: "Step", r: "Role", w: "Due", d: "Days", f: "Follows", da: "Dates", sl: "Slack" };
Sheet.nameOf = (/** @type {string} */ c) => (c === "d" && Sheet.model.minutes ? "Lasts" : NAMES[c]);
Sheet.fields = { t: "title", r: "role", w: "when", d: "duration", f: "follows" };
const NARROW = 760;
const shownRows = new Map();
const shownAs = new WeakMap();

const made = (tag, attributes = {}, ...inside) => {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) if (value !== undefined) element.setAttribute(name, value);
  element.append(...inside);
  return element;
};
const icon = (name) => {
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("class", "icon");
  svg.setAttribute("aria-hidden", "true");
  const use = document.createElementNS("http://www.w3.org/2000/svg", "use");
  use.setAttribute("href", `${Sheet.work().dataset.icons}#i-${name}`);
  svg.append(use);
  return svg;
};

// A row that is moved loses the focus, which would end the typing in it: it is given back, the caret where it was.
Sheet.drawRows = function drawRows() {
  const { editor } = Sheet;
  const held = byId("rows").contains(document.activeElement);
  const caret = editor && [editor.input.selectionStart, editor.input.selectionEnd];
  Sheet.drawing = true;
  try {
    placeRows();
  } finally {
    Sheet.drawing = false;
  }
  if (editor && !editor.input.isConnected) {
    Sheet.editor = null;
    Suggest.close();
    if (editor.input.value !== editor.was) Sheet.keep({ what: "The row you were typing into is gone", text: editor.input.value });
  } else if (editor && held && document.activeElement !== editor.input) {
    editor.input.focus({ preventScroll: true });
    editor.input.setSelectionRange(...caret);
  }
  if (held && !byId("rows").contains(document.activeElement)) Sheet.cellOf(Sheet.cur.id, Sheet.cur.c)?.focus({ preventScroll: true });
};

function placeRows() {
  const box = byId("rows");
  const columns = Sheet.columns();
  const windowed = innerWidth > NARROW && !Sheet.allRows;
  Sheet.reachView();
  box.classList.toggle("windowed", windowed);
  box.style.height = windowed ? `${Sheet.items.length * ROW}px` : "";
  if (box.dataset.columns !== columns.join()) {
    box.dataset.columns = columns.join();
    const head = byId("corner");
    const nameOf = (c) => (c === "n" ? "" : Sheet.nameOf(c));
    head.replaceChildren(...columns.map((c) => made("span", { class: `c c-${c}` }, nameOf(c), gripOf(c, nameOf(c)))));
    shownRows.clear();
    box.replaceChildren();
  }
  for (const [id, element] of shownRows) {
    if (Sheet.at.has(id)) continue;
    const real = Sheet.alias.get(id);
    shownRows.delete(id);
    if (real && Sheet.at.has(real) && !shownRows.has(real)) {
      element.dataset.k = real;
      shownRows.set(real, element);
    } else {
      element.remove();
    }
  }
  measureFollows();
  let before = null;
  const faulty = new Set([...Sheet.faults.keys()].map((at) => at.split(" ")[0]));
  const typing = Sheet.editor ? Sheet.editor.id : "";
  for (const [i, item] of Sheet.items.entries()) {
    let element = shownRows.get(item.id);
    if (windowed && !Sheet.inView(item.y) && item.id !== Sheet.cur.id && item.id !== typing) {
      if (element) {
        shownRows.delete(item.id);
        element.remove();
      }
      continue;
    }
    if (!element) {
      element = newRow(item);
      shownRows.set(item.id, element);
    }
    fill(element, item, faulty.has(item.id));
    element.style.top = windowed ? `${item.y}px` : "";
    element.setAttribute("aria-rowindex", i + 1);
    const expected = before ? before.nextSibling : box.firstChild;
    if (expected !== element) box.insertBefore(element, expected);
    before = element;
  }
  box.setAttribute("aria-rowcount", Sheet.items.length);
  Sheet.markCurrent();
}

// The row of the cursor is there to be gone to, however far away it is.
Sheet.ensureRow = function ensureRow() {
  if (!shownRows.has(Sheet.cur.id) && Sheet.at.has(Sheet.cur.id)) Alpine.mutateDom(() => Sheet.drawRows());
};


function newRow(item) {
  const row = made("div", { class: "row", role: "row", "data-k": item.id });
  row.dataset.type = item.type;
  const columns = item.type === "step" ? Sheet.columns() : ["n", "t"];
  for (const c of columns) row.append(made("span", { class: `c c-${c}`, role: "gridcell", "data-c": c, tabindex: "-1" }));
  return row;
}

// What a line says, worked out once for each: an edit puts a new line in place of the old and never changes one.
const texts = new WeakMap();
function textOf(line) {
  if (!texts.has(line)) texts.set(line, JSON.stringify(line));
  return texts.get(line);
}

// A row is only touched where what it shows has changed, or while it is typed into.
function fill(row, item, faulty) {
  const looks = [Sheet.sel.has(item.id), Sheet.sel.size > 0, Sheet.cutKeys.has(item.id), Boolean(Sheet.rehearsal), Sheet.theirs.get(item.id) || ""];
  const faults = faulty ? JSON.stringify([...Sheet.faults].filter(([at]) => at.startsWith(`${item.id} `))) : "";
  const shown = `${item.type === "step" ? `${textOf(item.line)} ${item.line.fs ? followed(item.line) : ""}` : JSON.stringify({ ...item, y: 0 })} ${looks} ${faults}`;
  const typing = Sheet.editor && row.contains(Sheet.editor.input);
  if (item.type === "step") numbered(row, Sheet.numbers.get(item.id) || "");
  if (shownAs.get(row) === shown && !typing) return;
  if (typing) shownAs.delete(row);
  else shownAs.set(row, shown);
  filled(row, item);
}

// A step put in near the top gives hundreds of rows another number, and nothing else of theirs changes.
const shownNumbers = new WeakMap();
function numbered(row, number) {
  if (shownNumbers.get(row) === number) return;
  shownNumbers.set(row, number);
  const cell = row.firstChild;
  if (cell.firstChild) cell.firstChild.data = number;
  else cell.textContent = number;
}
Sheet.rowStale = (row) => shownAs.delete(row);

function filled(row, item) {
  const cells = Object.fromEntries([...row.children].filter((cell) => cell.dataset.c).map((cell) => [cell.dataset.c, cell]));
  row.className = `row ${item.type === "step" ? "steprow" : item.type === "blank" ? "blankrow" : "ph"}`;
  row.classList.toggle("sel", Sheet.sel.has(item.id));
  row.classList.toggle("cut", Sheet.cutKeys.has(item.id));
  row.classList.toggle("theirs", Sheet.theirs.has(item.id));
  if (Sheet.theirs.has(item.id)) row.title = `${Sheet.theirs.get(item.id)} is here`;
  else row.removeAttribute("title");
  if (item.type === "step") return fillStep(row, cells, item.line);
  if (item.type === "blank") {
    put(cells.n, "+");
    put(cells.t, "", item.id === "new" ? newStepWords() : "New step");
    cells.t.dataset.level = item.level || 0;
    return undefined;
  }
  if (item.type === "newphase") return put(cells.t, "", "New phase");
  const refused = Sheet.faults.get(`${item.id} t`);
  cells.t.toggleAttribute("aria-invalid", Boolean(refused));
  if (refused) cells.t.setAttribute("aria-invalid", "true");
  if (item.type === "include") return fillInclude(row, cells, item);
  fold(cells.n, item);
  put(cells.t, refused ? refused.typed : item.label);
  count(cells.t, item.count);
  return undefined;
}

// The row for a new step says into which phase it goes.
export function newStepWords() {
  const { phases } = Sheet.model;
  const into = phases.length ? ` in ${phases[phases.length - 1][1]}` : "";
  return `New step${into}: type its title, then Enter; or paste a list`;
}

function fillStep(row, cells, line) {
  row.classList.toggle("whole-of", Boolean(line.ch));
  row.classList.toggle("locked", Boolean(line.in));
  row.classList.toggle("gone", Boolean(line.gone));
  row.setAttribute("aria-level", (line.lv || 0) + 1);
  if (Sheet.sel.size) row.setAttribute("aria-selected", Sheet.sel.has(line.k));
  else row.removeAttribute("aria-selected");
  for (const c of Object.keys(cells)) {
    if (c === "n") continue;
    const fault = Sheet.faults.get(`${line.k} ${c}`);
    const text = fault ? fault.typed : c === "f" ? followed(line) : c === "r" && Sheet.rehearsal ? line.who || line.r || "" : line[c] || "";
    put(cells[c], c === "d" && line.ch ? "" : text, "");
    cells[c].toggleAttribute("aria-invalid", Boolean(fault));
    if (fault) cells[c].setAttribute("aria-invalid", "true");
  }
  cells.t.dataset.level = line.lv || 0;
  if (cells.f) cells.f.title = line.f || "";
  if (cells.d) cells.d.title = line.d || "";
  if (cells.w) cells.w.title = line.w || "";
  cells.t.title = line.t;
  if (cells.sl) cells.sl.title = line.sl || "";
  cells.sl?.classList.toggle("late", Boolean(line.cr));
  marks(cells.t, line);
}

// What a step follows: by titles where there is room for them, else by the numbers of the rows.
const SAYS = { SS: ["starts with ", ""], FF: ["ends with ", ""], SF: ["ends after ", " starts"] };
function followed(line) {
  const titles = line.f || "";
  if (!line.fs || (followsWidth >= ROOM_FOR_TITLES && titles.length * CHARACTER < followsWidth)) return titles;
  return line.fs.map(([key, type, lag]) => {
    const [before, behind] = SAYS[type] || ["", ""];
    const row = Sheet.numbers.get(key);
    return `${before}${row || key}${behind}${lag}`;
  }).join(", ");
}

const ROOM_FOR_TITLES = 140;
let followsWidth = 0;
let titleWidth = 0;
/** The width of a character of a title. */
const TITLE = 7.4;
const MARKS = { "signed off": "s", waits: "w", "if …": "if", away: "a", rolled: "r", "To do": "t", Meeting: "M", Call: "C", Message: "✉", "Document to sign": "D", "Sign-off": "S" };
// How wide the column is, looked up once a drawing.
function measureFollows() {
  const cell = find("#corner .c-f");
  followsWidth = cell ? cell.clientWidth - 10 : 0;
  const title = find("#corner .c-t");
  titleWidth = title ? title.clientWidth - 10 : 0;
}

export const lengthWords = (n) => (!Sheet.model.minutes || Sheet.model.dates ? `${n} d` : n < 60 ? `${n}m` : `${Math.floor(n / 60)}h${n % 60 ? ` ${n % 60}m` : ""}`);

// What a row tells beside its title, in few words: kind, condition, sign-off.
function marks(cell, line) {
  const words = [];
  if (line.ki) words.push([line.ki, line.ki]);
  if (line.so) words.push(["signed off", `Signed off by ${line.so}`]);
  if (line.wa) words.push(["waits", `Waits for ${line.wa}`]);
  if (line.if) words.push(["if …", `Only if ${line.if}`]);
  if (line.dr) words.push([`${lengthWords(line.dr)} late`, `Its links put it ${lengthWords(line.dr)} behind its offset`]);
  if (line.away) words.push(["away", line.away]);
  if (line.rolled) words.push(["rolled", line.rolled]);
  if (cell.querySelector("input")) return;
  for (const old of cell.querySelectorAll(".tag, .marks")) old.remove();
  if (!words.length) return;
  // Whole where there is room for them behind the title, else as marks whose words come up on hover.
  const whole = (line.t.length + 1) * TITLE + words.reduce((sum, [word]) => sum + word.length * CHARACTER + 8, 0) < titleWidth - 12 * (line.lv || 0);
  const box = whole ? cell : made("span", { class: "marks" });
  if (!whole) cell.append(box);
  for (const [word, title] of words) {
    const mark = whole ? word : MARKS[word] || word.replace(/[^\d]*/g, "").concat("d").slice(0, 4);
    box.append(made("span", { class: `tag${/late|away/.test(word) ? " late" : ""}${whole ? "" : " mark"}`, title: whole ? title : `${word}: ${title}`, "aria-label": title }, mark));
  }
}

function fillInclude(row, cells, item) {
  const { head } = item;
  fold(cells.n, item);
  put(cells.t, head.label);
  count(cells.t, head.count);
  row.classList.add("include");
  cells.t.append(made("span", { class: head.fault ? "tag late" : "tag" }, head.fault || "included, changed there"));
  if (head.newer) cells.t.append(made("span", { class: "tag", title: "This edition keeps the one it was released with; its next draft takes the newest" }, "a newer edition is out"));
  if (head.id) cells.t.append(made("a", { class: "link ml-2 font-normal", href: `${document.body.dataset.root}templates/${head.id}`, tabindex: "-1" }, "Open it"));
}

function fold(cell, item) {
  const word = item.open ? "chevron-down" : "chevron-right";
  if (cell.dataset.fold === word) return;
  cell.dataset.fold = word;
  cell.replaceChildren(made("button", { type: "button", class: "ib", tabindex: "-1", "data-fold": item.id, "aria-label": `${item.open ? "Fold" : "Unfold"} ${item.label || item.head.label}` }, icon(word)));
}

function count(cell, n) {
  cell.append(made("span", { class: "n ml-1" }, String(n)));
}

function put(cell, text, placeholder = "") {
  if (cell.querySelector("input")) return;
  const shown = text || placeholder;
  if (cell.dataset.text !== shown || cell.childElementCount) {
    cell.dataset.text = shown;
    if (cell.childNodes.length === 1 && cell.firstChild.nodeType === Node.TEXT_NODE) cell.firstChild.data = shown;
    else cell.textContent = shown;
  }
  cell.classList.toggle("hintcell", !text && Boolean(placeholder));
}

Sheet.rowOf = (id) => shownRows.get(id);
Sheet.cellOf = (id, c) => {
  const row = shownRows.get(id);
  return row && (row.querySelector(`[data-c="${c}"]`) || row.querySelector('[data-c="t"]'));
};

// The one cell that can be tabbed to, and the rows that are selected.
Sheet.markCurrent = function markCurrent() {
  const old = find("#rows .cur");
  const cell = Sheet.cellOf(Sheet.cur.id, Sheet.cur.c);
  if (old && old !== cell) {
    old.classList.remove("cur");
    old.tabIndex = -1;
  }
  if (!cell) return;
  cell.classList.add("cur");
  cell.tabIndex = 0;
  Sheet.lastAt = Sheet.at.get(Sheet.cur.id);
  Sheet.showFault();
};
