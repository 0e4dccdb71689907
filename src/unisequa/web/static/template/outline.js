// Slots counted from anchors: the weeks and the numbers of a template's field without dates.
import { xOf } from "../drawing/scale.js";

/**
 * The anchor that a slot is counted from: the nearest at or before it, the first before that.
 * @param {any} model @param {number} slot
 */
export function zeroOf(model, slot) {
  if (model.minutes) return model.anchors.length ? model.anchors[0][2] || 0 : 0;
  const days = model.anchors.map((anchor) => anchor[2]).filter((at) => at !== null).sort((a, b) => a - b);
  if (days.includes(slot)) return slot;
  let zero = days.length ? days[0] : 0;
  for (const at of days) if (at - 5 <= slot) zero = at;
  return zero;
}

/** Where weeks of five working days (or whole hours) begin. @param {any} model @param {number} reach */
export function weeksOf(model, reach) {
  const found = [];
  for (let slot = Math.ceil(model.first); slot < model.first + reach; slot += 1) {
    if ((slot - zeroOf(model, slot)) % (model.minutes ? 60 : 5) === 0) found.push(slot);
  }
  return found;
}

/**
 * Working days counted from the anchors: every fifth, or every one where there is room.
 * @param {any} model @param {import("../drawing/scale.js").Scale} scale @param {number} zoom @param {number} reach
 */
export function numbers(model, scale, zoom, reach) {
  let out = "";
  let last = -1e9;
  const hours = model.minutes;
  const every = hours ? 60 : zoom >= 22 ? 1 : zoom >= 9 ? 5 : 10;
  for (let slot = Math.ceil(model.first); slot < model.first + reach; slot += 1) {
    const n = slot - zeroOf(model, slot);
    if (n % every || (n && xOf(scale, slot) - last < 24)) continue;
    last = xOf(scale, slot);
    const shown = hours ? n / 60 : n;
    const text = (n === 0 ? "0" : n > 0 ? `+${shown}` : `−${-shown}`) + (hours ? " h" : "");
    const beside = !hours && zoom < 22; // no wider than its day, a number stands behind the line of its week
    out += `<text class="dn${beside ? "" : " mid"}${n % 5 ? " rest" : ""}" x="${beside ? last + 3 : xOf(scale, slot + 0.5)}" y="51">${text}</text>`;
  }
  return out;
}
