// Bars, milestones, spans of parents, ghosts: what a row shows in the field, as markup drawn from its own top.
import { CHARACTER, ROW } from "./scale.js";
import { esc } from "./svg.js";

/**
 * @typedef {object} Mark
 * @property {string} key
 * @property {"bar" | "milestone" | "span"} shape  A span reaches over the parts of a parent: a hairline, and a wash behind the rows of its parts.
 * @property {number} [rows]  How many rows of parts there are below a span.
 * @property {number} x  Of a milestone its middle.
 * @property {number} width
 * @property {string} state  As a class: `under-way`.
 * @property {boolean} [critical]
 * @property {boolean} [late]
 * @property {boolean} [moved]
 * @property {[number, number] | null} [base]  Where it stood by a baseline: from where to where.
 * @property {boolean} [fixed]  A shift moves it nowhere: a nail through its start.
 * @property {number | null} [slackTo]  Where its dotted line of slack ends.
 * @property {[number, number] | null} [ghost]  Where it stood before the shift being considered, and how wide.
 * @property {string} [label]  A milestone's word beside it, and how far to its right; to its left where it would reach over the field's end.
 * @property {number} [labelAt]
 * @property {number} [fieldEnd]
 * @property {boolean} [grip]  Whether its right end is taken hold of.
 * @property {boolean} [knobs]  Whether links are drawn from its ends.
 */

/** @param {number} x */
const lozenge = (x) => `M${x} 7.5l4.5 7.5l-4.5 7.5l-4.5 -7.5z`;

/** @param {Mark} mark */
function ghostOf(mark) {
  if (!mark.ghost) return "";
  const [x, width] = mark.ghost;
  if (mark.shape === "milestone") {
    const right = mark.x > x;
    return `<path class="ghost" d="${lozenge(x)}"/><path class="garrow" d="M${x + (right ? 6 : -6)} 15H${mark.x + (right ? -8 : 8)}"/>`;
  }
  const moved = Math.abs(mark.x - x) > 8
    ? `<path class="garrow" d="M${mark.x > x + width ? x + width : x} 4.5H${mark.x}"/><path class="ah" d="M${mark.x} 4.5l${mark.x > x ? -5 : 5} -3v6z"/>`
    : "";
  return `<rect class="ghost" x="${x}" y="8" width="${width}" height="14"/>${moved}`;
}

/** A milestone's word beside it. @param {Mark} mark */
function wordOf({ x, label, labelAt = 11, fieldEnd = Infinity }) {
  if (!label) return "";
  const left = x + labelAt + label.length * CHARACTER > fieldEnd;
  return `<text class="lb${left ? " end" : ""}" x="${left ? x - labelAt : x + labelAt}" y="19.5">${esc(label)}</text>`;
}

/** What one row shows. @param {Mark} mark */
export function drawn(mark) {
  const { x, width, shape } = mark;
  const milestone = shape === "milestone";
  const moved = mark.moved ? " moved" : "";
  const late = !mark.late ? "" : milestone ? `<path class="lateline" d="M${x - 6} 26h12"/>` : `<path class="lateline" d="M${x + 1} 27h${Math.max(width - 2, 6)}"/>`;
  const slack = mark.slackTo && mark.slackTo > x + width + 2 ? `<path class="slack" d="M${x + width + 2} 15H${mark.slackTo}"/>` : "";
  const reach = milestone ? 14 : 9;
  const knobs = mark.knobs ? `<circle class="knob" data-end="S" cx="${x - reach}" cy="15" r="4"/><circle class="knob" data-end="F" cx="${x + (milestone ? 0 : width) + reach}" cy="15" r="4"/>` : "";
  const body = milestone
    ? `<path class="ms ${mark.state}${mark.critical ? " crit" : ""}${moved}" d="${lozenge(x)}"/>${late}${wordOf(mark)}<rect class="hit" x="${x - 8}" y="3" width="16" height="24"/>`
    : shape === "span"
      ? `<rect class="wash" x="${x}" y="10" width="${width}" height="${20 + ROW * (mark.rows || 0)}"/><path class="span" d="M${x} 10H${x + width}"/><rect class="hit" x="${x}" y="4" width="${width}" height="22"/>`
      : barOf(mark, moved, late);
  const nail = mark.fixed ? `<path class="nail" d="M${x + (milestone ? 0 : 1)} 3v24m-3 -24h6"/>` : "";
  return `${ghostOf(mark)}<g class="mk" data-k="${esc(mark.key)}">${milestone && shape ? "" : slack}${body}${nail}${knobs}</g>${mark.base ? `<path class="baseline" d="M${mark.base[0]} 27.5H${mark.base[1]}m0 -3v3M${mark.base[0]} 24.5v3"/>` : ""}`;
}

/** @param {Mark} mark @param {string} moved @param {string} late */
function barOf(mark, moved, late) {
  const { x, width } = mark;
  const wide = Math.max(width - 2, 3);
  const begun = mark.state === "under-way" ? `<rect class="begun" x="${x + 1}" y="8" width="${Math.max(Math.round(width * 4) / 10, 3)}" height="14"/>` : "";
  const critical = mark.critical ? `<path class="crit" d="M${x + 1} 24.5h${Math.max(width - 2, 4)}"/>` : "";
  const grip = mark.grip ? `<rect class="grip" x="${x + width - 4}" y="6" width="5" height="18"/>` : "";
  return `<rect class="bar ${mark.state}${moved}" x="${x + 1}" y="8" width="${wide}" height="14"/>${begun}${critical}${late}<rect class="hit" x="${x}" y="4" width="${width}" height="22"/>${grip}`;
}
