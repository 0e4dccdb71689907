"""A plan: tasks with dates, what they hang on, and everything a shift of them needs to know.

A plan is either worked out from a template (:func:`planned`) or stands as people have it on a live
run (:func:`standing`). Both have the same shape, so the same pages, exports and cascades serve both.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from unisequa.core.calendar import WorkingCalendar
from unisequa.core.document import CalendarDocument, Edge, LagUnit, LinkType, When
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.network import Activity, Dependency, Network
from unisequa.core.schedule import UNDATED, Schedule, backward, forward, schedule

State = Literal["waiting", "ready", "under way", "in review", "done", "dropped"]

FINISHED: frozenset[str] = frozenset({"done", "dropped"})


@dataclass(frozen=True, slots=True)
class Task:
    """A task as the computation and its words need it.

    Parameters
    ----------
    duration : int
        In worked slots; 0 is a milestone.
    edge : "start" or "finish"
        Which kind of boundary a milestone stands on; which end of a task its ``when`` measures.
    when : When, optional
        Where the template puts it.
    target : tuple of int, optional
        Start and finish boundary of that.
    not_before : int, optional
        The first day it may stand on.
    deadline : int, optional
        Boundary at or before which it should finish.
    calendar : str, optional
        Name of its calendar; the plan's default without one.
    opens : bool
        It has neither ``when`` nor predecessors in the template, so it starts on the first anchor.
    """

    key: str
    title: str
    duration: int
    edge: Edge = "finish"
    when: When | None = None
    target: tuple[int, int] | None = None
    not_before: int | None = None
    deadline: int | None = None
    calendar: str | None = None
    phase: str | None = None
    role: str | None = None
    state: State = "waiting"
    opens: bool = False


@dataclass(frozen=True, slots=True)
class LinkOf:
    """A link by keys; ``lag`` in days of ``unit``."""

    source: str
    target: str
    type: LinkType = "FS"
    lag: int = 0
    unit: LagUnit = "working"


@dataclass(frozen=True, slots=True)
class Warning:
    """Something that deserves a look; it keeps nothing from going on."""

    kind: str
    task: str | None
    text: str


class Calendars:
    """The working calendars of a plan by name, each made once; the first is the default."""

    def __init__(self, documents: Iterable[CalendarDocument] = ()) -> None:
        self.documents = tuple(documents) or (CalendarDocument(name="Monday to Friday"),)
        self.default = self.documents[0].name
        self._made: dict[str, WorkingCalendar] = {d.name: d.working() for d in self.documents}
        self._with_day: dict[tuple[str, int], WorkingCalendar] = {}

    def __contains__(self, name: object) -> bool:
        return name in self._made

    def __getitem__(self, name: str | None) -> WorkingCalendar:
        found = self._made.get(name or self.default)
        if found is None:
            message = f'no calendar "{name}"{did_you_mean(name or "", self._made)}'
            raise DocumentError([Fault("calendar", message)])
        return found

    def of(self, task: Task) -> WorkingCalendar:
        """A task's calendar; a day off that its unrolled target falls on counts as worked for it alone."""
        calendar = self[task.calendar]
        if task.when is None or task.when.roll != "none" or task.target is None:
            return calendar
        day = task.target[1] - 1 if task.edge == "finish" else task.target[0]
        if calendar.is_worked(day):
            return calendar
        return self._with_day.setdefault((calendar.name, day), calendar.with_changes(worked=[day]))


@dataclass(frozen=True, slots=True)
class Plan:
    """Tasks with dates. ``network`` and ``schedule`` have them at the positions of ``tasks``.

    ``anchors`` maps an anchor's key to its day, or None while it is not known; ``labels`` to its name.
    """

    name: str
    tasks: tuple[Task, ...]
    links: tuple[LinkOf, ...]
    network: Network
    schedule: Schedule
    calendars: Calendars
    anchors: Mapping[str, int | None]
    labels: Mapping[str, str]
    warnings: tuple[Warning, ...] = ()
    today: int | None = None
    end: int | None = None
    positions: Mapping[str, int] = field(default_factory=dict)

    def position(self, key: str) -> int:
        """Where a task is.

        Raises
        ------
        KeyError
        """
        return self.positions[key]

    def days(self, position: int) -> tuple[int, int] | None:
        """First and last day of a task as people read them; None while it is undated."""
        s = self.schedule
        return read_days(self.tasks[position], s.start[position], s.finish[position])

    def late_days(self, position: int) -> tuple[int, int] | None:
        """The latest days it may have without moving the end."""
        s = self.schedule
        return read_days(self.tasks[position], s.late_start[position], s.late_finish[position])

    def target_days(self, position: int) -> tuple[int, int] | None:
        """Where the template's offset puts it."""
        target = self.tasks[position].target
        return target and read_days(self.tasks[position], *target)

    def drift(self, position: int) -> int | None:
        """Worked slots behind the template's date; negative when ahead of it."""
        target, start = self.tasks[position].target, self.schedule.start[position]
        if target is None or start == UNDATED:
            return None
        return self.calendars.of(self.tasks[position]).count(target[1], self.schedule.finish[position])

    def reach(self) -> tuple[int, int] | None:
        """First and last day of the whole plan as people read them."""
        found = [days for i in range(len(self.tasks)) if (days := self.days(i))]
        return (min(a for a, _ in found), max(b for _, b in found)) if found else None


def read_days(task: Task, start: int, finish: int) -> tuple[int, int] | None:
    """Boundaries as the days a person reads, both included; a milestone has one day."""
    if start == UNDATED:
        return None
    if task.duration:
        return start, finish - 1
    day = finish - 1 if task.edge == "finish" else start
    return day, day


def boundaries(task: Task, first: int, last: int) -> tuple[int, int]:
    """The inverse of :func:`read_days`."""
    if task.duration:
        return first, last + 1
    boundary = last + 1 if task.edge == "finish" else first
    return boundary, boundary


def network_of(
    tasks: Iterable[Task], links: Iterable[LinkOf], calendars: Calendars, floors: Iterable[int | None]
) -> Network:
    """The network of tasks that may not start before their floors.

    Raises
    ------
    CircleError
        When the links run in a circle.
    """
    tasks = tuple(tasks)
    position = {task.key: i for i, task in enumerate(tasks)}
    activities = (
        Activity(
            task.key,
            task.duration,
            calendars.of(task),
            task.edge,
            floor,
            _earliest(task),
            task.deadline,
            task.state in FINISHED,
        )
        for task, floor in zip(tasks, floors, strict=True)
    )
    dependencies = (Dependency(position[k.source], position[k.target], k.lag, k.unit, k.type) for k in links)
    return Network.of(activities, dependencies)


def _earliest(task: Task) -> int | None:
    """The boundary of ``not_before``; a milestone stands at the end of its day."""
    if task.not_before is None:
        return None
    return task.not_before + (task.duration == 0 and task.edge == "finish")


def planned(
    name: str,
    tasks: tuple[Task, ...],
    links: tuple[LinkOf, ...],
    calendars: Calendars,
    anchors: Mapping[str, int | None],
    labels: Mapping[str, str],
    *,
    opening: int | None = None,
    warnings: tuple[Warning, ...] = (),
    today: int | None = None,
    end: int | None = None,
) -> Plan:
    """Work the dates out: every task as early as its target and its links allow.

    Parameters
    ----------
    opening : int, optional
        The day on which tasks that open the job start.
    end : int, optional
        The run's deadline as a boundary.
    """
    floors = [task.target[0] if task.target else opening if task.opens else None for task in tasks]
    network = network_of(tasks, links, calendars, floors)
    result = schedule(network, end)
    positions = {task.key: i for i, task in enumerate(tasks)}
    return Plan(name, tasks, links, network, result, calendars, anchors, labels, warnings, today, end, positions)


def standing(
    name: str,
    tasks: tuple[Task, ...],
    links: tuple[LinkOf, ...],
    dates: Mapping[str, tuple[int, int]],
    calendars: Calendars,
    anchors: Mapping[str, int | None],
    labels: Mapping[str, str],
    *,
    today: int | None = None,
    end: int | None = None,
) -> Plan:
    """A plan as it stands: tasks keep the boundaries in ``dates``; slack and drivers are worked out on them."""
    start = [dates.get(task.key, (UNDATED, UNDATED))[0] for task in tasks]
    finish = [dates.get(task.key, (UNDATED, UNDATED))[1] for task in tasks]
    network = network_of(tasks, links, calendars, [b if b != UNDATED else None for b in start])
    positions = {task.key: i for i, task in enumerate(tasks)}
    plan = Plan(name, tasks, links, network, _none(tasks), calendars, anchors, labels, (), today, end, positions)
    return with_dates(plan, start, finish)


def _none(tasks: tuple[Task, ...]) -> Schedule:
    nothing = [UNDATED] * len(tasks)
    nobody: list[int | None] = [None] * len(tasks)
    return Schedule(nothing, nothing, nothing, nothing, nobody, nobody, [False] * len(tasks), [()] * len(tasks))


def with_dates(plan: Plan, start: list[int], finish: list[int]) -> Plan:
    """The plan with other dates; slack and criticality are worked out anew."""
    _, _, drivers = forward(plan.network)
    return replace(plan, schedule=backward(plan.network, start, finish, drivers, plan.end))


def iso(day: int | None) -> str | None:
    """A day as ``2026-08-31``."""
    return None if day is None else dt.date.fromordinal(day).isoformat()
