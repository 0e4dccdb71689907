// Starting runs: what is chosen is sent as it is typed, the runs come back as they would be.
import { byId, find } from "../dom.js";
import { widening } from "../drawing/columns.js";
import { RunField } from "../drawing/field.js";

const field = new RunField();
const form = () => byId("start");
let timer = 0;

// The newest question takes the place of those that are still on their way.
function refresh() {
  return htmx.ajax("POST", form().dataset.path, { source: form(), target: "#start", swap: "outerMorph" }).then(drawn);
}

function soon(/** @type {number} */ ms) {
  clearTimeout(timer);
  timer = setTimeout(refresh, ms);
}

// As wide as all of it can be seen: a long run in narrow days.
function drawn() {
  field.keep();
  field.take("month", "");
  if (field.model?.hours) {
    field.take("hour", "");
    field.toWork();
  } else if (field.model && field.model.days < 60) {
    field.take("week", "");
  }
}

// Something chosen elsewhere than in its field: in a line that mends a row, or as it was the last time.
function set(name, value) {
  const there = [...form().elements].find((input) => input.name === name && input.type !== "hidden" && name !== "without");
  if (there) there.value = value;
  else form().append(Object.assign(document.createElement("input"), { type: "hidden", name, value }));
}

function unset(name, value) {
  for (const input of [...form().elements]) if (input.name === name && input.value === value) input.remove();
}

function clicked(event) {
  const at = (selector) => event.target.closest(selector);
  const mend = at("[data-set]");
  if (mend) {
    set(mend.dataset.set, mend.dataset.value);
    return soon(0);
  }
  const back = at("[data-unset]");
  if (back) {
    unset(back.dataset.unset, back.dataset.value);
    return soon(0);
  }
  if (at("[data-last]")) {
    for (const button of form().querySelectorAll("[data-set^='crew.']")) set(button.dataset.set, button.dataset.value);
    return soon(0);
  }
  const every = at("[data-all]");
  if (every) {
    const { all: number, what, value } = every.dataset;
    for (const row of form().querySelectorAll(`#sheet .row[data-number="${number}"]`)) {
      if (what === "without") set("without", row.dataset.k);
      else set(`${what}.${row.dataset.k}`, value);
    }
    return soon(0);
  }
  const look = at("[data-look]");
  if (look) return find(`#sheet .row[data-number="${look.dataset.look}"]`)?.scrollIntoView({ block: "center" });
  if (at("[data-open]")) return opened("");
  const row = at("#sheet .row[data-k]");
  return row ? opened(row.dataset.k) : undefined;
}

function opened(key) {
  form().elements.open.value = key;
  soon(0);
}

const counted = (/** @type {string | number} */ number) => Number(number).toLocaleString("en");

async function starting() {
  const { act, count } = form().dataset;
  byId("start-go").disabled = true;
  const says = byId("start-says");
  says.textContent = `Creating ${counted(count)} tasks …`;
  for (;;) {
    await new Promise((done) => { setTimeout(done, 400); });
    const answer = await fetch(act, { headers: { accept: "application/json" } }).catch(() => null);
    const { tasks } = answer && answer.ok ? await answer.json() : { tasks: null };
    if (tasks !== null) says.textContent = `${counted(tasks)} of ${counted(count)} tasks created …`;
  }
}

document.addEventListener("input", (event) => form()?.contains(event.target) && soon(300));
document.addEventListener("change", (event) => form()?.contains(event.target) && soon(30));
document.addEventListener("click", clicked);
document.addEventListener("keydown", (event) => {
  const row = /** @type {any} */ (event.target).closest?.("#sheet .row[data-k]");
  if (!row || event.target !== row) return;
  const rows = [...form().querySelectorAll("#sheet .row[data-k]")];
  const next = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (next) rows[rows.indexOf(row) + next]?.focus();
  else if (event.key === "Enter") opened(row.dataset.k);
  else return;
  event.preventDefault();
});
document.addEventListener("submit", (event) => event.target === form() && starting());
addEventListener("pageshow", () => { if (byId("start-go")) byId("start-go").disabled = false; });
document.addEventListener("pointerdown", (event) => {
  const edge = /** @type {any} */ (event.target).closest?.(".edge");
  if (edge) widening(event, edge);
});
drawn();
if (!field.model?.hours) field.toDay(); // a job of hours stands at its first bar, which now may be far from
