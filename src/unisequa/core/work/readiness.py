"""What holds tasks back, and from when on each may be begun and finished, is ready, or is over by itself.

======  =====================  ========================
P → S   S may begin when       S may be finished when
======  =====================  ========================
FS      P is over              P is over
SS      P is begun             P is begun
FF      at any time            P is over
SF      at any time            P is begun
======  =====================  ========================

A lag counts from where the predecessor's end really came about, ⊕ as in :mod:`unisequa.core.network.places`; a lead
frees that much before its planned end, whatever its state. A parent is begun and over when all its sub-steps are. What
is dropped is seen through, as in the network.

All moments are slots: days, or minutes on the minute grid. They do not depend on the day on which they are worked out,
so that what is kept of them stays true while nobody does anything.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from unisequa.core.calendars.grid import MINUTES, read_span
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.places import UNDATED, boundary_behind, number_from, span_at
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import BEGUN, FINISHED, LagUnit, State


class Came(NamedTuple):
    """An end that has come about, or will by itself: the slot from which it counts, and its boundary."""

    since: int
    boundary: int


class Ends(NamedTuple):
    """Both ends of what holds others, each None while it depends on somebody; and where it is planned."""

    begun: Came | None
    over: Came | None
    planned: tuple[int, int]


class _Ask(NamedTuple):
    """What is asked of an end: the lags on the way, where it came about, and where it is planned (None: undated)."""

    working: int
    elapsed: int
    came: Came | None
    planned: int | None


@dataclass(frozen=True, slots=True)
class Hold:
    """Something that holds a task back.

    Parameters
    ----------
    position : int, optional
        The task that does; None for one of another run.
    words : str
        What it is called.
    over : bool
        Whether it has to be over, rather than begun.
    beginning : bool
        Whether it holds back the beginning, and not the finish alone.
    since : int, optional
        The slot from which it no longer does; None while that depends on somebody.
    """

    position: int | None
    words: str
    over: bool
    beginning: bool
    since: int | None


@dataclass(frozen=True, slots=True)
class Readiness:
    """How the tasks of a plan stand, by position.

    Parameters
    ----------
    begins, finishes : tuple of int or None
        The slot from which nothing holds back its beginning, or its finish; None while something does. Those of a
        parent mean nothing.
    ready : tuple of int or None
        The slot from which it is ready.
    over : tuple of int or None
        The slot from which it is over by itself, or that on which it was over; None while that depends on somebody.
    states : tuple of State
        What people see on the plan's today.
    """

    begins: tuple[int | None, ...]
    finishes: tuple[int | None, ...]
    ready: tuple[int | None, ...]
    over: tuple[int | None, ...]
    states: tuple[State, ...]


def readiness(plan: Plan, counts_on: Mapping[str, int] | None = None, asked: Collection[str] = ()) -> Readiness:
    """How the tasks of a plan stand.

    Parameters
    ----------
    counts_on : mapping, optional
        Task in review → the slot from which it counts as signed off by itself.
    asked : collection of str
        The keys of milestones without a role that are not done by themselves.
    """
    return _Pass(plan, counts_on or {}, asked).result()


class _Pass:
    def __init__(self, plan: Plan, counts_on: Mapping[str, int], asked: Collection[str]) -> None:
        self.plan, self.network, self.grid = plan, plan.network, plan.grid
        self.counts_on, self.asked = counts_on, asked
        self.ends: dict[int, Ends] = {}
        self.fronts: dict[int, dict[tuple[str, int, int], _Ask]] = {}
        n = len(plan.tasks)
        self.begins: list[int | None] = [None] * n
        self.finishes: list[int | None] = [None] * n
        self.ready: list[int | None] = [None] * n

    def result(self) -> Readiness:
        plan, network = self.plan, self.network
        for i in network.order:
            if i >= network.knots.base:
                self.fronts[i] = self._front(i)
            elif i in network.children:
                self.ends[i] = self._parent(i)
            else:
                self.ends[i] = self._leaf(i)
        over = tuple(ends.over.since if (ends := self.ends[i]).over else None for i in range(len(plan.tasks)))
        states: list[State] = ["waiting"] * len(plan.tasks)
        for i, task in enumerate(plan.tasks):
            if i not in network.children:
                states[i] = self._state(task.state, self.ready[i], over[i])
        for i in network.children:
            states[i] = state_of_parts({states[leaf] for leaf in plan.leaves(i)})
        return Readiness(tuple(self.begins), tuple(self.finishes), tuple(self.ready), over, tuple(states))

    def _state(self, state: State, ready: int | None, over: int | None) -> State:
        today = self.plan.today
        if state in FINISHED or today is None:
            return state
        if over is not None and over <= today:
            return "done"
        if state != "waiting":
            return state
        return "ready" if ready is not None and ready <= today else "waiting"

    def _leaf(self, i: int) -> Ends:
        plan, network = self.plan, self.network
        task, activity = plan.tasks[i], network.activities[i]
        span = plan.schedule.start[i], plan.schedule.finish[i]
        held = [*network.incoming[i], *network.knots.before.get(i, ())]
        begin = [self._free(link, activity) for link in held if link.type[1] == "S"]
        begin += [0 if awaited.done else None for awaited in task.waits]
        end = [self._free(link, activity) for link in held if link.type[1] == "F"]
        self.begins[i] = begins = _last(begin)
        self.finishes[i] = finishes = _last([begins, *end])
        self.ready[i] = ready = self._ready_from(i, begins, free=not begin)
        if task.state in FINISHED:
            return Ends(*self._were(i, span), span)
        if task.state in BEGUN:
            begun = Came(span[0], span[0])
            counts = self.counts_on.get(task.key) if task.state == "in review" else None
            over = None if counts is None else Came(counts, max(self.grid.day_start(self.grid.day(counts)), span[1]))
            return Ends(begun, over, span)
        if task.duration or task.role is not None or task.key in self.asked:
            return Ends(None, None, span)
        since = finishes
        if since is not None and (not begin or task.when is not None or task.opens):
            day = self._day(i)
            since = None if day is None else max(since, day, ready or 0)
        if since is None:
            return Ends(None, None, span)
        since = max(since, ready or 0)
        came = Came(since, since if task.edge == "start" else self.grid.exclusive(since))
        return Ends(came, came, span)

    def _were(self, i: int, span: tuple[int, int]) -> tuple[Came, Came]:
        """Where what is over began and was over; the sign-off counts where it came later."""
        if span[0] == UNDATED:
            return Came(0, 0), Came(0, 0)
        finish = max(span[1], self.plan.tasks[i].signed or 0)
        shown = self.plan.read(i)
        assert shown
        return Came(span[0], span[0]), Came(max(shown[1], self.grid.inclusive(finish)), finish)

    def _day(self, i: int) -> int | None:
        """The slot that is a task's day: its start as people read it."""
        shown = self.plan.read(i)
        return shown[0] if shown else None

    def _ready_from(self, i: int, begins: int | None, *, free: bool) -> int | None:
        task, day = self.plan.tasks[i], self._day(i)
        if begins is None or day is None:
            return None
        since = max(begins, day) if free or task.ready == "on its day" else begins
        when = task.when
        if when is not None:
            distance = when.offset if isinstance(when.offset, int) else read_span(when.offset, MINUTES)
            anchor = self.plan.anchors.get(when.anchor)
            if distance > 0 or (when.edge == "start" and not distance):
                return None if anchor is None else max(since, self.grid.day_start(self.grid.day(anchor)))
        return since

    def _parent(self, i: int) -> Ends:
        parts = [self.ends[part] for part in self.network.children[i] if not self._dropped(part)]
        span = self.plan.schedule.start[i], self.plan.schedule.finish[i]
        begun, over = _all(part.begun for part in parts), _all(part.over for part in parts)
        return Ends(begun, over, span)

    def _dropped(self, i: int) -> bool:
        return all(self.plan.tasks[leaf].state == "dropped" for leaf in self.plan.leaves(i))

    def _front(self, knot: int) -> dict[tuple[str, int, int], _Ask]:
        front: dict[tuple[str, int, int], _Ask] = {}
        for link in self.network.knots.into.get(knot, ()):
            for (end, _, _), ask in self._asks(link):
                key = end, ask.working, ask.elapsed
                front[key] = _later(front[key], ask) if key in front else ask
        return front

    def through(self, link: Dependency) -> Iterator[tuple[int, str, _Ask]]:
        """Every task that a link comes from, directly or through knots, with the end that is asked and what of it."""
        if link.source < self.network.knots.base:
            yield from ((link.source, end, ask) for (end, _, _), ask in self._asks(link))
            return
        working, elapsed = (link.lag, 0) if link.unit == "working" else (0, link.lag)
        for before in self.network.knots.into.get(link.source, ()):
            for source, end, ask in self.through(before):
                yield source, end, ask._replace(working=ask.working + working, elapsed=ask.elapsed + elapsed)

    def _asks(self, link: Dependency) -> Iterator[tuple[tuple[str, int, int], _Ask]]:
        working, elapsed = (link.lag, 0) if link.unit == "working" else (0, link.lag)
        if link.source >= self.network.knots.base:
            for key, ask in self.fronts[link.source].items():
                yield key, ask._replace(working=ask.working + working, elapsed=ask.elapsed + elapsed)
            return
        ends, end = self.ends[link.source], link.type[0]
        planned = ends.planned[end == "F"]
        came = ends.over if end == "F" else ends.begun
        yield (end, working, elapsed), _Ask(working, elapsed, came, None if planned == UNDATED else planned)

    def _free(self, link: Dependency, activity: Activity) -> int | None:
        """The slot from which a link no longer holds its target's end; None while it does."""
        return _last(self.freed(ask, link.type[1], activity) for _, ask in self._asks(link))

    def freed(self, ask: _Ask, end: str, activity: Activity) -> int | None:
        """The slot from which what is asked no longer holds an end back; None while it does."""
        units: list[tuple[int, LagUnit]] = [(ask.working, "working"), (ask.elapsed, "elapsed")]
        lags = [(lag, unit) for lag, unit in units if lag]
        if not lags:
            return ask.came.since if ask.came else None
        freed: list[int | None] = []
        for lag, unit in lags:
            from_ = (ask.came.boundary if ask.came else None) if lag > 0 else ask.planned
            if from_ is None:
                return None
            bound = boundary_behind(from_, lag, unit, activity.calendar)
            start, finish = span_at(activity, number_from(activity, end, bound))
            closing = end == "F" or (not activity.duration and activity.edge == "finish")
            freed.append(self.grid.inclusive(finish) if closing else start)
        return _last(freed)


def state_of_parts(states: Collection[State]) -> State:
    """What a parent is, by the states of its sub-steps."""
    states = set(states)
    if states <= {"dropped"}:
        return "dropped"
    if states <= {"done", "dropped"}:
        return "done"
    begun = states & {"under way", "in review", "done"}
    return "under way" if begun else "ready" if "ready" in states else "waiting"


class Holding:
    """How the tasks of a plan stand, and what holds each of them, for as many as one asks about."""

    def __init__(self, plan: Plan) -> None:
        self._plan, self._passed = plan, _Pass(plan, {}, ())
        self.ready = self._passed.result()

    def of(self, position: int) -> list[Hold]:
        """All that holds a task back today, or has a lag that is not over yet; what no longer does is left out."""
        plan, passed = self._plan, self._passed
        network, task = plan.network, plan.tasks[position]
        activity, today = network.activities[position], plan.today or 0
        found: dict[Hold, None] = {}
        for link in (*network.incoming[position], *network.knots.before.get(position, ())):
            for source, end, ask in passed.through(link):
                since = passed.freed(ask, link.type[1], activity)
                if since is None or since > today:
                    found[Hold(source, plan.tasks[source].title, end == "F", link.type[1] == "S", since)] = None
        elsewhere = [Hold(None, awaited.words, True, True, None) for awaited in task.waits if not awaited.done]
        return [*found, *elsewhere]


def holds(plan: Plan, position: int) -> list[Hold]:
    """What holds one task; as :meth:`Holding.of`."""
    return Holding(plan).of(position)


def _all(ends: Iterable[Came | None]) -> Came | None:
    came = list(ends)
    if any(one is None for one in came):
        return None
    known = [one for one in came if one is not None]
    return Came(max((one.since for one in known), default=0), max((one.boundary for one in known), default=0))


def _last(slots: Iterable[int | None]) -> int | None:
    """The latest of some slots, 0 for none of them; None where one is not known."""
    last = 0
    for slot in slots:
        if slot is None:
            return None
        last = max(last, slot)
    return last


def _later(a: _Ask, b: _Ask) -> _Ask:
    came = _all([a.came, b.came])
    planned = None if a.planned is None or b.planned is None else max(a.planned, b.planned)
    return a._replace(came=came, planned=planned)
