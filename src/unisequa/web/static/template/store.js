// The sheet of a template: what the browser holds of it, and the edits under way.
//
// The server's model is what counts. An edit is shown at once by its `local` part, sent in its turn, and shown
// again on whatever model comes back until its own answer has come.
import { toast } from "../app.js";
import { ROW } from "../drawing/scale.js";
import { byId } from "../dom.js";

// Each window undoes what was done in it; the name of this one is kept while it is open, however often it is loaded.
const named = sessionStorage.getItem("window") || Math.random().toString(36).slice(2, 12);
sessionStorage.setItem("window", named);
export const WINDOW = { "x-window": named };

export const Sheet = /** @type {any} */ ({
  model: null, items: [], at: new Map(), lines: new Map(), numbers: new Map(), cur: { id: "new", c: "t" }, from: null, sel: new Set(),
  folded: new Set(), lanes: "phase", countedFrom: "", px: 15, faults: new Map(), alias: new Map(), blank: null, rehearsal: null,
  pending: [], editor: null, kept: [], theirs: new Map(), allRows: false, cutKeys: new Set(), made: 0,
});

Sheet.work = () => byId("work");
Sheet.path = () => Sheet.work().dataset.path;
// In a rehearsal the titles are filled in, so only offsets are typed.
Sheet.mine = () => Sheet.work().dataset.editable === "yes";
Sheet.editable = () => Sheet.mine() && !Sheet.rehearsal;
Sheet.real = (key) => Sheet.alias.get(key) || key;

Sheet.ask = async function ask(rest, body, how = {}) {
  const answer = await fetch(Sheet.path() + rest, {
    ...how,
    method: "POST",
    headers: { "content-type": "application/json", accept: "application/json", "x-csrf-token": document.body.dataset.csrf, ...WINDOW },
    body: JSON.stringify(body),
  });
  const found = await answer.json().catch(() => ({}));
  return { ok: answer.ok, status: answer.status, message: found.error && found.error.message, ...found };
};

let inTurn = Promise.resolve();
// One edit after the other: each is made on what the one before left.
/** @param {any} wanted @param {any} [told] */
Sheet.edit = function edit(wanted, { local, faultAt, typed, done, refused } = {}) {
  const entry = { local };
  Sheet.pending.push(entry);
  if (local) {
    local(Sheet.model);
    Sheet.refresh();
  }
  inTurn = inTurn.then(async () => {
    let answer;
    try {
      answer = await Sheet.ask("/edit", { edit: Sheet.resolved(wanted), rehearsal: Sheet.rehearsal });
    } catch {
      answer = { ok: false, status: 0 };
    }
    Sheet.pending.splice(Sheet.pending.indexOf(entry), 1);
    if (answer.ok) {
      if (done) done(answer);
      Sheet.take(answer.sheet);
      if (answer.note) toast(answer.note);
      Sheet.panelStale();
    } else {
      Sheet.refusedWith(answer, faultAt, typed, refused);
    }
  });
  return inTurn;
};

Sheet.refusedWith = function refusedWith(answer, faultAt, typed, refused) {
  const text = answer.message || (answer.status ? "That was not done." : "The server did not answer; nothing was changed. Try again.");
  if (faultAt) Sheet.faultAt(faultAt, text, typed);
  else if (!refused) toast(text);
  if (refused) refused({ ...answer, message: text });
  const shown = answer.sheet ? Promise.resolve(Sheet.take(answer.sheet)) : Sheet.reload();
  if (faultAt) shown.then(() => Sheet.faultWithoutRow(faultAt));
};

Sheet.resolved = (wanted) => JSON.parse(JSON.stringify(wanted), (_, value) => (typeof value === "string" && value.startsWith("~") ? Sheet.real(value) : value));

// A new model from the server, with what is still under way shown on top of it.
Sheet.take = function take(model) {
  Sheet.model = model;
  for (const entry of Sheet.pending) if (entry.local) entry.local(model);
  Sheet.refresh();
};

Sheet.reload = async function reload() {
  const answer = await Sheet.ask("/sheet", { rehearsal: Sheet.rehearsal, edition: Number(Sheet.work().dataset.edition) });
  if (answer.ok) Sheet.take(answer.sheet);
  return answer;
};

// Steps that are copied are kept by the server until they are put in, here or in another template.
Sheet.keepClip = function keepClip(clip, keys) {
  const wanted = keys.map((key) => key);
  inTurn = inTurn.then(() => Sheet.ask("/clip", { clip, keys: wanted.map(Sheet.real), edition: Number(Sheet.work().dataset.edition) }));
};

Sheet.undo = function undo(way = "undo") {
  inTurn = inTurn.then(async () => {
    const answer = await Sheet.ask(`/${way}`, { rehearsal: Sheet.rehearsal }).catch(() => ({ message: "The server did not answer; nothing was changed." }));
    toast(answer.note || answer.message || "");
    if (answer.sheet) Sheet.take(answer.sheet);
    Sheet.panelStale();
    Sheet.selected();
  });
  return inTurn;
};

Sheet.whenIdle = () => inTurn;

// Lines with what `changes` gives for each, as new lines: rows and bars are only touched where theirs is another.
Sheet.changeLines = function changeLines(model, changes) {
  model.lines = model.lines.map((line) => {
    const wanted = changes(line);
    return wanted && Object.keys(wanted).some((name) => wanted[name] !== line[name]) ? { ...line, ...wanted } : line;
  });
};

// The rows as they are shown: phases (or lanes), steps, folded templates, and the row for a new step.
Sheet.layOut = function layOut() {
  const { model } = Sheet;
  const items = [];
  const own = model.lines.filter((line) => !line.in);
  const add = (item) => items.push({ ...item, y: items.length * ROW });
  const steps = (lines) => {
    for (const line of lines) {
      add({ id: line.k, type: "step", line });
      if (Sheet.blank && Sheet.blank.after === line.k) add({ id: "blank", type: "blank", ...Sheet.blank });
    }
  };
  const included = (phase) => {
    for (const head of model.includes.filter((one) => (one.phase || "") === phase)) {
      add({ id: `i:${head.key}`, type: "include", head, open: Sheet.folded.has(`i:${head.key}`) });
      if (Sheet.folded.has(`i:${head.key}`)) steps(model.lines.filter((line) => line.in === head.key));
    }
  };
  if (Sheet.lanes === "role") {
    const all = model.lines;
    const doer = (line) => (Sheet.rehearsal && line.who) || line.r || "";
    const names = [...new Set([...(Sheet.rehearsal ? [] : model.roles.map((role) => role[1])), ...all.map(doer)])].sort((a, b) => Number(a === "") - Number(b === ""));
    for (const name of names) {
      const members = all.filter((line) => doer(line) === name && !line.ch).sort((a, b) => (a.s ? a.s[0] : 1e9) - (b.s ? b.s[0] : 1e9));
      if (!members.length) continue;
      add({ id: `l:${name}`, type: "lane", label: name || "No role", count: members.length, open: !Sheet.folded.has(`l:${name}`) });
      if (!Sheet.folded.has(`l:${name}`)) steps(members);
    }
  } else {
    const inPhase = (key) => own.filter((line) => (line.ph || "") === key);
    steps(inPhase(""));
    for (const [key, label] of model.phases) {
      const members = inPhase(key);
      const open = !Sheet.folded.has(`p:${key}`);
      add({ id: `p:${key}`, type: "phase", key, label, count: members.length, open });
      if (!open) continue;
      if (Sheet.blank && Sheet.blank.after === null && Sheet.blank.phase === key) add({ id: "blank", type: "blank", ...Sheet.blank });
      included(key);
      steps(members);
    }
    included("");
    if (Sheet.newPhase) add({ id: "newphase", type: "newphase" });
    if (Sheet.editable() && !Sheet.rehearsal) add({ id: "new", type: "blank", after: undefined, level: 0 });
  }
  Sheet.items = items;
  Sheet.at = new Map(items.map((item, i) => [item.id, i]));
  Sheet.lines = new Map(model.lines.map((line) => [line.k, line]));
  Sheet.numbers = new Map(own.map((line, i) => [line.k, i + 1]));
};

Sheet.item = (id) => Sheet.items[Sheet.at.get(id)];
Sheet.line = (id) => Sheet.lines.get(id);

// The steps that an edit is about: those selected, else the one the cursor is in.
Sheet.keys = function keys() {
  const chosen = Sheet.items.filter((item) => item.type === "step" && Sheet.sel.has(item.id)).map((item) => item.id);
  if (chosen.length) return chosen;
  const item = Sheet.item(Sheet.cur.id);
  return item && item.type === "step" ? [item.id] : [];
};
Sheet.ownKeys = () => Sheet.keys().filter((key) => !Sheet.line(key).in);

Sheet.refresh = function refresh() {
  Sheet.layOut();
  if (!Sheet.at.has(Sheet.cur.id)) {
    const real = Sheet.alias.get(Sheet.cur.id);
    Sheet.cur.id = real && Sheet.at.has(real) ? real : Sheet.nearest();
  }
  for (const key of [...Sheet.sel]) {
    if (Sheet.at.has(key)) continue;
    Sheet.sel.delete(key);
    if (Sheet.at.has(Sheet.alias.get(key))) Sheet.sel.add(Sheet.alias.get(key));
  }
  // Alpine need not look through what it has no part in.
  Alpine.mutateDom(() => {
    Sheet.drawRows();
    if (!Sheet.dragging) Sheet.drawField();
    Sheet.drawPage();
  });
};

// Where the cursor goes when its row is gone: to the row that now stands where it stood.
Sheet.nearest = function nearest() {
  const item = Sheet.items[Math.min(Sheet.lastAt || 0, Sheet.items.length - 1)];
  return item ? item.id : "new";
};
