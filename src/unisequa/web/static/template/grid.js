// The keyboard on a template's sheet: moving, selecting, typing, and what each key asks for.
import { toast } from "../app.js";
import { stepped } from "../drawing/keys.js";
import { all, find } from "../dom.js";
import { Sheet } from "./store.js";
import { newStepWords } from "./rows.js";
import { Suggest } from "./suggest.js";

Sheet.go = function go(id, c = Sheet.cur.c, { extend = false, keep = false } = {}) {
  const columns = Sheet.columns();
  const before = Sheet.cur.id;
  Sheet.cur = { id, c: columns.includes(c) ? c : "t" };
  if (extend) {
    Sheet.from = Sheet.from || before;
    select(Sheet.from, id);
  } else if (!keep) {
    Sheet.from = null;
    Sheet.sel.clear();
  }
  Sheet.selected();
};

Sheet.selected = function selected() {
  for (const row of all("#rows .row.sel")) if (!Sheet.sel.has(row.dataset.k)) row.classList.remove("sel");
  Sheet.ensureRow();
  for (const key of Sheet.sel) Sheet.rowOf(key)?.classList.add("sel");
  Sheet.markCurrent();
  Sheet.drawSelection();
  Sheet.light();
  const cell = Sheet.cellOf(Sheet.cur.id, Sheet.cur.c);
  if (cell && !Sheet.editor) {
    cell.focus({ preventScroll: true });
    cell.parentElement.scrollIntoView({ block: "nearest" });
  }
  requestAnimationFrame(() => Sheet.showBar(Sheet.cur.id));
  Sheet.panelFollows();
};

function select(a, b) {
  const [i, j] = [Sheet.at.get(a) ?? 0, Sheet.at.get(b)].sort((x, y) => x - y);
  Sheet.sel = new Set(Sheet.items.slice(i, j + 1).filter((item) => item.type === "step").map((item) => item.id));
}

const step = (by) => {
  const i = Math.min(Math.max((Sheet.at.get(Sheet.cur.id) ?? 0) + by, 0), Sheet.items.length - 1);
  return Sheet.items[i].id;
};
const sideways = (by) => {
  const columns = Sheet.columns();
  const i = columns.indexOf(Sheet.cur.c) + by;
  return columns[Math.min(Math.max(i, 0), columns.length - 1)];
};

// Typing into a cell. `initial` replaces what is there.
Sheet.type = function type(id, c, initial) {
  const item = Sheet.item(id);
  if (!item || !Sheet.mine() || (Sheet.rehearsal && c !== "w")) return false;
  const field = item.type === "step" ? Sheet.fields[c] : c === "t" && ["phase", "blank", "newphase"].includes(item.type);
  if (item.line && item.line.ch && c === "d") {
    toast("Its parts say how long it lasts; type days in those.");
    return false;
  }
  if (!field || (item.line && item.line.in)) return false;
  if (Sheet.editor) Sheet.commit();
  Sheet.cur = { id, c };
  Sheet.ensureRow();
  const cell = Sheet.cellOf(id, c);
  if (!cell) return false;
  Sheet.markCurrent();
  const fault = Sheet.faults.get(`${id} ${c}`);
  const was = item.type === "step" ? item.line[c] || "" : item.type === "phase" ? item.label : "";
  const input = document.createElement("input");
  input.className = "cell edit";
  input.value = initial ?? (fault ? fault.typed : was);
  input.autocomplete = "off";
  input.setAttribute("aria-label", `${/phase/.test(item.type) ? "Phase" : Sheet.nameOf(c)}${item.line ? `, row ${Sheet.numbers.get(item.id) || ""}` : ""}`);
  if (item.type === "newphase") input.placeholder = "New phase: type its name, then Enter";
  if (item.type === "blank") input.placeholder = item.id === "new" ? newStepWords() : "New step";
  if (fault) input.setAttribute("aria-invalid", "true");
  cell.replaceChildren(input);
  cell.classList.add("editing");
  delete cell.dataset.text;
  Sheet.editor = { id, c, input, was, item };
  if (Suggest.sources[c]) Suggest.attach(input, Suggest.sources[c]);
  input.addEventListener("blur", () => { if (Sheet.editor && Sheet.editor.input === input && !Sheet.drawing) Sheet.commit(); });
  input.focus({ preventScroll: true });
  cell.parentElement.scrollIntoView({ block: "nearest" });
  if (initial === undefined && !fault) input.select();
  return true;
};

function closeEditor() {
  const { input } = Sheet.editor;
  Sheet.editor = null;
  Suggest.close();
  const cell = input.parentElement;
  input.remove();
  if (cell) {
    delete cell.dataset.text;
    cell.classList.remove("editing");
    Sheet.rowStale(cell.parentElement);
  }
}

Sheet.cancel = function cancel() {
  const { id, c, item } = Sheet.editor;
  Sheet.faults.delete(`${id} ${c}`);
  closeEditor();
  if (item.type === "blank" && item.id === "blank") Sheet.blank = null;
  Sheet.newPhase = false;
  Sheet.refresh();
  Sheet.selected();
};

// Takes what was typed; gives the row that it went to.
Sheet.commit = function commit(every = false) {
  const { id, c, input, was, item } = Sheet.editor;
  const value = input.value;
  closeEditor();
  const at = Sheet.real(id);
  const fault = Sheet.faults.get(`${id} ${c}`);
  if (item.type === "blank") {
    if (!value.trim()) {
      if (item.id === "blank") Sheet.blank = null;
      Sheet.refresh();
      return id;
    }
    return Sheet.addStep(value.trim(), item);
  }
  if (item.type === "newphase") {
    Sheet.newPhase = false;
    if (value.trim()) Sheet.addPhase(value.trim());
    else Sheet.refresh();
    return id;
  }
  if (item.type === "phase") {
    Sheet.faults.delete(`${id} t`);
    if (value.trim() && value !== was) Sheet.edit({ op: "rename", part: "phases", key: item.key, value }, { faultAt: `${id} t`, typed: value });
    else Sheet.refresh();
    return id;
  }
  Sheet.faults.delete(`${id} ${c}`);
  const keys = every ? Sheet.ownKeys() : [at];
  if (value !== was || fault || every) Sheet.set(keys, c, value, every ? undefined : was);
  else Sheet.refresh();
  return at;
};

Sheet.set = function set(keys, c, value, was) {
  const wanted = { op: "set", keys, field: Sheet.fields[c], value };
  if (was !== undefined && keys.length === 1) wanted.was = was;
  const local = (model) => {
    const touched = new Set([...keys, ...keys.map(Sheet.real)]);
    Sheet.changeLines(model, (line) => touched.has(line.k) && { [c]: value.trim() });
  };
  const roles = new Set(Sheet.model.roles.map((role) => role[0]));
  const done = (answer) => {
    const fresh = c === "r" ? answer.sheet.roles.filter((role) => !roles.has(role[0])) : [];
    if (fresh.length) toast(`New role: ${fresh.map((role) => role[1]).join(", ")}.`, () => Sheet.undo("undo"));
  };
  return Sheet.edit(wanted, { local, faultAt: `${keys[0]} ${c}`, typed: value, done });
};

// A step behind the blank row's place, shown at once; the next blank row opens behind it.
Sheet.addStep = function addStep(title, item) {
  Sheet.made += 1;
  const key = `~${Sheet.made}`;
  const place = item.id === "new" ? lastPlace() : { after: item.after, phase: item.phase, level: item.level };
  const where = place.after ? { after: place.after, level: place.level } : { phase: place.phase || "" };
  const parent = parentAt(place);
  const local = (model) => {
    const i = model.lines.findIndex((line) => line.k === Sheet.real(place.after) || line.k === place.after);
    const at = i >= 0 ? i + 1 : model.lines.findIndex((line) => (line.ph || "") === place.phase);
    const line = { k: key, t: title, d: "1", lv: place.level, ph: place.phase, pa: parent };
    model.lines.splice(at >= 0 ? at : model.lines.length, 0, line);
  };
  if (item.id !== "new") Sheet.blank = { after: key, phase: place.phase, level: place.level };
  Sheet.edit({ op: "insert", text: title, where }, {
    local,
    done: (answer) => {
      Sheet.alias.set(key, answer.made[0]);
      if (Sheet.blank && Sheet.blank.after === key) Sheet.blank.after = answer.made[0];
    },
    refused: (answer) => {
      if (Sheet.blank && Sheet.blank.after === key) Sheet.blank = null;
      Sheet.keep({ what: answer.message, text: title });
    },
  });
  return key;
};

// A phase behind the others, and in it the row for its first step.
Sheet.addPhase = function addPhase(label) {
  Sheet.made += 1;
  const key = `~${Sheet.made}`;
  Sheet.blank = { after: null, phase: key, level: 0 };
  Sheet.edit({ op: "add", part: "phases", label }, {
    local: (model) => model.phases.push([key, label]),
    done: (answer) => {
      Sheet.alias.set(key, answer.made[0]);
      if (Sheet.blank && Sheet.blank.phase === key) Sheet.blank.phase = answer.made[0];
    },
    refused: (answer) => {
      Sheet.blank = null;
      Sheet.keep({ what: answer.message, text: label, again: () => {
        Sheet.newPhase = true;
        Sheet.refresh();
        Sheet.type("newphase", "t", label);
      } });
    },
  });
};

export function lastPlace() {
  const phases = Sheet.model.phases;
  const phase = phases.length ? phases[phases.length - 1][0] : "";
  const lines = Sheet.model.lines.filter((line) => !line.in && (line.ph || "") === phase);
  const last = lines[lines.length - 1];
  return { after: last ? last.k : null, phase, level: 0 };
}

function parentAt(place) {
  let line = place.after && Sheet.line(place.after);
  while (line && (line.lv || 0) >= place.level) line = line.pa && Sheet.line(line.pa);
  return line ? line.k : undefined;
}

// A blank row behind a row (or first in a phase), to type a new step into.
Sheet.openBlank = function openBlank(item, level) {
  if (!Sheet.editable() || Sheet.rehearsal || Sheet.lanes === "role") return;
  if (item.type === "step" && !item.line.in) {
    const own = item.line.lv || 0;
    Sheet.blank = { after: item.id, phase: item.line.ph || "", level: level ?? (item.line.ch ? own + 1 : own) };
  } else if (item.type === "phase") {
    Sheet.folded.delete(item.id);
    Sheet.blank = { after: null, phase: item.key, level: 0 };
  } else {
    Sheet.go("new", "t");
    Sheet.type("new", "t");
    return;
  }
  Sheet.refresh();
  Sheet.type("blank", "t");
};

// The next row when Enter is pressed in a title: one that is there, else a blank one.
function enterBehind(id) {
  const item = Sheet.item(id);
  const from = (Sheet.at.get(id) ?? 0) + 1;
  const column = item && item.type === "step" && Sheet.cur.c !== "t" && Sheet.cur.c !== "n";
  const below = column && Sheet.items.slice(from).find((one) => one.type === "step" && !one.line.in);
  if (below) return Sheet.go(below.id); // a column goes on below the head of a phase
  const next = Sheet.items[from];
  if (item && item.type === "step" && Sheet.cur.c === "t" && (!next || next.type !== "step" || (next.line.ph || "") !== (item.line.ph || "")) && !item.line.in && Sheet.lanes === "phase" && !(next && next.id === "new" && !item.line.ph)) {
    return Sheet.openBlank(item);
  }
  if (next && next.id === "new") {
    Sheet.go("new", "t");
    return Sheet.type("new", "t");
  }
  return Sheet.go(next ? next.id : id);
}

function editing(event) {
  const { editor } = Sheet;
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey) && Suggest.input && Suggest.active >= 0) Suggest.pick(Suggest.active);
  const picked = Suggest.key(event);
  if (picked === true) return undefined;
  const command = event.ctrlKey || event.metaKey;
  const blank = editor.item.type === "blank";
  if (event.key === "Escape") {
    event.preventDefault();
    return Sheet.cancel();
  }
  if (event.key === "Enter" && editor.item.type === "newphase") {
    event.preventDefault();
    Sheet.commit();
    if (Sheet.blank) Sheet.type("blank", "t");
    else Sheet.selected();
    return undefined;
  }
  if (event.key === "Enter") {
    event.preventDefault();
    if (command && Sheet.sel.size > 1) {
      Sheet.commit(true);
      return Sheet.selected();
    }
    if (blank) {
      if (!editor.input.value.trim()) return Sheet.cancel();
      Sheet.commit();
      const again = editor.id === "new" ? "new" : "blank";
      Sheet.cur = { id: again, c: "t" };
      return Sheet.type(again, "t");
    }
    const at = Sheet.commit();
    if (event.shiftKey) return Sheet.go(step(-1));
    return enterBehind(at);
  }
  if (event.key === "Tab") {
    event.preventDefault();
    const by = event.shiftKey ? -1 : 1;
    if (/phase/.test(editor.item.type)) {
      Sheet.commit();
      return Sheet.go(step(by));
    }
    if (editor.c !== "t") {
      const at = Sheet.commit();
      return across(at, by);
    }
    if (editor.id === "new" && !Sheet.blank) {
      const last = lastPlace();
      const text = editor.input.value;
      if (by < 0 || !last.after) return undefined;
      closeEditor();
      Sheet.blank = { after: last.after, phase: last.phase, level: Math.min((Sheet.line(last.after).lv || 0) + 1, 2) };
      Sheet.refresh();
      return Sheet.type("blank", "t", text);
    }
    if (blank) return blankLevel(by);
    const at = Sheet.commit();
    level([at], by).then(() => !Sheet.editor && Sheet.type(Sheet.real(at), "t"));
    return undefined;
  }
  if ((event.key === "ArrowUp" || event.key === "ArrowDown") && !event.shiftKey && !event.altKey) {
    event.preventDefault();
    const by = event.key === "ArrowUp" ? -1 : 1;
    const i = Sheet.at.get(editor.id);
    Sheet.commit();
    return Sheet.go(Sheet.items[Math.min(Math.max(i + by, 0), Sheet.items.length - 1)].id);
  }
  return undefined;
}

function blankLevel(by) {
  const above = Sheet.blank && Sheet.blank.after ? Sheet.line(Sheet.blank.after) : null;
  const deepest = above ? Math.min((above.lv || 0) + 1, 2) : 0;
  const text = Sheet.editor.input.value;
  Sheet.blank.level = Math.min(Math.max(Sheet.blank.level + by, 0), deepest);
  closeEditor();
  Sheet.refresh();
  Sheet.type("blank", "t", text);
}

function across(id, by) {
  const columns = Sheet.columns().slice(1);
  const i = columns.indexOf(Sheet.cur.c) + by;
  if (i >= columns.length) {
    Sheet.cur = { id, c: "t" };
    return Sheet.go(step(1), "t");
  }
  return Sheet.go(id, columns[Math.max(i, 0)]);
}

const level = (keys, by) => Sheet.edit({ op: "level", keys, by });
Sheet.level = level;

Sheet.remove = function remove(keys) {
  if (!keys.length) return undefined;
  const followers = Sheet.model.links.filter(([a, b]) => keys.includes(a) && !keys.includes(b)).length;
  Sheet.sel.clear();
  const local = (model) => { model.lines = model.lines.filter((line) => !keys.includes(line.k) && !keys.includes(line.pa)); };
  const word = keys.length === 1 ? "1 step removed" : `${keys.length} steps removed`;
  return Sheet.edit({ op: "remove", keys }, { local }).then(() => {
    toast(`${word}${followers ? "; what followed now follows what came before" : ""}. Ctrl Z brings back.`);
    Sheet.selected();
  });
};

function removing() {
  const item = Sheet.item(Sheet.cur.id);
  if (Sheet.cur.c === "t" || Sheet.cur.c === "n" || Sheet.sel.size > 1) {
    if (item.type === "phase" && !Sheet.sel.size) return Sheet.edit({ op: "remove-part", part: "phases", key: item.key });
    if (item.type === "include" && !Sheet.sel.size) return Sheet.edit({ op: "remove-part", part: "includes", key: item.head.key });
    return Sheet.remove(Sheet.ownKeys());
  }
  const keys = Sheet.ownKeys();
  return keys.length && Sheet.fields[Sheet.cur.c] ? Sheet.set(keys, Sheet.cur.c, "") : undefined;
}

function moving(event, item) {
  const by = event.key === "ArrowUp" || event.key === "ArrowLeft" ? -1 : 1;
  const keys = Sheet.ownKeys();
  if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    if (item.type === "phase") return Sheet.edit({ op: "nudge-part", part: "phases", key: item.key, by }).then(Sheet.selected);
    return keys.length && Sheet.lanes === "phase" ? Sheet.edit({ op: "nudge", keys, by }).then(Sheet.selected) : undefined;
  }
  if (!keys.length) return undefined;
  const slots = by * (Sheet.model.minutes ? 5 : 1);
  const wanted = event.shiftKey ? { op: "stretch", key: keys[0], slots } : { op: "drag", keys, slots };
  return Sheet.edit(wanted).then(() => Sheet.showBar(keys[0]));
}

Sheet.keyed = function keyed(event) {
  if (Sheet.linking && Sheet.linkKey(event)) return undefined;
  if (Sheet.editor && event.target === Sheet.editor.input) return editing(event);
  if (!event.target.closest("#rows")) return undefined;
  const item = Sheet.item(Sheet.cur.id);
  if (!item) return undefined;
  const command = event.ctrlKey || event.metaKey;
  const { key } = event;
  const take = () => event.preventDefault();
  if (command && !event.altKey) {
    const lower = key.toLowerCase();
    if (lower === "a") { take(); select(Sheet.items[0].id, Sheet.items[Sheet.items.length - 1].id); return Sheet.selected(); }
    if (key === "Enter") { take(); return Sheet.openBlank(item); }
    if (key === "Home") { take(); return Sheet.go(Sheet.items[0].id, "t"); }
    if (key === "End") { take(); return Sheet.go(Sheet.items[Sheet.items.length - 1].id, "t"); }
    return undefined;
  }
  if (event.altKey && key.startsWith("Arrow")) {
    take();
    return Sheet.editable() ? moving(event, item) : undefined;
  }
  if (event.altKey && key === "Enter") { take(); return Sheet.openPanel(); }
  switch (key) {
    case "ArrowDown": case "ArrowUp": case "PageDown": case "PageUp":
      take();
      return Sheet.go(Sheet.items[stepped(key, Sheet.at.get(Sheet.cur.id) ?? 0, Sheet.items.length)].id, undefined, { extend: event.shiftKey });
    case "ArrowRight": take(); return foldOr(item, true) || Sheet.go(Sheet.cur.id, sideways(1), { keep: true });
    case "ArrowLeft": take(); return foldOr(item, false) || Sheet.go(Sheet.cur.id, sideways(-1), { keep: true });
    case "Home": take(); return Sheet.go(Sheet.cur.id, "t", { keep: true });
    case "End": take(); return Sheet.go(Sheet.cur.id, Sheet.columns()[Sheet.columns().length - 1], { keep: true });
    case "Tab":
      if (!Sheet.editable() || item.type !== "step") return undefined;
      if (Sheet.cur.c === "t") {
        const keys = Sheet.ownKeys();
        if (!keys.length || Sheet.lanes === "role") return undefined;
        take();
        return level(keys, event.shiftKey ? -1 : 1).then(Sheet.selected);
      }
      take();
      return across(Sheet.cur.id, event.shiftKey ? -1 : 1);
    case "Enter": case "F2":
      take();
      if (Sheet.cur.c === "n" || item.type === "include" || item.type === "lane") return item.type === "step" ? Sheet.openPanel() : Sheet.toggle(item.id);
      return Sheet.type(Sheet.cur.id, Sheet.cur.c) || (item.type === "step" && Sheet.openPanel());
    case "Delete": case "Backspace": take(); return Sheet.editable() ? removing() : undefined;
    case "Escape":
      take();
      if (Sheet.sel.size || Sheet.cutKeys.size) {
        Sheet.sel.clear();
        Sheet.cutKeys.clear();
        Sheet.refresh();
        return Sheet.selected();
      }
      if (Sheet.panelOpen()) return Sheet.closePanel();
      return find(".tools .tool").focus();
    default:
  }
  if (key.length === 1 && !event.altKey && Sheet.cur.c !== "n") {
    if (key === "?" ) return undefined;
    if (Sheet.type(Sheet.cur.id, Sheet.cur.c, "")) return undefined; // the character itself goes into the field
  }
  return undefined;
};

function foldOr(item, open) {
  if (!["phase", "lane", "include"].includes(item.type) || item.open === open) return false;
  Sheet.toggle(item.id);
  return true;
}

Sheet.toggle = function toggle(id) {
  if (Sheet.folded.has(id)) Sheet.folded.delete(id);
  else Sheet.folded.add(id);
  Sheet.refresh();
  Sheet.selected();
};
