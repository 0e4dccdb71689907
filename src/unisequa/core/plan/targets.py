"""Where anchors put tasks: targets, "not before" and deadlines, measured anew whenever an anchor moves."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from unisequa.core.calendars.grid import MINUTES, read_span
from unisequa.core.documents.measures import measured
from unisequa.core.documents.template import Measure, When
from unisequa.core.network.backward import AnchorLimit
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf, fitted, with_windows
from unisequa.core.plan.task import Task
from unisequa.core.terms import Edge


def with_dates_of(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> Task:
    """A task with its target, "not before" and deadline measured from anchors as they now are."""
    measured_by = (task.when, *task.limits_from, *task.deadlines_from)
    if measured_by == (None,) and (task.target, task.not_before, task.deadline) == (None, None, None):
        return task
    not_before, deadline = limits_of(task.limits_from, task.deadlines_from, task.calendar, anchors, calendars)
    target = target_of(task, anchors, calendars)
    if (target, not_before, deadline) == (task.target, task.not_before, task.deadline):
        return task
    return replace(task, target=target, not_before=not_before, deadline=deadline)


def limits_of(
    limits: Sequence[Measure],
    deadlines: Sequence[Measure],
    calendar: str | None,
    anchors: Mapping[str, int | None],
    calendars: Calendars,
) -> tuple[int | None, int | None]:
    """ "Not before" and deadline where these measures put them; None without one whose anchor is known."""
    if not limits and not deadlines:
        return None, None
    counted, grid = calendars[calendar], calendars.grid

    def known(measures: Iterable[Measure], edge: Edge) -> list[int]:
        return [
            measured(anchor, measure, counted, edge)
            for measure in measures
            if (anchor := anchors.get(measure.anchor)) is not None
        ]

    last = min((grid.exclusive(day) for day in known(deadlines, "finish")), default=None)
    return max(known(limits, "start"), default=None), last


def target_of(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> tuple[int, int] | None:
    """Start and finish boundary where a task's ``when`` puts it; None while its anchor is not known.

    What only its phase's window dates starts no earlier than the window; placed backwards it is due on its last day.

    ==============  ====================================================================
    edge            target
    ==============  ====================================================================
    start           start = D, finish = advance(D, duration)
    finish          finish = D + 1 (D itself on the minute grid), start = retreat(finish, duration)
    ==============  ====================================================================
    """
    if task.when is None:
        return None
    return placed_at(task.when, task.duration, task.calendar, anchors, calendars, task.window if task.opens else None)


def placed_at(
    when: When,
    duration: int,
    name: str | None,
    anchors: Mapping[str, int | None],
    calendars: Calendars,
    window: tuple[int, int] | None = None,
) -> tuple[int, int] | None:
    """The same of a task of a duration on the calendar of a name; ``window`` is for one that only that dates."""
    anchor = anchors.get(when.anchor)
    if anchor is None:
        return None
    calendar, grid = calendars[name], calendars.grid
    if window and when.edge == "finish":
        anchor = grid.inclusive(calendar.roll_back(window[1]))
    day = measured(anchor, when, calendar, when.edge)
    if window and when.edge == "start":
        day = max(day, calendar.roll_forward(window[0]))
    calendar = calendars.unrolled(when, day, when.edge, calendar)
    if when.edge == "start":
        return day, calendar.advance(day, duration)
    finish = grid.exclusive(day)
    if not duration:
        return finish, finish
    start = calendar.retreat(finish, duration)
    return start, calendar.advance(start, duration)


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


def still_derived(
    anchors: Mapping[str, int | None], measures: Mapping[str, Measure], calendars: Calendars
) -> dict[str, Measure]:
    """Of anchors that may be measured from others those that stand where that puts them: one that was given a date of
    its own keeps it."""

    def stands(key: str, measure: Measure) -> bool:
        at, base = anchors.get(key), anchors.get(measure.anchor)
        return at is None or (base is not None and measured(base, measure, calendars[None]) == at)

    return {key: measure for key, measure in measures.items() if stands(key, measure)}


def in_phases(
    tasks: Sequence[Task],
    phases: Sequence[PhaseOf],
    anchors: Mapping[str, int | None],
    calendars: Calendars,
    end: int | None,
    direction: str,
) -> tuple[tuple[Task, ...], tuple[PhaseOf, ...]]:
    """The tasks and phases with windows fitted to anchors as they are; what only a window dates is measured anew."""
    phases = fitted(phases, tasks, anchors, calendars[None], end, backward=direction == "backward")
    return in_windows(tasks, phases, anchors, calendars), phases


def in_windows(
    tasks: Sequence[Task], phases: Sequence[PhaseOf], anchors: Mapping[str, int | None], calendars: Calendars
) -> tuple[Task, ...]:
    """The tasks in the windows that their phases have."""
    placed = with_windows(tasks, phases, calendars.grid)
    return tuple(
        new if new is old or not new.opens else with_dates_of(new, anchors, calendars)
        for old, new in zip(tasks, placed, strict=True)
    )


def anchor_limits(
    tasks: Sequence[Task], anchors: Mapping[str, int | None], calendars: Calendars
) -> tuple[AnchorLimit, ...]:
    """What must be over by the day of each known anchor: every task measured from it by an offset of 0 or less.

    By the end of that day, or of the day to which its own roll takes it if that is later; what is measured at its
    start must be begun by then. The earlier anchor comes first, then the order of the template.
    """
    until: dict[str, dict[int, tuple[str, int]]] = {}
    for i, task in enumerate(tasks):
        limit = anchor_limit(task, anchors, calendars)
        if limit is not None and task.when is not None:
            until.setdefault(task.when.anchor, {})[i] = limit
    order = {key: n for n, key in enumerate(anchors)}
    return tuple(AnchorLimit(key, until[key]) for key in sorted(until, key=lambda key: (anchors[key] or 0, order[key])))


def anchor_limit(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> tuple[str, int] | None:
    """The end of a task that must not pass its anchor, and the last boundary for it; None where none limits it."""
    when, grid = task.when, calendars.grid
    if when is None or task.opens or task.target is None or not before_or_on(when):
        return None
    anchor = anchors.get(when.anchor)
    if anchor is None:
        return None
    start = when.edge == "start"
    day = max(grid.day(anchor), grid.day(task.target[0] if start else task.target[1] - 1))
    end = grid.day_start(day + 1)
    return ("S", end - 1) if start else ("F", end)


def before_or_on(measure: Measure) -> bool:
    """Whether an offset is 0 or less."""
    if isinstance(measure.offset, int):
        return measure.offset <= 0
    return read_span(measure.offset, MINUTES) <= 0
