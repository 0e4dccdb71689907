"""What the field of a sheet shows of a plan, in days: its plumb lines, and where tasks stand."""

from __future__ import annotations

import json
from typing import Any

from unisequa.core.calendars.words import day_words
from unisequa.core.documents.measures import measured
from unisequa.core.documents.template import DayLabel, Measure
from unisequa.core.plan.plan import Plan


def as_script(content: dict[str, Any]) -> str:
    """JSON that may stand in a page."""
    return json.dumps(content, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")


def plumbs(plan: Plan, labels: tuple[DayLabel, ...]) -> list[tuple[str, float, str]]:
    """Lines of full height in the order in which their words get room: what they are, where, what they say."""
    lines: list[tuple[str, float, str]] = []
    for anchor, day in plan.anchors.items():
        if day is not None:
            lines.append(("anchor", day + 0.5, f"{plan.labels[anchor]} {day_words(day)}"))
    if plan.today is not None:
        lines.append(("today", plan.today + 0.5, "today"))
    for label in labels:
        at = _label_day(label, plan)
        if at is not None and at not in plan.anchors.values():
            lines.append(("label", at + 0.5, label.label))
    return lines


def _label_day(label: DayLabel, plan: Plan) -> int | None:
    """The day of a day label, where its anchor is known."""
    anchor = plan.anchors.get(label.anchor)
    if anchor is None:
        return None
    measure = Measure(anchor=label.anchor, offset=label.offset, unit=label.unit)
    return plan.grid.day(measured(anchor, measure, plan.calendars[None]))


def interval(plan: Plan, i: int) -> tuple[float, float]:
    """Boundaries to draw; a milestone in the middle of the day that it reads as."""
    task, days = plan.tasks[i], plan.days(i)
    assert days is not None
    if task.duration:
        return days[0], days[1] + 1
    return days[0] + 0.5, days[0] + 0.5
