"""Baselines: where the tasks of a run stood once, and what of that is over now."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from unisequa.core.plan.plan import Plan, boundaries
from unisequa.core.work.earned import Curve, Piece, curve
from unisequa.store.tables import BaselineRow, Run


def keep_baseline(run: Run, name: str, plan: Plan, person_id: int | None) -> BaselineRow:
    """Keep where a run's tasks stand now; those over stand where they were done, and what is dropped is left out."""
    dates = {}
    for i, task in enumerate(plan.tasks):
        read = plan.read(i)
        if read is not None and task.state != "dropped" and not plan.is_parent(i):
            days = [plan.grid.iso(day) for day in read]
            dates[task.key] = [*days, task.duration]
    number = max((row.number for row in run.baselines), default=0) + 1
    row = BaselineRow(number=number, name=name[:200], dates=dates, person_id=person_id)
    run.baselines.append(row)
    return row


def spans_in(plan: Plan, dates: Mapping[str, Any]) -> dict[str, tuple[int, int]]:
    """Task → where it stood by a baseline, as boundaries; of those that are still there."""
    spans = {}
    for task in plan.tasks:
        if task.key in dates:
            first, last, duration = dates[task.key]
            read = plan.grid.read(first), plan.grid.read(last)
            then = task if task.duration == duration else replace(task, duration=duration)
            spans[task.key] = boundaries(then, *read, plan.grid)
    return spans


def curve_of(plan: Plan, dates: Mapping[str, Any]) -> Curve:
    """What a baseline wants over by when, and what of it is over in a plan."""
    pieces: list[Piece] = []
    spans: list[tuple[int, int]] = []
    kept = spans_in(plan, dates)
    for i, task in enumerate(plan.tasks):
        if task.key not in dates or task.state == "dropped" or plan.is_parent(i):
            continue
        span, duration = kept[task.key], dates[task.key][2]
        spans.append(span)
        if duration:
            pieces.append(Piece(span[1], duration, task.state == "done"))
    reach = (min(a for a, _ in spans), max(b for _, b in spans)) if spans else None
    return curve(pieces, reach, plan.calendars[None])
