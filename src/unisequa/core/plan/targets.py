"""Where anchors put tasks: targets, "not before" and deadlines, measured anew whenever an anchor moves."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from unisequa.core.documents.measures import measured
from unisequa.core.documents.template import Measure
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.task import Task
from unisequa.core.terms import Edge


def with_dates_of(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> Task:
    """A task with its target, "not before" and deadline measured from anchors as they now are."""
    calendar, grid = calendars[task.calendar], calendars.grid

    def known(measures: Iterable[Measure], edge: Edge) -> list[int]:
        return [
            measured(anchor, measure, calendar, edge)
            for measure in measures
            if (anchor := anchors.get(measure.anchor)) is not None
        ]

    return replace(
        task,
        target=target_of(task, anchors, calendars),
        not_before=max(known(task.limits_from, "start"), default=None),
        deadline=min((grid.exclusive(day) for day in known(task.deadlines_from, "finish")), default=None),
    )


def target_of(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> tuple[int, int] | None:
    """Start and finish boundary where a task's ``when`` puts it; None while its anchor is not known.

    ==============  ====================================================================
    edge            target
    ==============  ====================================================================
    start           start = D, finish = advance(D, duration)
    finish          finish = D + 1 (D itself on the minute grid), start = retreat(finish, duration)
    ==============  ====================================================================
    """
    when = task.when
    anchor = None if when is None else anchors.get(when.anchor)
    if when is None or anchor is None:
        return None
    calendar = calendars[task.calendar]
    day = measured(anchor, when, calendar, when.edge)
    calendar = calendars.unrolled(when, day, when.edge, calendar)
    if when.edge == "start":
        return day, calendar.advance(day, task.duration)
    finish = calendars.grid.exclusive(day)
    if not task.duration:
        return finish, finish
    start = calendar.retreat(finish, task.duration)
    return start, calendar.advance(start, task.duration)


def derived_dates(
    anchors: Mapping[str, int | None], derived: Mapping[str, Measure], calendars: Calendars
) -> dict[str, int | None]:
    """Anchors with those that are measured from others worked out, however deep."""
    known = dict(anchors)
    left = dict(derived)
    while left:
        ready = [key for key, measure in left.items() if measure.anchor not in left]
        for key in ready or list(left):
            measure = left.pop(key)
            base = known.get(measure.anchor)
            known[key] = None if base is None else measured(base, measure, calendars[None])
    return known
