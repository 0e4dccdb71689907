// What the pages' scripts decide: where a bar lands, what a slot is counted from.
import assert from "node:assert/strict";
import test from "node:test";
import { numbers, weeksOf, zeroOf } from "../../src/unisequa/web/static/template/outline.js";

const model = { first: -10, anchors: [["open", "Opening", 0], ["close", "Closing", 30], ["later", "Later", null]] };

test("a slot is counted from the anchor before it, shortly before one from that one, and before all from the first", () => {
  assert.deepEqual([-7, 0, 12, 26, 30, 40].map((slot) => zeroOf(model, slot)), [0, 0, 0, 30, 30, 30]);
  assert.equal(zeroOf({ ...model, minutes: true }, 40), 0);
});

test("weeks are five working days from their anchor, and hours sixty minutes", () => {
  assert.deepEqual(weeksOf(model, 21), [-10, -5, 0, 5, 10]);
  assert.deepEqual(weeksOf({ ...model, minutes: true, first: -60 }, 121), [-60, 0, 60]);
});

test("numbers stand where there is room for them, with their sign", () => {
  const shown = numbers(model, { first: -10, px: 15 }, 15, 21).match(/>([^<]+)</g);
  assert.deepEqual(shown, [">−10<", ">−5<", ">0<", ">+5<", ">+10<"]);
  assert.match(numbers({ ...model, minutes: true, first: 0 }, { first: 0, px: 1 }, 40, 61), />\+1 h</);
});
