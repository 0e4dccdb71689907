"""A plan as a table: CSV for spreadsheets, plain columns for a terminal."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping

from unisequa.core.calendars.grid import span_text
from unisequa.core.calendars.words import count_words, slot_words
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.room import room_words

HEADER = (
    "Key", "Task", "Phase", "Role", "Who", "Start", "Due", "Working days", "State", "Slack", "Critical",
    "Anchor slack", "To", "Follows",
)  # fmt: skip
_HOURLY = {"Working days": "Working time"}


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
    grid = plan.grid
    writer.writerow(HEADER if grid.per_day == 1 else [_HOURLY.get(name, name) for name in HEADER])
    follows: dict[str, list[str]] = {}
    for link in plan.links:
        follows.setdefault(link.target, []).append(link.source)
    for i, task in enumerate(plan.tasks):
        dates, slack = plan.read(i), plan.schedule.total_slack[i]
        cells = (
            task.key,
            task.title,
            (phases or {}).get(task.phase or "", task.phase or ""),
            task.role or "",
            who(task.role),
            grid.iso(dates[0]) if dates else "",
            grid.iso(dates[1]) if dates else "",
            _length(plan, task.duration),
            task.state,
            "" if slack is None else _length(plan, slack),
            "yes" if plan.schedule.critical[i] else "",
            "" if (before := plan.schedule.anchor_slack[i]) is None else _length(plan, before),
            plan.schedule.slack_to[i] or "",
            "; ".join(follows.get(task.key, [])),
        )
        writer.writerow([text_cell(cell) for cell in cells])
    return out.getvalue()


def _length(plan: Plan, slots: int) -> str:
    return str(slots) if plan.grid.per_day == 1 else span_text(slots)


def text_cell(text: str) -> str:
    """Text that a spreadsheet will not take for a formula; a negative number stays one."""
    if text[:1] in ("=", "+", "-", "@", "\t", "\r") and not text.lstrip("-").isdigit():
        return "'" + text
    return text


def plan_text(plan: Plan) -> str:
    """The tasks in columns for a terminal."""
    hours = plan.grid.per_day > 1
    rows = [("Task", "Start", "Due", "Time" if hours else "Days", "Slack", "")]
    for i, task in enumerate(plan.tasks):
        dates = plan.read(i)
        rows.append(
            (
                task.title,
                slot_words(dates[0], plan.grid, year=True) if dates else "undated",
                slot_words(dates[1], plan.grid, year=True) if dates else "",
                _length(plan, task.duration),
                room_words(plan, i).replace("critical", ""),
                "critical" if plan.schedule.critical[i] else "",
            )
        )
    widths = [max(len(row[c]) for row in rows) for c in range(5)]
    lines = []
    for row in rows:
        cells = [row[c].rjust(widths[c]) if c in (3, 4) else row[c].ljust(widths[c]) for c in range(5)]
        lines.append("  ".join([*cells, row[5]]).rstrip())
    if span := plan.span():
        first, last = (span[0], span[1]) if hours else plan.reach() or span
        words = f"{slot_words(first, plan.grid, year=True)} to {slot_words(last, plan.grid, year=True)}"
        lines += ["", f"{plan.name}: {words}, {count_words(plan.working_days() or 0, 'working day')}"]
    lines += [f"! {warning.text}" for warning in plan.warnings]
    return "\n".join(lines) + "\n"
