// How much of a template's field is in sight, and from which anchor it is counted.
import { toast } from "../app.js";
import { columnWidth } from "../drawing/columns.js";
import { fitting } from "../drawing/scale.js";
import { byId } from "../dom.js";
import { X } from "./field.js";
import { Sheet } from "./store.js";

// What the field is counted from, and what else it could be.
Sheet.drawCount = function drawCount() {
  const { model } = Sheet;
  const box = byId("counted");
  const there = model.dates ? [] : model.anchors.filter((anchor) => anchor[2] !== null);
  box.hidden = !there.length;
  byId("counted-words").textContent = there.length === 1 ? Sheet.zeroWords() : model.minutes ? "Hours from" : "Working days from";
  const choices = there.map(([key, label]) => Object.assign(document.createElement("option"), { value: key, textContent: label }));
  const select = /** @type {any} */ (byId("zero"));
  if (JSON.stringify(there.map((one) => one.slice(0, 2))) !== select.dataset.of) {
    select.dataset.of = JSON.stringify(there.map((one) => one.slice(0, 2)));
    select.replaceChildren(...choices);
  }
  select.hidden = there.length < 2;
  select.value = there.some((one) => one[0] === Sheet.countedFrom) ? Sheet.countedFrom : there.length ? there[0][0] : "";
};

Sheet.watchCount = () => byId("zero").addEventListener("change", (/** @type {any} */ event) => {
  Sheet.countedFrom = event.target.value;
  Sheet.drawField();
});

// From the anchor of the step at the cursor; once more, from the first again.
Sheet.countFromHere = function countFromHere() {
  const line = Sheet.line(Sheet.cur.id);
  if (Sheet.model.dates) return toast("In a rehearsal the field has dates.");
  if (!line || !line.a) return toast("Go to a step that is measured from an anchor; F7 then counts from that.");
  Sheet.countFrom(line.a);
  Sheet.drawCount();
  return toast(`${Sheet.zeroWords()}.`);
};

const ZOOMS = [1, 2, 4, 8, 15, 24, 36, 120, 480, 960];
Sheet.zoom = function zoom(by) {
  const next = by > 0 ? ZOOMS.find((px) => px > Sheet.px) : [...ZOOMS].reverse().find((px) => px < Sheet.px);
  const sheet = byId("sheet");
  const middle = (sheet.scrollLeft + (sheet.clientWidth - columnWidth()) / 2) / Sheet.px;
  Sheet.px = next || Sheet.px;
  Sheet.drawField();
  sheet.scrollLeft = Math.max(0, middle * Sheet.px - (sheet.clientWidth - columnWidth()) / 2);
};

// A job is first shown as large as there is room for the whole of it; a long one by its weeks.
Sheet.fit = function fit() {
  const { model } = Sheet;
  const bars = model.lines.filter((line) => line.s).flatMap((line) => line.s);
  if (model.dates || !bars.length) return;
  const ends = [...bars, ...model.anchors.map((anchor) => anchor[2]).filter((day) => day !== null)];
  const room = byId("sheet").clientWidth - columnWidth() - 60;
  const length = Math.max(...ends) - Math.min(...ends) + 1;
  const zooms = ZOOMS.filter((px) => model.minutes || px <= 36);
  Sheet.px = Math.max(fitting(zooms, length / (model.minutes ? 40 : 1), room), 15);
};

// All that has a place in sight at once.
Sheet.fitAll = function fitAll() {
  const { model } = Sheet;
  const bars = model.lines.filter((line) => line.s).flatMap((line) => line.s);
  const ends = [...bars, ...model.anchors.map((anchor) => anchor[2]).filter((day) => day !== null)];
  if (!ends.length) return;
  const room = byId("sheet").clientWidth - columnWidth() - 60;
  const length = Math.max(...ends) - Math.min(...ends) + 1;
  const per = model.minutes && !model.dates ? 40 : 1;
  Sheet.px = Math.min(Math.max(Math.floor((room * per * 20) / length) / 20, 0.2), model.dates && model.minutes ? 960 : 36);
  Sheet.drawField();
  byId("sheet").scrollLeft = Math.max(0, X(Math.min(...ends)) - 24);
};

// The first anchor in sight, with what comes before it.
Sheet.toAnchor = function toAnchor() {
  const sheet = byId("sheet");
  const anchor = Sheet.model.anchors.find((one) => one[2] !== null);
  if (!sheet || !anchor) return;
  const room = sheet.clientWidth - columnWidth();
  const bars = Sheet.model.lines.filter((line) => line.s).map((line) => line.s[0]);
  const first = Math.min(...bars, ...(bars.length && Sheet.model.dates ? [] : [anchor[2]]));
  if (Sheet.model.dates) {
    sheet.scrollLeft = Math.max(0, X(first) - 40);
    return;
  }
  const x = X(anchor[2]);
  sheet.scrollLeft = Math.max(0, x - X(first) < room - 80 ? X(first) - 40 : x - room * 0.85);
};
