// The sheet of a run: selecting, dragging, typing. Dates are the server's: this only moves pixels
// by whole days and says on which day a bar was let go.
document.addEventListener("alpine:init", () => {
  Alpine.data("sheet", () => ({
    init() {
      const work = this.$root;
      work.addEventListener("click", (event) => clicked(event));
      work.addEventListener("change", (event) => changed(event));
      work.addEventListener("keydown", (event) => pressed(event));
      work.addEventListener("pointerdown", (event) => grabbed(event));
      work.addEventListener("pointerover", (event) => hovered(event));
      restoreWidth();
      light(selectedKey());
      scrollToDay();
      const row = selectedKey() && rowOf(selectedKey());
      if (row) {
        row.scrollIntoView({ block: "nearest" });
        showBar(selectedKey());
      }
    },
  }));
});

const workNow = () => document.getElementById("work");
const shiftForm = () => document.getElementById("shift");
const selectedKey = () => shiftForm().elements.selected.value;
const rowOf = (key) => document.querySelector(`#work .row[data-k="${CSS.escape(key)}"]`);
const markOf = (key) => document.querySelector(`#field .mk[data-k="${CSS.escape(key)}"]`);

// What the browser holds of the shift, with changes; null takes a field away.
function held(changes = {}) {
  const form = shiftForm();
  const values = {};
  for (const input of form.elements) {
    if (input.name) values[input.name] = input.value;
  }
  return { ...values, ...changes };
}

const edits = () => JSON.parse(held().edits);
const path = (rest) => workNow().dataset.run + rest;
let waiting = Promise.resolve();
function work(rest, changes) {
  waiting = waiting.then(() => send(path(rest), held(changes))).then(settled);
  return waiting;
}

function settled() {
  light(selectedKey());
  if (document.getElementById("tray")) showChanges();
}

// The edited row and what follows it stay in sight above the tray, their old and new places with them.
function showChanges() {
  const sheet = document.getElementById("sheet");
  const rows = [...document.querySelectorAll("#work .row.moved")];
  if (!sheet || !rows.length) return;
  const edited = document.querySelector("#work .row.edited") || rows[0];
  const top = edited.offsetTop - 60;
  const room = sheet.clientHeight - HEAD;
  if (edited.offsetTop < sheet.scrollTop || edited.offsetTop > sheet.scrollTop + room - 90) sheet.scrollTop = top;
  showBar(edited.dataset.k);
}

const HEAD = 58;
function showBar(key) {
  const sheet = document.getElementById("sheet");
  const mark = key && markOf(key);
  if (!sheet || !mark) return;
  const box = mark.getBBox();
  const width = sheet.clientWidth - columnWidth();
  if (width < 60) return;
  const left = sheet.scrollLeft;
  if (box.x < left + 24 || box.x + Math.min(box.width, 160) > left + width - 24) {
    sheet.scrollLeft = Math.max(0, box.x - width / 3);
  }
}

function clicked(event) {
  const at = (selector) => event.target.closest(selector);
  const open = at("[data-open]");
  if (open) return select(open.dataset.open);
  if (at("[data-close]")) return select("");
  const zoom = at("[data-zoom]");
  if (zoom) return work("/work", { zoom: zoom.dataset.zoom }).then(scrollToDay);
  const mode = at("[data-mode]");
  if (mode) return work("/work", { mode: mode.dataset.mode });
  if (at("[data-apply]")) return work("/shift", {});
  const back = at("[data-put-back]");
  if (back) {
    const key = back.dataset.putBack;
    const left = edits().filter((edit) => key && edit.task !== key);
    return work("/work", { edits: JSON.stringify(left), ...(key ? {} : { why: "", mode: "push" }) });
  }
  const take = at("[data-take-back]");
  if (take) return work(`/shifts/${take.dataset.takeBack}/take-back`, {});
  const act = at("[data-do]");
  if (act) {
    const where = act.dataset.path || act.closest("[data-act]").dataset.act;
    waiting = waiting.then(() => send(where, held({ act: act.dataset.do, confirmed: act.dataset.confirmed || "" }))).then(settled);
    return waiting;
  }
  const row = at(".row[data-k]");
  if (row) return select(row.dataset.k);
}

function select(key) {
  const panel = document.getElementById("panel");
  shiftForm().elements.selected.value = key;
  for (const row of document.querySelectorAll("#work .row.sel, #work tr.bg-acts")) row.classList.remove("sel", "bg-acts");
  panel.hidden = !key;
  light(key);
  if (!key) {
    panel.replaceChildren();
    return undefined;
  }
  const row = rowOf(key);
  if (row) {
    row.classList.add("sel");
    for (const other of document.querySelectorAll("#work .row[tabindex='0']")) other.tabIndex = -1;
    row.tabIndex = 0;
    row.scrollIntoView({ block: "nearest", inline: "nearest" });
    requestAnimationFrame(() => showBar(key));
  }
  if (edits().length) return work("/work", {});
  waiting = waiting.then(() => htmx.ajax("GET", path(`/tasks/${encodeURIComponent(key)}`), { source: "body", target: "#panel", swap: "innerHTML" }));
  return waiting;
}

// The links of one row in full ink.
function light(key) {
  for (const line of document.querySelectorAll("#field .lk.on, #field .lt.on")) line.classList.remove("on");
  for (const mark of document.querySelectorAll("#field .mk.sel")) mark.classList.remove("sel");
  if (!key) return;
  for (const line of document.querySelectorAll("#field [data-l]")) {
    const [source, target] = line.dataset.l.split(" ");
    if (source === key || target === key) line.classList.add("on");
  }
  const mark = markOf(key);
  if (mark) mark.classList.add("sel");
}

function hovered(event) {
  const over = event.target.closest("[data-k]");
  if (!dragged) light(over ? over.dataset.k : selectedKey());
}

function changed(event) {
  const input = event.target.closest("[data-edit]");
  if (!input) return;
  work("/work", { kind: input.dataset.edit, key: input.dataset.key, value: input.value });
}

// By keyboard: up and down through the rows, Enter opens, Alt with the arrows moves or stretches.
function pressed(event) {
  if (event.key === "Escape") {
    if (dragged) return dropped(null);
    if (selectedKey()) return select("");
  }
  const edge = event.target.closest(".edge");
  if (edge && event.key.startsWith("Arrow")) return widen((event.key === "ArrowRight" ? 16 : -16) + columnWidth());
  const row = event.target.closest(".row[data-k]");
  if (!row) {
    if (event.target.matches("input[data-edit]") && event.key === "Enter") event.target.blur();
    return undefined;
  }
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    const rows = [...document.querySelectorAll("#work .row[data-k]")];
    const next = rows[rows.indexOf(row) + (event.key === "ArrowDown" ? 1 : -1)];
    if (next) {
      row.tabIndex = -1;
      next.tabIndex = 0;
      next.focus();
      light(next.dataset.k);
    }
    event.preventDefault();
  } else if (event.key === "Enter" || event.key === " ") {
    select(row.dataset.k);
    event.preventDefault();
  } else if (event.key === "t") {
    scrollToDay();
  } else if (event.altKey && (event.key === "ArrowLeft" || event.key === "ArrowRight") && movable()) {
    const step = event.key === "ArrowRight" ? 1 : -1;
    const bar = markOf(row.dataset.k);
    if (!bar) return undefined;
    event.preventDefault();
    const kind = event.shiftKey ? "end" : "move";
    const word = `wd${step > 0 ? "+" : "-"}1`;
    return work("/work", { kind, key: row.dataset.k, value: word });
  }
  return undefined;
}

const movable = () => workNow().dataset.movable === "yes";

// Dragging a bar: its body moves it, its right end stretches it.
let dragged = null;
function grabbed(event) {
  const edge = event.target.closest(".edge");
  if (edge) return widening(event, edge);
  const mark = event.target.closest("#field .mk");
  if (!mark || event.button !== 0) return undefined;
  const key = mark.dataset.k;
  const grip = event.target.closest(".grip");
  if (!grip && !event.target.closest(".hit")) return undefined;
  const state = mark.querySelector(".bar, .ms").classList;
  const fixed = !movable() || state.contains("done") || state.contains("dropped");
  const started = !grip && (state.contains("under-way") || state.contains("in-review"));
  event.preventDefault();
  const box = mark.querySelector(".bar") || mark.querySelector(".hit");
  dragged = {
    key, mark, grip: Boolean(grip), x: event.clientX, days: 0, held: fixed || started, why: started && !fixed,
    start: Number(box.getAttribute("x")), width: Number(box.getAttribute("width")),
    milestone: !mark.querySelector(".bar"),
  };
  mark.classList.add("dragging");
  window.addEventListener("pointermove", dragging);
  window.addEventListener("pointerup", dropped, { once: true });
  return undefined;
}

function dragging(event) {
  if (dragged.held) return;
  const px = Number(workNow().dataset.px);
  const days = Math.round((event.clientX - dragged.x) / px);
  if (days === dragged.days) return;
  dragged.days = dragged.grip ? Math.max(days, -Math.round(dragged.width / px) + 1) : days;
  const by = dragged.days * px;
  if (dragged.grip) {
    dragged.mark.querySelector(".bar").setAttribute("width", dragged.width + by);
    dragged.mark.querySelector(".grip").setAttribute("x", dragged.start + dragged.width + by - 4);
  } else {
    dragged.mark.setAttribute("transform", `translate(${by} 0)`);
  }
  toast(dayWords(landing()));
}

// The day a drag would land on: a column of the sheet, counted from its first.
function landing() {
  const data = workNow().dataset;
  const px = Number(data.px);
  const edge = dragged.grip ? dragged.start + dragged.width : dragged.start + (dragged.milestone ? 8 : 0);
  const column = Math.floor((edge - (dragged.grip ? px / 2 : -1)) / px) + dragged.days;
  const day = new Date(`${data.first}T00:00:00Z`);
  day.setUTCDate(day.getUTCDate() + column);
  return day;
}
const iso = (day) => day.toISOString().slice(0, 10);
const dayWords = (day) => day.toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });

function dropped(event) {
  window.removeEventListener("pointermove", dragging);
  window.removeEventListener("pointerup", dropped);
  const { key, mark, days, grip, held: fixed, why } = dragged;
  mark.classList.remove("dragging");
  const day = iso(landing());
  if (!event || fixed || !days) {
    mark.removeAttribute("transform");
    if (grip) {
      mark.querySelector(".bar").setAttribute("width", dragged.width);
      mark.querySelector(".grip").setAttribute("x", dragged.start + dragged.width - 4);
    }
    dragged = null;
    if (why && event && Math.abs(event.clientX) > 0) toast("This task is under way: its start stands. Drag its right end instead.");
    if (event) select(key);
    return;
  }
  dragged = null;
  toast("");
  work("/work", { kind: grip ? "end" : "move", key, value: day }).then(() => mark.isConnected && mark.removeAttribute("transform"));
}

// Today a third of the way in, or the first bar when today lies outside.
function scrollToDay() {
  const sheet = document.getElementById("sheet");
  const line = document.querySelector("#field .today") || document.querySelector("#field .plumb");
  if (!sheet || !line) return;
  const x = Number(line.getAttribute("d").match(/^M([\d.]+)/)[1]);
  sheet.scrollLeft = Math.max(0, x - (sheet.clientWidth - columnWidth()) / 4);
}
