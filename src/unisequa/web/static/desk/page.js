// The desk: rows gone through by keys, a task opened beside them, and what is done with it by one key.
import { ask, send, toast } from "../app.js";
import { columnWidth, widen, widening } from "../drawing/columns.js";
import { RunField } from "../drawing/field.js";
import { stepped } from "../drawing/keys.js";
import { ROW, xOf } from "../drawing/scale.js";
import { all, byId, find } from "../dom.js";

const field = new RunField();
/** @type {{ run: string, key: string, ref: string } | null} */
let open = null;
/** @type {string | null} What can be undone. */
let undone = null;
/** What was asked for last, what was open then, and the words typed for it: they are typed again where it was refused. @type {{ task: any, open: any, words: Record<string, string> }} */
let tried = { task: null, open: null, words: {} };

const under = (/** @type {string} */ path) => document.body.dataset.root + path;
const view = () => byId("work").dataset.view;
const rows = () => all("#work .row[data-k]");
const of = (/** @type {any} */ element) => ({ run: element.dataset.run, key: element.dataset.key, ref: element.dataset.k });

// One thing after the other: each is asked for on the page that the one before left.
let waiting = Promise.resolve();
const inTurn = (/** @type {() => unknown} */ next) => {
  waiting = waiting.then(() => field.keep()).then(next).then(settled, settled);
  return waiting;
};

function act(/** @type {{ run: string, key: string }} */ task, /** @type {string} */ what, more = {}) {
  const typed = (/** @type {string} */ id) => (byId(id) ? byId(id).value : "");
  const own = open && open.key === task.key && open.run === task.run;
  const words = own ? { act_why: typed("act-why"), act_day: typed("act-day") } : {};
  tried = { task: what === "take" ? null : task, open, words };
  return inTurn(() => send(under("desk/act"), { run: task.run, key: task.key, act: what, view: view(), ...words, ...more }));
}

const undo = (/** @type {string} */ number) => inTurn(() => send(under(`desk/undo/${number}`), { view: view() }));

// The page as it now stands: its field drawn, the task that was open open again.
function settled() {
  const work = byId("work");
  undone = work.dataset.undo || undone;
  field.take("day", open ? open.ref : "");
  load();
  tabbed();
  const told = all("#work > [data-fault]");
  if (told.length && tried.task && open === tried.open) open = tried.task; // unless another was opened meanwhile
  if (open) show(open, false).then(() => again(told));
}

// What was refused is told where it was typed, which stands there still.
function again(/** @type {any[]} */ told) {
  const form = find("#panel form[data-act]");
  if (!told.length || !form || !open || !tried.task || open.ref !== tried.task.ref) return;
  for (const name of Object.keys(tried.words)) form.elements[name].value = tried.words[name];
  form.append(...told);
  for (const line of told) line.classList.remove("px-5");
  const wrong = told.find((line) => byId(`act-${line.dataset.fault}`));
  if (wrong) {
    const input = byId(`act-${wrong.dataset.fault}`);
    wrong.id = `told-${wrong.dataset.fault}`;
    input.setAttribute("aria-invalid", "true");
    input.setAttribute("aria-describedby", wrong.id);
    input.focus();
  }
  told[told.length - 1].scrollIntoView({ block: "nearest" });
}

// The hours laid on each day, above the tasks: up to what a day has, and what is over it.
function load() {
  const ground = byId("ground");
  if (!ground || !field.model || !field.model.load) return;
  let out = "";
  for (const [day, asked, has] of field.model.load) {
    const x = xOf(field.scale, day) + 4;
    const width = field.px - 8;
    const share = has ? Math.min(1, asked / has) : 0;
    const over = has ? Math.min(1, Math.max(0, asked - has) / has) : 1;
    const words = `${(asked / 60).toFixed(1)} of ${(has / 60).toFixed(1)} hours`;
    out += `<g><title>${words}</title><rect class="ld" x="${x}" y="${ROW - 3 - share * 16}" width="${width}" height="${share * 16}"/>`;
    if (over) out += `<rect class="lo" x="${x}" y="${ROW - 19 - over * 8}" width="${width}" height="${over * 8}"/>`;
    out += "</g>";
  }
  ground.insertAdjacentHTML("beforeend", `<path class="cap" d="M0 ${ROW - 19}H${field.width}"/>${out}`);
}

function show(/** @type {{ run: string, key: string, ref: string }} */ task, focus = true) {
  open = task;
  const panel = byId("panel");
  for (const row of all("#work .row.sel")) row.classList.remove("sel");
  const row = find(`#work .row[data-k="${CSS.escape(task.ref)}"]`);
  panel.hidden = false;
  if (row) {
    row.classList.add("sel");
    only(row);
    field.select(task.ref);
    if (matchMedia("(max-width: 760px)").matches) row.insertAdjacentElement("afterend", panel);
    row.scrollIntoView({ block: "nearest" });
  }
  const path = under(`runs/${task.run}/tasks/${encodeURIComponent(task.key)}?on=desk`);
  return ask("GET", path, { target: "#panel", swap: "innerHTML" }).then(() => {
    if (focus && row) row.focus({ preventScroll: true });
    find("#panel [data-act]")?.scrollIntoView({ block: "nearest" }); // in a narrow page it lies below the row
  });
}

// What is open already is not asked for again: somebody may be typing there.
const shown = (/** @type {any} */ task) => (open && open.ref === task.ref ? Promise.resolve() : show(task, false));

function close() {
  open = null;
  byId("panel").hidden = true;
  byId("panel").replaceChildren();
  for (const row of all("#work .row.sel")) row.classList.remove("sel");
  field.select("");
}

// The one row that can be tabbed to.
function only(/** @type {any} */ row) {
  for (const other of all("#work .row[tabindex='0']")) other.tabIndex = -1;
  row.tabIndex = 0;
}
function tabbed() {
  if (!find("#work .row[tabindex='0']") && rows()[0]) rows()[0].tabIndex = 0;
}

function clicked(/** @type {any} */ event) {
  const at = (/** @type {string} */ selector) => event.target.closest(selector);
  if (at("[data-close]")) return close();
  const taken = at("[data-take]");
  if (taken) return act(of(taken), "take");
  const other = at("[data-open]");
  if (other && open) return show({ run: open.run, key: other.dataset.open, ref: `${open.run}:${other.dataset.open}` });
  const done = at("[data-do]");
  const meant = at("#panel") ? open : tried.task;
  if (done && meant) return act(meant, done.dataset.do, { confirmed: done.dataset.confirmed || "", to: byId("hand-to")?.value || "" });
  const row = at("[data-k]");
  if (!row || at("#panel")) return undefined;
  return open && open.ref === row.dataset.k ? close() : show(of(row), false);
}

// What each key does, and in which states; what is not offered is told.
/** @type {Record<string, (task: any, state: string) => unknown>} */
const KEYS = {
  b: (task) => act(task, "begin"),
  d: (task, state) => act(task, state === "in review" ? "sign off" : "finish"),
  g: (task) => act(task, "take"),
  h: (task) => shown(task).then(() => byId("hand-to")?.focus()),
  c: (task) => shown(task).then(() => byId("comment")?.focus()),
};

function pressed(/** @type {any} */ event) {
  if (event.key === "Escape" && open && !event.target.closest("dialog")) {
    const { ref } = open;
    close();
    find(`#work .row[data-k="${CSS.escape(ref)}"]`)?.focus();
    return undefined;
  }
  const edge = event.target.closest(".edge");
  if (edge && event.key.startsWith("Arrow")) return widen((event.key === "ArrowRight" ? 16 : -16) + columnWidth());
  if (event.target.closest("input:not([type=checkbox]), textarea, select, [contenteditable]")) return undefined;
  if (event.ctrlKey || event.metaKey || event.altKey) return undefined;
  if (event.key === "u") return undone ? undo(undone) : toast("There is nothing to undo.");
  if (event.key === "t") return field.toDay();
  const every = rows();
  const row = event.target.closest(".row[data-k]") || find("#work .row.sel") || find("#work .row[tabindex='0']");
  if (!row) return undefined;
  const next = stepped(event.key, every.indexOf(row), every.length);
  if (next >= 0) {
    event.preventDefault();
    only(every[next]);
    every[next].focus();
    if (open) show(of(every[next]));
  } else if ((event.key === "Enter" || event.key === " ") && event.target === row) {
    event.preventDefault();
    show(of(row));
  } else if (KEYS[event.key]) {
    event.preventDefault();
    KEYS[event.key](of(row), row.dataset.state);
  }
  return undefined;
}

document.addEventListener("alpine:init", () => {
  Alpine.data("desk", () => ({
    init() {
      const root = this.$root;
      root.addEventListener("click", clicked);
      root.addEventListener("undo", (/** @type {any} */ event) => undo(event.detail));
      root.addEventListener("pointerdown", (/** @type {any} */ event) => {
        const edge = event.target.closest(".edge");
        if (edge) widening(event, edge);
      });
      document.addEventListener("keydown", pressed);
      field.take("day", "");
      load();
      tabbed();
      field.toDay();
      document.body.dataset.ready = "yes";
    },
  }));
});
