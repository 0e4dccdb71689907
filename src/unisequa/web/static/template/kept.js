// What was typed and is not saved: a cell that is red, a field that was refused, a text whose row is gone. None is lost.
import { toast } from "../app.js";
import { columnWidth } from "../drawing/columns.js";
import { all, byId } from "../dom.js";
import { Sheet } from "./store.js";

let shown = "";

const button = (/** @type {string} */ text, /** @type {Record<string, string>} */ data) => {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "underline cursor-pointer ml-3", textContent: text });
  Object.assign(made.dataset, data);
  return made;
};

// The one explanation, beside the row of the cursor: over its own part of the field, never over other rows.
Sheet.showFault = function showFault() {
  const at = `${Sheet.cur.id} ${Sheet.cur.c}`;
  const fault = Sheet.faults.get(at);
  const box = byId("fault");
  for (const old of all("#rows [aria-describedby=fault]")) old.removeAttribute("aria-describedby");
  const cell = Sheet.cellOf(Sheet.cur.id, Sheet.cur.c);
  box.hidden = !fault || !cell;
  if (!fault || !cell) {
    shown = "";
    return;
  }
  cell.setAttribute("aria-describedby", "fault");
  if (shown !== `${at} ${fault.text}`) {
    shown = `${at} ${fault.text}`;
    box.replaceChildren(fault.text, button("Type it again", { mend: at }), button("Put back", { dismiss: at }));
  }
  const row = cell.parentElement.getBoundingClientRect();
  const left = byId("sheet").getBoundingClientRect().left + columnWidth();
  const narrow = innerWidth - left < 200;
  Object.assign(box.style, narrow ? { left: "0", top: "", bottom: "0", maxWidth: "100vw" } : { left: `${left}px`, top: `${row.top}px`, bottom: "", maxWidth: `${innerWidth - left}px` });
};

// A cell was refused: it stays red with what was typed, and where the cursor has moved on that is said.
Sheet.faultAt = function faultAt(at, text, typed) {
  Sheet.faults.set(at, { text, typed });
  const [id, c] = at.split(" ");
  if (id === Sheet.real(Sheet.cur.id) && c === Sheet.cur.c) return;
  const row = Sheet.numbers.get(Sheet.real(id));
  toast(`${Sheet.nameOf(c)}${row ? ` of row ${row}` : ""}: ${text}`);
};

// The row of a refused cell may be gone: somebody else has taken it out.
Sheet.faultWithoutRow = function faultWithoutRow(at) {
  const fault = Sheet.faults.get(at);
  const id = at.split(" ")[0];
  if (!fault || Sheet.at.has(Sheet.real(id)) || Sheet.lines.has(Sheet.real(id))) return;
  Sheet.faults.delete(at);
  Sheet.keep({ what: "Somebody has taken out the row you were typing into", text: fault.typed });
  Sheet.drawPage();
};

Sheet.toFault = function toFault() {
  const [at] = Sheet.faults.keys();
  if (!at) return;
  const [id, c] = at.split(" ");
  const line = Sheet.line(Sheet.real(id));
  if (line) Sheet.folded.delete(`p:${line.ph}`);
  Sheet.refresh();
  Sheet.go(Sheet.real(id), c);
};

/**
 * Keep a text that has no place of its own any more until it is taken up again or let go: again as a new step, or
 * as `again` does it, or not at all where that is null.
 * @param {{ what: string, text: string, again?: (() => unknown) | null }} one
 */
Sheet.keep = function keep(one) {
  if (!one.text.trim()) return;
  Sheet.kept.push(one);
  drawKept();
};

function drawKept() {
  const box = byId("kept");
  box.hidden = !Sheet.kept.length;
  box.replaceChildren(...Sheet.kept.map((/** @type {any} */ one, /** @type {number} */ i) => {
    const line = document.createElement("p");
    const text = Object.assign(document.createElement("b"), { className: "font-medium", textContent: one.text });
    line.append(`${one.what.replace(/\.$/, "")}. Not saved: `, text);
    if (one.again !== null) line.append(button(one.again ? "Type it again" : "A new step of it", { again: String(i) }));
    line.append(button("Let it go", { letgo: String(i) }));
    return line;
  }));
}

Sheet.keptClicked = function keptClicked(at) {
  const again = at("[data-again]");
  const gone = at("[data-letgo]");
  if (!again && !gone) return false;
  const [one] = Sheet.kept.splice(Number((again || gone).dataset.again ?? gone.dataset.letgo), 1);
  drawKept();
  if (gone) return true;
  if (one.again) one.again();
  else {
    Sheet.go("new", "t");
    Sheet.type("new", "t", one.text);
  }
  return true;
};

// Fields of the panel and of the box of roles and dates that were refused, by what they are of: shown again with it.
const drafts = new Map();
export const nameOf = (/** @type {any} */ input) => {
  const { f, pf, af, mf } = input.dataset;
  if (f) return `f ${input.closest("[data-keys]").dataset.keys} ${f}`;
  if (pf) return `p ${input.closest("[data-part]").dataset.part} ${input.closest("[data-part]").dataset.key || ""} ${pf}`;
  if (mf) return `m ${input.closest("[data-keys]").dataset.keys} ${input.closest("[data-message]").dataset.message} ${mf}`;
  return `a ${af}`;
};

/** What comes of a refusal: said beside its field, and kept with it while that is out of sight. @param {any} input */
export function fieldRefused(input) {
  const name = nameOf(input);
  const value = input.value;
  const label = input.labels && input.labels[0] ? input.labels[0].textContent : input.getAttribute("aria-label") || "A field";
  const keys = name.startsWith("f ") || name.startsWith("m ") ? name.split(" ")[1] : "";
  return (/** @type {any} */ answer) => {
    drafts.set(name, { value, message: answer.message });
    const there = input.isConnected ? input : input.id && byId(input.id);
    if (there && nameOf(there) === name) return restoreFields();
    const gone = keys && answer.sheet ? !answer.sheet.lines.some((/** @type {any} */ line) => line.k === Sheet.real(keys)) : keys && !Sheet.line(Sheet.real(keys));
    const again = () => {
      if (!keys) return Sheet.openSetup();
      Sheet.go(Sheet.real(keys), "t");
      return Sheet.openPanel();
    };
    return Sheet.keep({ what: `${label}: ${answer.message}`, text: value, again: gone ? null : again });
  };
}

export const fieldSaved = (/** @type {any} */ input) => drafts.delete(nameOf(input));

/** Refused fields that are in sight with what was typed into them, and why. */
export function restoreFields() {
  for (const input of /** @type {any} */ (all("#panel [data-f], #panel [data-mf], #setup [data-pf], #setup [data-af]"))) {
    const draft = drafts.get(nameOf(input));
    const old = input.parentElement.querySelector(`.fault[data-of="${CSS.escape(input.id)}"]`);
    if (old) old.remove();
    input.toggleAttribute("aria-invalid", Boolean(draft));
    if (!draft) continue;
    input.setAttribute("aria-invalid", "true");
    if (document.activeElement !== input) input.value = draft.value;
    const note = Object.assign(document.createElement("span"), { className: "fault", textContent: draft.message });
    note.dataset.of = input.id;
    note.setAttribute("role", "alert");
    const back = button("Put back", {});
    back.addEventListener("click", () => {
      drafts.delete(nameOf(input));
      input.value = input.defaultValue;
      restoreFields();
      input.focus();
    });
    note.append(back);
    input.insertAdjacentElement("afterend", note);
  }
}
