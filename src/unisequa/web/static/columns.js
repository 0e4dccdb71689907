// The border between the worded columns and the field, dragged or moved by the arrow keys.
const columnWidth = () => document.querySelector(".rows").getBoundingClientRect().width;
function widen(width) {
  const to = Math.min(Math.max(Math.round(width), 240), 900);
  document.querySelector(".sheet").style.setProperty("--rows", `${to}px`);
  const edge = document.querySelector(".edge");
  if (edge) edge.setAttribute("aria-valuenow", to);
  localStorage.setItem(widthName(), to);
}
const widthName = () => `columns-${document.querySelector(".sheet.wide") ? "template" : "run"}`;
function restoreWidth() {
  const kept = document.querySelector(".sheet") && localStorage.getItem(widthName());
  if (kept && innerWidth > 760) widen(Number(kept));
}
function widening(event, edge) {
  const from = columnWidth() - event.clientX;
  const move = (moved) => widen(from + moved.clientX);
  edge.setPointerCapture(event.pointerId);
  edge.addEventListener("pointermove", move);
  edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", move), { once: true });
  event.preventDefault();
}
