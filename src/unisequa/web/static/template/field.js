// The field of a template's sheet: bars, links, plumb lines and the head, drawn from days to pixels.
const esc = (text) => String(text).replace(/[&<>"]/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[c]);
const ROW = 30;
// Pixels a slot: a day, or of a job of hours a minute, an hour then being as wide as a day and a half.
const PX = () => (Sheet.model.minutes && !Sheet.model.dates ? Sheet.px / 40 : Sheet.px);
const X = (day) => Math.round((day - Sheet.model.first) * PX() * 10) / 10;
const CHARACTER = 6.4;

// The days that the field spans: those of the model, and where they are fewer than there is room for, as many as fill it.
const reach = () => (Sheet.model.dates ? Sheet.model.days : Math.max(Sheet.model.days, view.width / PX()));
Sheet.width = () => reach() * PX();
Sheet.height = () => Math.max(Sheet.items.length * ROW, view.height - 58 - 34);

// What is drawn is kept piece by piece and only touched where it has changed: a key must be answered at once.
const drawn = { bars: new Map(), links: new Map(), ground: "", head: "" };

// The part of the sheet in sight, in pixels, and the part that has its bars and links drawn: some screens more.
const view = { top: 0, height: 800, width: 0, from: 0, to: 0 };
const AHEAD = 40 * ROW;
Sheet.watchView = function watchView() {
  const sheet = document.getElementById("sheet");
  const measure = () => Object.assign(view, { top: sheet.scrollTop, height: sheet.clientHeight, width: Math.max(sheet.clientWidth - columnWidth(), 0) });
  const looked = () => {
    const { height, width } = view;
    measure();
    const resized = view.height !== height || view.width !== width;
    if (resized && !Sheet.dragging) Sheet.drawField();
    else if (view.top - view.from < AHEAD / 2 && view.from > 0) Sheet.drawMarks();
    else if (view.to - view.top - view.height < AHEAD / 2 && view.to < Sheet.height()) Sheet.drawMarks();
  };
  sheet.addEventListener("scroll", looked, { passive: true });
  new ResizeObserver(looked).observe(sheet);
  measure();
};

Sheet.drawField = function drawField() {
  const { model } = Sheet;
  const width = Sheet.width();
  const height = Sheet.height();
  const field = document.getElementById("field");
  const fault = document.getElementById("fieldfault");
  fault.hidden = !model.fault;
  fault.textContent = model.fault ? `The steps cannot be laid out: ${model.fault}` : "";
  const lines = verticals();
  replace("fhead", headOf(lines, width), "head");
  document.getElementById("fhead").setAttribute("width", width);
  field.setAttribute("width", width);
  field.setAttribute("height", height + 34);
  replace("ground", ground(height, width) + lines.map((line) => vertical(line, height)).join(""), "ground");
  Sheet.drawMarks();
  Sheet.drawSelection();
};

Sheet.drawMarks = function drawMarks() {
  Object.assign(view, { from: Math.max(view.top - AHEAD, 0), to: view.top + view.height + AHEAD });
  drawLinks();
  drawBars();
  Sheet.light();
};

function replace(id, html, name) {
  if (drawn[name] === html) return;
  drawn[name] = html;
  document.getElementById(id).innerHTML = html;
}

const svgElement = (name, attributes) => {
  const element = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  return element;
};

function drawBars() {
  const box = document.getElementById("bars");
  const wanted = new Set();
  const { model } = Sheet;
  const narrow = Sheet.work().querySelector(".sheet").dataset.narrow === "yes";
  const look = { narrow, grips: Sheet.editable() };
  const scale = [PX(), model.first, model.dates, narrow, look.grips].join();
  for (const item of Sheet.items) {
    const line = item.type === "step" ? item.line : item.type === "include" && !item.open ? item.head : null;
    if (!line || !line.s || item.y + ROW < view.from || item.y > view.to) continue;
    wanted.add(item.id);
    let piece = drawn.bars.get(item.id);
    if (!piece) {
      piece = { element: svgElement("g", {}), html: "", y: -1 };
      drawn.bars.set(item.id, piece);
      box.append(piece.element);
    }
    if (piece.line !== line || piece.scale !== scale) {
      const html = markOf(item, line, look);
      if (piece.html !== html) piece.element.innerHTML = html;
      Object.assign(piece, { line, scale, html });
    }
    if (piece.y !== item.y) {
      piece.element.setAttribute("transform", `translate(0 ${item.y})`);
      piece.y = item.y;
    }
  }
  for (const [id, piece] of drawn.bars) {
    if (wanted.has(id)) continue;
    piece.element.remove();
    drawn.bars.delete(id);
  }
}

// Bars that were moved by hand are drawn anew the next time.
Sheet.barsStale = function barsStale(keys) {
  for (const key of keys) if (drawn.bars.has(key)) Object.assign(drawn.bars.get(key), { line: null, html: "" });
};

function drawLinks() {
  const box = document.getElementById("links");
  const wanted = new Set();
  let changed = false;
  for (const [source, target, type] of Sheet.model.links) {
    const a = Sheet.ends(source);
    const b = Sheet.ends(target);
    if (!a || !b || Math.max(a.y, b.y) < view.from || Math.min(a.y, b.y) > view.to) continue;
    const name = `${source} ${target} ${type}`;
    wanted.add(name);
    const [path, tip] = type === "FS" ? route(a, b) : around(a, b, type);
    let piece = drawn.links.get(name);
    if (!piece) {
      const keys = `${source} ${target}`;
      piece = { line: svgElement("path", { class: "lk", "data-l": keys }), tip: svgElement("path", { class: "lt", "data-l": keys }), path: "" };
      drawn.links.set(name, piece);
      box.append(piece.line, piece.tip);
      changed = true;
    }
    if (piece.path !== path + tip) {
      piece.line.setAttribute("d", path);
      piece.tip.setAttribute("d", tip);
      piece.path = path + tip;
    }
  }
  for (const [name, piece] of drawn.links) {
    if (wanted.has(name)) continue;
    piece.line.remove();
    piece.tip.remove();
    drawn.links.delete(name);
    changed = true;
  }
  if (!changed && Sheet.linksOf) return;
  Sheet.linksOf = new Map();
  for (const path of box.children) {
    for (const key of path.dataset.l.split(" ")) Sheet.linksOf.set(key, [...(Sheet.linksOf.get(key) || []), path]);
  }
}

function ground(height, width) {
  let out = "";
  for (const [first, days, name] of Sheet.model.off || []) {
    out += `<rect class="${name ? "named" : "off"}" x="${X(first)}" y="0" width="${days * PX()}" height="${height}">${name ? `<title>${esc(name)}</title>` : ""}</rect>`;
  }
  for (const day of weeks()) out += `<path class="wk" d="M${X(day)} 0V${height}"/>`;
  for (const item of Sheet.items) {
    if (item.type === "phase" || item.type === "lane") out += `<path class="phl" d="M0 ${item.y + 29.5}H${width}"/>`;
  }
  return out;
}

// The anchor that a day is counted from: the nearest at or before it, the first before that.
function zeroOf(day) {
  const days = Sheet.model.anchors.map((anchor) => anchor[2]).filter((at) => at !== null).sort((a, b) => a - b);
  if (Sheet.model.minutes) return Sheet.model.anchors.length ? Sheet.model.anchors[0][2] || 0 : 0;
  if (days.includes(day)) return day;
  let zero = days.length ? days[0] : 0;
  for (const at of days) if (at - 5 <= day) zero = at;
  return zero;
}

function weeks() {
  const { model } = Sheet;
  const days = [];
  for (let day = Math.ceil(model.first); day < model.first + reach(); day += 1) {
    if (model.dates ? (day + 6) % 7 === 0 : (day - zeroOf(day)) % (model.minutes ? 60 : 5) === 0) days.push(day);
  }
  return days;
}

function verticals() {
  const { model } = Sheet;
  const found = model.anchors.filter((anchor) => anchor[2] !== null).map(([, label, day]) => ({ kind: "anchor", x: X(day + 0.5), text: label }));
  if (model.today) found.push({ kind: "today", x: X(model.today), text: "Today" });
  if (model.deadline) found.push({ kind: "deadline", x: X(model.deadline + 1), text: "Deadline" });
  for (const [day, label] of model.labels) found.push({ kind: "label", x: X(day + 0.5), text: label, low: !model.dates });
  const taken = { high: [], low: [] };
  for (const line of found) taken[line.low ? "low" : "high"].push([line.x - 5, line.x + 5, line]);
  for (const line of found) {
    const row = taken[line.low ? "low" : "high"];
    const length = line.text.length * CHARACTER + 12;
    for (const [a, b, end] of [[line.x - 4, line.x + length, false], [line.x - length, line.x + 4, true]]) {
      if (a < -6 || b > Sheet.width() + 6 || row.some(([c, d, whose]) => whose !== line && b > c && a < d)) continue;
      row.push([a, b, line]);
      Object.assign(line, { shown: true, end });
      break;
    }
  }
  return found;
}

const CLASSES = { anchor: ["plumb", "anc"], today: ["today", "tod"], label: ["dlab", "dl"], deadline: ["plumb", "anc"] };
function vertical(line, height) {
  const foot = line.kind === "anchor" ? `<path class="plumbw" d="M${line.x - 4} ${height - 7}h8l-4 7z"/>` : "";
  const bar = line.kind === "deadline" ? `<path class="plumb" d="M${line.x - 5} 1h10"/>` : "";
  return `<path class="${CLASSES[line.kind][0]}" d="M${line.x} 0V${height}"/>${foot}${bar}`;
}

function headOf(lines, width) {
  const { model } = Sheet;
  let out = "";
  for (const [first, days, name] of model.off || []) out += `<rect class="${name ? "named" : "off"}" x="${X(first)}" y="36" width="${days * Sheet.px}" height="22">${name ? `<title>${esc(name)}</title>` : ""}</rect>`;
  for (const day of weeks()) out += `<path class="wk" d="M${X(day)} 38v20"/>`;
  out += model.dates ? dates() : numbers();
  for (const line of lines) {
    const y = line.low ? 29 : 13;
    const [mark, word] = CLASSES[line.kind];
    const weight = line.kind === "anchor" ? `<path class="plumbw" d="M${line.x - 4} 17h8l-4 6z"/>` : "";
    out += `<g><title>${esc(line.text)}</title><path class="${mark}" d="M${line.x} ${line.low ? 58 : 17}V${line.low ? 20 : 5}"/>${weight}`;
    if (line.shown) out += `<text class="${word}${line.end ? " end" : ""}" x="${line.x + (line.end ? -6 : 6)}" y="${y}">${esc(line.text)}</text>`;
    out += "</g>";
  }
  return `${out}<path class="wk" d="M0 57.5H${width}"/>`;
}

// Working days counted from the anchors: every fifth, or every one where there is room.
function numbers() {
  let out = "";
  let last = -1e9;
  const hours = Sheet.model.minutes;
  const every = hours ? 60 : Sheet.px >= 22 ? 1 : Sheet.px >= 9 ? 5 : 10;
  for (let day = Math.ceil(Sheet.model.first); day < Sheet.model.first + reach(); day += 1) {
    const n = day - zeroOf(day);
    if (n % every || (n && X(day) - last < 24)) continue;
    last = X(day);
    const shown = hours ? n / 60 : n;
    const text = (n === 0 ? "0" : n > 0 ? `+${shown}` : `−${-shown}`) + (hours ? " h" : "");
    const beside = !hours && Sheet.px < 22; // no wider than its day, a number stands behind the line of its week
    out += `<text class="dn${beside ? "" : " mid"}${n % 5 ? " rest" : ""}" x="${beside ? X(day) + 3 : X(day + 0.5)}" y="51">${text}</text>`;
  }
  return out;
}

const dateOf = (ordinal) => new Date((ordinal - 719163) * 86400000);
function dates() {
  let out = "";
  let last = -1e9;
  for (let day = Sheet.model.first; day < Sheet.model.first + Sheet.model.days; day += 1) {
    const date = dateOf(day);
    const monday = date.getUTCDay() === 1;
    const x = X(day);
    if ((date.getUTCDate() === 1 || day === Sheet.model.first) && x - last > 90) {
      last = x;
      out += `<text class="mon" x="${x + 4}" y="31">${date.toLocaleDateString("en-GB", { month: "long", year: "numeric", timeZone: "UTC" })}</text>`;
    }
    if (Sheet.px >= 200) {
      for (let hour = 0; hour < 24; hour += Sheet.px >= 900 ? 1 : 2) out += `<text class="dn mid" x="${X(day + hour / 24)}" y="55">${hour}</text>`;
      out += `<text class="let" x="${X(day) + 3}" y="43">${"SMTWTFS"[date.getUTCDay()]} ${date.getUTCDate()}</text>`;
    } else if (Sheet.px >= 22) {
      const rest = date.getUTCDay() % 6 === 0 ? " rest" : "";
      out += `<text class="let mid" x="${X(day + 0.5)}" y="43">${"SMTWTFS"[date.getUTCDay()]}</text><text class="dn mid${rest}" x="${X(day + 0.5)}" y="55">${date.getUTCDate()}</text>`;
    } else if (monday) {
      out += `<text class="dn" x="${x + 3}" y="52">${date.getUTCDate()}</text>`;
    }
  }
  return out;
}

const lozenge = (x, y) => `M${x} ${y + 7.5}l4.5 7.5l-4.5 7.5l-4.5 -7.5z`;
function markOf(item, line, look) {
  const y = 0;
  const x = X(line.s[0]);
  const width = Math.max(X(line.s[1]) - x, 4);
  const key = esc(item.id);
  const grips = look.grips && item.type === "step" && !line.in;
  const late = line.dr ? `<path class="lateline" d="M${x + 1} ${y + 27}h${Math.max(width - 2, 6)}"/>` : "";
  const critical = line.cr && Sheet.rehearsal ? `<path class="crit" d="M${x + 1} ${y + 24.5}h${Math.max(width - 2, 4)}"/>` : "";
  const slack = line.to && Sheet.rehearsal ? `<path class="slack" d="M${x + width + 2} ${y + 15}H${X(line.to)}"/>` : "";
  const knobs = grips ? `<circle class="knob" data-end="S" cx="${x - (line.ms ? 14 : 9)}" cy="${y + 15}" r="4"/><circle class="knob" data-end="F" cx="${x + (line.ms ? 14 : width + 9)}" cy="${y + 15}" r="4"/>` : "";
  if (line.ms) {
    const folded = look.narrow ? `<text class="lb" x="${x + 20}" y="${y + 19.5}">${esc(line.t)}</text>` : "";
    return `<g class="mk" data-k="${key}"><path class="ms waiting${critical ? " crit" : ""}" d="${lozenge(x, y)}"/>${late}${folded}<rect class="hit" x="${x - 8}" y="${y + 3}" width="16" height="24"/>${knobs}</g>`;
  }
  if (line.ch || item.type === "include") {
    return `<g class="mk" data-k="${key}"><path class="span" d="M${x + 1} ${y + 19}v-6h${Math.max(width - 2, 3)}v6"/>${slack}<rect class="hit" x="${x}" y="${y + 4}" width="${width}" height="22"/>${knobs}</g>`;
  }
  const grip = grips ? `<rect class="grip" x="${x + width - 4}" y="${y + 6}" width="5" height="18"/>` : "";
  return `<g class="mk" data-k="${key}">${slack}<rect class="bar waiting" x="${x + 1}" y="${y + 8}" width="${Math.max(width - 2, 3)}" height="14"/>${critical}${late}<rect class="hit" x="${x}" y="${y + 4}" width="${width}" height="22"/>${grip}${knobs}</g>`;
}

// Links right-angled with round corners, from the end that binds to the one that is bound.
Sheet.ends = function ends(key) {
  const item = Sheet.item(key);
  const line = item && item.type === "step" && item.line;
  if (!line || !line.s) return null;
  const x = X(line.s[0]);
  return { x, end: line.ms ? x : Math.max(X(line.s[1]), x + 4), y: item.y + 15, ms: line.ms };
};

function route(a, b) {
  const down = b.y >= a.y ? 1 : -1;
  const r = 4;
  const edge = b.y - down * (b.ms ? 8 : 7);
  const into = b.ms ? b.x : b.x + 6;
  if (into >= a.end + r) return [`M${a.end} ${a.y}H${into - r}q${r} 0 ${r} ${down * r}V${edge - down * 3}`, `M${into - 3} ${edge - down * 4}h6l-3 ${down * 4}z`];
  const out = a.end + 6;
  const side = b.x - 8;
  const lane = a.y + down * 15;
  return [
    `M${a.end} ${a.y}H${out - r}q${r} 0 ${r} ${down * r}V${lane - down * r}q0 ${down * r} ${-r} ${down * r}H${side + r}q${-r} 0 ${-r} ${down * r}V${b.y - down * r}q0 ${down * r} ${r} ${down * r}H${b.x - 3}`,
    `M${b.x - 4} ${b.y - 3}v6l4 -3z`,
  ];
}

function around(a, b, type) {
  const x1 = type[0] === "F" ? a.end : a.x;
  const x2 = type[1] === "F" ? b.end : b.x;
  const into = type[1] === "F" ? 1 : -1;
  const down = b.y >= a.y ? 1 : -1;
  const lane = into > 0 ? Math.max(x1, x2) + 9 : Math.min(x1, x2) - 9;
  return [
    `M${x1} ${a.y}H${lane - into * 4}q${into * 4} 0 ${into * 4} ${down * 4}V${b.y - down * 4}q0 ${down * 4} ${-into * 4} ${down * 4}H${x2 + into * 3}`,
    `M${x2 + into * 4} ${b.y - 3}v6l${-into * 4} -3z`,
  ];
}

// The links of the row under the pointer, or of the one the cursor is in, in full ink.
Sheet.light = function light(key = Sheet.cur.id) {
  for (const path of document.querySelectorAll("#links .on")) path.classList.remove("on");
  for (const path of (Sheet.linksOf && Sheet.linksOf.get(key)) || []) path.classList.add("on");
  for (const mark of document.querySelectorAll("#bars .mk.sel")) mark.classList.remove("sel");
  const mark = document.querySelector(`#bars .mk[data-k="${CSS.escape(key)}"]`);
  if (mark) mark.classList.add("sel");
};

// The band behind the selected rows, without drawing the field anew.
Sheet.drawSelection = function drawSelection() {
  const box = document.getElementById("bands");
  const width = Sheet.width();
  const chosen = Sheet.items.filter((item) => Sheet.sel.has(item.id) || (item.id === Sheet.cur.id && item.type === "step"));
  box.replaceChildren(...chosen.map((item) => svgElement("rect", { class: "selrow", x: 0, y: item.y, width, height: 30 })));
};

// The bar of a row brought into sight.
Sheet.showBar = function showBar(key) {
  const sheet = document.getElementById("sheet");
  const line = Sheet.line(key);
  if (!sheet || !line || !line.s || Sheet.dragging) return;
  const x = X(line.s[0]);
  const width = sheet.clientWidth - columnWidth();
  if (width < 60) return;
  if (x < sheet.scrollLeft + 24 || x > sheet.scrollLeft + width - 60) sheet.scrollLeft = Math.max(0, x - width / 3);
};
