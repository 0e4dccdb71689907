"""A plan: tasks with dates, what they hang on, and everything a shift of them needs to know.

A plan is either worked out from a template (:func:`planned`) or stands as people have it on a live
run (:func:`standing`). Both have the same shape, so the same pages, exports and cascades serve both.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from unisequa.core.calendar import WithInterval, WorkingCalendar
from unisequa.core.document import CalendarDocument, Edge, LagUnit, LinkType, Measure, When
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.grid import DAYS, Grid
from unisequa.core.network import Activity, Dependency, Network, Stands
from unisequa.core.offsets import standing_calendar
from unisequa.core.placing import latest_places
from unisequa.core.schedule import UNDATED, Schedule, backward, schedule
from unisequa.core.schedule import standing as standing_at

State = Literal["waiting", "ready", "under way", "in review", "done", "dropped"]

FINISHED: frozenset[str] = frozenset({"done", "dropped"})
BEGUN: frozenset[str] = frozenset({"under way", "in review"})
MOST_LINKS = 1_000_000
"""Links there may be after those to parents have been given to each of their children."""


@dataclass(frozen=True, slots=True)
class Task:
    """A task as the computation and its words need it.

    Parameters
    ----------
    duration : int
        In worked slots; 0 is a milestone. A parent's means nothing.
    edge : "start" or "finish"
        Which kind of boundary a milestone stands on; which end of a task its ``when`` measures.
    when : When, optional
        Where the template puts it.
    target : tuple of int, optional
        Start and finish boundary of that.
    not_before : int, optional
        The first date it may stand on, as people read it.
    deadline : int, optional
        Boundary at or before which it should finish.
    limits_from, deadlines_from : tuple of Measure
        What the two are measured by.
    calendar : str, optional
        Name of its calendar; the plan's default without one.
    opens : bool
        It has neither a date nor predecessors in the template, so it starts on the first anchor.
    parent : str, optional
        Key of the task it is a part of.
    fixed : bool
        Somebody has pinned its date; no cascade moves it.
    """

    key: str
    title: str
    duration: int
    edge: Edge = "finish"
    when: When | None = None
    target: tuple[int, int] | None = None
    not_before: int | None = None
    deadline: int | None = None
    limits_from: tuple[Measure, ...] = ()
    deadlines_from: tuple[Measure, ...] = ()
    calendar: str | None = None
    phase: str | None = None
    role: str | None = None
    state: State = "waiting"
    opens: bool = False
    parent: str | None = None
    fixed: bool = False

    @property
    def stands(self) -> Stands:
        """Why no floor moves it, if none does."""
        if self.state in FINISHED:
            return "done" if self.state == "done" else "dropped"
        return "begun" if self.state in BEGUN else "fixed" if self.fixed else ""


@dataclass(frozen=True, slots=True)
class LinkOf:
    """A link by keys; ``lag`` in slots of ``unit``: days, or minutes on the minute grid."""

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

    def __init__(self, documents: Iterable[CalendarDocument] = (), grid: Grid = DAYS) -> None:
        self.documents = tuple(documents) or (CalendarDocument(name="Monday to Friday"),)
        self.grid = grid
        self.default = self.documents[0].name
        self._made: dict[str, WorkingCalendar] = {d.name: d.working(grid) for d in self.documents}
        self._own: dict[tuple[object, ...], WorkingCalendar] = {}

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
        grid = self.grid
        read = grid.inclusive(task.target[1]) if task.edge == "finish" else task.target[0]
        return self.unrolled(task.when, read, task.edge, calendar)

    def unrolled(self, measure: Measure, day: int, edge: Edge, calendar: WorkingCalendar) -> WorkingCalendar:
        """A calendar with the day off that a measure falls on worked, where it is not to be rolled."""
        found = standing_calendar(measure, day, edge, calendar)
        if not isinstance(found, WithInterval):
            return found
        return self._own.setdefault((calendar.name, found.a, found.b), found)

    def with_slot(self, calendar: WorkingCalendar, slot: int) -> WorkingCalendar:
        """A calendar in which the day of a slot is worked, for one task that stands on it on purpose."""
        if calendar.is_worked(slot):
            return calendar
        first = self.grid.day(slot) * self.grid.per_day
        made = WithInterval(calendar, first, first + self.grid.per_day)
        return self._own.setdefault((calendar.name, made.a, made.b), made)


@dataclass(frozen=True, slots=True)
class Plan:
    """Tasks with dates. ``network`` and ``schedule`` have them at the positions of ``tasks``.

    ``anchors`` maps an anchor's key to its day (its instant on the minute grid), or None while it is not
    known; ``labels`` to its name; ``derived`` to the measure of one that is measured from another.
    ``first_anchor`` is where the job opens, or is due with ``direction`` backward. ``end`` is the run's deadline
    as a boundary. ``away`` says when the people in a role are on leave, as days, both included.
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
    derived: Mapping[str, Measure] = field(default_factory=dict)
    direction: str = "forward"
    crew: Mapping[str, str] = field(default_factory=dict)
    away: Mapping[str, tuple[tuple[int, int], ...]] = field(default_factory=dict)
    day_labels: tuple[tuple[int, str], ...] = ()

    @property
    def grid(self) -> Grid:
        """Days or minutes."""
        return self.calendars.grid

    def position(self, key: str) -> int:
        """Where a task is.

        Raises
        ------
        KeyError
        """
        return self.positions[key]

    def is_parent(self, position: int) -> bool:
        """Whether a task spans sub-steps and has no dates of its own."""
        return position in self.network.children

    def leaves(self, position: int) -> tuple[int, ...]:
        """The tasks that a parent stands for, at whatever level; a task itself otherwise."""
        return tuple(_leaves(self.network.children, position))

    def above(self, position: int) -> Iterator[int]:
        """A task and its parents, from the inside out."""
        found: int | None = position
        while found is not None:
            yield found
            found = self.network.parent_of.get(found)

    def read(self, position: int) -> tuple[int, int] | None:
        """A task's dates as people read them: first and last day, or two times; None while it is undated."""
        s = self.schedule
        return self.read_at(position, lambda i: (s.start[i], s.finish[i]))

    def read_at(self, position: int, span: Callable[[int], tuple[int, int]]) -> tuple[int, int] | None:
        """A task's dates as people read them, were it to stand at other boundaries; a parent's are from its
        first to its last sub-step's."""
        if position not in self.network.children:
            return read(self.tasks[position], *span(position), self.grid)
        found = [
            dates
            for i in self.leaves(position)
            if self.tasks[i].state != "dropped" and (dates := read(self.tasks[i], *span(i), self.grid))
        ]
        return (min(a for a, _ in found), max(b for _, b in found)) if found else None

    def days(self, position: int) -> tuple[int, int] | None:
        """The first and the last day that a task touches; None while it is undated."""
        s = self.schedule
        return days_of(self.read(position), s.finish[position] > s.start[position], self.grid)

    def late_read(self, position: int) -> tuple[int, int] | None:
        """The latest dates it may have without moving the end, as people read them."""
        s = self.schedule
        return self.read_at(position, lambda i: (s.late_start[i], s.late_finish[i]))

    def target_read(self, position: int) -> tuple[int, int] | None:
        """Where the template's offset puts it, as people read it."""
        target = self.tasks[position].target
        return target and read(self.tasks[position], *target, self.grid)

    def late_days(self, position: int) -> tuple[int, int] | None:
        """The latest days it may have without moving the end."""
        return days_of(self.late_read(position), True, self.grid)

    def target_days(self, position: int) -> tuple[int, int] | None:
        """The days on which the template's offset puts it."""
        return days_of(self.target_read(position), True, self.grid)

    def drift(self, position: int) -> int | None:
        """Worked slots behind the template's date; negative when ahead of it."""
        target, start = self.tasks[position].target, self.schedule.start[position]
        if target is None or start == UNDATED:
            return None
        return self.calendars.of(self.tasks[position]).count(target[1], self.schedule.finish[position])

    def span(self) -> tuple[int, int] | None:
        """Start and finish of all that is not dropped, as boundaries."""
        s = self.schedule
        found = [
            (a, b)
            for a, b, task in zip(s.start, s.finish, self.tasks, strict=True)
            if a != UNDATED and task.state != "dropped"
        ]
        return (min(a for a, _ in found), max(b for _, b in found)) if found else None

    def reach(self) -> tuple[int, int] | None:
        """First and last day of the whole plan as people read them."""
        found = [days for i, t in enumerate(self.tasks) if t.state != "dropped" and (days := self.days(i))]
        return (min(a for a, _ in found), max(b for _, b in found)) if found else None

    def working_days(self) -> int | None:
        """Working days from the first to the last, both included."""
        reach, calendar = self.reach(), self.calendars[None]
        return calendar.day_index(reach[1] + 1) - calendar.day_index(reach[0]) if reach else None


def read(task: Task, start: int, finish: int, grid: Grid = DAYS) -> tuple[int, int] | None:
    """Boundaries as a person reads them: days, both included, or times; a milestone has one."""
    if start == UNDATED:
        return None
    if start < finish or grid.per_day > 1:
        return start, grid.inclusive(finish)
    day = finish - 1 if task.edge == "finish" else start
    return day, day


def days_of(dates: tuple[int, int] | None, lasting: bool, grid: Grid) -> tuple[int, int] | None:
    """The days that dates as people read them touch; a time at midnight ends the day before."""
    if dates is None or grid.per_day == 1:
        return dates
    first, last = dates
    return grid.day(first), grid.day(last - 1 if lasting and last > first else last)


def read_days(task: Task, start: int, finish: int) -> tuple[int, int] | None:
    """Boundaries of the day grid as the days a person reads, both included; a milestone has one day."""
    return read(task, start, finish)


def boundaries(task: Task, first: int, last: int, grid: Grid = DAYS) -> tuple[int, int]:
    """The inverse of :func:`read`."""
    if task.duration or grid.per_day > 1 or first != last:
        return first, grid.exclusive(last)
    boundary = last + 1 if task.edge == "finish" else first
    return boundary, boundary


def _leaves(children: Mapping[int, tuple[int, ...]], position: int) -> Iterator[int]:
    if position not in children:
        yield position
        return
    for child in children[position]:
        yield from _leaves(children, child)


def network_of(
    tasks: Iterable[Task],
    links: Iterable[LinkOf],
    calendars: Calendars,
    floors: Iterable[int | None],
    dates: Mapping[str, tuple[int, int]] | None = None,
) -> Network:
    """The network of tasks that may not start before their floors.

    Links to a parent are made links to each of its leaves; what followed a dropped task follows what that
    one followed.

    Parameters
    ----------
    dates : mapping, optional
        Key → boundaries, for the tasks that no floor moves: done, begun or fixed.

    Raises
    ------
    CircleError
        When the links run in a circle.
    DocumentError
        When links to parents multiply beyond what can be computed.
    """
    tasks, dates = tuple(tasks), dates or {}
    position = {task.key: i for i, task in enumerate(tasks)}
    inner: dict[int, list[int]] = {}
    for i, task in enumerate(tasks):
        if task.parent is not None:
            inner.setdefault(position[task.parent], []).append(i)
    children = {i: tuple(found) for i, found in inner.items()}
    dropped = {task.key for i, task in enumerate(tasks) if task.state == "dropped" and i not in children}
    activities = [
        _activity(task, calendars, floor, dates.get(task.key), i in children)
        for i, (task, floor) in enumerate(zip(tasks, floors, strict=True))
    ]
    dependencies: list[Dependency] = []
    for link in bridged(links, dropped):
        source, target = position[link.source], position[link.target]
        if target not in children:
            dependencies.append(Dependency(source, target, link.lag, link.unit, link.type))
            continue
        for leaf in _leaves(children, target):
            dependencies.append(Dependency(source, leaf, link.lag, link.unit, link.type))
        if len(dependencies) > MOST_LINKS:
            raise DocumentError([Fault("links", f"to parents come to more than {MOST_LINKS:,} links between steps")])
    return Network.of(activities, dependencies, children)


def _activity(
    task: Task, calendars: Calendars, floor: int | None, dates: tuple[int, int] | None, parent: bool
) -> Activity:
    calendar = calendars.of(task)
    stands = "" if parent else task.stands
    pinned = dates if stands else None
    if stands == "fixed" and pinned:
        calendar = calendars.with_slot(calendar, pinned[0] if task.duration or task.edge == "start" else pinned[0] - 1)
    undated = floor is None and task.when is not None and not pinned
    return Activity(
        task.key,
        0 if parent else task.duration,
        calendar,
        task.edge,
        floor,
        _earliest(task, calendars.grid),
        task.deadline,
        pinned,
        stands if pinned or stands == "dropped" else "",
        undated or (stands == "dropped" and not pinned),
    )


def _earliest(task: Task, grid: Grid) -> int | None:
    """The boundary of ``not_before``; a milestone of the day grid stands at the end of its day."""
    if task.not_before is None:
        return None
    return task.not_before + (task.duration == 0 and task.edge == "finish" and grid.per_day == 1)


def bridged(links: Iterable[LinkOf], left_out: set[str]) -> tuple[LinkOf, ...]:
    """Links without those of tasks left out, whose followers now follow what those followed.

    A task left out is passed as a milestone would be: lags in the same unit add up, otherwise the
    longer one holds.

    Raises
    ------
    DocumentError
        When that makes more links than can be computed.
    """
    links = tuple(links)
    if not left_out:
        return links
    into: dict[str, dict[LinkOf, None]] = {key: {} for key in left_out}
    out: dict[str, dict[LinkOf, None]] = {key: {} for key in left_out}
    kept = dict.fromkeys(links)
    for link in links:
        if link.target in left_out:
            into[link.target][link] = None
        if link.source in left_out:
            out[link.source][link] = None
    for key in sorted(left_out):
        before, after = tuple(into[key]), tuple(out[key])
        for link in (*before, *after):
            kept.pop(link, None)
            into.get(link.target, {}).pop(link, None)
            out.get(link.source, {}).pop(link, None)
        for a in before:
            for b in after:
                link = _joined(a, b)
                kept[link] = None
                if link.target in into:
                    into[link.target][link] = None
                if link.source in out:
                    out[link.source][link] = None
        if len(kept) > MOST_LINKS:
            raise DocumentError([Fault("links", f"past what is left out come to more than {MOST_LINKS:,}")])
    return tuple(kept)


def _joined(a: LinkOf, b: LinkOf) -> LinkOf:
    if a.unit == b.unit or not a.lag or not b.lag:
        lag, unit = a.lag + b.lag, b.unit if b.lag else a.unit
    else:
        lag, unit = max((a.lag, a.unit), (b.lag, b.unit))
    types: dict[str, LinkType] = {"FS": "FS", "SS": "SS", "FF": "FF", "SF": "SF"}
    return LinkOf(a.source, b.target, types[a.type[0] + b.type[1]], lag, unit)


def planned(
    name: str,
    tasks: tuple[Task, ...],
    links: tuple[LinkOf, ...],
    calendars: Calendars,
    anchors: Mapping[str, int | None],
    labels: Mapping[str, str],
    *,
    opening: int | None = None,
    today: int | None = None,
    end: int | None = None,
    direction: str = "forward",
) -> Plan:
    """Work the dates out: every task as early as its target and its links allow, or in a plan that runs
    backward as late as what follows it allows.

    Parameters
    ----------
    opening : int, optional
        The boundary at which tasks that open the job start.
    end : int, optional
        The run's deadline as a boundary.
    """
    floors = [task.target[0] if task.target else opening if task.opens and not task.when else None for task in tasks]
    network = network_of(tasks, links, calendars, floors)
    warnings: tuple[Warning, ...] = ()
    if direction == "backward":
        places = latest_places(network)
        network = network.with_activities(
            activity if i not in places else replace(activity, floor=places[i])
            for i, activity in enumerate(network.activities)
        )
    result = schedule(network, end)
    if direction == "backward":
        late = [i for i, place in places.items() if result.start[i] > place]
        warnings = tuple(
            Warning("backward", tasks[i].key, f"{tasks[i].title} cannot be as early as what follows it needs it to be")
            for i in late
        )
    positions = {task.key: i for i, task in enumerate(tasks)}
    return Plan(
        name,
        with_spans(tasks, network, result, calendars),
        links,
        network,
        result,
        calendars,
        anchors,
        labels,
        warnings,
        today,
        end,
        positions,
        direction=direction,
    )


def with_spans(tasks: tuple[Task, ...], network: Network, result: Schedule, calendars: Calendars) -> tuple[Task, ...]:
    """The tasks with each parent's duration as the worked slots it spans."""
    if not network.children:
        return tasks
    found = list(tasks)
    for i in network.children:
        spans = result.start[i] != UNDATED
        duration = calendars[tasks[i].calendar].count(result.start[i], result.finish[i]) if spans else 0
        found[i] = replace(tasks[i], duration=duration)
    return tuple(found)


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
    network = network_of(tasks, links, calendars, [b if b != UNDATED else None for b in start], dates)
    positions = {task.key: i for i, task in enumerate(tasks)}
    result = backward(network, standing_at(network, start, finish), end)
    tasks = with_spans(tasks, network, result, calendars)
    return Plan(name, tasks, links, network, result, calendars, anchors, labels, (), today, end, positions)


def replanned(plan: Plan, dates: Mapping[str, tuple[int, int]], **changes: object) -> Plan:
    """The plan with other tasks, links or calendars, standing on other dates; all else stays."""
    changed = replace(plan, **changes)  # type: ignore[arg-type]
    found = standing(
        changed.name,
        changed.tasks,
        changed.links,
        dates,
        changed.calendars,
        changed.anchors,
        changed.labels,
        today=changed.today,
        end=changed.end,
    )
    return replace(
        changed, tasks=found.tasks, network=found.network, schedule=found.schedule, positions=found.positions
    )
