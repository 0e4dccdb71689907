// The sheet of a template: what is typed into a row is saved as soon as the field is left.
document.addEventListener("alpine:init", () => {
  Alpine.data("template", () => ({
    init() {
      const work = this.$root;
      work.addEventListener("change", (event) => typedIn(event));
      work.addEventListener("keydown", (event) => keyed(event));
      work.addEventListener("click", (event) => pressedOn(event));
      work.addEventListener("pointerover", (event) => over(event));
      work.addEventListener("pointerdown", (event) => {
        const edge = event.target.closest(".edge");
        if (edge) widening(event, edge);
      });
      restoreWidth();
      atAnchor();
      const row = document.querySelector("#work .steprow.sel");
      if (row) row.scrollIntoView({ block: "nearest" });
    },
  }));
});

const here = () => document.getElementById("work");
const csrf = () => document.body.dataset.csrf;
let inTurn = Promise.resolve();
let aboutOpen = false;

// One edit after the other: each is made on what the one before left.
function edit(rest, values, focus) {
  const asked = () => send(here().dataset.path + rest, { csrf: csrf(), selected: here().dataset.selected, ...values });
  inTurn = inTurn.then(asked).then(() => {
    openAbout(aboutOpen);
    const next = focus && document.getElementById(focus);
    if (next) next.focus();
  });
  return inTurn;
}

function typedIn(event) {
  const input = event.target;
  if (input.dataset.f) {
    const key = (input.closest("[data-k]") || {}).dataset.k;
    edit(`/steps/${encodeURIComponent(key)}`, { field: input.dataset.f, value: input.value });
  } else if (input.dataset.pf) {
    const item = input.closest("[data-part]");
    edit(`/${item.dataset.part}/${encodeURIComponent(item.dataset.key)}/change`, { field: input.dataset.pf, value: input.value });
  } else if (input.dataset.af) {
    edit("/about", { field: input.dataset.af, value: input.value });
  }
}

function keyed(event) {
  const input = event.target;
  const row = input.closest(".steprow");
  if (event.key === "Escape" && here().dataset.selected) return openStep("");
  if (event.key === "Enter" && event.altKey && row) return openStep(row.dataset.k);
  if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown") && row) {
    event.preventDefault();
    return edit(`/steps/${encodeURIComponent(row.dataset.k)}/move`, { by: event.key === "ArrowUp" ? "up" : "down" }, input.id);
  }
  if (event.key !== "Enter" || input.tagName === "TEXTAREA" || input.tagName === "BUTTON") return undefined;
  event.preventDefault();
  if ("newStep" in input.dataset) {
    const title = input.value.trim();
    if (!title) return undefined;
    input.value = "";
    return edit("/steps", { title, phase: input.dataset.newStep }, input.id);
  }
  if ("padd" in input.dataset) {
    const value = input.value.trim();
    if (!value) return undefined;
    input.value = "";
    return edit(`/${input.closest("[data-part]").dataset.part}/add`, { value }, input.id);
  }
  if (row && input.dataset.f) {
    const cells = [...document.querySelectorAll(`#work .cell[data-f="${input.dataset.f}"]`)];
    const next = cells[cells.indexOf(input) + 1] || document.getElementById("new-step");
    if (next) next.focus();
    return undefined;
  }
  return input.blur();
}

function pressedOn(event) {
  const at = (selector) => event.target.closest(selector);
  const open = at("[data-open]");
  if (open) return openStep(open.dataset.open);
  if (at("[data-close]")) return openStep("");
  if (at("[data-about]")) return openAbout(!aboutOpen);
  if (at("[data-dismiss]")) return openStep(here().dataset.selected);
  const item = at("[data-part]");
  const rest = item && `/${item.dataset.part}/${encodeURIComponent(item.dataset.key || "")}`;
  const move = at("[data-pmove]");
  if (move) return edit(`${rest}/move`, { by: move.dataset.pmove });
  if (at("[data-premove]")) return edit(`${rest}/remove`, {});
  const key = (at("[data-k]") || { dataset: {} }).dataset.k;
  const step = `/steps/${encodeURIComponent(key)}`;
  const remove = at("[data-remove]");
  if (remove) return edit(`${step}/remove`, { bridge: remove.dataset.remove });
  const row = at("[data-move]");
  if (row) return edit(`${step}/move`, { by: row.dataset.move });
  return undefined;
}

function openStep(key) {
  const address = new URL(location.href);
  if (key) address.searchParams.set("step", key);
  else address.searchParams.delete("step");
  history.replaceState({}, "", address);
  openAbout(false);
  inTurn = inTurn.then(() => htmx.ajax("GET", address.pathname + address.search, { source: "body", target: "#work", swap: "outerMorph", select: "#work" }));
  return inTurn;
}

function openAbout(open) {
  aboutOpen = open;
  const about = document.getElementById("about");
  const panel = document.getElementById("panel");
  about.hidden = !open;
  if (panel) panel.hidden = open;
}

function over(event) {
  const row = event.target.closest("[data-k]");
  for (const line of document.querySelectorAll("#field .on")) line.classList.remove("on");
  const key = row ? row.dataset.k : here().dataset.selected;
  if (!key) return;
  for (const line of document.querySelectorAll("#field [data-l]")) {
    if (line.dataset.l.split(" ").includes(key)) line.classList.add("on");
  }
}

// The first anchor in sight, with what comes before it.
function atAnchor() {
  const sheet = document.getElementById("sheet");
  const line = document.querySelector("#field .plumb");
  if (!sheet || !line || sheet.scrollLeft) return;
  const x = Number(line.getAttribute("d").match(/^M([\d.]+)/)[1]);
  sheet.scrollLeft = Math.max(0, x - (sheet.clientWidth - columnWidth()) * 0.85);
}
