// A link drawn from the end of one run to another, which is then to wait for it; which tasks is chosen on its own page.
import { fieldPoint, follow } from "../drawing/drag.js";
import { ROW, xOf } from "../drawing/scale.js";
import { element } from "../drawing/svg.js";
import { byId } from "../dom.js";
import { tell } from "./told.js";

/** @typedef {import("./marks.js").Run} Run @typedef {import("./rows.js").Item} Item */

/**
 * Choose which task of the one waits for which of the other. @param {Run} source @param {Run | undefined} target
 */
export function goWait(source, target) {
  if (!target || target.id === source.id) return tell(["A run does not wait for itself; choose another."]);
  if (target.c === "over") return tell([`${target.n} is over, so it waits for nothing.`]);
  location.assign(`${document.body.dataset.root}horizon/wait?of=${source.id}&run=${target.id}`);
  return undefined;
}

/**
 * @param {{ items: Item[], runs: Map<number, Run>, scale: import("../drawing/scale.js").Scale, selected: string, drawing: boolean, select: (id: string) => void }} page
 * @param {PointerEvent} event @param {number} id
 */
export function drawWait(page, event, id) {
  const source = page.runs.get(id);
  const from = page.items.find((one) => one.kind === "run" && one.of === id);
  if (!source || !from || source.l === null) return;
  const over = element("g");
  byId("field").append(over);
  page.drawing = true;
  const start = [xOf(page.scale, source.l) + 9, from.y + ROW / 2];
  const aim = (/** @type {PointerEvent} */ next) => {
    const { y } = fieldPoint(next);
    const item = page.items.find((one) => one.kind === "run" && y >= one.y && y < one.y + one.height);
    return item && { item, run: page.runs.get(item.of) };
  };
  const draw = (/** @type {PointerEvent} */ next) => {
    const { x, y } = fieldPoint(next);
    over.innerHTML = `<path class="aimline" d="M${start[0]} ${start[1]}L${x} ${y}"/>`;
    const there = aim(next);
    page.select(there ? there.item.id : "");
    const words = there && there.run && there.run.id !== id ? `${there.run.n} waits for ${source.n}` : `A run that waits for ${source.n}`;
    tell([words, "Let go on its row to choose which task waits for which."], next.clientX, next.clientY);
  };
  follow(event, draw, (next) => {
    over.remove();
    page.drawing = false;
    tell([]);
    page.select(page.selected);
    const there = next && aim(next);
    if (there && there.run && there.run.id !== id) goWait(source, there.run);
  }, { across: true });
}
