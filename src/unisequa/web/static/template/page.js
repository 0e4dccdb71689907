// A template's page around its sheet: head, checks, panels, rehearsal, and who else is here.
import { toast } from "../app.js";
import { restoreWidth } from "../drawing/columns.js";
import { byId, unwatched } from "../dom.js";
import { MORE, messageChanged } from "./builder.js";
import "./clipboard.js";
import "./field.js";
import "./grid.js";
import "./pointer.js";
import "./rehearsal.js";
import "./rows.js";
import { fieldRefused, fieldSaved, nameOf, restoreFields } from "./kept.js";
import { Sheet } from "./store.js";
import { Suggest } from "./suggest.js";
import "./zoom.js";

/** @type {any} */ (window).Sheet = Sheet;


// What undoing and doing again come to.
function drawBack() {
  const { model } = Sheet;
  for (const way of ["undo", "redo"]) {
    const button = byId(way);
    if (!button) continue;
    button.disabled = !model[way];
    button.title = model[way] ? `${way === "undo" ? "Undo" : "Do again"}: ${model[way]}` : way === "undo" ? "Nothing to undo" : "Nothing to do again";
  }
}

Sheet.drawPage = function drawPage() {
  const { model } = Sheet;
  byId("title").textContent = model.head.name;
  byId("title").title = model.head.name;
  byId("about-line").textContent = `${model.head.category} · edition ${model.edition}, ${model.state} · ${model.head.size} · ${model.head.owner}`;
  drawChecks();
  Sheet.drawRehearsal();
  drawBack();
  const release = byId("release");
  if (release) {
    release.hidden = model.state !== "draft";
    release.disabled = model.bars > 0;
    release.textContent = `Release edition ${model.edition}`;
  }
  Sheet.work().dataset.edition = model.edition;
  const start = byId("start");
  if (start) {
    start.hidden = !model.startable;
    start.href = `${document.body.dataset.root}start/${Sheet.work().dataset.id}?edition=${model.edition}`;
  }
  const saved = byId("saved");
  const red = Sheet.faults.size;
  byId("unsaved").hidden = !red;
  byId("unsaved").textContent = `${red === 1 ? "1 cell is" : `${red} cells are`} not saved: go to ${red === 1 ? "it" : "the first"}`;
  if (saved) saved.textContent = Sheet.pending.length ? "Saving …" : model.state === "draft" ? "Saved as you type" : Sheet.mine() ? `Changing it opens a draft of edition ${model.edition + 1}` : saved.dataset.otherwise;
  byId("hint-days").hidden = Boolean(model.minutes);
  byId("hint-hours").hidden = !model.minutes;
  byId("sheet").classList.toggle("hours", Boolean(model.minutes));
  byId("lanes").setAttribute("aria-pressed", Sheet.lanes === "role");
  Sheet.drawCount();
};

let checksShown = null;
function drawChecks() {
  const { model } = Sheet;
  if (model.checks === checksShown) return;
  checksShown = model.checks;
  const box = byId("checks");
  const button = byId("checks-button");
  const { count, bars } = model;
  button.textContent = bars ? `${bars} to mend before release${count > bars ? `, ${count - bars} to look at` : ""}` : count ? `${count} to look at` : "Nothing to mend";
  button.classList.toggle("text-late", bars > 0);
  const rows = model.checks.map((check, i) => {
    const row = document.createElement("li");
    const go = Object.assign(document.createElement("button"), { type: "button", className: "checkline" });
    go.dataset.check = i;
    if (check.bars) go.append(Object.assign(document.createElement("b"), { className: "text-late font-medium", textContent: "Bars the release: " }));
    go.append(check.text);
    row.append(go);
    return row;
  });
  if (model.rest) rows.push(Object.assign(document.createElement("li"), { className: "hint", textContent: `and ${model.rest} more` }));
  if (!count) rows.push(Object.assign(document.createElement("li"), { className: "hint p-1", textContent: "Every step has a role and a date, every text is complete. It can be released." }));
  box.replaceChildren(...rows);
}

// To the place of a finding: the cell, the panel's field, or the page that sets it up.
Sheet.toCheck = function toCheck(check) {
  byId("checks-box").open = false;
  if (check.keys) {
    Sheet.cur = { id: check.key, c: "t" };
    Sheet.folded.clear();
    Sheet.refresh();
    Sheet.sel = new Set(check.keys.filter((key) => Sheet.at.has(key)));
    Sheet.selected();
    return Sheet.openPanel().then(() => byId("panel").querySelector(`[data-f="${check.field}"]`)?.focus());
  }
  if (check.part === "steps" && check.field === "sort") {
    const line = Sheet.line(check.key);
    return Sheet.edit({ op: "sort", phase: line.ph || "" }).then(() => { Sheet.go(check.key, "t"); toast("Sorted by date. Ctrl Z puts it back."); });
  }
  if (check.part === "steps" && !check.key) {
    Sheet.go("new", "t");
    return Sheet.type("new", "t");
  }
  if (check.part === "steps") {
    const cell = Object.keys(Sheet.fields).find((c) => Sheet.fields[c] === check.field);
    const item = Sheet.line(check.key);
    Sheet.folded.delete(`p:${item.ph}`);
    Sheet.refresh();
    Sheet.go(check.key, cell || "t");
    Sheet.showBar(check.key);
    if (cell) return Sheet.type(check.key, cell);
    return Sheet.openPanel().then(() => {
      const field = byId("panel").querySelector(`[data-f="${check.field.split("[")[0]}"]`);
      if (field) field.focus();
    });
  }
  return Sheet.openSetup().then(() => {
    const field = byId("setup").querySelector(`[data-part="${check.part}"][data-key="${check.key}"] [data-pf="label"], [data-af="${check.field}"], [data-padd="${check.part}"]`);
    if (field) field.focus();
  });
};

// The panel of what is selected; it stays open and follows the cursor until it is closed.
const fetched = async (rest) => {
  const answer = await fetch(Sheet.path() + rest, { headers: { "hx-request": "true" } });
  return answer.ok ? answer.text() : `<p class="fault">That could not be shown. Try again.</p>`;
};
Sheet.panelOpen = () => !byId("panel").hidden;
Sheet.openPanel = function openPanel() {
  byId("setup").hidden = true;
  byId("panel").hidden = false;
  return loadPanel();
};
Sheet.closePanel = function closePanel() {
  byId("panel").hidden = true;
  byId("panel").replaceChildren();
  Sheet.selected();
};
let panelTimer = 0;
let panelKeys = "";
Sheet.panelFollows = function panelFollows() {
  if (!Sheet.panelOpen()) return;
  clearTimeout(panelTimer);
  panelTimer = setTimeout(() => Sheet.keys().join() !== panelKeys && loadPanel(), 120);
};
Sheet.panelStale = function panelStale() {
  if (Sheet.panelOpen() && !Sheet.pending.length) loadPanel();
  if (!byId("setup").hidden && !Sheet.pending.length) Sheet.openSetup();
};
async function loadPanel() {
  await Sheet.whenIdle();
  const keys = Sheet.keys().map(Sheet.real);
  panelKeys = Sheet.keys().join();
  if (!keys.length) {
    byId("panel").innerHTML = `<p class="hint p-2">Choose a step: all that it has stands here.</p>`;
    return undefined;
  }
  const query = new URLSearchParams({ edition: Sheet.model.edition });
  for (const key of keys) query.append("k", key);
  const text = await fetched(`/panel?${query}`);
  if (Sheet.pending.length) return loadPanel(); // Something was saved meanwhile: this shows what was before it.
  if (panelKeys === Sheet.keys().join()) swapped(byId("panel"), text);
  return undefined;
}

let swapping = false;
// New content in place of the old, keeping focus, caret and what is being typed.
function swapped(box, html) {
  /** @type {any} */
  const focused = box.contains(document.activeElement) ? document.activeElement : null;
  const id = focused && focused.id;
  const kept = focused && "value" in focused && focused.matches("input:not([type=checkbox]), textarea") ? { value: focused.value, a: focused.selectionStart, b: focused.selectionEnd, dirty: focused.value !== focused.defaultValue } : null;
  const suggesting = focused && Suggest.input === focused && Suggest.source;
  const scroll = box.scrollTop;
  const unfolded = [...box.querySelectorAll("details")].map((one) => one.open);
  const title = (box.querySelector("h2") || {}).textContent;
  const name = kept && nameOf(focused);
  swapping = true; // A field taken out of the page tells of its change; what is being typed goes on in the new one.
  for (const child of box.children) Alpine.destroyTree(child);
  unwatched(() => { box.innerHTML = html; });
  for (const child of box.children) Alpine.initTree(child); // at once, so that no key is pressed before it is there
  swapping = false;
  if (title === (box.querySelector("h2") || {}).textContent) {
    [...box.querySelectorAll("details")].forEach((one, i) => { if (unfolded[i]) one.open = true; });
  }
  box.scrollTop = scroll;
  for (const input of box.querySelectorAll("[data-suggest]")) Suggest.attach(input, Suggest.sources[input.dataset.suggest]);
  restoreFields();
  const next = id && byId(id);
  if (kept && kept.dirty && (!next || nameOf(next) !== name)) panelChanged({ target: focused });
  const label = focused && !id && focused.getAttribute("aria-label");
  if (label) focusAgain(box, label, kept);
  if (!next) return;
  next.focus({ preventScroll: true });
  if (kept && kept.dirty && nameOf(next) === name && next.value !== kept.value) {
    next.value = kept.value;
    next.dataset.owed = "yes"; // No change is told of what a script put there: it is saved when the field is left.
  }
  if (kept && next.setSelectionRange) next.setSelectionRange(kept.a, kept.b);
  if (suggesting) Suggest.open(next, suggesting);
}

// Where one was, among what Alpine puts together in the page; such fields have no id, but a label each.
function focusAgain(box, label, kept) {
  const again = document.activeElement === document.body && [...box.querySelectorAll("[aria-label]")].find((one) => one.getAttribute("aria-label") === label);
  if (!again) return;
  again.focus({ preventScroll: true });
  if (kept && again.setSelectionRange) again.setSelectionRange(kept.a, kept.b);
}

Sheet.openSetup = async function openSetup() {
  await Sheet.whenIdle();
  byId("panel").hidden = true;
  byId("setup").hidden = false;
  swapped(byId("setup"), await fetched(`/setup?edition=${Sheet.model.edition}`));
};

// What is typed into a panel is saved as soon as its field is left.
function panelChanged(event) {
  if (swapping) return undefined;
  const input = event.target;
  delete input.dataset.owed;
  if (input.dataset.f) {
    const keys = (input.closest("[data-keys]").dataset.keys || "").split(" ");
    const value = input.type === "checkbox" ? (input.checked ? "yes" : "") : input.value;
    const wanted = { op: "set", keys, field: input.dataset.f, value };
    if (keys.length === 1 && input.type !== "checkbox" && input.tagName !== "SELECT") {
      wanted.was = input.dataset.sent ?? input.dataset.was ?? input.defaultValue;
      input.dataset.sent = value; // Typed on before the panel is fetched again: what was sent is no one else's.
    }
    const kept = fieldRefused(input);
    const refused = (answer) => {
      delete input.dataset.sent;
      kept(answer);
    };
    return Sheet.edit(wanted, { refused, done: () => fieldSaved(input) });
  }
  if (input.dataset.pf) {
    const item = input.closest("[data-part]");
    const value = input.type === "checkbox" ? (input.checked ? "yes" : "") : input.value;
    return Sheet.edit({ op: "part", part: item.dataset.part, key: item.dataset.key || "", field: input.dataset.pf, value }, {
      refused: fieldRefused(input),
      done: () => {
        fieldSaved(input);
        if (input.dataset.pf !== "new") return;
        input.value = ""; // added: the field is there for the next one
        input.defaultValue = "";
      },
    });
  }
  if (input.dataset.mf) return messageChanged(input);
  if (input.dataset.af) return Sheet.edit({ op: "about", field: input.dataset.af, value: input.value }, { refused: fieldRefused(input), done: () => fieldSaved(input) });
  return undefined;
}

// A refusal beside its field, what was typed kept.
function beside(input, text) {
  const field = byId(input.id) || input;
  field.value = input.value;
  field.setAttribute("aria-invalid", "true");
  const old = field.parentElement.querySelector(".fault");
  if (old) old.remove();
  const note = Object.assign(document.createElement("span"), { className: "fault", textContent: text });
  note.setAttribute("role", "alert");
  field.insertAdjacentElement("afterend", note);
}

function clicked(event) {
  const at = (selector) => event.target.closest(selector);
  if (at("[data-close-box]")) return at("dialog").close();
  if (Sheet.keptClicked(at)) return undefined;
  const jump = at("[data-jump]");
  if (jump) {
    byId(jump.dataset.jump).scrollIntoView({ block: "start" });
    return byId(jump.dataset.jump).focus({ preventScroll: true });
  }
  const fold = at("[data-fold]");
  if (fold) return Sheet.toggle(fold.dataset.fold);
  const check = at("[data-check]");
  if (check) return Sheet.toCheck(Sheet.model.checks[Number(check.dataset.check)]);
  const mend = at("[data-mend]");
  if (mend) return Sheet.type(...mend.dataset.mend.split(" "));
  const dismiss = at("[data-dismiss]");
  if (dismiss) {
    Sheet.faults.delete(dismiss.dataset.dismiss);
    Sheet.refresh();
    return Sheet.selected();
  }
  const button = at("[data-do]");
  if (button && DO[button.dataset.do]) return DO[button.dataset.do](button);
  const go = at("[data-go]");
  if (go) {
    Sheet.go(go.dataset.go, "t");
    Sheet.showBar(go.dataset.go);
    return Sheet.panelOpen() ? loadPanel() : undefined;
  }
  return undefined;
}

const DO = {
  undo: () => Sheet.undo("undo"),
  redo: () => Sheet.undo("redo"),
  lanes: () => Sheet.turnLanes(),
  wider: () => Sheet.zoom(1),
  narrower: () => Sheet.zoom(-1),
  "to-fault": () => Sheet.toFault(),
  "fit-all": () => Sheet.fitAll(),
  sort: () => Sheet.edit({ op: "sort" }).then(() => toast("Sorted by date, phase by phase. Ctrl Z puts it back.")),
  setup: () => (byId("setup").hidden ? Sheet.openSetup() : ((byId("setup").hidden = true), Sheet.selected())),
  close: () => Sheet.closePanel(),
  "close-setup": () => { byId("setup").hidden = true; Sheet.selected(); },
  phase: () => {
    if (Sheet.lanes === "role") Sheet.turnLanes();
    Sheet.newPhase = true;
    Sheet.refresh();
    Sheet.type("newphase", "t");
  },
  remove: (button) => Sheet.remove(button.closest("[data-keys]").dataset.keys.split(" ")),
  blank: () => Sheet.openBlank(Sheet.item(Sheet.cur.id)),
  link: () => { Sheet.selected(); Sheet.startLink(); },
  unlink: (button) => Sheet.edit({ op: "unlink", source: button.dataset.source, target: button.dataset.target, type: button.dataset.type }),
  "part-up": (button) => nudgePart(button, -1),
  "part-down": (button) => nudgePart(button, 1),
  "part-remove": (button) => {
    const item = button.closest("[data-part]");
    Sheet.edit({ op: "remove-part", part: item.dataset.part, key: item.dataset.key }, { refused: (answer) => beside(item.querySelector("input"), answer.message) });
  },
};
Object.assign(DO, MORE);
Sheet.DO = DO;
const nudgePart = (button, by) => {
  const item = button.closest("[data-part]");
  return Sheet.edit({ op: "nudge-part", part: item.dataset.part, key: item.dataset.key, by });
};

Sheet.turnLanes = function turnLanes() {
  Sheet.lanes = Sheet.lanes === "role" ? "phase" : "role";
  Sheet.blank = null;
  Sheet.refresh();
  Sheet.selected();
};

function pageKeys(event) {
  const command = event.ctrlKey || event.metaKey;
  if (command && !event.altKey && event.key.toLowerCase() === "z" && !inText(event)) {
    event.preventDefault();
    return Sheet.mine() && Sheet.undo(event.shiftKey ? "redo" : "undo");
  }
  if (command && !event.altKey && event.key.toLowerCase() === "y" && !inText(event)) {
    event.preventDefault();
    return Sheet.mine() && Sheet.undo("redo");
  }
  if (event.target.closest(".cgrip") && Sheet.columnKeyed(event)) return undefined;
  if (event.key === "F7") { event.preventDefault(); return Sheet.countFromHere(); }
  if (event.key === "F8") { event.preventDefault(); return Sheet.turnLanes(); }
  if (event.key === "F9") { event.preventDefault(); return Sheet.startLink(); }
  if (event.key === "F6") {
    event.preventDefault();
    if (byId("rows").contains(document.activeElement) && Sheet.panelOpen()) return (byId("panel").querySelector("input, textarea, select, button") || byId("panel")).focus();
    return Sheet.selected();
  }
  if (event.target.closest("#panel, #setup")) {
    if (event.key === "Escape" && !Suggest.key(event)) {
      if (event.target.matches("input, textarea, select")) event.target.blur();
      return event.target.closest("#panel") ? Sheet.selected() : DO["close-setup"]();
    }
    if (Suggest.key(event)) return undefined;
    if (event.key === "Enter" && event.target.matches("input")) {
      event.preventDefault();
      if (event.target.dataset.padd) return addPart(event.target);
      event.target.blur(); // which tells of the change
      event.target.focus();
    }
    return undefined;
  }
  return Sheet.keyed(event);
}
const inText = (event) => event.target.matches("input, textarea") && event.target.value !== event.target.defaultValue;

function addPart(input) {
  const label = input.value.trim();
  if (!label) return undefined;
  const part = input.dataset.padd;
  return Sheet.edit({ op: "add", part, label }, {
    done: () => { input.value = ""; input.defaultValue = ""; },
    refused: (answer) => beside(input, answer.message),
  });
}

function hereToo(names) {
  const others = names.filter((name) => !name.startsWith("you,"));
  const mine = names.length > others.length ? "open in another window of yours too" : "";
  const words = others.length ? `${others.join(", ")} ${others.length === 1 ? "is" : "are"} here too` : "";
  return [words, mine].filter(Boolean).join("; ");
}

// Who else is here, and what they have changed.
async function look() {
  if (document.hidden || Sheet.pending.length || Sheet.editor || Sheet.dragging) return;
  const { revision } = Sheet.model;
  const answer = await Sheet.ask("/look", { revision, edition: Sheet.model.edition, at: Sheet.real(Sheet.cur.id), rehearsal: Sheet.rehearsal }).catch(() => null);
  if (!answer || !answer.ok) return;
  byId("others").textContent = hereToo(answer.others.map((one) => one.name));
  const overtaken = Sheet.model.revision !== revision; // an answer to an edit was faster, and is newer
  if (!answer.sheet && !overtaken && !Sheet.pending.length) {
    Object.assign(Sheet.model, { undo: answer.undo, redo: answer.redo });
    drawBack();
  }
  const theirs = new Map(answer.others.map((other) => [other.at, other.name]));
  const moved = JSON.stringify([...theirs]) !== JSON.stringify([...Sheet.theirs]);
  Sheet.theirs = theirs;
  if (moved && !answer.sheet && !Sheet.editor) Alpine.mutateDom(() => Sheet.drawRows());
  if (answer.sheet && !Sheet.pending.length && !Sheet.editor && !Sheet.dragging) {
    if (!overtaken) {
      Sheet.take(answer.sheet);
      Sheet.panelStale();
    }
    if (answer.changes.length) toast(answer.changes.slice(-3).join(" · "));
  }
}

document.addEventListener("alpine:init", () => {
  Alpine.data("template", () => ({
    init() {
      Sheet.model = JSON.parse(byId("model").textContent);
      const work = this.$root;
      work.addEventListener("click", clicked);
      work.addEventListener("dblclick", Sheet.doubled);
      work.addEventListener("change", panelChanged);
      Sheet.watchCount();
      work.addEventListener("focusout", (event) => {
        if (event.target.dataset && event.target.dataset.owed) panelChanged(event);
      });
      work.addEventListener("pointerdown", Sheet.pressed);
      document.addEventListener("keydown", pageKeys);
      work.addEventListener("copy", (event) => Sheet.copied(event, false));
      work.addEventListener("cut", (event) => Sheet.copied(event, true));
      work.addEventListener("paste", Sheet.pasted);
      work.addEventListener("pointerover", (event) => {
        const row = event.target.closest("[data-k]");
        if (!Sheet.dragging && Sheet.linksOf) Sheet.light(row ? row.dataset.k : Sheet.cur.id);
      });
      document.addEventListener("click", (/** @type {any} */ event) => {
        for (const id of ["checks-box", "export-box"]) {
          const box = byId(id);
          if (box.open && (!box.contains(event.target) || event.target.closest("a"))) box.open = false;
        }
      });
      // Nobody leaves with an edit on its way: a link waits for it, closing the page is asked about.
      document.addEventListener("click", (/** @type {any} */ event) => {
        const link = event.target.closest("a[href]");
        if (!link || !Sheet.pending.length || link.hasAttribute("download") || event.ctrlKey || event.metaKey) return;
        event.preventDefault();
        Sheet.whenIdle().then(() => { location.href = link.href; });
      }, true);
      window.addEventListener("beforeunload", (event) => {
        if (Sheet.pending.length || Sheet.faults.size || Sheet.kept.length || (Sheet.editor && Sheet.editor.input.value !== Sheet.editor.was)) event.preventDefault();
      });
      restoreWidth();
      Sheet.restoreColumns();
      Sheet.watchView();
      Sheet.fit();
      Sheet.cur.id = work.dataset.selected || "";
      Sheet.refresh();
      Sheet.toAnchor();
      if (work.dataset.selected && Sheet.at.has(work.dataset.selected)) {
        Sheet.go(work.dataset.selected, "t");
        Sheet.openPanel();
      } else if (Sheet.items.length) {
        Sheet.cur.id = Sheet.items[0].id;
        Sheet.selected();
      }
      look(); // the page was made before it was known which window it stands in
      setInterval(look, Number(work.dataset.every) * 1000);
      document.addEventListener("visibilitychange", look);
      if (Sheet.mine()) window.addEventListener("pagehide", () => Sheet.ask("/leave", {}, { keepalive: true }).catch(() => null));
    },
  }));
});
