// Rows of a sheet that give way to others: they go as one, and those that nobody sees before the answer is there.
import { all, byId, find, unwatched } from "../dom.js";

/** Rows put aside, each twenty-five by the empty element that keeps their place. @type {Map<Element, Element>} */
const aside = new Map();
const RETURNS = ["scroll", "wheel", "keydown", "pointerdown"];

/** What was put aside stands where it stood, if it was put aside. */
export function rowsBack() {
  unwatched(() => { for (const [place, rows] of aside) place.replaceWith(rows); });
  forgotten();
}

function forgotten() {
  for (const kind of RETURNS) removeEventListener(kind, rowsBack, { capture: true });
  aside.clear();
}

/**
 * While the server works out a shift: rows and bars out of sight are taken out of the page, where they would give way to
 * the table of changes anyway, which for 500 rows takes as long as showing it. They are back as soon as anything else is
 * done; bars, when one scrolls.
 * @param {import("../drawing/field.js").RunField} field
 */
export function rowsAside(field) {
  const sheet = byId("sheet");
  if (!sheet || aside.size) return;
  const { top, bottom } = sheet.getBoundingClientRect();
  const far = all("#rows-of-tasks > .some").map((rows) => ({ rows, box: rows.getBoundingClientRect() }))
    .filter(({ rows, box }) => (box.bottom < top || box.top > bottom) && !rows.contains(document.activeElement));
  unwatched(() => {
    for (const { rows, box } of far) {
      const place = document.createElement("div");
      place.style.height = `${box.height}px`;
      aside.set(place, rows);
      rows.replaceWith(place);
    }
  });
  field.drawMarks(0);
  for (const kind of far.length ? RETURNS : []) addEventListener(kind, rowsBack, { capture: true, passive: true });
}

// Nothing looks through rows that give way: the sheet's for the table of changes, and the table for the sheet.
document.addEventListener("htmx:before:swap", (/** @type {any} */ event) => {
  const task = event.detail.tasks.find((/** @type {any} */ one) => one.fragment && one.fragment.querySelector("#work"));
  const rows = task && find("#work .rows");
  if (!rows) return;
  if (task.fragment.querySelector(`[id="${rows.id}"]`)) return rowsBack();
  forgotten();
  unwatched(() => rows.remove());
});
