// One sprite from the few icons in use.
import { readFileSync } from "node:fs";

const names = [
  "search", "sun", "moon", "plus", "x", "chevron-up", "chevron-down", "chevron-right", "arrow-right", "check",
  "undo-2", "redo-2", "download", "triangle-alert", "trash-2", "keyboard", "link", "calendar", "lock", "external-link", "bell",
];
const symbols = names.map((name) => {
  const source = readFileSync(`node_modules/lucide-static/icons/${name}.svg`, "utf8");
  const inner = source.replace(/^[\s\S]*?<svg[^>]*>/, "").replace("</svg>", "").replace(/\s*\n\s*/g, "");
  return `<symbol id="i-${name}" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" ` +
    `stroke-linecap="round" stroke-linejoin="round">${inner}</symbol>`;
});
process.stdout.write(`<svg xmlns="http://www.w3.org/2000/svg">${symbols.join("")}</svg>\n`);
