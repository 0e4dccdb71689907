"""Phases of a plan: the order they open in, and the windows that their spans give them.

A phase with a span of n working days has a window. Windows follow one another: forward, the first starts on the run's
first day (its first anchor, rolled, or the earliest target of the phase's tasks if that is earlier); backward, the last
ends on the run's end (the anchor that ends it, else the first anchor). Where the run has an end the last window is
stretched to it; where the spans are longer than the D working days there are, each of the k phases gets one day and the
other D − k go by largest remainder in proportion to span − 1, ties to the earlier.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid
from unisequa.core.plan.task import Task


@dataclass(frozen=True, slots=True)
class PhaseOf:
    """A phase of a plan.

    Parameters
    ----------
    span : int, optional
        Working days of its window.
    after : bool
        None of its tasks begins until the phase before it is closed.
    first, ends : str, optional
        The anchors that its job starts from and ends on.
    window : tuple of int, optional
        Its first and last day.
    put : bool
        Somebody has set its window.
    job : str
        The template it is of, where several are laid out as one; phases follow one another within it.
    """

    key: str
    label: str
    span: int | None = None
    after: bool = False
    first: str | None = None
    ends: str | None = None
    window: tuple[int, int] | None = None
    put: bool = False
    job: str = ""


def phase_keys(tasks: Sequence[Task]) -> dict[str, str]:
    """Task → its phase, a sub-step's being its parent's where it has none of its own; tasks in none are left out."""
    by_key = {task.key: task for task in tasks}
    found = {}
    for task in tasks:
        at: Task | None = task
        while at is not None and at.phase is None:
            at = by_key.get(at.parent) if at.parent is not None else None
        if at is not None and at.phase is not None:
            found[task.key] = at.phase
    return found


def members_of(tasks: Sequence[Task]) -> dict[str, list[Task]]:
    """Phase → its tasks that have dates of their own and are not dropped."""
    parents = {task.parent for task in tasks if task.parent is not None}
    phases, members = phase_keys(tasks), dict[str, list[Task]]()
    for task in tasks:
        if task.key in phases and task.key not in parents and task.state != "dropped":
            members.setdefault(phases[task.key], []).append(task)
    return members


def jobs_of(phases: Iterable[PhaseOf]) -> list[list[PhaseOf]]:
    """Phases by the job they follow one another in."""
    jobs: dict[str, list[PhaseOf]] = {}
    for phase in phases:
        jobs.setdefault(phase.job, []).append(phase)
    return list(jobs.values())


def opened_after(phases: Sequence[PhaseOf], members: Mapping[str, Sequence[Task]]) -> dict[str, str]:
    """Phase → the one whose end opens it; one without tasks is closed as soon as the one before it is."""
    behind = {}
    for job in jobs_of(phases):
        before: str | None = None
        for phase in job:
            if phase.after and before is not None and members.get(phase.key):
                behind[phase.key] = before
            if members.get(phase.key):
                before = phase.key
            elif not phase.after:
                before = None
    return behind


def fitted(
    phases: Sequence[PhaseOf],
    tasks: Sequence[Task],
    anchors: Mapping[str, int | None],
    calendar: WorkingCalendar,
    end: int | None,
    *,
    backward: bool,
) -> tuple[PhaseOf, ...]:
    """The phases with their windows as the spans give them; those that somebody has set keep theirs.

    Parameters
    ----------
    end : int, optional
        The run's deadline as a boundary.
    """
    if not any(phase.span or phase.window for phase in phases):
        return tuple(phases)
    members = members_of(tasks)
    windows: dict[str, tuple[int, int] | None] = {}
    for job in jobs_of(phases):
        spanned = [phase for phase in job if phase.span and members.get(phase.key)]
        if spanned:
            windows |= _windows(spanned, members, anchors, calendar, end, backward=backward)
    made = [
        phase if phase.put and members.get(phase.key) else replace(phase, window=windows.get(phase.key), put=False)
        for phase in phases
    ]
    return tuple(pushed(made, calendar))


def _windows(
    phases: Sequence[PhaseOf],
    members: Mapping[str, Sequence[Task]],
    anchors: Mapping[str, int | None],
    calendar: WorkingCalendar,
    end: int | None,
    *,
    backward: bool,
) -> dict[str, tuple[int, int] | None]:
    """The windows of the phases of one job, in days; None for all while its first day is not known."""
    grid = calendar.grid
    first, ends = (_day(anchors.get(key or ""), grid) for key in (phases[0].first, phases[0].ends))
    last = ends if ends is not None else None if end is None else grid.day(end - 1)
    spans = [phase.span or 1 for phase in phases]
    if backward:
        stop = ends if ends is not None else first
        if stop is None:
            return dict.fromkeys(phase.key for phase in phases)
        limit = calendar.day_index(stop + 1)
        begin = limit - sum(spans)
        if last is not None:
            spans[-1] = max(spans[-1], spans[-1] + calendar.day_index(last + 1) - limit)
    else:
        starts = [] if first is None else [_worked_day(first, calendar)]
        starts += [grid.day(t.target[0]) for t in members[phases[0].key] if t.target and not t.opens]
        if not starts:
            return dict.fromkeys(phase.key for phase in phases)
        begin = calendar.day_index(min(starts))
        if last is not None:
            there = calendar.day_index(last + 1) - begin
            spans = _shared(spans, there) if sum(spans) > there else [*spans[:-1], spans[-1] + there - sum(spans)]
    windows: dict[str, tuple[int, int] | None] = {}
    for phase, span in zip(phases, spans, strict=True):
        windows[phase.key] = calendar.nth_day(begin), calendar.nth_day(begin + span - 1)
        begin += span
    return windows


def _shared(spans: Sequence[int], there: int) -> list[int]:
    """One day each, the others by largest remainder in proportion to span − 1 (Hamilton's method)."""
    others, whole = there - len(spans), sum(span - 1 for span in spans)
    if others <= 0 or not whole:
        return [1] * len(spans)
    shares = [divmod(others * (span - 1), whole) for span in spans]
    left = others - sum(share for share, _ in shares)
    most = sorted(range(len(spans)), key=lambda i: (-shares[i][1], i))[:left]
    return [1 + share + (i in most) for i, (share, _) in enumerate(shares)]


def pushed(phases: Iterable[PhaseOf], calendar: WorkingCalendar) -> list[PhaseOf]:
    """Windows in order: one that would begin before the one before it has ended moves right behind it."""
    ends: dict[str, int] = {}
    made = []
    for phase in phases:
        if phase.window is not None:
            first, last = phase.window
            before = ends.get(phase.job)
            if before is not None and first <= before:
                length = max(1, calendar.day_index(last + 1) - calendar.day_index(first))
                begin = calendar.day_index(before + 1)
                phase = replace(phase, window=(calendar.nth_day(begin), calendar.nth_day(begin + length - 1)))
            assert phase.window
            ends[phase.job] = phase.window[1]
        made.append(phase)
    return made


def with_windows(tasks: Sequence[Task], phases: Sequence[PhaseOf], grid: Grid) -> tuple[Task, ...]:
    """The tasks with the windows of their phases, as boundaries."""
    windows = {
        phase.key: (grid.day_start(phase.window[0]), grid.day_start(phase.window[1] + 1))
        for phase in phases
        if phase.window is not None
    }
    if not windows and not any(task.window for task in tasks):
        return tuple(tasks)
    keys = phase_keys(tasks)
    made = []
    for task in tasks:
        window = windows.get(keys.get(task.key, ""))
        made.append(task if task.window == window else replace(task, window=window))
    return tuple(made)


def _day(at: int | None, grid: Grid) -> int | None:
    return None if at is None else grid.day(at)


def _worked_day(day: int, calendar: WorkingCalendar) -> int:
    return calendar.nth_day(calendar.day_index(day))
