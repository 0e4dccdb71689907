// A short list below a field of what would complete it: roles, anchors, steps, placeholders.
//
// A source gives, for the text and the caret, the part that would be replaced and the choices for it.
import { byId } from "../dom.js";
import { Sheet } from "./store.js";

export const Suggest = /** @type {any} */ ({ input: null, source: null, found: null, active: -1 });
const list = () => byId("suggest");

Suggest.attach = function attach(input, source) {
  if (input.tagName === "INPUT") {
    input.setAttribute("role", "combobox");
    input.setAttribute("aria-expanded", "false");
    input.setAttribute("aria-controls", "suggest");
  }
  input.setAttribute("aria-autocomplete", "list");
  input.addEventListener("input", () => Suggest.open(input, source));
  input.addEventListener("blur", () => { if (!Sheet.drawing) Suggest.close(); });
};

Suggest.open = function open(input, source) {
  const caret = input.selectionStart;
  const found = source(input.value, caret);
  if (!found || !found.options.length) return Suggest.close();
  const word = input.value.slice(found.from, caret).trim().toLowerCase();
  Object.assign(Suggest, { input, source, found });
  Suggest.active = word && found.options[0].text.toLowerCase().startsWith(word) ? 0 : -1;
  const box = list();
  box.replaceChildren(...found.options.map((option, i) => {
    const row = document.createElement("li");
    row.id = `suggest-${i}`;
    row.setAttribute("role", "option");
    row.textContent = option.label || option.text;
    if (option.hint) row.append(Object.assign(document.createElement("span"), { className: "hint ml-2", textContent: option.hint }));
    row.addEventListener("pointerdown", (event) => { event.preventDefault(); Suggest.pick(i); });
    return row;
  }));
  box.hidden = false;
  input.scrollIntoView({ block: "nearest" });
  Suggest.place();
  if (input.hasAttribute("aria-expanded")) input.setAttribute("aria-expanded", "true");
  Suggest.show();
  return undefined;
};

// Below its field, or above it where there is more room; never outside the window, however far its field is scrolled.
Suggest.place = function place() {
  const box = list();
  const at = Suggest.input.getBoundingClientRect();
  const fits = innerHeight - at.bottom > box.offsetHeight + 10 || innerHeight - at.bottom > at.top;
  const top = fits ? at.bottom + 2 : at.top - box.offsetHeight - 2;
  box.style.left = `${Math.max(Math.min(at.left, innerWidth - box.offsetWidth - 8), 0)}px`;
  box.style.top = `${Math.max(Math.min(top, innerHeight - box.offsetHeight - 8), 0)}px`;
};
document.addEventListener("scroll", (event) => { if (Suggest.input && event.target !== list()) Suggest.place(); }, true);

Suggest.show = function show() {
  [...list().children].forEach((row, i) => row.setAttribute("aria-selected", i === Suggest.active));
  const row = list().children[Suggest.active];
  if (row) {
    Suggest.input.setAttribute("aria-activedescendant", row.id);
    row.scrollIntoView({ block: "nearest" });
  } else {
    Suggest.input.removeAttribute("aria-activedescendant");
  }
};

Suggest.close = function close() {
  list().hidden = true;
  if (Suggest.input && Suggest.input.hasAttribute("aria-expanded")) Suggest.input.setAttribute("aria-expanded", "false");
  Suggest.input = null;
};

Suggest.pick = function pick(i) {
  const { input, found } = Suggest;
  const text = found.options[i].text;
  input.value = input.value.slice(0, found.from) + text + input.value.slice(found.to);
  const caret = found.from + text.length;
  input.setSelectionRange(caret, caret);
  Suggest.close();
};

// Whether a key belongs to the open list.
Suggest.key = function key(event) {
  if (!Suggest.input) return false;
  const n = Suggest.found.options.length;
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    const by = event.key === "ArrowDown" ? 1 : -1;
    Suggest.active = (Suggest.active + by + n + (Suggest.active < 0 && by < 0 ? 1 : 0)) % n;
    Suggest.show();
  } else if ((event.key === "Enter" || event.key === "Tab") && Suggest.active >= 0 && !event.ctrlKey) {
    Suggest.pick(Suggest.active);
    return "picked";
  } else if (event.key === "Escape") {
    Suggest.close();
    event.stopPropagation();
  } else {
    return false;
  }
  event.preventDefault();
  return true;
};

const MOST = 8;
const matching = (all, word) => {
  const lower = word.trim().toLowerCase();
  const begins = all.filter((one) => one.text.toLowerCase().startsWith(lower) || (one.label || "").toLowerCase().startsWith(lower));
  const holds = all.filter((one) => !begins.includes(one) && `${one.text} ${one.label || ""} ${one.hint || ""}`.toLowerCase().includes(lower));
  return [...begins, ...holds].slice(0, MOST);
};

// What is retired is offered no more.
const offered = (/** @type {any[]} */ all) => all.filter((one) => !(Sheet.model.retired || []).includes(one[0]));

// The roles there are, with those just typed that the server has not answered for yet.
const roleNames = () => [...new Set([...offered(Sheet.model.roles).map((role) => role[1]), ...Sheet.model.lines.map((line) => line.r || "")])].filter(Boolean).map((text) => ({ text }));

Suggest.sources = {
  r: (value) => ({ from: 0, to: value.length, options: value.trim() ? matching(roleNames(), value) : [] }),
  w: (value, caret) => {
    const found = /^(?:starts?\s+|due\s+)?[+−-]?\s*\d+\s*(?:wd|d|w|mo|days?|weeks?|months?)?\s*(?:before|after|from)?\s+(\p{L}.*)$/iu.exec(value.slice(0, caret));
    if (!found) return null;
    const options = matching(offered(Sheet.model.anchors).map((anchor) => ({ text: anchor[1] })), found[1]);
    return { from: caret - found[1].length, to: value.length, options };
  },
  f: (value, caret) => {
    const from = Math.max(value.lastIndexOf(",", caret - 1), value.lastIndexOf(";", caret - 1)) + 1;
    const word = value.slice(from, caret);
    if (!word.trim() || /[+−-]\s*\d*$/.test(word)) return null;
    const pad = from ? 1 : 0;
    const here = Sheet.editor && Sheet.editor.id;
    const steps = Sheet.model.lines.filter((line) => line.k !== here && !line.k.startsWith("~")).map((line) => ({ text: line.k, label: line.t, hint: String(Sheet.numbers.get(line.k) || "included") }));
    for (const head of Sheet.model.includes) steps.push({ text: head.key, label: `${head.label}, all of it` });
    return { from: from + pad, to: caret, options: matching(steps, word.trim()).filter((one) => one.text !== word.trim()) };
  },
  text: (value, caret) => {
    const from = value.lastIndexOf("{{", caret);
    if (from < 0 || value.slice(from, caret).includes("}}")) return null;
    const word = value.slice(from + 2, caret).trim();
    const names = offered([...Sheet.model.facts, ...Sheet.model.anchors, ...Sheet.model.roles]).map(([key, label]) => ({ text: `{{ ${key} }}`, label, hint: `{{ ${key} }}` }));
    names.push({ text: "{{ subject }}", label: "The subject", hint: "{{ subject }}" });
    const behind = /^\s*\}\}/.exec(value.slice(caret));
    const options = names.filter((one) => `${one.label} ${one.hint}`.toLowerCase().includes(word.toLowerCase())).slice(0, MOST);
    return { from, to: caret + (behind ? behind[0].length : 0), options };
  },
};
// The steps of other jobs, for the line that the caret is in; asked for when the field is first entered.
let others = null;
document.addEventListener("focusin", (/** @type {any} */ event) => {
  if (event.target.id !== "p-waits_for" || others) return;
  others = [];
  fetch(`${Sheet.path()}/awaitable`).then((answer) => (answer.ok ? answer.json() : [])).then((found) => {
    others = found;
    if (document.activeElement === event.target && event.target.value !== event.target.defaultValue) event.target.dispatchEvent(new Event("input"));
  });
});
Suggest.sources.o = (value, caret) => {
  const from = value.lastIndexOf("\n", caret - 1) + 1;
  const word = value.slice(from, caret).trim();
  if (!word || / on /.test(word)) return null;
  const options = matching(others || [], word).filter((one) => one.text !== word);
  return { from, to: caret, options };
};
Suggest.sources.t = Suggest.sources.text;
