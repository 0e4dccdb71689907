// Conditions put together in the panel, messages, files, and the box that releases an edition.
import { toast } from "../app.js";
import { all, byId } from "../dom.js";
import { fieldRefused, fieldSaved } from "./kept.js";
import { Sheet, WINDOW } from "./store.js";

// Conditions begun and not yet saved, by step and field: the panel may be drawn anew meanwhile.
const begun = new Map();

document.addEventListener("alpine:init", () => {
  Alpine.data("condition", () => ({
    facts: [], clauses: [], joiner: "and", fault: "", all: {}, keys: [], field: "",
    init() {
      const found = JSON.parse(this.$el.dataset.condition);
      this.facts = found.facts || [];
      this.all = found.operators || {};
      this.keys = this.$el.dataset.keys.split(" ");
      this.field = this.$el.dataset.field;
      const draft = begun.get(this.place());
      const { clauses, joiner } = draft ? draft.said : found;
      this.clauses = clauses || [];
      this.joiner = joiner || "and";
      this.fault = draft ? draft.fault : "";
      this.$watch("clauses", () => this.keep());
    },
    place() { return [this.field, ...this.keys].join(" "); },
    said() {
      return { joiner: this.joiner, clauses: this.clauses.map((clause) => ({ fact: clause.fact, operator: clause.operator, value: String(clause.value) })) };
    },
    keep() { begun.set(this.place(), { said: this.said(), fault: this.fault }); },
    fact(clause) { return this.facts.find((fact) => fact.key === clause.fact) || { kind: "text", choices: [] }; },
    operators(clause) { return this.all[this.fact(clause).kind] || []; },
    bare(clause) { return ["yes", "no", "given", "open"].includes(clause.operator); },
    chosen(clause) { return !this.bare(clause) && this.fact(clause).choices.length > 0; },
    typed(clause) { return !this.bare(clause) && this.fact(clause).choices.length === 0; },
    choices(clause) { return this.fact(clause).choices; },
    label(what, i) { return `${what} ${i + 1}${this.field === "only_if" ? "" : " of the sign-off"}`; },
    adding() { return this.field === "only_if" ? "Add a condition" : "Add a condition to the sign-off"; },
    add() {
      const fact = this.facts[0];
      this.clauses.push({ fact: fact.key, operator: this.all[fact.kind][0][0], value: fact.choices[0] || "" });
      this.save();
    },
    drop(i) {
      this.clauses.splice(i, 1);
      this.save();
    },
    turned(i) {
      const clause = this.clauses[i];
      clause.operator = this.operators(clause)[0][0];
      clause.value = this.fact(clause).choices[0] || "";
      this.save();
    },
    save() {
      this.fault = "";
      this.keep();
      if (this.clauses.some((clause) => this.typed(clause) && !String(clause.value).trim())) return;
      const place = this.place();
      const sent = this.said();
      const unchanged = () => begun.has(place) && JSON.stringify(begun.get(place).said) === JSON.stringify(sent);
      Sheet.edit({ op: "condition", keys: this.keys, field: this.field, ...sent }, {
        done: () => { if (unchanged()) begun.delete(place); },
        refused: (answer) => {
          this.fault = answer.message;
          this.keep();
        },
      });
    },
  }));
});

const panelKey = (element) => element.closest("[data-keys]").dataset.keys.split(" ")[0];
document.addEventListener("change", (/** @type {any} */ event) => {
  if ("attach" in event.target.dataset) attach(event.target);
});

/** One field of a step's own message. @param {any} input */
export function messageChanged(input) {
  const box = input.closest("[data-message]");
  const value = (name) => box.querySelector(`[data-mf="${name}"]`).value;
  /** @type {Record<string, any>} */
  const values = {};
  if (input.dataset.mf === "files") {
    values.files = [...box.querySelectorAll('[data-mf="files"]')].filter((one) => one.checked).map((one) => one.value);
  } else if (input.dataset.mf === "shared") {
    const chosen = input.selectedOptions[0];
    values.shared = input.value || null;
    if (chosen.dataset.subject) Object.assign(values, { subject: chosen.dataset.subject, text: chosen.dataset.text });
  } else if (input.dataset.mf === "offset" || input.dataset.mf === "side") values.offset = Number(value("offset")) * Number(value("side"));
  else values[input.dataset.mf] = input.dataset.mf === "at" ? input.value || null : input.value;
  return Sheet.edit({ op: "message", key: panelKey(input), index: Number(box.dataset.message), values }, { refused: fieldRefused(input), done: () => fieldSaved(input) });
}

async function attach(input) {
  const file = input.files[0];
  if (!file) return;
  const form = new FormData();
  form.append("key", panelKey(input));
  form.append("file", file);
  const answer = await fetch(`${Sheet.path()}/attachments`, { method: "POST", body: form, headers: { "x-csrf-token": document.body.dataset.csrf, accept: "application/json", ...WINDOW } });
  const found = await answer.json().catch(() => ({}));
  if (!answer.ok) toast((found.error && found.error.message) || "That file could not be kept.");
  await Sheet.reload();
  Sheet.panelStale();
}

export const MORE = {
  "message-add": (button) => {
    const keys = button.closest("[data-keys]").dataset.keys.split(" ");
    return Sheet.edit({ op: "message", key: keys[0], keys, values: { to: button.dataset.to } }).then(Sheet.openPanel).then(() => {
      const added = all("#panel [data-message] > details").at(-1);
      if (!added) return;
      added.open = true;
      added.querySelector('[data-mf="subject"]').select();
    });
  },
  "message-remove": (button) => Sheet.edit({ op: "message", key: panelKey(button), index: Number(button.closest("[data-message]").dataset.message) }),
  detach: (button) => Sheet.edit({ op: "detach", key: panelKey(button), sha256: button.dataset.sha }),
  include: async () => {
    let key = "";
    await Sheet.edit({ op: "add", part: "includes", label: byId("new-includes").value }, { done: (answer) => { [key] = answer.made; } });
    if (!key) return;
    await Sheet.openSetup();
    const choices = /** @type {any} */ ([...document.querySelectorAll(`#setup [data-part="includes"][data-key="${CSS.escape(key)}"] select[data-pf*=":"]`)]);
    const left = choices.filter((choice) => !choice.value);
    toast(left.length ? `What has the same name is the same; ${left.length} of its ${choices.length} dates and roles are left to say, or are asked for by themselves.` : "Included; all its dates and roles are those of the same name here.");
    (left[0] || byId("s-includes")).focus();
  },
  release: () => openRelease(),
};

// What a release changes, in words, before it is made.
async function openRelease() {
  await Sheet.whenIdle();
  const box = byId("release-box");
  const answer = await fetch(`${Sheet.path()}/release`, { headers: { "hx-request": "true" } });
  box.innerHTML = await answer.text();
  box.showModal();
  box.querySelector("textarea").focus();
}
