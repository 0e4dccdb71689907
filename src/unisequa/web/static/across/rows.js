// Rows of many runs, of which only those in sight are there: where each lies, and the elements of those.
import { ROW } from "../drawing/scale.js";

/**
 * @typedef {object} Item
 * @property {"group" | "run" | "packed"} kind
 * @property {string} id
 * @property {string} label
 * @property {number} count
 * @property {any} of  The group, or the number of the run.
 * @property {number} y
 * @property {number} height
 */

const NARROW = 760;
const TALL = 58;
const LANE = 12;

export const narrow = () => innerWidth <= NARROW;

/** The rows of groups of runs, one below the other. @param {any} model @returns {Item[]} */
export function itemsOf(model) {
  const tall = narrow() ? TALL : ROW;
  /** @type {Item[]} */
  const items = [];
  let y = 0;
  /** @param {Omit<Item, "y">} item */
  const put = (item) => {
    items.push({ ...item, y });
    y += item.height;
  };
  model.groups.forEach((/** @type {any} */ group, /** @type {number} */ g) => {
    const head = { id: `g${g}`, label: group.label, count: group.ids.length, of: group };
    if (model.packed) {
      const lanes = Math.max(1, ...group.runs.map((/** @type {any} */ run) => run[5] + 1));
      put({ ...head, kind: "packed", height: Math.max(ROW, lanes * LANE + 10) });
      return;
    }
    if (group.label) put({ ...head, kind: "group", height: ROW });
    for (const id of group.ids) put({ kind: "run", id: `${g}-${id}`, label: "", count: 0, of: id, height: tall });
  });
  return items;
}

/** The items between two heights. @param {Item[]} items @param {number} from @param {number} to */
export function within(items, from, to) {
  let low = 0;
  let high = items.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (items[middle].y + items[middle].height < from) low = middle + 1;
    else high = middle;
  }
  const found = [];
  for (let i = low; i < items.length && items[i].y <= to; i += 1) found.push(items[i]);
  return found;
}

/** Elements by their ids, kept while they are in sight. */
export class Elements {
  /** @param {HTMLElement} box @param {(item: Item) => { fill: (row: HTMLElement) => void, of: unknown, className: string }} made */
  constructor(box, made) {
    this.box = box;
    this.made = made;
    /** @type {Map<string, { element: HTMLElement, of: unknown }>} */
    this.kept = new Map();
    box.replaceChildren();
  }

  /** @param {Item[]} items */
  update(items) {
    const seen = new Set(items.map((item) => item.id));
    const spare = [];
    for (const [id, kept] of this.kept) {
      if (seen.has(id) || kept.element.contains(document.activeElement)) continue;
      spare.push(kept);
      this.kept.delete(id);
    }
    /** @type {Element | null} */
    let after = null;
    for (const item of items) {
      const { fill, of, className } = this.made(item);
      let kept = this.kept.get(item.id);
      if (!kept) {
        kept = spare.pop() || { element: document.createElement("div"), of: undefined };
        kept.element.dataset.id = item.id;
        kept.element.setAttribute("role", "listitem");
        kept.element.style.top = `${item.y}px`;
        kept.element.style.height = `${item.height}px`;
        this.kept.set(item.id, kept);
        if (after ? after.nextSibling !== kept.element : this.box.firstChild !== kept.element) {
          if (after) after.after(kept.element);
          else this.box.prepend(kept.element);
        }
      }
      if (kept.of !== of) {
        kept.element.className = className;
        fill(kept.element);
        kept.of = of;
      }
      after = kept.element;
    }
    for (const { element } of spare) element.remove();
  }
}
