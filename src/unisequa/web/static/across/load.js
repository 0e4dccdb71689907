// Load: tasks dragged to another day, or onto another person; nothing moves before it was seen on the run's page.
import { dayWords } from "../drawing/scale.js";
import { all, byId } from "../dom.js";
import { tell } from "./told.js";

const DAY = 86400000;

/** @param {string} iso */
const ordinal = (iso) => Date.parse(iso) / DAY + 719163;
/** @param {number} day */
const isoOf = (day) => new Date((day - 719163) * DAY).toISOString().slice(0, 10);

/** How many days the columns show, and how wide a day is. @param {Element} lane */
function scaleOf(lane) {
  const columns = all("table.workload thead th:not(.who)");
  const unit = new URLSearchParams(location.search).get("unit") || "week";
  const days = { day: 1, week: 7, month: 30.4 }[unit] || 7;
  return lane.getBoundingClientRect().width / (columns.length * days);
}

/** @param {any} hit @param {object} edit */
function consider(hit, edit) {
  const form = byId("consider");
  form.elements.run.value = hit.dataset.run;
  form.elements.edits.value = JSON.stringify([edit]);
  form.submit();
}

/** @param {PointerEvent} begun @param {any} hit */
function drag(begun, hit) {
  const lane = hit.closest("svg");
  const bar = hit.previousElementSibling;
  const px = scaleOf(lane);
  const first = ordinal(hit.dataset.first);
  const own = hit.closest("tbody").querySelector(".person.open");
  const stands = bar.classList.contains("under-way"); // what is begun keeps its start; to somebody else it may go
  let days = 0;
  /** @type {any} */
  let onto = null;
  const move = (/** @type {PointerEvent} */ event) => {
    days = Math.round((event.clientX - begun.clientX) / px);
    const row = document.elementFromPoint(event.clientX, event.clientY)?.closest("tr.person");
    if (onto) onto.classList.remove("aimed");
    onto = row && row !== own ? row : null;
    if (onto) onto.classList.add("aimed");
    if (!stands) bar.setAttribute("transform", `translate(${event.clientX - begun.clientX} 0)`);
    if (onto) tell([`${hit.dataset.title}, to ${onto.dataset.person}`, "Let go to see what follows."], event.clientX, event.clientY);
    else if (days && stands) tell([`${hit.dataset.title} is under way; its start stands`, "Drag it to somebody else, or change its due date in its run."], event.clientX, event.clientY);
    else if (days) tell([`${hit.dataset.title}: from ${dayWords(first + days)}`, "Let go to see what follows."], event.clientX, event.clientY);
    else tell([]);
  };
  const end = (/** @type {any} */ event) => {
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", end);
    window.removeEventListener("keydown", escape, true);
    bar.removeAttribute("transform");
    tell([]);
    if (onto) onto.classList.remove("aimed");
    if (!event) return;
    if (onto) consider(hit, { edit: "give", task: hit.dataset.task, person: onto.dataset.person });
    else if (days && !stands) consider(hit, { edit: "move", task: hit.dataset.task, start: isoOf(first + days) });
  };
  const escape = (/** @type {KeyboardEvent} */ event) => {
    if (event.key === "Escape") end(null);
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", end);
  window.addEventListener("keydown", escape, true);
  begun.preventDefault();
}

byId("hours")?.addEventListener("pointerdown", (/** @type {any} */ event) => {
  const hit = event.target.closest("[data-task]");
  if (hit && !event.button) drag(event, hit);
});
for (const words of all(".beside[data-at]")) {
  const at = Number(words.dataset.at);
  if (at > 82) Object.assign(words.style, { right: `${100 - at}%`, left: "auto", textAlign: "right", bottom: "-1px" });
  else words.style.left = `calc(${at}% + 8px)`;
}
for (const row of all("tr.person.open").slice(0, 1)) {
  const box = byId("hours");
  box.scrollTop = Math.max(0, row.offsetTop - 90);
}
document.body.dataset.ready = "yes";
