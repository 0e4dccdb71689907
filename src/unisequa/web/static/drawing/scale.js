// Days across: from a day (or a minute of an outline) to a place in the field, in pixels.

/** Height of a row and of the head, and the width of a character of the head's narrow face, in pixels. */
export const ROW = 30;
/** A row where one compares. */
export const CLOSE = 24;
export const HEAD = 58;
export const CHARACTER = 6.4;
/** The least width of a bar: it can still be seen. */
export const NARROWEST = 4;

/**
 * @typedef {{ first: number, px: number }} Scale  The first slot of the field, and how many pixels a slot is wide.
 * @typedef {{ x: number, text: string, off?: boolean }} Tick  A word in the head.
 * @typedef {{ kind: string, x: number, text: string, low?: boolean, shown?: boolean, end?: boolean, key?: string, brief?: string, said?: string }} Line
 *   A line of full height; `low` has its word in the lower row of the head, `shown` has room for it, `end` to its left; `brief` is said instead where only that has room.
 */

/** Where a slot begins. @param {Scale} scale @param {number} slot */
export const xOf = (scale, slot) => Math.round((slot - scale.first) * scale.px * 10) / 10;

/** The slot that a place lies in, not rounded. @param {Scale} scale @param {number} x */
export const slotAt = (scale, x) => scale.first + x / scale.px;

/** Where a bar is and how wide. @param {Scale} scale @param {[number, number]} span @returns {[number, number]} */
export const barOf = (scale, [start, finish]) => {
  const x = xOf(scale, start);
  return [x, Math.max(Math.round((xOf(scale, finish) - x) * 10) / 10, NARROWEST)];
};

/** A day's number as a date at midnight UTC; 719163 is 1 January 1970. @param {number} ordinal */
export const dateOf = (ordinal) => new Date((ordinal - 719163) * 86400000);

/** `2027-01-25`. @param {number} ordinal */
export const isoOf = (ordinal) => dateOf(ordinal).toISOString().slice(0, 10);

/** `2027-01-25T19:30`: a place within days, to the minute. @param {number} day */
export const timeOf = (day) => new Date(Math.round((day - 719163) * 1440) * 60000).toISOString().slice(0, 16);

const DAY = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });
const MONTH = new Intl.DateTimeFormat("en-GB", { month: "long", year: "numeric", timeZone: "UTC" });

/** `Mon 25 Jan`. @param {number} ordinal */
export const dayWords = (ordinal) => DAY.format(dateOf(ordinal));

/** `January 2027`. @param {number} ordinal */
export const monthWords = (ordinal) => MONTH.format(dateOf(ordinal));

/**
 * Ticks without those that would run into the next one, or into the first of a month.
 * @param {Tick[]} ticks @param {number} least
 */
export function apart(ticks, least) {
  /** @type {Tick[]} */
  const kept = [];
  for (const tick of ticks) {
    while (kept.length && tick.x - kept[kept.length - 1].x < least && !tick.off) kept.pop();
    if (!kept.length || tick.x - kept[kept.length - 1].x >= (tick.off ? 3 * least : least)) kept.push(tick);
  }
  return kept;
}

/**
 * Lines with room for their words found, in the order in which they are given; who finds none keeps it for its tooltip.
 * @param {Line[]} lines @param {number} width
 */
export function placed(lines, width) {
  /** @type {Record<string, [number, number, Line][]>} */
  const taken = { high: [], low: [] };
  const row = (/** @type {Line} */ line) => taken[line.low ? "low" : "high"];
  const within = lines.filter((line) => line.x >= 0 && line.x <= width);
  for (const line of within) row(line).push([line.x - 5, line.x + 5, line]);
  const own = (/** @type {Line} */ line, /** @type {Line} */ whose) => whose === line || (!whose.shown && Math.abs(whose.x - line.x) < 6);
  for (const line of within) {
    const words = line.brief ? [line.text, line.brief] : [line.text];
    const sides = words.flatMap((text) => {
      const length = text.length * CHARACTER + 12;
      return [{ a: line.x - 4, b: line.x + length, end: false, text }, { a: line.x - length, b: line.x + 4, end: true, text }];
    });
    for (const { a, b, end, text } of sides) {
      if (a < -6 || b > width + 6 || row(line).some(([c, d, whose]) => !own(line, whose) && b > c && a < d)) continue;
      row(line).push([a, b, line]);
      Object.assign(line, { shown: true, end, said: text });
      break;
    }
  }
  return within;
}

/** From where to where the words at the top of a head reach. @param {Line[]} lines @returns {[number, number][]} */
export function wordsReach(lines) {
  const words = lines.filter((line) => line.shown && !line.low);
  return words.map(({ x, end, said = "" }) => {
    const length = said.length * CHARACTER + 12;
    return end ? [x - length, x + 5] : [x - 5, x + length];
  });
}

/** The widest zoom in which a length still has room, or the least there is. @param {number[]} zooms @param {number} length @param {number} room */
export const fitting = (zooms, length, room) => Math.max(...zooms.filter((px) => length * px <= room), zooms[0]);
