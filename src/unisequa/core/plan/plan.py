"""A plan: tasks with dates, what they hang on, and everything a shift of them needs to know.

A plan is either worked out from a template (:func:`planned`) or stands as people have it on a live
run (:func:`standing`). Both have the same shape, so the same pages, exports and cascades serve both.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from unisequa.core.calendars.grid import DAYS, Grid
from unisequa.core.calendars.words import DateWords
from unisequa.core.documents.template import Measure
from unisequa.core.network.backward import Schedule, backward, schedule
from unisequa.core.network.forward import early_at
from unisequa.core.network.latest import latest_places, pressed_places
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.building import leaves_of, network_of
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf
from unisequa.core.plan.targets import anchor_limits
from unisequa.core.plan.task import LinkOf, Task, Warning
from unisequa.core.terms import Follow


@dataclass(frozen=True, slots=True)
class Plan:
    """Tasks with dates. ``network`` and ``schedule`` have them at the positions of ``tasks``.

    ``anchors`` maps an anchor's key to its day (its instant on the minute grid), or None while it is not
    known; ``labels`` to its name; ``derived`` to the measure of one that is measured from another.
    ``first_anchor`` is where the job opens, or is due with ``direction`` backward. ``end`` is the run's deadline
    as a boundary, and ``ends`` the anchor whose day that is. ``away`` says when the people in a role, or of one
    task (:func:`one_task`), are on leave, as days, both included. ``ties`` are keys among the links that
    are no tasks: what they follow holds what follows them.
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
    ties: tuple[str, ...] = ()
    phases: tuple[PhaseOf, ...] = ()
    ends: str | None = None
    follow: Follow = "ask"
    prepared: bool = False

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
        return tuple(leaves_of(self.network.children, position))

    def above(self, position: int) -> Iterator[int]:
        """A task and its parents, from the inside out."""
        at: int | None = position
        while at is not None:
            yield at
            at = self.network.parent_of.get(at)

    def read(self, position: int) -> tuple[int, int] | None:
        """A task's dates as people read them: first and last day, or two times; None while it is undated."""
        s = self.schedule
        if position not in self.network.children:
            return read(self.tasks[position], s.start[position], s.finish[position], self.calendars.grid)
        return self.read_at(position, lambda i: (s.start[i], s.finish[i]))

    def read_at(self, position: int, span: Callable[[int], tuple[int, int]]) -> tuple[int, int] | None:
        """A task's dates as people read them, were it to stand at other boundaries; a parent's are from its
        first to its last sub-step's."""
        if position not in self.network.children:
            return read(self.tasks[position], *span(position), self.grid)
        spans = [
            dates
            for i in self.leaves(position)
            if self.tasks[i].state != "dropped" and (dates := read(self.tasks[i], *span(i), self.grid))
        ]
        return (min(a for a, _ in spans), max(b for _, b in spans)) if spans else None

    def days(self, position: int) -> tuple[int, int] | None:
        """The first and the last day that a task touches; None while it is undated."""
        s = self.schedule
        return days_of(self.read(position), s.finish[position] > s.start[position], self.grid)

    def late_read(self, position: int) -> tuple[int, int] | None:
        """The latest dates it may have without moving the end, as people read them."""
        s = self.schedule
        if position not in self.network.children:
            return read(self.tasks[position], s.late_start[position], s.late_finish[position], self.calendars.grid)
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

    def dates_in_words(self) -> DateWords:
        """Its dates as they are told on its today."""
        return DateWords(self.grid, None if self.today is None else self.grid.day(self.today))

    def room(self, position: int) -> tuple[int, str | None] | None:
        """The smaller of total and anchor slack in worked slots, with the anchor's key where it is that one's."""
        total, anchor = self.schedule.total_slack[position], self.schedule.anchor_slack[position]
        if anchor is not None and (total is None or anchor < total + (not self.schedule.critical[position])):
            return anchor, self.schedule.slack_to[position]
        return None if total is None else (total, None)

    def drift(self, position: int) -> int | None:
        """Worked slots behind the template's date; negative when ahead of it."""
        target, start = self.tasks[position].target, self.schedule.start[position]
        if target is None or start == UNDATED:
            return None
        return self.calendars.of(self.tasks[position]).count(target[1], self.schedule.finish[position])

    def span(self) -> tuple[int, int] | None:
        """Start and finish of all that is not dropped, as boundaries."""
        s = self.schedule
        spans = [
            (a, b)
            for a, b, task in zip(s.start, s.finish, self.tasks, strict=True)
            if a != UNDATED and task.state != "dropped"
        ]
        return (min(a for a, _ in spans), max(b for _, b in spans)) if spans else None

    def reach(self) -> tuple[int, int] | None:
        """First and last day of the whole plan as people read them."""
        reaches = [days for i, t in enumerate(self.tasks) if t.state != "dropped" and (days := self.days(i))]
        return (min(a for a, _ in reaches), max(b for _, b in reaches)) if reaches else None

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


def boundaries(task: Task, first: int, last: int, grid: Grid = DAYS) -> tuple[int, int]:
    """The inverse of :func:`read`."""
    return boundaries_of(task.duration, task.edge, first, last, grid)


def boundaries_of(duration: int, edge: str, first: int, last: int, grid: Grid = DAYS) -> tuple[int, int]:
    """The same of a task that is not there yet."""
    if duration or grid.per_day > 1 or first != last:
        return first, grid.exclusive(last)
    boundary = last + 1 if edge == "finish" else first
    return boundary, boundary


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
    ties: tuple[str, ...] = (),
    phases: tuple[PhaseOf, ...] = (),
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
    network = network_of(tasks, links, calendars, floors, ties=ties, phases=phases)
    warnings: tuple[Warning, ...] = ()
    if direction == "backward":
        places = latest_places(network)
        warnings = tuple(
            Warning("backward", tasks[i].key, f"{tasks[i].title} cannot be as early as what follows it needs it to be")
            for i in pressed_places(network, places)
        )
        network = network.with_activities(
            activity if i not in places else replace(activity, floor=places[i])
            for i, activity in enumerate(network.activities)
        )
    result = schedule(network, end, anchor_limits(tasks, anchors, calendars))
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
        ties=ties,
        phases=phases,
    )


def with_spans(tasks: tuple[Task, ...], network: Network, result: Schedule, calendars: Calendars) -> tuple[Task, ...]:
    """The tasks with each parent's duration as the worked slots it spans."""
    if not network.children:
        return tasks
    placed = list(tasks)
    for i in network.children:
        spans = result.start[i] != UNDATED
        duration = calendars[tasks[i].calendar].count(result.start[i], result.finish[i]) if spans else 0
        placed[i] = replace(tasks[i], duration=duration)
    return tuple(placed)


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
    ties: tuple[str, ...] = (),
    phases: tuple[PhaseOf, ...] = (),
) -> Plan:
    """A plan as it stands: tasks keep the boundaries in ``dates``; slack and drivers are worked out on them."""
    start = [dates.get(task.key, (UNDATED, UNDATED))[0] for task in tasks]
    finish = [dates.get(task.key, (UNDATED, UNDATED))[1] for task in tasks]
    floors = [b if b != UNDATED else None for b in start]
    network = network_of(tasks, links, calendars, floors, dates, ties=ties, phases=phases)
    positions = {task.key: i for i, task in enumerate(tasks)}
    result = backward(network, early_at(network, start, finish), end, anchor_limits(tasks, anchors, calendars))
    tasks = with_spans(tasks, network, result, calendars)
    return Plan(
        name, tasks, links, network, result, calendars, anchors, labels, (), today, end, positions,
        ties=ties, phases=phases,
    )  # fmt: skip


def one_task(key: str) -> str:
    """What a task goes by among roles, where it is somebody else's than its role's: in ``away`` and ``crew``."""
    return f"task {key}"


def replanned(plan: Plan, dates: Mapping[str, tuple[int, int]], **changes: object) -> Plan:
    """The plan with other tasks, links or calendars, standing on other dates; all else stays."""
    changed = replace(plan, **changes)  # type: ignore[arg-type]
    anew = standing(
        changed.name,
        changed.tasks,
        changed.links,
        dates,
        changed.calendars,
        changed.anchors,
        changed.labels,
        today=changed.today,
        end=changed.end,
        ties=changed.ties,
        phases=changed.phases,
    )
    return replace(changed, tasks=anew.tasks, network=anew.network, schedule=anew.schedule, positions=anew.positions)
