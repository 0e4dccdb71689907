// A template put on real dates: the form, and what the sheet shows beside the bars.
import { esc } from "../drawing/svg.js";
import { all, byId } from "../dom.js";
import { MORE } from "./builder.js";
import { Sheet } from "./store.js";

Sheet.readRehearsal = function readRehearsal() {
  const found = { anchors: {}, facts: {}, crew: {}, calendar: "" };
  for (const input of all("#rehearsal [data-r]")) {
    const [part, ...rest] = input.dataset.r.split(".");
    if (part === "calendar") found.calendar = input.value;
    else found[part][rest.join(".")] = input.value;
  }
  return found;
};

Sheet.rehearse = async function rehearse() {
  const form = byId("rehearsal");
  const on = !Sheet.rehearsal;
  if (Sheet.editor) Sheet.commit();
  await Sheet.whenIdle();
  if (on) {
    const answer = await fetch(`${Sheet.path()}/rehearsal?edition=${Sheet.model.edition}`);
    form.innerHTML = await answer.text();
    Sheet.rehearsal = Sheet.readRehearsal();
    Sheet.blank = null;
    Sheet.before = { px: Sheet.px };
    Sheet.px = Sheet.model.minutes ? 960 : Math.max(Sheet.px, 15);
  } else {
    Sheet.rehearsal = null;
    Sheet.px = Sheet.before ? Sheet.before.px : Sheet.px;
    byId("load").hidden = true;
  }
  form.hidden = !on;
  byId("rehearse").setAttribute("aria-pressed", on);
  Sheet.work().classList.toggle("rehearsing", on);
  await Sheet.reload();
  Sheet.toAnchor();
  Sheet.selected();
};

let rehearsalTimer = 0;
document.addEventListener("input", (/** @type {any} */ event) => {
  if (!event.target.dataset || !event.target.dataset.r) return;
  clearTimeout(rehearsalTimer);
  rehearsalTimer = setTimeout(async () => {
    Sheet.rehearsal = Sheet.readRehearsal();
    await Sheet.reload();
    if (event.target.dataset.r.startsWith("anchors.")) Sheet.toAnchor();
  }, 250);
});
document.addEventListener("submit", (/** @type {any} */ event) => { if (event.target.id === "rehearsal") event.preventDefault(); });

// What the rehearsal says: its name and span, faults at their fields, what deserves a look, the load.
Sheet.drawRehearsal = function drawRehearsal() {
  const note = Sheet.model.rehearsal;
  if (!note || !Sheet.rehearsal) return;
  const faults = Object.entries(note.faults);
  for (const input of all("#rehearsal [data-r]")) {
    const fault = note.faults[input.dataset.r];
    input.toggleAttribute("aria-invalid", Boolean(fault));
    if (fault) input.setAttribute("aria-invalid", "true");
    input.title = fault || "";
  }
  for (const hint of all("#rehearsal [data-worked]")) {
    const words = (note.anchors || {})[hint.dataset.worked];
    hint.textContent = words ? `worked out: ${words}` : hint.dataset.otherwise;
  }
  const said = byId("rehearsed");
  if (!said) return;
  said.textContent = faults.length ? faults[0][1] : [note.name, note.span].filter(Boolean).join(": ");
  said.classList.toggle("text-late", faults.length > 0);
  const looks = byId("looks");
  looks.hidden = !note.warnings.length;
  byId("looks-button").textContent = `${note.count} to look at`;
  byId("looks-list").replaceChildren(...note.warnings.map((text) => Object.assign(document.createElement("li"), { textContent: text, className: "p-1" })));
  byId("load-button").hidden = !note.load;
  drawLoad(note.load);
};

function drawLoad(load) {
  const box = byId("load");
  if (!load || box.hidden) return;
  const cell = (found) => (found ? `<td class="num${found[2] ? " late" : ""}">${found[0]} of ${found[1]} h</td>` : "<td></td>");
  box.innerHTML = `<table class="tbl"><thead><tr><th>Load, weeks of</th>${load.weeks.map((week) => `<th class="num">${esc(week)}</th>`).join("")}</tr></thead><tbody>${load.people.map(([who, cells]) => `<tr><th scope="row">${esc(who)}</th>${cells.map(cell).join("")}</tr>`).join("")}</tbody></table>`;
}
MORE.rehearse = () => Sheet.rehearse();
MORE.load = (button) => {
  const box = byId("load");
  box.hidden = !box.hidden;
  button.setAttribute("aria-pressed", !box.hidden);
  drawLoad(Sheet.model.rehearsal && Sheet.model.rehearsal.load);
};
