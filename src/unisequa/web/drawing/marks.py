"""What the field of a sheet shows of a plan, in days: its plumb lines, and where tasks stand."""

from __future__ import annotations

import json
from typing import Any

from unisequa.core.calendars.grid import MINUTES
from unisequa.core.calendars.words import day_words, slot_words
from unisequa.core.documents.measures import measured
from unisequa.core.documents.template import DayLabel, Measure
from unisequa.core.plan.plan import Plan


def as_script(content: dict[str, Any]) -> str:
    """JSON that may stand in a page."""
    return json.dumps(content, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")


Plumb = tuple[str, float, str, str, str]
"""What a line of full height is, where, what it says; of anchors the key, and what is said where there is less room."""


def plumbs(plan: Plan, labels: tuple[DayLabel, ...]) -> list[Plumb]:
    """Lines of full height in the order in which their words get room."""
    lines: list[Plumb] = []
    for anchor, day in plan.anchors.items():
        if day is not None:
            lines.append(
                (
                    "anchor",
                    middle(plan, day),
                    f"{plan.labels[anchor]} {short_words(plan, day)}",
                    anchor,
                    plan.labels[anchor],
                )
            )
    if plan.today is not None:
        now = plan.grid.per_day > 1
        lines.append(("today", middle(plan, plan.today), short_words(plan, plan.today) if now else "today", "", ""))
    for label in labels:
        at = _label_day(label, plan)
        if at is not None and at not in plan.anchors.values():
            lines.append(("label", middle(plan, at), label.label, "", ""))
    return lines


def middle(plan: Plan, at: int) -> float:
    """Where a day, or an instant, is drawn: in the middle of its day, or where it is."""
    return at + 0.5 if plan.grid.per_day == 1 else plan.grid.shown(at) / MINUTES


def short_words(plan: Plan, at: int) -> str:
    """A date in a narrow column: ``Fri 7 Aug``; in a job of hours ``19:30``, with its day where that is another than
    the one on which the job begins."""
    grid = plan.grid
    if grid.per_day == 1:
        return plan.dates_in_words()[at]
    reach = plan.reach()
    words = slot_words(at, grid)
    first = reach[0] if reach else grid.day(at)
    day = grid.day(at)
    if day == first:
        return words.removeprefix(day_words(day)).strip()
    return words if abs(day - first) > 6 else f"{words[:3]} {words.removeprefix(day_words(day)).strip()}"


def due_words(plan: Plan, i: int) -> str:
    """When a task is due, in a narrow column."""
    read = plan.read(i)
    return short_words(plan, read[1]) if read else "undated"


def _label_day(label: DayLabel, plan: Plan) -> int | None:
    """The day, or the instant, of a day label, where its anchor is known."""
    anchor = plan.anchors.get(label.anchor)
    if anchor is None:
        return None
    measure = Measure(anchor=label.anchor, offset=label.offset, unit=label.unit)
    return measured(anchor, measure, plan.calendars[None])


def run_span(plan: Plan) -> tuple[float, float] | None:
    """From where to where a whole run is drawn, in days."""
    reach, span = plan.reach(), plan.span()
    if reach is None or span is None:
        return None
    if plan.grid.per_day == 1:
        return reach[0], reach[1] + 1
    return plan.grid.shown(span[0]) / MINUTES, plan.grid.shown(span[1]) / MINUTES


def interval(plan: Plan, i: int) -> tuple[float, float]:
    """Boundaries to draw, in days; a milestone in the middle of the day that it reads as."""
    task, days = plan.tasks[i], plan.days(i)
    assert days is not None
    if plan.grid.per_day > 1:
        read = plan.read(i)
        assert read is not None
        return plan.grid.shown(read[0]) / MINUTES, plan.grid.shown(read[1]) / MINUTES
    if task.duration:
        return days[0], days[1] + 1
    return days[0] + 0.5, days[0] + 0.5
