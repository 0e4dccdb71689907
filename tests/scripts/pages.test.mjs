// What the pages' scripts decide: what the whole field is counted from, and where its numbers stand.
import assert from "node:assert/strict";
import test from "node:test";
import { countWords, numbers, stepOf, weeksOf, zeroOf } from "../../src/unisequa/web/static/template/outline.js";

const model = { first: -62, anchors: [["later", "Later", null], ["open", "Opening", 0], ["close", "Closing", 30]] };
const words = (of, scale, reach, zero) => numbers(of, scale, reach, zero).match(/>([^<]+)</g).map((found) => found.slice(1, -1));

test("the field is counted from one anchor: the one chosen, or the first that has a place", () => {
  assert.deepEqual(["", "close", "later", "gone"].map((key) => zeroOf(model, key)), [0, 30, 0, 0]);
  assert.equal(zeroOf({ anchors: [] }, ""), 0);
});

test("what stands at minus sixty is under minus sixty, whatever other anchors there are", () => {
  const shown = words(model, { first: -62, px: 15 }, 100, 0);
  assert.deepEqual([shown[0], shown.includes("0"), shown[shown.length - 1]], ["−60", true, "+35"]);
  assert.equal(words(model, { first: -62, px: 15 }, 100, 30)[0], "−90");
});

test("numbers stand as close as there is room, in hours and minutes where the job is one of hours", () => {
  assert.deepEqual([36, 15, 4, 1, 0.2].map((px) => stepOf(false, px)), [1, 5, 10, 50, 200]);
  assert.deepEqual(words({ minutes: true, first: -95, anchors: [] }, { first: -95, px: 3.5 }, 60, 0), ["−1h 30m", "−1h 15m", "−1h", "−45m"]);
  assert.deepEqual([0, 12, -3].map((n) => countWords(n, false)), ["0", "+12", "−3"]);
});

test("weeks are five working days from where one counts, and fewer lines where they would be a grey wall", () => {
  assert.deepEqual(weeksOf({ first: -10 }, 21, 0, 15), [-10, -5, 0, 5, 10]);
  assert.deepEqual(weeksOf({ first: -60, minutes: true }, 121, 0, 1), [-60, 0, 60]);
  assert.equal(weeksOf({ first: 0 }, 400, 0, 1).length, 8);
});
