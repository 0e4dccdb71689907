// The box beside the pointer that says what is pointed at, or what letting go would do.
import { byId } from "../dom.js";

/** Lines in the box beside the pointer; none close it. @param {string[]} lines @param {number} [x] @param {number} [y] */
export function tell(lines, x, y) {
  const box = byId("told");
  box.hidden = !lines.length;
  box.replaceChildren(...lines.map((line, i) => Object.assign(document.createElement(i ? "p" : "b"), { textContent: line })));
  if (!lines.length) return;
  const left = x === undefined ? innerWidth / 2 : x;
  const top = y === undefined ? innerHeight - 140 : y;
  box.style.left = `${Math.max(8, Math.min(left + 14, innerWidth - box.offsetWidth - 12))}px`;
  box.style.top = `${Math.max(8, top + 18 + box.offsetHeight > innerHeight ? top - box.offsetHeight - 12 : top + 18)}px`;
}
