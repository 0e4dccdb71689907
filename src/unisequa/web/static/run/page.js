// The page of a run: selecting, typing, shifting. What would follow is the server's to say.
import { ask, clearOfToast, send } from "../app.js";
import { columnWidth, heightenedBy, heightening, trayHigh, widen, widening } from "../drawing/columns.js";
import { shove, stepped } from "../drawing/keys.js";
import { all, byId, find } from "../dom.js";
import { grabbed, linked, plumbed, spanned, windowed } from "./drag.js";
import { choose, chooseNone, chooseTo, chosen, reachFrom, showChosen } from "./chosen.js";
import { closeMenu, closeWhy, openMenu, taskOf, typedInto, why } from "./in_rows.js";
import { monthly } from "./month.js";
import { rowsAside, rowsBack } from "./rows.js";
import { HEAD, isoOf, slotAt } from "../drawing/scale.js";
import { RunField } from "../drawing/field.js";

const field = new RunField();
let dragged = null;

const workNow = () => byId("work");
const shiftForm = () => byId("shift");
// So narrow a page shows no sheet: its tray holds what changes.
const small = matchMedia("(max-width: 760px)");
const held = (changes = {}) => ({ narrow: small.matches ? "yes" : "", ...Object.fromEntries([...shiftForm().elements].filter((input) => input.name).map((input) => [input.name, input.value])), ...changes });
const selectedKey = () => shiftForm().elements.selected.value;
const edits = () => JSON.parse(held().edits);
const rowOf = (/** @type {string} */ key) => find(`#work .row[data-k="${CSS.escape(key)}"]`);
const path = (/** @type {string} */ rest) => workNow().dataset.run + rest;
const movable = () => workNow().dataset.movable === "yes";

// One thing after the other: each is asked for on the page that the one before left.
let waiting = Promise.resolve();
const inTurn = (act) => {
  waiting = waiting.then(() => {
    field.keep();
    acted = actedOn();
    const sheet = byId("sheet");
    compared = Boolean(sheet && sheet.matches(".compared"));
    shifting = Boolean(byId("tray"));
    if (sheet && !compared) before = sheet.scrollTop;
  }).then(act).then(settled);
  return waiting;
};

// The row one works on, and how far down it stood: it stays under one's eyes, and the keys stay with it.
let acted = null;
// Whether the sheet was the table of changes, and how far it was scrolled before it became that; -1 where it was none yet.
let compared = false;
let before = -1;
// Whether there was a tray.
let shifting = false;
function actedOn() {
  /** @type {any} */
  const at = document.activeElement;
  const focused = at && at.closest(".row[data-k]");
  const key = focused ? focused.dataset.k : dragged && dragged.key ? dragged.key : selectedKey();
  const row = key && rowOf(key);
  return row ? { key, y: row.getBoundingClientRect().top, focused: Boolean(focused) } : null;
}
function keepInPlace() {
  const row = acted && rowOf(acted.key);
  const sheet = byId("sheet");
  if (sheet && compared && !row && !sheet.matches(".compared")) {
    if (before >= 0) sheet.scrollTop = before;
    else {
      field.toDay();
      toWork();
    }
  }
  if (!row || !sheet) return;
  if (acted.focused && document.activeElement === document.body) {
    only(row);
    row.focus({ preventScroll: true });
  }
  sheet.scrollTop += row.getBoundingClientRect().top - acted.y;
}

const work = (rest, changes) => {
  closeMenu(); // before it is seen which row has the keys
  closeWhy();
  return inTurn(() => {
    const soon = changes.kind && !held().whole ? setTimeout(() => rowsAside(field)) : 0; // once it has been asked
    return send(path(rest), held(changes)).finally(() => {
      clearTimeout(soon);
      rowsBack();
    });
  });
};
const typedIn = (key, kind, value) => work("/work", { kind, key, value });
const menuOf = (key, at) => openMenu(key, `${path(`/tasks/${encodeURIComponent(key)}`)}?on=row`, at);

// The page as it now stands: its field drawn, the tray's rows in sight.
function settled() {
  field.take(held().zoom, selectedKey());
  keepInPlace();
  trayHigh();
  if (byId("tray")) showChanges();
  if (byId("tray") && !shifting) find("#tray .decide").scrollTop = 0; // on a phone it begins with what it says, wherever the keys are
  driven();
  if (byId("shifting")) shiftingOf(byId("shifting"));
  if (workNow().dataset.refused) find("#panel [aria-invalid]")?.focus();
  showChosen();
  clearOfToast();
  field.settled();
}

// How far down a row stands below the head of the sheet, negative above it.
const belowHead = (/** @type {any} */ row) => row.getBoundingClientRect().top - byId("sheet").getBoundingClientRect().top - HEAD;

// The edited row and what follows it stay in sight above the tray, their old and new places with them.
function showChanges() {
  const sheet = byId("sheet");
  const edited = find("#work .row.edited") || find("#work .row.moved");
  if (!sheet || !edited) return;
  const room = sheet.clientHeight - HEAD;
  const down = belowHead(edited);
  if (down < 0 || down > room - 90) sheet.scrollTop += down - 60;
  if (!field.model.compares) field.show(edited.dataset.k);
}

function clicked(event) {
  const at = (selector) => event.target.closest(selector);
  const mark = at("[data-k] .st");
  if (mark && taskOf(mark)) return menuOf(taskOf(mark), under(mark));
  if (movable() && typedInto(event, typedIn)) return undefined;
  const open = at("[data-open]");
  if (open) {
    closeMenu();
    return select(open.dataset.open);
  }
  if (at("[data-close]")) return select("");
  const zoom = at("[data-zoom]");
  if (zoom) return zoomTo(zoom.dataset.zoom);
  const many = at("[data-many]");
  if (many) return withChosen(many.dataset.many);
  const mend = at("[data-mend]");
  if (mend) return work("/work", { edits: mend.dataset.mend, mode: "push" });
  const out = at("[data-take-out]");
  if (out) return work("/work", { edits: JSON.stringify(edits().filter((_, n) => n !== Number(out.dataset.takeOut))), emptied: "yes" });
  const steps = at("[data-step]");
  if (steps) return work("/work", { step: steps.dataset.step });
  const whole = at("[data-whole]");
  if (whole) return work("/work", { whole: whole.dataset.whole });
  const rides = at("[data-rides]");
  if (rides) return work("/work", { rides: rides.dataset.rides });
  const mends = at("[data-mends]");
  if (mends) return ask("POST", mends.dataset.mends, { target: `#${mends.dataset.into}`, swap: "innerHTML", values: held({ value: mends.dataset.by }) });
  const make = at("[data-make]");
  if (make) return work("/work", { kind: make.dataset.make, key: make.dataset.key, value: make.dataset.value || "" });
  const way = at("[data-way]");
  if (way) return work("/work", { edits: JSON.stringify([...edits(), ...JSON.parse(way.dataset.way)]), mode: way.dataset.wayMode });
  const up = at("[data-take-up]");
  if (up) return work(`/asides/${up.dataset.takeUp}`, {});
  const drop = at("[data-drop-aside]");
  if (drop) return work(`/asides/${drop.dataset.dropAside}/drop`, {});
  if (at("[data-shift]")) return toShift();
  const mode = at("[data-mode]");
  if (mode) return work("/work", { mode: mode.dataset.mode });
  if (at("[data-apply]")) return work("/shift", {});
  if (at("[data-propose]")) return work("/propose", {});
  const loose = at("[data-unlink]");
  if (loose) return work("/work", { kind: "unlink", key: loose.dataset.key, value: loose.dataset.unlink });
  const no = at("[data-decline]");
  if (no) return work(`/proposals/${no.dataset.decline}/decline`, {});
  if (at("[data-put-back]")) return putBack();
  const take = at("[data-take-back]");
  if (take) return work(`/shifts/${take.dataset.takeBack}/take-back`, {});
  const act = at("[data-do]");
  if (act) {
    const box = act.closest("[data-act]");
    const where = act.dataset.path || box.dataset.act;
    const typed = (/** @type {string} */ name) => (box || byId("panel")).querySelector(`[name="${name}"]`)?.value || "";
    const beside = closeMenu() ? "yes" : "";
    return inTurn(() => send(where, held({ act: act.dataset.do, confirmed: act.dataset.confirmed || "", act_why: typed("act_why"), act_day: typed("act_day"), to: typed("to"), in_place: beside })));
  }
  if (at("#fhead") && movable() && !at("[data-anchor], [data-span]")) return closing(event);
  const row = at(".row[data-k], [data-choose]");
  const more = event.ctrlKey || event.metaKey;
  if (row && event.shiftKey) return chooseTo(row.dataset.k || row.dataset.choose, more);
  if (row && (more || row.dataset.choose)) return choose(row.dataset.k || row.dataset.choose);
  return row ? select(row.dataset.k) : undefined;
}

// A job of hours goes by the clock: each minute the page comes again, unless something is being done on it, and the line
// of now is brought back to where it can be seen coming.
function byTheClock() {
  setTimeout(() => {
    const at = document.activeElement;
    const busy = document.hidden || find(":popover-open") || edits().length || (dragged && !dragged.over) || (at && at.matches("input, textarea, select"));
    const seen = field.seesNow();
    const done = workNow().dataset.clock !== "yes" || busy ? Promise.resolve() : work("/work", {}).then(() => seen && !field.seesNow() && field.toDay());
    done.finally(byTheClock);
  }, 60_200 - (Date.now() % 60_000));
}

// The page opens where work is: the first task that is not over, below the name of its phase.
function toWork() {
  const open = all("#work .row[data-k]").find((row) => !row.querySelector(".st.done, .st.dropped"));
  if (open && byId("sheet")) byId("sheet").scrollTop += belowHead(open) - 60;
}

// All edits of the shift; it can be had again by undoing that.
const putBack = () => work("/work", { edits: "[]", why: "", mode: "push", proposal: "", whole: "", emptied: "yes" });

// A day of the head: closed, or worked again where it is off.
function closing(event) {
  const model = field.model;
  const day = Math.floor(slotAt(field.scale, event.clientX - byId("fhead").getBoundingClientRect().left));
  const off = model.off.some(([first, days]) => day >= first && day < first + days);
  return toShift(off ? "reopen:" : "close:", isoOf(day));
}

// One more edit, typed: of a date, the whole run, days closed.
function toShift(/** @type {string} */ what = "", /** @type {string} */ value = "") {
  const box = byId("to-shift");
  if (box) {
    box.hidden = !what && !box.hidden;
    find("[data-shift]").setAttribute("aria-expanded", String(!box.hidden));
    if (box.hidden) return;
  }
  const form = byId("shifting");
  if (what && [...form.elements.what.options].some((option) => option.value === what)) form.elements.what.value = what;
  form.elements.value.value = value;
  shiftingOf(form);
  form.elements.value.focus();
}
function shiftingOf(form) {
  const kind = form.elements.what.value.split(":")[0];
  form.elements.keep.hidden = kind !== "anchor";
  form.elements.value.hidden = kind === "catch";
  const elsewhere = form.querySelector("[data-days-elsewhere]");
  elsewhere.hidden = kind !== "close";
  const link = elsewhere.querySelector("[data-from]");
  link.href = link.dataset.from + encodeURIComponent(form.elements.value.value);
}
function submitted(event) {
  if (event.target.matches("[data-shifting]")) {
    event.preventDefault();
    const { what, value, keep } = event.target.elements;
    const [kind, key] = what.value.split(/:(.*)/);
    return work("/work", { kind: kind === "anchor" ? keep.value : kind, key, value: value.value });
  }
  if (event.target.matches("[data-ways]")) {
    event.preventDefault();
    return ask("POST", event.target.dataset.ways, { target: "#ways", swap: "innerHTML", values: held({ value: event.target.elements.value.value }) });
  }
  if (event.target.matches("[data-aside]")) {
    event.preventDefault();
    return work("/aside", { name: event.target.elements.name.value });
  }
  return undefined;
}

// What is done with all that are chosen.
function withChosen(/** @type {string} */ what) {
  const keys = [...chosen];
  const typed = Object.fromEntries(new FormData(byId("many")));
  if (!what) return chooseNone();
  if (what === "template") {
    location.assign(`${path("/template")}?${new URLSearchParams(keys.map((key) => ["only", key]))}`);
    return undefined;
  }
  /** @type {Record<string, [string, any]>} */
  const edit = { move: ["move", typed.by], fix: ["fix", ""], free: ["free", ""], without: ["drop", ""], give: ["give", typed.calendar] };
  if (edit[what]) return work("/work", { kind: edit[what][0], key: keys[0], keys: JSON.stringify(keys), value: edit[what][1] });
  return work("/many", { ...typed, act: what, keys: JSON.stringify(keys) }).then(() => {
    if (workNow().dataset.refused) return;
    byId("many").reset(); // what was said was said of those
    chooseNone();
  });
}

function zoomTo(zoom) {
  shiftForm().elements.zoom.value = zoom;
  for (const button of all("[data-zoom]")) {
    if (button.dataset.zoom === zoom) button.setAttribute("aria-current", "true");
    else button.removeAttribute("aria-current");
  }
  field.take(zoom, selectedKey());
  field.toDay();
}

function select(key) {
  const panel = byId("panel");
  if (key) reachFrom(key);
  shiftForm().elements.selected.value = key;
  for (const row of all("#work .row.sel, #work tr.bg-acts")) row.classList.remove("sel", "bg-acts");
  panel.hidden = !key;
  field.select(key);
  if (!key) {
    panel.replaceChildren();
    driven();
    return undefined;
  }
  const row = rowOf(key);
  if (row) {
    row.classList.add("sel");
    only(row);
    row.scrollIntoView({ block: "nearest", inline: "nearest" });
    requestAnimationFrame(() => field.show(key));
  }
  if (edits().length) return work("/work", {});
  waiting = waiting.then(() => ask("GET", path(`/tasks/${encodeURIComponent(key)}`), { target: "#panel", swap: "innerHTML" })).then(driven);
  return waiting;
}

// What drives the selected task is drawn back to its anchor.
function driven() {
  const told = find("#panel [data-chain]");
  field.drive(told ? JSON.parse(told.dataset.chain) : { links: [], anchors: [] });
}

// The one row that can be tabbed to.
function only(row) {
  for (const other of all("#work .row[tabindex='0']")) other.tabIndex = -1;
  row.tabIndex = 0;
}

// The columns that the list does without stand in the form that looks.
function columns(box) {
  const form = box.closest("form");
  const off = [...form.querySelectorAll("[data-columns] input")].filter((one) => !one.checked).map((one) => one.value);
  form.elements.without.value = off.join(",");
  form.requestSubmit();
}

function changed(event) {
  if (event.target.closest("[data-columns]")) return columns(event.target);
  if (event.target.matches("[data-only]")) return work("/work", { only: event.target.value });
  if (["what", "value"].includes(event.target.name) && event.target.closest("[data-shifting]")) return shiftingOf(event.target.form);
  if (event.target.id === "why") return work("/work", {});
  const input = event.target.closest("[data-edit]");
  return input ? work("/work", { kind: input.dataset.edit, key: input.dataset.key, value: input.value, also: input.dataset.also || "", instead: input.dataset.instead || "" }) : undefined;
}

// The titles that a task may follow, offered where one is typed.
function offerTitles(event) {
  if (event.target.id !== "in-after") return;
  const list = byId("titles") || document.body.appendChild(Object.assign(document.createElement("datalist"), { id: "titles" }));
  list.replaceChildren(...all("#work [data-k] .t, #work [data-open]").map((cell) => new Option(cell.title || cell.textContent.trim())));
}

// By keyboard: up and down through the rows, Enter opens, Alt with the arrows moves or stretches.
function pressed(event) {
  if (event.key === "Escape" && selectedKey()) return select("");
  const edge = event.target.closest(".edge");
  if (event.target.closest("[data-tray-edge]") && heightenedBy(event)) return undefined;
  if (edge && event.key.startsWith("Arrow")) return widen((event.key === "ArrowRight" ? 16 : -16) + columnWidth());
  const row = event.target.closest(".row[data-k]");
  if (event.key === "F2" && row && movable() && typedInto(event, typedIn)) return event.preventDefault();
  if (!row) {
    const key = shove(event) && movable() && event.target.closest("[data-open]")?.dataset.open;
    if (key) return shoved(event, key, shove(event));
    if (event.target.matches("input[data-edit]") && event.key === "Enter") event.target.blur();
    return undefined;
  }
  const by = shove(event);
  if (by) return movable() && field.marks.has(row.dataset.k) ? shoved(event, row.dataset.k, by) : undefined;
  if (event.altKey || event.ctrlKey || event.metaKey) return undefined;
  const rows = all("#work .row[data-k]");
  const next = stepped(event.key, rows.indexOf(row), rows.length);
  if (next >= 0) {
    event.preventDefault();
    only(rows[next]);
    rows[next].focus();
    field.light(rows[next].dataset.k);
    if (event.shiftKey && !chosen.has(row.dataset.k)) reachFrom(row.dataset.k);
    if (event.shiftKey) chooseTo(rows[next].dataset.k, false);
    else reachFrom(rows[next].dataset.k);
  } else if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    select(row.dataset.k);
  } else if (event.key === "x") {
    choose(row.dataset.k);
  } else if (event.key === "t") {
    field.toDay();
  }
  return undefined;
}

// From anywhere on the page: one step of the shift back or on, one more edit of it.
document.addEventListener("keydown", (event) => {
  /** @type {any} */
  const at = event.target;
  if (at.matches("input, textarea, select") || event.altKey) return;
  const button = event.key.toLowerCase() === "z" && (event.ctrlKey || event.metaKey) && find(`[data-step="${event.shiftKey ? "on" : "back"}"]`);
  if (button) {
    event.preventDefault();
    work("/work", { step: button.dataset.step });
  } else if (event.key === "m" && !event.ctrlKey && !event.metaKey && byId("shifting")) {
    event.preventDefault();
    toShift();
  }
});

// A task, and with one that is chosen all that are; what is begun or over stays.
function together(key) {
  const moves = (/** @type {string} */ one) => !field.there || ["waiting", "ready"].includes(field.marks.get(one)?.st);
  const keys = chosen.has(key) ? [...chosen].filter(moves) : [];
  return keys.length > 1 ? keys : [];
}
const withOthers = (key) => (together(key).length ? { key: together(key)[0], keys: JSON.stringify(together(key)) } : { key });

function shoved(event, key, by) {
  event.preventDefault();
  return work("/work", { kind: event.shiftKey ? "end" : "move", ...withOthers(key), value: `${workNow().dataset.grid === "minute" ? (by > 0 ? "+5m" : "-5m") : `wd${by > 0 ? "+" : "-"}1`}` });
}

// Just below a mark.
function under(mark) {
  const box = mark.getBoundingClientRect();
  return { x: box.left + 24, y: box.bottom + 4, top: box.top - 4 };
}

// What can be done with the task under the pointer; by the menu key, of the row that has the keys.
function pointedAt(event) {
  const key = !event.target.closest("input, textarea, select") && taskOf(event.target);
  if (!key) return;
  event.preventDefault();
  const row = event.button === 2 ? null : event.target.closest("[data-k], [data-open]");
  menuOf(key, row ? under(row.querySelector(".st") || row) : { x: event.clientX, y: event.clientY });
}

function grab(event) {
  const edge = event.target.closest(".edge");
  if (edge) return widening(event, edge);
  const high = event.target.closest("[data-tray-edge]");
  if (high) return heightening(event, high);
  const inMonth = movable() && monthly(event, (key, kind, by) => work("/work", { kind, key, value: `${by > 0 ? "+" : "-"}${Math.abs(by)}` }));
  if (inMonth) dragged = inMonth;
  if (!field.there) return undefined;
  const other = movable() && (
    plumbed(event, field, (key, value) => work("/work", { kind: "anchor", key, value }))
    || spanned(event, field, (by) => work("/work", { kind: "run", value: by }))
    || windowed(event, field, (key, value) => work("/work", { kind: "window", key, value }))
    || linked(event, field, (source, target, type) => work("/work", { kind: "after", key: target, value: source, also: type })));
  if (other) {
    dragged = other;
    return undefined;
  }
  dragged = grabbed(event, field, {
    movable: movable(),
    clicked: select,
    together,
    dropped: (key, kind, value, by) => work("/work", by ? { kind, ...withOthers(key), value: by } : { kind, key, value }),
  });
  return undefined;
}

// A finger moves the bar that it has touched before, and what is there to be taken hold of; else it scrolls.
function heldByFinger(event) {
  const mark = event.target.closest("#bars .mk");
  const moves = mark ? movable() && mark.dataset.k === selectedKey() : event.target.closest("#fhead [data-anchor], .wgrip");
  if (moves && event.cancelable) event.preventDefault();
}

function hovered(event) {
  why(event, (key) => `${path(`/tasks/${encodeURIComponent(key)}`)}?on=date`);
  const over = event.target.closest("[data-k]");
  if (!dragged || dragged.over) field.light(over ? over.dataset.k : selectedKey());
}

document.addEventListener("alpine:init", () => {
  Alpine.cloneNode = undefined; // nothing that is swapped here is Alpine's, so it is not to be shown each element of it
  Alpine.data("run", () => ({
    init() {
      const root = this.$root;
      root.addEventListener("click", clicked);
      root.addEventListener("change", changed);
      root.addEventListener("submit", submitted);
      root.addEventListener("focusin", offerTitles);
      root.addEventListener("change", (event) => event.target.closest("[data-look]") && event.target.tagName === "SELECT" && event.target.form.requestSubmit());
      document.querySelector(".week.now")?.scrollIntoView({ block: "start" });
      root.addEventListener("undo", (event) => work(`/undo/${event.detail}`, {}));
      root.addEventListener("keydown", pressed);
      root.addEventListener("pointerdown", grab);
      root.addEventListener("touchstart", heldByFinger, { passive: false });
      root.addEventListener("contextmenu", pointedAt);
      root.addEventListener("pointerover", hovered);
      for (const kind of ["pointerleave", "pointerdown", "keydown"]) root.addEventListener(kind, closeWhy);
      root.addEventListener("scroll", closeWhy, { capture: true, passive: true });
      field.take(held().zoom, selectedKey());
      if (!field.toChanges()) field.toDay();
      if (byId("shifting")) shiftingOf(byId("shifting"));
      if (workNow().dataset.clock === "yes") byTheClock();
      const turned = () => byId("tray") && work("/work", {});
      small.addEventListener("change", turned);
      if (small.matches) turned();
      trayHigh();
      driven();
      const row = selectedKey() && rowOf(selectedKey());
      if (row) {
        row.scrollIntoView({ block: "nearest" });
        field.show(selectedKey());
      } else {
        toWork();
      }
      if (document.body.dataset) document.body.dataset.ready = "yes";
    },
  }));
});
