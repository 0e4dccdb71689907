// Links right-angled with round corners, from the end that binds to the one that is bound.
import { element } from "./svg.js";

/**
 * @typedef {{ x: number, end: number, y: number, ms?: boolean }} Ends
 *   Where a mark begins and ends, the middle of its row, and whether it is a milestone.
 * @typedef {{ source: string, target: string, type: string, a: Ends, b: Ends }} Joined
 */

const ROUND = 4;
const HALF = 7; // half a bar's height

/** A link's path and its arrow head. @param {Ends} a @param {Ends} b @param {string} type @returns {[string, string]} */
export const path = (a, b, type) => (type === "FS" ? route(a, b) : around(a, b, type));

/** @param {Ends} a @param {Ends} b @returns {[string, string]} */
function route(a, b) {
  const down = b.y >= a.y ? 1 : -1;
  const r = ROUND;
  const edge = b.y - down * (b.ms ? 8 : HALF);
  const into = b.ms ? b.x : b.x + 6;
  if (into >= a.end + r) {
    return [`M${a.end} ${a.y}H${into - r}q${r} 0 ${r} ${down * r}V${edge - down * 3}`, `M${into - 3} ${edge - down * 4}h6l-3 ${down * 4}z`];
  }
  if (b.ms && b.x > a.end - 4 * HALF) { // on the day the source ends: straight from its underside
    return [`M${b.x} ${a.y + down * HALF}V${edge - down * 3}`, `M${b.x - 3} ${edge - down * 4}h6l-3 ${down * 4}z`];
  }
  const out = a.end + 6;
  const side = b.x - 8;
  const lane = a.y + down * 15;
  return [
    `M${a.end} ${a.y}H${out - r}q${r} 0 ${r} ${down * r}V${lane - down * r}q0 ${down * r} ${-r} ${down * r}H${side + r}q${-r} 0 ${-r} ${down * r}V${b.y - down * r}q0 ${down * r} ${r} ${down * r}H${b.x - 3}`,
    `M${b.x - 4} ${b.y - 3}v6l4 -3z`,
  ];
}

/** Out at the side that the link binds, in at the side it bounds. @param {Ends} a @param {Ends} b @param {string} type @returns {[string, string]} */
function around(a, b, type) {
  const x1 = type[0] === "F" ? a.end : a.x;
  const x2 = type[1] === "F" ? b.end : b.x;
  const into = type[1] === "F" ? 1 : -1;
  const down = b.y >= a.y ? 1 : -1;
  const lane = into > 0 ? Math.max(x1, x2) + 9 : Math.min(x1, x2) - 9;
  return [
    `M${x1} ${a.y}H${lane - into * 4}q${into * 4} 0 ${into * 4} ${down * 4}V${b.y - down * 4}q0 ${down * 4} ${-into * 4} ${down * 4}H${x2 + into * 3}`,
    `M${x2 + into * 4} ${b.y - 3}v6l${-into * 4} -3z`,
  ];
}

/** The links in a box, each touched only where its path is another. */
export class Links {
  /** @param {Element} box */
  constructor(box) {
    this.box = box;
    /** @type {Map<string, { line: Element, tip: Element, path: string }>} */
    this.kept = new Map();
    /** @type {Map<string, Element[]>} */
    this.byKey = new Map();
    box.replaceChildren();
  }

  /** Have these links in the box and no others. @param {Iterable<Joined>} wanted */
  update(wanted) {
    const seen = new Set();
    let changed = false;
    for (const { source, target, type, a, b } of wanted) {
      const name = `${source} ${target} ${type}`;
      seen.add(name);
      const [line, tip] = path(a, b, type);
      let piece = this.kept.get(name);
      if (!piece) {
        const keys = `${source} ${target}`;
        piece = { line: element("path", { class: "lk", "data-l": keys }), tip: element("path", { class: "lt", "data-l": keys }), path: "" };
        this.kept.set(name, piece);
        this.box.append(piece.line, piece.tip);
        changed = true;
      }
      if (piece.path !== line + tip) {
        piece.line.setAttribute("d", line);
        piece.tip.setAttribute("d", tip);
        piece.path = line + tip;
      }
    }
    for (const [name, piece] of this.kept) {
      if (seen.has(name)) continue;
      piece.line.remove();
      piece.tip.remove();
      this.kept.delete(name);
      changed = true;
    }
    if (changed) this.sort();
  }

  sort() {
    this.byKey = new Map();
    for (const line of /** @type {Iterable<SVGElement>} */ (this.box.children)) {
      for (const key of (line.dataset.l || "").split(" ")) this.byKey.set(key, [...(this.byKey.get(key) || []), line]);
    }
  }

  /** The links of one row in full ink, and no others. @param {string} key */
  light(key) {
    for (const line of this.box.querySelectorAll(".on")) line.classList.remove("on");
    for (const line of this.byKey.get(key) || []) line.classList.add("on");
  }

  /** The links that drive a task, heavy. @param {Set<string>} pairs  As `source target`. */
  chain(pairs) {
    for (const line of this.box.querySelectorAll(".hang")) line.remove();
    for (const line of /** @type {Iterable<SVGElement>} */ (this.box.children)) line.classList.toggle("drives", pairs.has(line.dataset.l || ""));
  }

  /** From an anchor's plumb line to what it holds. @param {number} x @param {Ends} ends */
  hang(x, ends) {
    const to = x <= ends.x ? ends.x : ends.end;
    this.box.append(element("path", { class: "hang", d: `M${x} ${ends.y}H${to}` }));
  }
}
