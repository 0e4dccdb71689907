// Pieces of a drawing, kept one by one and only touched where they have changed: a key must be answered at once.

/** @type {Record<string, string>} */
const ENTITIES = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" };

/** A text as it may stand in markup. @param {unknown} text */
export const esc = (text) => String(text).replace(/[&<>"]/g, (c) => ENTITIES[c]);

/** An SVG element. @param {string} name @param {Record<string, string | number>} attributes */
export function element(name, attributes = {}) {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, String(value));
  return made;
}

/** An SVG so large; one that is has all its words laid out again where it is only told so. @param {Element} svg @param {Record<string, number>} size */
export function sized(svg, size) {
  for (const [name, value] of Object.entries(size)) if (svg.getAttribute(name) !== String(value)) svg.setAttribute(name, String(value));
}

/**
 * @typedef {{ id: string, y: number, of: unknown, html: () => string }} Wanted
 *   A piece that is to be there: in which row, and what it is of; only where that is another, it is drawn anew.
 */

/** Groups of one box by their ids, each in its row. */
export class Pieces {
  /** @param {Element} box */
  constructor(box) {
    this.box = box;
    /** @type {Map<string, { element: Element, of: unknown, html: string, y: number }>} */
    this.kept = new Map();
    box.replaceChildren();
  }

  /** Have these pieces in the box and no others. @param {Iterable<Wanted>} wanted */
  update(wanted) {
    const seen = new Set();
    for (const { id, y, of, html } of wanted) {
      seen.add(id);
      let piece = this.kept.get(id);
      if (!piece) {
        piece = { element: element("g"), of: undefined, html: "", y: -1 };
        this.kept.set(id, piece);
        this.box.append(piece.element);
      }
      if (piece.of !== of) {
        const drawn = html();
        if (piece.html !== drawn) piece.element.innerHTML = drawn;
        Object.assign(piece, { of, html: drawn });
      }
      if (piece.y !== y) {
        piece.element.setAttribute("transform", `translate(0 ${y})`);
        piece.y = y;
      }
    }
    for (const [id, piece] of this.kept) {
      if (seen.has(id)) continue;
      piece.element.remove();
      this.kept.delete(id);
    }
  }

  /** What was moved by hand is drawn anew the next time. @param {Iterable<string>} ids */
  stale(ids) {
    for (const id of ids) {
      const piece = this.kept.get(id);
      if (piece) Object.assign(piece, { of: undefined, html: "" });
    }
  }
}
