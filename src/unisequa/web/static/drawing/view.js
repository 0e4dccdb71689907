// The part of the sheet in sight, in pixels, and the part that has its bars and links drawn: some screens more.
import { columnWidth } from "./columns.js";
import { HEAD, ROW } from "./scale.js";

const AHEAD = 40 * ROW;

export class View {
  constructor() {
    Object.assign(this, { top: 0, height: 800, width: 0, from: 0, to: 0 });
    this.top = 0;
    this.height = 800;
    this.width = 0;
    this.from = 0;
    this.to = 0;
  }

  /**
   * Look on from now.
   * @param {HTMLElement} sheet
   * @param {{ resized: () => void, scrolled: () => void, tall: () => number }} told  What is to be done when it has
   *   another size, or when what is drawn is nearly scrolled out; and how tall the whole field is.
   */
  watch(sheet, { resized, scrolled, tall }) {
    const looked = () => {
      const { height, width } = this;
      this.measure(sheet);
      if (this.height !== height || this.width !== width) resized();
      else if (this.top - this.from < AHEAD / 2 && this.from > 0) scrolled();
      else if (this.to - this.top - this.height < AHEAD / 2 && this.to < tall()) scrolled();
    };
    sheet.addEventListener("scroll", looked, { passive: true });
    new ResizeObserver(looked).observe(sheet);
    this.measure(sheet);
  }

  /** @param {HTMLElement} sheet */
  measure(sheet) {
    this.top = sheet.scrollTop;
    this.height = sheet.clientHeight;
    this.width = Math.max(sheet.clientWidth - columnWidth(), 0);
  }

  /** What is drawn from here on: what is in sight, and some screens above and below. @param {number} [ahead] */
  reach(ahead = AHEAD) {
    this.from = Math.max(this.top - ahead, 0);
    this.to = this.top + this.height + ahead;
  }

  /** Whether a row, or all between two, is drawn. @param {number} a @param {number} [b] */
  has(a, b = a) {
    return Math.max(a, b) + ROW >= this.from && Math.min(a, b) <= this.to;
  }
}

/**
 * A bar brought into sight; it stays where it is while it is there.
 * @param {HTMLElement} sheet @param {number} x @param {number} [width]
 */
export function bringIn(sheet, x, width = 0) {
  const room = sheet.clientWidth - columnWidth();
  if (room < 60) return;
  const left = sheet.scrollLeft;
  if (x < left + 24 || x + Math.min(width, 160) > left + room - 24) sheet.scrollLeft = Math.max(0, x - room / 3);
}

/** Bands behind rows. @param {Iterable<number>} tops @param {number} width @param {number} [height] */
export const bands = (tops, width, height = ROW) => [...tops].map((y) => `<rect class="selrow" x="0" y="${y}" width="${width}" height="${height}"/>`).join("");

/** How far down the rows begin below the head. */
export const BELOW_HEAD = HEAD;
