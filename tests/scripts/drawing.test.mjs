// What decides where something is drawn or what is hit: scale, room for words, links, bars, keys.
import assert from "node:assert/strict";
import test from "node:test";
import { drawn } from "../../src/unisequa/web/static/drawing/bars.js";
import { dates, daysOff, mondays, plumbHeads } from "../../src/unisequa/web/static/drawing/head.js";
import { shove, stepped } from "../../src/unisequa/web/static/drawing/keys.js";
import { path } from "../../src/unisequa/web/static/drawing/links.js";
import { apart, barOf, dayWords, fitting, isoOf, placed, slotAt, xOf } from "../../src/unisequa/web/static/drawing/scale.js";
import { esc } from "../../src/unisequa/web/static/drawing/svg.js";

const MONDAY = 739768; // 1 June 2026
const scale = { first: MONDAY, px: 24 };

test("a day stands where its number puts it, and a place gives its day back", () => {
  assert.equal(xOf(scale, MONDAY + 2), 48);
  assert.equal(slotAt(scale, 48), MONDAY + 2);
  assert.equal(isoOf(MONDAY), "2026-06-01");
  assert.equal(dayWords(MONDAY), "Mon 1 Jun");
});

test("a bar covers its days and is never too narrow to be seen", () => {
  assert.deepEqual(barOf(scale, [MONDAY, MONDAY + 3]), [0, 72]);
  assert.deepEqual(barOf({ first: 0, px: 0.1 }, [10, 11]), [1, 4]);
});

test("words in the head run over no other line or word, and of two at one place the first gets room", () => {
  const lines = [["anchor", 200, "Opening night"], ["label", 290, "Doors open"], ["label", 201, "Press view"], ["label", 900, "out"]];
  const shown = placed(lines.map(([kind, x, text]) => ({ kind, x, text })), 400);
  assert.deepEqual(shown.map(({ text, shown: room, end }) => [text, room || false, end || false]), [
    ["Opening night", true, true], ["Doors open", true, false], ["Press view", false, false],
  ]);
});

test("no two months run into each other, and the first of one beats the middle of another", () => {
  const ticks = [{ x: 0, text: "May", off: true }, { x: 40, text: "June" }, { x: 500, text: "June again", off: true }, { x: 560, text: "July" }];
  assert.deepEqual(apart(ticks, 96).map((tick) => tick.text), ["June", "July"]);
});

test("the widest zoom that still has room is taken, and the least where none has", () => {
  assert.equal(fitting([4, 8, 15, 24], 40, 640), 15);
  assert.equal(fitting([4, 8], 1000, 100), 4);
});

test("weeks begin on Mondays, and a day off is told by its name and dimmed in the head", () => {
  assert.deepEqual(mondays(MONDAY - 1, 9), [MONDAY, MONDAY + 7]);
  assert.match(daysOff(scale, [[MONDAY + 4, 1, "House <closed>"]], 0, 30), /class="named" x="96".*House &lt;closed&gt;/);
  const head = dates(scale, 14, [[MONDAY + 5, 2, ""]]);
  const dimmed = head.match(/<text class="dn mid rest"[^>]*>(.*?)<\/text>/)?.[1];
  assert.equal(dimmed, '<tspan x="132">6</tspan><tspan x="156">7</tspan>');
  assert.match(head, /June 2026/);
  assert.doesNotMatch(dates({ first: MONDAY, px: 11 }, 14, []), /class="let/);
});

test("a plumb line without room keeps its word for its title", () => {
  const out = plumbHeads([{ kind: "anchor", x: 10, text: "Opening & closing" }], 100);
  assert.match(out, /<title>Opening &amp; closing<\/title>/);
  assert.doesNotMatch(out, /<text/);
});

const p = { x: 10, end: 50, y: 15 };
const s = { x: 100, end: 140, y: 45 };
for (const [type, begins, ends] of [["FS", 50, 100], ["SS", 10, 100], ["FF", 50, 140], ["SF", 10, 140]]) {
  test(`a link ${type} leaves the end it binds and enters the end it bounds`, () => {
    const [line, tip] = path(p, s, type);
    assert.ok(line.startsWith(`M${begins} 15`), line);
    assert.ok(Math.abs(Number(tip.slice(1).split(" ")[0]) - ends) <= 8, tip);
  });
}

test("a link into a bar that begins earlier goes round, one into a milestone below straight down", () => {
  assert.match(path(p, { x: 20, end: 60, y: 45 }, "FS")[0], /^M50 15H52.*H17$/);
  assert.match(path(p, { x: 50, end: 50, y: 45, ms: true }, "FS")[0], /^M50 22V34$/);
});

const bar = { key: "a", shape: "bar", x: 24, width: 48, state: "waiting" };

test("a bar shows what it is: its state, slack, lateness, where it stood before", () => {
  assert.match(drawn(bar), /class="bar waiting" x="25" y="8" width="46"/);
  assert.match(drawn({ ...bar, state: "under-way" }), /class="begun" x="25" y="8" width="19.2"/);
  assert.match(drawn({ ...bar, slackTo: 120 }), /class="slack" d="M74 15H120"/);
  assert.doesNotMatch(drawn({ ...bar, slackTo: 73 }), /slack/);
  assert.match(drawn({ ...bar, late: true, critical: true }), /lateline.*|crit.*lateline/);
  assert.match(drawn({ ...bar, ghost: [0, 48], moved: true }), /class="ghost" x="0".*class="garrow" d="M0 4.5H24"/);
  assert.doesNotMatch(drawn(bar), /grip|knob/);
});

test("a milestone stands in its own middle, its word beside it and made harmless", () => {
  const out = drawn({ key: "m", shape: "milestone", x: 60, width: 0, state: "done", label: "<b>" });
  assert.match(out, /class="ms done" d="M60 7.5/);
  assert.match(out, /x="71" y="19.5">&lt;b&gt;<\/text>/);
  assert.match(out, /class="hit" x="52" y="3" width="16"/);
});

test("keys step through rows and stop at their ends; Alt and an arrow shoves a bar", () => {
  assert.deepEqual([stepped("ArrowDown", 2, 3), stepped("PageUp", 4, 20), stepped("End", 0, 7), stepped("x", 1, 3)], [2, 0, 6, -1]);
  assert.equal(shove({ altKey: true, key: "ArrowLeft" }), -1);
  assert.equal(shove({ altKey: false, key: "ArrowLeft" }), 0);
});

test("a text is made harmless before it stands in markup", () => {
  assert.equal(esc('<a title="x&y">'), "&lt;a title=&quot;x&amp;y&quot;&gt;");
});
