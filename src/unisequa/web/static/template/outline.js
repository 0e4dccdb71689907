// Slots counted from one anchor: the weeks and the numbers of a template's field without dates.
import { xOf } from "../drawing/scale.js";

/** The least room between two numbers, in pixels. */
const APART = 26;
const WEEK = 5;
const HOUR = 60;

/**
 * The anchor that everything is counted from: the one chosen, or the first that has a place.
 * @param {any} model @param {string} [chosen]  Its key.
 * @returns {[string, string, number] | null} Its key, its name and its slot.
 */
export function anchorOf(model, chosen) {
  const there = model.anchors.filter((/** @type {any} */ anchor) => anchor[2] !== null);
  return there.find((/** @type {any} */ anchor) => anchor[0] === chosen) || there[0] || null;
}

/** The slot that is counted from. @param {any} model @param {string} [chosen] */
export function zeroOf(model, chosen) {
  const anchor = anchorOf(model, chosen);
  return anchor ? anchor[2] : 0;
}

/** Every how many slots there is a number. @param {boolean} hours @param {number} px  Pixels a slot. */
export function stepOf(hours, px) {
  const steps = hours ? [5, 15, 30, HOUR, 2 * HOUR, 6 * HOUR, 12 * HOUR, 24 * HOUR] : [1, 5, 10, 20, 50, 100, 200, 500];
  return steps.find((step) => step * px >= (hours && step < HOUR ? 2 : 1) * (step === 1 ? 22 : APART)) || steps[steps.length - 1];
}

/** Where weeks of five working days (or whole hours) begin, or where there is no room for each, several of them. @param {any} model @param {number} reach @param {number} zero @param {number} px */
export function weeksOf(model, reach, zero, px) {
  const found = [];
  const step = Math.max(stepOf(model.minutes, px), model.minutes ? HOUR : WEEK);
  for (let slot = zero + Math.ceil((model.first - zero) / step) * step; slot < model.first + reach; slot += step) found.push(slot);
  return found;
}

/**
 * A count as the head and a bar being dragged say it: `−3`, `0`, `+12`; of minutes `−1h 30m`.
 * @param {number} n @param {boolean} hours
 */
export function countWords(n, hours) {
  if (n === 0) return "0";
  const sign = n > 0 ? "+" : "−";
  const size = Math.abs(n);
  if (!hours) return sign + size;
  const whole = Math.floor(size / HOUR);
  return sign + [whole ? `${whole}h` : "", size % HOUR ? `${size % HOUR}m` : ""].filter(Boolean).join(" ");
}

/**
 * Working days, or hours, counted from the anchor: every one, or every so many as there is room for.
 * @param {any} model @param {import("../drawing/scale.js").Scale} scale @param {number} reach @param {number} zero
 */
export function numbers(model, scale, reach, zero) {
  const { minutes } = model;
  const step = stepOf(minutes, scale.px);
  const beside = !minutes && step > 1; // no wider than its day, a number stands behind the line of its week
  let out = "";
  for (let slot = zero + Math.ceil((model.first - zero) / step) * step; slot < model.first + reach; slot += step) {
    const n = slot - zero;
    const x = beside ? xOf(scale, slot) + 3 : xOf(scale, slot + (minutes ? 0 : 0.5));
    out += `<text class="dn${beside ? "" : " mid"}${n % (minutes ? HOUR : WEEK) ? " rest" : ""}" x="${x}" y="51">${countWords(n, minutes)}</text>`;
  }
  return out;
}
