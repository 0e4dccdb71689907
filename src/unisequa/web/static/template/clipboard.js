// Copy, cut and paste: steps whole between templates, rows of a table to and from a spreadsheet, lists of lines.
import { toast } from "../app.js";
import { watchBrought } from "../brought.js";
import { byId } from "../dom.js";
import { lastPlace } from "./grid.js";
import { Sheet, WINDOW } from "./store.js";

const CLIP = "application/x-unisequa-steps";
Sheet.copied = async function copied(event, cut) {
  if (Sheet.editor || !event.target.closest || !document.activeElement.closest("#rows")) return;
  const keys = Sheet.ownKeys();
  if (!keys.length) return;
  event.preventDefault();
  const lines = keys.map((key) => Sheet.line(key));
  const cell = Sheet.cur.c;
  if (!cut && Sheet.sel.size < 1 && cell !== "n" && cell !== "t") {
    event.clipboardData.setData("text/plain", lines[0][cell] || "");
    return;
  }
  const table = lines.map((line) => [line.t, line.r, line.w, line.ch ? "" : line.d, line.f].map((text) => text || "").join("\t")).join("\n");
  event.clipboardData.setData("text/plain", table);
  const clip = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
  event.clipboardData.setData(CLIP, clip);
  Sheet.keepClip(clip, keys);
  if (cut && Sheet.editable()) {
    Sheet.sel.clear();
    await Sheet.edit({ op: "remove", keys, cut: true }, { local: (model) => { model.lines = model.lines.filter((line) => !keys.includes(line.k) && !keys.includes(line.pa)); } });
    toast(`${keys.length === 1 ? "1 step" : `${keys.length} steps`} cut; paste puts it in elsewhere, here or in another template.`);
    Sheet.selected();
  } else {
    toast(`${keys.length === 1 ? "1 step" : `${keys.length} steps`} copied.`);
  }
};

Sheet.pasted = function pasted(event) {
  if (Sheet.editor && !/\n/.test(event.clipboardData.getData("text/plain"))) return;
  if (!Sheet.editor && !event.target.closest("#rows")) return;
  if (!Sheet.editable() || Sheet.rehearsal) return;
  const text = event.clipboardData.getData("text/plain").replace(/\r\n?/g, "\n").replace(/\n+$/, "");
  const own = event.clipboardData.getData(CLIP);
  event.preventDefault();
  const where = pastePlace();
  if (Sheet.editor) Sheet.cancel();
  const done = (answer) => {
    Sheet.sel = new Set(answer.made);
    if (answer.made.length) Sheet.cur = { id: answer.made[0], c: "t" };
  };
  const shown = () => Sheet.selected();
  if (own) return Sheet.edit({ op: "paste", clip: own, where }, { done }).then(shown);
  const { c, id } = Sheet.cur;
  const lines = text.split("\n");
  const item = Sheet.item(id);
  if (Sheet.fields[c] && c !== "t" && item.type === "step" && !text.includes("\t")) return downColumn(id, c, lines);
  if (text.includes("\t")) return openTable(event.clipboardData.getData("text/plain"), where, (answer) => { done(answer); shown(); });
  if (lines.length === 1 && item.type === "step" && c === "t") return Sheet.set([id], "t", text);
  return Sheet.edit({ op: "insert", text, where }, { done }).then(shown);
};

// A table is looked at before it is put in: what it would make, what is to be mended.
async function openTable(table, where, done) {
  await Sheet.whenIdle();
  const box = byId("paste-box");
  const body = new FormData();
  body.set("table", table);
  body.set("where", JSON.stringify(Sheet.resolved(where)));
  const post = (/** @type {FormData} */ of) => fetch(`${Sheet.path()}/paste`, { method: "POST", body: of, headers: { "x-csrf-token": document.body.dataset.csrf, "hx-request": "true", ...WINDOW } });
  const answer = await post(body).catch(() => null);
  if (!answer || !answer.ok) return toast("That table could not be looked at. Try again.");
  box.innerHTML = await answer.text();
  box.showModal();
  const form = byId("paste-form");
  watchBrought(form, async (of) => {
    const again = await post(new FormData(of)).catch(() => null);
    return again && again.ok ? again.text() : null;
  }, (fresh) => byId("make").replaceWith(fresh.getElementById("make")));
  form.addEventListener("submit", async (/** @type {any} */ event) => {
    event.preventDefault();
    const of = new FormData(form);
    of.set("act", "make");
    byId("make").disabled = true;
    const made = await post(of).catch(() => null);
    const told = made ? await made.json().catch(() => ({})) : {};
    if (!made || !made.ok) {
      byId("make").disabled = false;
      return toast((told.error && told.error.message) || "The server did not answer; nothing was put in. Try again.");
    }
    box.close();
    Sheet.take(told.sheet);
    done(told);
    return toast(`${told.made.length === 1 ? "1 step" : `${told.made.length} steps`} put in. Ctrl Z takes them out.`);
  });
  (form.querySelector("#brought input[aria-invalid]") || byId("make")).focus();
  return undefined;
}

function pastePlace() {
  const item = Sheet.item(Sheet.cur.id);
  if (item.type === "step" && !item.line.in) return { after: item.id, level: item.line.lv || 0 };
  if (item.type === "phase") return { phase: item.key };
  const place = item.type === "blank" && item.id === "blank" ? item : lastPlace();
  return place.after ? { after: place.after, level: place.level || 0 } : { phase: place.phase || "" };
}

function downColumn(id, c, lines) {
  const keys = Sheet.sel.size > 1 && lines.length === 1 ? Sheet.ownKeys() : null;
  if (keys) return Sheet.set(keys, c, lines[0]);
  const rows = Sheet.items.slice(Sheet.at.get(id)).filter((item) => item.type === "step" && !item.line.in && !(c === "d" && item.line.ch));
  if (lines.length === 1) return Sheet.set([id], c, lines[0].trim());
  const chosen = rows.slice(0, lines.length).map((item) => item.id);
  const values = new Map(chosen.map((key, i) => [key, lines[i].trim()]));
  const local = (model) => Sheet.changeLines(model, (line) => values.has(line.k) && { [c]: values.get(line.k) });
  return Sheet.edit({ op: "column", keys: chosen, field: Sheet.fields[c], values: [...values.values()] }, { local }).then(() => {
    if (lines.length > rows.length) toast(`${lines.length - rows.length} of ${lines.length} lines had no row to go to.`);
  });
}
