// Joiners and leavers: the drawn side of the page.
import { widening } from "../drawing/columns.js";
import { RunField } from "../drawing/field.js";

const field = new RunField();
document.addEventListener("pointerdown", (event) => {
  const edge = /** @type {any} */ (event.target).closest?.(".edge");
  if (edge) widening(event, edge);
});
if (field.there) {
  field.take("month", "");
  field.toDay();
}
document.body.dataset.ready = "yes";
