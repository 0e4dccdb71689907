// What is done with a task where its row is: a date typed into its cell, and a menu by its state mark, a right click or
// the menu key.
import { ask } from "../app.js";
import { byId } from "../dom.js";

/** So long a date is pointed at, in milliseconds, before what holds it is told. */
const MOMENT = 450;
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
    place(menu, at);
    const first = menu.querySelector("button, input");
    if (first) first.focus({ preventScroll: true });
  });
}

/** Put a box near a place, whole in the window. @param {HTMLElement} box @param {{ x: number, y: number, top?: number }} at */
function place(box, at) {
  const { width, height } = box.getBoundingClientRect();
  const above = at.top !== undefined && at.y + height > innerHeight - 8 && at.top > height + 8;
  box.style.left = `${Math.max(8, Math.min(at.x, innerWidth - width - 8))}px`;
  box.style.top = `${above ? Number(at.top) - height : Math.max(8, Math.min(at.y, innerHeight - height - 8))}px`;
}

let pointing = 0;

/** What holds a date, once it has been pointed at for a moment. @param {any} event @param {(key: string) => string} path */
export function why(event, path) {
  closeWhy();
  const cell = event.target.closest("#work .bench [data-k] :is(.d, .due, .would)");
  if (!cell || event.pointerType !== "mouse" || event.buttons || cell.querySelector("input")) return;
  pointing = setTimeout(async () => {
    const asked = pointing;
    const answer = await fetch(path(cell.closest("[data-k]").dataset.k), { headers: { "hx-request": "true" } });
    const text = answer.ok ? await answer.text() : "";
    if (!text || pointing !== asked || !cell.isConnected) return;
    const box = byId("rowwhy");
    box.innerHTML = text;
    box.showPopover();
    const { left, bottom, top } = cell.getBoundingClientRect();
    place(box, { x: left, y: bottom + 4, top: top - 4 });
  }, MOMENT);
}

/** Away with what holds a date. */
export function closeWhy() {
  clearTimeout(pointing);
  pointing = 0;
  const box = byId("rowwhy");
  if (box && box.matches(":popover-open")) box.hidePopover();
}

/** Away with the menu; whether it was open. */
export function closeMenu() {
  const menu = byId("rowmenu");
  const open = Boolean(menu && menu.matches(":popover-open"));
  if (open) menu.hidePopover();
  if (open && document.activeElement === document.body && before instanceof HTMLElement) before.focus({ preventScroll: true });
  return open;
}
