// Keys that mean the same on every sheet.

/**
 * Where a key goes in a list of rows: the position after it, or -1 for a key that goes nowhere.
 * @param {string} key @param {number} at @param {number} count
 */
export function stepped(key, at, count) {
  /** @type {Record<string, number>} */
  const by = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15 };
  if (key === "Home") return 0;
  if (key === "End") return count - 1;
  return key in by ? Math.min(Math.max(at + by[key], 0), count - 1) : -1;
}

/** Whether a key moves or stretches a bar, and by how many slots; 0 for none. @param {KeyboardEvent} event */
export const shove = (event) => (!event.altKey ? 0 : event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0);
