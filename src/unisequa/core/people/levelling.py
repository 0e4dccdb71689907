"""Is there time? When everything would be done if people did one thing after the other by urgency.

All live runs first, then the prepared ones. No floor is before today; a task without target, limit and predecessors
keeps its date as one. Begun and fixed tasks stay, and are laid first, even beyond capacity. Tasks without effort,
milestones, and those nobody fills stand at their floors. Nothing is assigned by it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.words import DateWords, hours_words
from unisequa.core.network.activities import Activity
from unisequa.core.network.places import UNDATED
from unisequa.core.people.doers import Doer, Overload, Person, Team, overloads, shared
from unisequa.core.people.hours import HoursRoom, Taken, Wanted
from unisequa.core.people.laying import Effort, laid, to_do
from unisequa.core.people.serial import Job, Levelling, Place, Span
from unisequa.core.plan.building import limit_of
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED


@dataclass(frozen=True, slots=True)
class Asked:
    """What a task asks of its doer: minutes, those of the least piece (0: any), those said to be left."""

    minutes: int
    chunk: int = 0
    left: int | None = None


@dataclass(frozen=True, slots=True)
class RunOfWork:
    """A run with who does what in it.

    Parameters
    ----------
    asked : mapping of str to Asked
        By task; one that is not in it has no effort given.
    doers : mapping of str to Doer
        By task; one that is not in it is nobody's.
    number : int, optional
        By which tasks of other runs know it that wait for tasks of it.
    """

    plan: Plan
    asked: Mapping[str, Asked] = field(default_factory=dict)
    doers: Mapping[str, Doer] = field(default_factory=dict)
    prepared: bool = False
    number: int | None = None

    def open(self) -> Iterator[int]:
        """The positions of tasks with work in them: no parents, no milestones, nothing that is over."""
        for i, task in enumerate(self.plan.tasks):
            if task.duration and not self.plan.is_parent(i) and task.state not in FINISHED:
                yield i

    def effort(self, i: int) -> Effort | None:
        """The effort of a task on its days; None without effort or dates."""
        days = self.plan.days(i)
        return None if days is None else self.effort_on(i, days, self.plan.tasks[i].duration)

    def effort_on(self, i: int, days: tuple[int, int], duration: int) -> Effort | None:
        """The effort of a task, were it to lie on other days and to take as many worked slots."""
        task = self.plan.tasks[i]
        asked = self.asked.get(task.key)
        if asked is None:
            return None
        in_days = duration if self.plan.grid.per_day == 1 else self.calendar(i).count(days[0], days[1] + 1)
        return Effort(asked.minutes, *days, in_days, task.state, asked.chunk, asked.left)

    def calendar(self, i: int) -> WorkingCalendar:
        """The days that a task's calendar works."""
        if self.plan.grid.per_day == 1:
            return self.plan.network.activities[i].calendar
        return self.plan.calendars.by_day[self.plan.tasks[i].calendar]

    def laid(self, i: int, today: int) -> Mapping[int, int]:
        """The minutes of a task by day, as it stands."""
        doer, effort = self.doers.get(self.plan.tasks[i].key), self.effort(i)
        if doer is None or effort is None:
            return {}
        return laid(effort, today, self.calendar(i), doer.hours)

    def laid_on(self, i: int, days: tuple[int, int], duration: int, today: int, doer: Doer) -> Mapping[int, int]:
        """The minutes of a task by day, were it to lie on other days, or with somebody else."""
        effort = self.effort_on(i, days, duration)
        return {} if effort is None else laid(effort, today, self.calendar(i), doer.hours)


Days = dict[int, int]
"""Day → minutes."""


def asked_of(runs: Iterable[RunOfWork], today: int, *, prepared: bool = False) -> dict[str, Days]:
    """Person → minutes asked of them by day, in live runs or in prepared ones; queues shared among their members."""
    asked: dict[str, Days] = {}
    for run in runs:
        if run.prepared != prepared:
            continue
        for i in run.open():
            add_to(asked, run, i, run.laid(i, today))
    return asked


def add_to(asked: dict[str, Days], run: RunOfWork, i: int, days: Mapping[int, int], sign: int = 1) -> None:
    """Add the minutes of a task to those of who does it, or take them off."""
    doer = run.doers.get(run.plan.tasks[i].key)
    if doer is None or not days:
        return
    parts: Mapping[str, Mapping[int, int]] = shared(days, doer) if isinstance(doer, Team) else {doer.name: days}
    for who, its in parts.items():
        mine = asked.setdefault(who, {})
        for day, minutes in its.items():
            mine[day] = mine.get(day, 0) + sign * minutes


def people_in(runs: Iterable[RunOfWork]) -> dict[str, Person]:
    """Everybody who does something, by name."""
    people: dict[str, Person] = {}
    for run in runs:
        for doer in run.doers.values():
            for person in doer.members if isinstance(doer, Team) else (doer,):
                people.setdefault(person.name, person)
    return people


def overloads_of(asked: Mapping[str, Days], people: Mapping[str, Person]) -> list[Overload]:
    """Where anybody is asked for more than they have, the first first."""
    found = [one for who, days in asked.items() for one in overloads(who, days, people[who].hours)]
    return sorted(found, key=lambda one: (one.first, one.who))


@dataclass(frozen=True, slots=True)
class TaskPlaced:
    """Where a task comes to lie, as people read dates; who would do it, and the minutes of it by day. ``waits`` says
    whether it is for want of their time that it does not start earlier."""

    run: int
    position: int
    key: str
    who: str | None
    start: int
    finish: int
    span: Span
    days: Mapping[int, int]
    waits: bool = False


@dataclass(frozen=True, slots=True)
class Answer:
    """What levelling says; runs are told by their places among those it was given.

    ``nowhere`` are tasks for which nobody has time at all within two years.
    """

    tasks: tuple[TaskPlaced, ...]
    nowhere: tuple[tuple[int, str], ...]
    no_effort: tuple[tuple[int, str], ...]
    nobody: tuple[tuple[int, str], ...]
    cost: tuple[int, int]


def level(runs: Sequence[RunOfWork], today: int) -> Answer:
    """When everything would be done, all runs taken together."""
    known = {run.number: n for n, run in enumerate(runs) if run.number is not None}
    jobs = [_job(run, today, _waits(run, runs, known)) for run in runs]
    wanted = [_wanted(run) for run in runs]
    found = Levelling(jobs, HoursRoom([job.network for job in jobs], wanted, today)).best()
    tasks: list[TaskPlaced] = []
    for n, (run, job) in enumerate(zip(runs, jobs, strict=True)):
        for i, task in enumerate(run.plan.tasks):
            place = found.places[n].get(i)
            if place is None and i in job.stand and task.state not in FINISHED:
                place = Place(*job.stand[i])
            if place is None or run.plan.is_parent(i):
                continue
            tasks.append(_told(run, n, i, place, today))
    return Answer(
        tuple(tasks),
        tuple((n, runs[n].plan.tasks[i].key) for n, i in found.nowhere),
        tuple((n, key) for n, run in enumerate(runs) for key in _without(run, effort=True)),
        tuple((n, key) for n, run in enumerate(runs) for key in _without(run, effort=False)),
        found.cost,
    )


def _without(run: RunOfWork, *, effort: bool) -> Iterator[str]:
    """The open tasks without effort, or those with effort that are nobody's."""
    for i in run.open():
        task = run.plan.tasks[i]
        if task.state != "in review" and (
            task.key not in run.asked if effort else task.key in run.asked and task.key not in run.doers
        ):
            yield task.key


def _told(run: RunOfWork, n: int, i: int, place: Place, today: int) -> TaskPlaced:
    task, doer = run.plan.tasks[i], run.doers.get(run.plan.tasks[i].key)
    dates = run.plan.read_at(i, lambda _: (place.start, place.finish))
    assert dates is not None
    days: Mapping[int, int] = {}
    who = doer.name if doer else None
    if isinstance(place.taken, Taken):
        who, days = place.taken
    elif doer is not None:
        days = run.laid(i, today)
    waits = isinstance(place.taken, Taken) and place.start > place.free_from
    return TaskPlaced(n, i, task.key, who, *dates, (place.start, place.finish), days, waits)


def _wanted(run: RunOfWork) -> dict[int, Wanted]:
    found: dict[int, Wanted] = {}
    for i in run.open():
        doer, asked = run.doers.get(run.plan.tasks[i].key), run.asked.get(run.plan.tasks[i].key)
        if doer is None or asked is None:
            continue
        task = run.plan.tasks[i]
        effort = run.effort(i) or Effort(asked.minutes, 1, 1, task.duration, task.state, asked.chunk, asked.left)
        if effort.minutes > 0 and task.state != "in review":
            found[i] = Wanted(doer, effort)
    return found


def _waits(run: RunOfWork, runs: Sequence[RunOfWork], known: Mapping[int, int]) -> dict[int, list[tuple[int, int]]]:
    """What the tasks of a run wait for in others that are levelled with it, by their places."""
    found: dict[int, list[tuple[int, int]]] = {}
    for i, task in enumerate(run.plan.tasks):
        for one in task.waits:
            other = known.get(one.of[0]) if one.of is not None else None
            if other is None or one.of is None or one.done or task.stands:
                continue
            at = runs[other].plan.positions.get(one.of[1])
            if at is not None:
                found.setdefault(i, []).append((other, at))
    return found


def _job(run: RunOfWork, today: int, waits: Mapping[int, Sequence[tuple[int, int]]]) -> Job:
    plan = run.plan
    now = plan.grid.day_start(today)
    floors: list[int | None] = []
    stand: dict[int, Span] = {}
    for i, activity in enumerate(plan.network.activities):
        floors.append(_floor(plan, i, activity, today))
        task, span = plan.tasks[i], (plan.schedule.start[i], plan.schedule.finish[i])
        if plan.is_parent(i) or not (task.stands or task.state in FINISHED):
            continue
        if span[0] == UNDATED or task.state in FINISHED:
            stand[i] = span
        elif task.stands == "begun":
            stand[i] = span[0], max(span[1], plan.grid.day_start(today + 1))
        elif span[1] <= now and task.duration:  # fixed in the past: what is laid is laid from today on
            calendar = activity.calendar
            stand[i] = span[0], calendar.advance(calendar.roll_forward(now), task.duration)
        else:
            stand[i] = span
    return Job(plan.network, floors, plan.schedule.late_start, stand, int(run.prepared), plan.end, waits)


def _floor(plan: Plan, i: int, activity: Activity, today: int) -> int | None:
    """The boundary before which a task does not start, links aside."""
    task, network = plan.tasks[i], plan.network
    own: list[int] = []
    follows = bool(network.incoming[i]) or i in network.knots.before
    if task.target is not None:
        own.append(task.target[0])
    elif plan.schedule.start[i] != UNDATED and (
        task.opens or not (follows or activity.not_before is not None or task.window)
    ):
        own.append(plan.schedule.start[i])
    elif task.window is not None:
        own.append(task.window[0])
    if activity.not_before is not None:
        own.append(activity.not_before)
    standing = task.duration == 0 and task.edge == "finish" and plan.grid.per_day == 1
    own.append(plan.grid.day_start(today) + standing)
    assert not limit_of(task, plan.grid) or activity.not_before is not None
    return max(own)


@dataclass(frozen=True, slots=True)
class NoTime:
    """A task for which there is no time before a day, as people read it (None: none at all), who is short of it, and
    the task behind it that is held up first; ``seen_on`` is the day on which that is said."""

    run: int
    key: str
    title: str
    until: int | None
    who: str
    asked: int
    has: int
    holds_up: str = ""
    whose: str = ""
    seen_on: int | None = None

    @property
    def words(self) -> str:
        """``no time before Fri 12 Dec: Bao has 31 h of 24; holds up Objects mounted (Sunniva)``."""
        said = DateWords(Grid(), self.seen_on)
        text = "no time at all" if self.until is None else f"no time before {said[self.until]}"
        if self.who and not self.has:
            text += f": {self.who} has no hours on its days"
        elif self.asked > self.has:
            text += f": {self.who} has {hours_words(self.asked)} of {hours_words(self.has)}"
        elif self.who:
            text += f": {self.who} is taken by what is more urgent"
        if self.holds_up:
            text += f"; holds up {self.holds_up}" + (f" ({self.whose})" if self.whose else "")
        return text


def no_time(runs: Sequence[RunOfWork], answer: Answer, today: int) -> list[NoTime]:
    """The tasks that for want of time would end after their late finish or their deadline, with whom they hold up; what
    is late only because it follows them is not told again."""
    loads = asked_of(runs, today)
    found: list[NoTime] = []
    for placed in answer.tasks:
        run = runs[placed.run]
        plan, i = run.plan, placed.position
        if not placed.waits:
            continue
        limits = [at for at in (plan.schedule.late_finish[i], plan.tasks[i].due_by) if at not in (None, UNDATED)]
        if limits and placed.span[1] > min(at for at in limits if at is not None):
            found.append(_short(run, placed.run, i, placed.finish, placed.who or "", loads))
    for n, key in answer.nowhere:
        doer = runs[n].doers.get(key)
        found.append(_short(runs[n], n, runs[n].plan.position(key), None, doer.name if doer else "", loads))
    return found


def _short(run: RunOfWork, n: int, i: int, until: int | None, who: str, loads: Mapping[str, Days]) -> NoTime:
    plan = run.plan
    task, days = plan.tasks[i], plan.days(i)
    doer = run.doers.get(task.key)
    asked = has = 0
    if doer is not None and days is not None:
        names = [one.name for one in doer.members] if isinstance(doer, Team) else [doer.name]
        stretch = range(days[0], days[1] + 1)
        asked = sum(loads.get(name, {}).get(day, 0) for name in names for day in stretch)
        has = sum(doer.hours(day) for day in stretch)
    behind = [j for j in plan.network.targets(i) if plan.tasks[j].state not in FINISHED]
    first = min(behind, key=lambda j: (plan.schedule.start[j], j), default=None)
    held = plan.tasks[first] if first is not None else None
    next_one = run.doers.get(held.key) if held is not None else None
    title, whose = held.title if held is not None else "", next_one.name if next_one is not None else ""
    day = None if until is None else plan.grid.day(until)
    return NoTime(n, task.key, task.title, day, who, asked, has, title, whose, plan.dates_in_words().of_days.today)


def left_to_do(run: RunOfWork, i: int, today: int) -> int:
    """The minutes of a task that are still to be done."""
    effort = run.effort(i)
    return 0 if effort is None else to_do(effort, today, run.calendar(i))
