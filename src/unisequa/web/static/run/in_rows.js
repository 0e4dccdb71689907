// What is done with a task where its row is: a date typed into its cell, and a menu by its state mark, a right click or
// the menu key.
import { ask } from "../app.js";
import { byId } from "../dom.js";

/** The cells that are typed into, each with its edit and what it is called. @type {[string, string, string][]} */
const CELLS = [[".d, .due, .would", "due", "Due"], [".from", "move", "Start"]];

/**
 * Whether an edit was opened: a date's cell becomes a field, until Enter takes it or Escape leaves it.
 * @param {any} cell @param {string} key @param {(kind: string, value: string) => void} done
 */
function typeIn(cell, key, done) {
  const found = CELLS.find(([selector]) => cell.matches(selector));
  if (!found || cell.querySelector("input")) return false;
  const [, kind, label] = found;
  const stood = cell.textContent.trim();
  const value = stood.split(" – ").pop() || "";
  const title = cell.closest("[data-k]").querySelector(".t, [data-open]")?.textContent.trim();
  const input = Object.assign(document.createElement("input"), { className: "ledger incell", value, maxLength: 60, autocomplete: "off" });
  input.setAttribute("aria-label", `${label}: ${title}`);
  let over = false;
  const leave = (/** @type {boolean} */ take) => {
    if (over) return;
    over = true;
    const row = cell.closest("[tabindex]");
    input.remove();
    cell.textContent = stood;
    if (row) row.focus({ preventScroll: true });
    if (take && input.value.trim() && input.value.trim() !== value) done(kind, input.value);
  };
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") leave(true);
    else if (event.key === "Escape") leave(false);
  });
  input.addEventListener("blur", () => leave(true));
  cell.replaceChildren(input);
  input.dataset.key = key;
  input.select();
  return true;
}

/** The task that something on the page is about. @param {any} target */
export function taskOf(target) {
  const found = target.closest("#work .bench [data-k], #work .bench [data-open]");
  return found && !found.closest("#panel") ? found.dataset.k || found.dataset.open : "";
}

/**
 * Whether a click, or F2, opened a date's cell to be typed into.
 * @param {any} event @param {(key: string, kind: string, value: string) => void} done
 */
export function typedInto(event, done) {
  const row = event.target.closest("#work .bench [data-k]");
  const cell = event.key ? row?.querySelector(".d, .would") : event.target.closest(".d, .due, .would, .from");
  if (!row || !cell || !row.contains(cell) || row.matches(".whole-of") || row.querySelector(".st.done, .st.dropped")) return false;
  if (!event.key && !matchMedia("(pointer: fine)").matches) return false;
  return typeIn(cell, row.dataset.k, (kind, value) => done(row.dataset.k, kind, value));
}

/** What had the keys before the menu. @type {Element | null} */
let before = null;

/** The menu of a task, near where it was asked for. @param {string} key @param {string} path @param {{ x: number, y: number, top?: number }} at  Below it, or above what ends at ``top`` where there is more room. */
export function openMenu(key, path, at) {
  const menu = byId("rowmenu");
  before = document.activeElement;
  return ask("GET", path, { target: "#rowmenu", swap: "innerHTML" }).then(() => {
    menu.dataset.key = key;
    menu.showPopover();
    const { width, height } = menu.getBoundingClientRect();
    menu.style.left = `${Math.max(8, Math.min(at.x, innerWidth - width - 8))}px`;
    const above = at.top !== undefined && at.y + height > innerHeight - 8 && at.top > height + 8;
    menu.style.top = `${above ? at.top - height : Math.max(8, Math.min(at.y, innerHeight - height - 8))}px`;
    const first = menu.querySelector("button, input");
    if (first) first.focus({ preventScroll: true });
  });
}

/** Away with the menu; whether it was open. */
export function closeMenu() {
  const menu = byId("rowmenu");
  const open = Boolean(menu && menu.matches(":popover-open"));
  if (open) menu.hidePopover();
  if (open && document.activeElement === document.body && before instanceof HTMLElement) before.focus({ preventScroll: true });
  return open;
}
