"""A plan as a table: CSV for spreadsheets, plain columns for a terminal."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping

from unisequa.core.plan import Plan, iso
from unisequa.core.words import count_words, day_words

HEADER = (
    "Key", "Task", "Phase", "Role", "Who", "Start", "Due", "Working days", "State", "Slack", "Critical", "Follows",
)  # fmt: skip


def plan_csv(
    plan: Plan, *, who: Callable[[str | None], str] = lambda role: "", phases: Mapping[str, str] | None = None
) -> str:
    """The tasks as CSV, one a row, dates as 2026-08-31.

    Parameters
    ----------
    who : callable
        Gives the person in a role.
    phases : mapping of str to str, optional
        Phase key → label.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADER)
    follows: dict[str, list[str]] = {}
    for link in plan.links:
        follows.setdefault(link.target, []).append(link.source)
    for i, task in enumerate(plan.tasks):
        first, last = plan.days(i) or (None, None)
        slack = plan.schedule.total_slack[i]
        cells = (
            task.key,
            task.title,
            (phases or {}).get(task.phase or "", task.phase or ""),
            task.role or "",
            who(task.role),
            iso(first) or "",
            iso(last) or "",
            str(task.duration),
            task.state,
            "" if slack is None else str(slack),
            "yes" if plan.schedule.critical[i] else "",
            "; ".join(follows.get(task.key, [])),
        )
        writer.writerow([text_cell(cell) for cell in cells])
    return out.getvalue()


def text_cell(text: str) -> str:
    """Text that a spreadsheet will not take for a formula; a negative number stays one."""
    if text[:1] in ("=", "+", "-", "@", "\t", "\r") and not text.lstrip("-").isdigit():
        return "'" + text
    return text


def plan_text(plan: Plan) -> str:
    """The tasks in columns for a terminal."""
    rows = [("Task", "Start", "Due", "Days", "Slack", "")]
    for i, task in enumerate(plan.tasks):
        days, slack = plan.days(i), plan.schedule.total_slack[i]
        rows.append(
            (
                task.title,
                day_words(days[0], year=True) if days else "undated",
                day_words(days[1], year=True) if days else "",
                str(task.duration),
                "" if slack is None else str(slack),
                "critical" if plan.schedule.critical[i] else "",
            )
        )
    widths = [max(len(row[c]) for row in rows) for c in range(5)]
    lines = []
    for row in rows:
        cells = [row[c].rjust(widths[c]) if c in (3, 4) else row[c].ljust(widths[c]) for c in range(5)]
        lines.append("  ".join([*cells, row[5]]).rstrip())
    reach = plan.reach()
    if reach:
        length = plan.calendars[None].count(reach[0], reach[1] + 1)
        span = f"{day_words(reach[0], year=True)} to {day_words(reach[1], year=True)}"
        lines += ["", f"{plan.name}: {span}, {count_words(length, 'working day')}"]
    lines += [f"! {warning.text}" for warning in plan.warnings]
    return "\n".join(lines) + "\n"
