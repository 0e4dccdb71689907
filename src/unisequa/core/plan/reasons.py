"""Why a date is what it is, in words."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.calendars.words import slot_words, slots_words
from unisequa.core.documents.measures import offset_words, unrolled
from unisequa.core.errors import DateRangeError
from unisequa.core.network.activities import Activity, Dependency, distance, may_rest
from unisequa.core.network.knots import Ask, Backs
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, latest_source, number_from, number_until, place, span_at
from unisequa.core.plan.building import limit_of
from unisequa.core.plan.phases import phase_keys
from unisequa.core.plan.plan import Plan, read
from unisequa.core.plan.task import Task

Kind = Literal[
    "anchor", "link", "phase", "opening", "not before", "awaits", "late", "kept", "put", "fixed", "begun", "done",
    "dropped", "parts", "undated",
]  # fmt: skip
LONGEST_TITLE = 60
_HALF_A_YEAR = 183

Known = tuple[Task, tuple[int, int] | None, Grid]
"""A task, its dates as people read them, and the grid."""

Say = Callable[[int], str]
"""A date as people read it, in words."""


@dataclass(frozen=True, slots=True)
class Reason:
    """One floor of a task.

    Parameters
    ----------
    kind : str
        What asks for it.
    day : int or None
        The date it asks for, as people read it: the due date for what is asked of the end, else the first.
    binding : bool
        Whether the task is where it is because of this one.
    source : str, optional
        The task a link comes from.
    """

    kind: Kind
    day: int | None
    binding: bool
    text: str
    source: str | None = None


def reasons(plan: Plan, position: int, telling: Telling | None = None) -> list[Reason]:
    """Every floor of a task with the date it asks for, the binding ones marked.

    Dates more than half a year from the plan's today, and all in a list that spans two years, carry their year.
    ``telling`` is to be handed in where the reasons of many tasks are asked for.

    >>> # 2 working days after Period end (Fri 31 Jul) → Tue 4 Aug
    >>> # after Count the till (ends Wed 5 Aug) → Thu 6 Aug, binding
    """
    telling = telling or Telling(plan)
    telling.said.clear()
    found = _Reasons(telling, position).all()
    if telling.two_years():
        return _Reasons(telling, position, lambda day: slot_words(day, plan.grid, year=True)).all()
    return found


def why(plan: Plan, position: int) -> str:
    """The binding reasons in one line, without the word that marks them."""
    binding = [reason.text.removesuffix(", binding") for reason in reasons(plan, position) if reason.binding]
    return " · ".join(binding)


def short(title: str) -> str:
    """A title that fits into a line with others."""
    return title if len(title) <= LONGEST_TITLE else title[: LONGEST_TITLE - 1].rstrip() + "…"


class Telling:
    """What the reasons of all tasks of a plan share: what its knots hand on, and its dates in words."""

    def __init__(self, plan: Plan) -> None:
        start, finish = plan.schedule.start, plan.schedule.finish
        self.plan, self.grid = plan, plan.grid
        self.fronts = plan.network.fronts(lambda i: (start[i], finish[i]))
        self.today = None if plan.today is None else plan.grid.day(plan.today)
        self.said: list[int] = []
        self._words: dict[int, str] = {}
        self._numbers: dict[int, int] = {}
        self._there: dict[tuple[int, str], tuple[str, int]] = {}
        self._lags: dict[tuple[int, str, int], str] = {}
        self._known: dict[int, Known] = {}

    def day(self, read: int) -> str:
        """A date in words; that it was said is remembered."""
        self.said.append(read)
        words = self._words.get(read)
        if words is None:
            far = self.today is not None and abs(self.grid.day(read) - self.today) > _HALF_A_YEAR
            words = self._words[read] = slot_words(read, self.grid, year=far)
        return words

    def known(self, position: int) -> Known:
        """A task with its dates."""
        known = self._known.get(position)
        if known is None:
            known = self._known[position] = (self.plan.tasks[position], self.plan.read(position), self.grid)
        return known

    def number(self, position: int) -> int:
        """The number of the worked slot that a task starts with."""
        number = self._numbers.get(position)
        if number is None:
            activity, start = self.plan.network.activities[position], self.plan.schedule.start[position]
            number = self._numbers[position] = number_from(activity, "S", start)
        return number

    def there(self, position: int, end: str) -> str:
        """A source and where an end of it stands."""
        there = self._there.get((position, end))
        if there is None:
            title, stands = _there(self.known(position), end, self.day)
            there = self._there[position, end] = f"{title} ({stands})", self.said[-1]
        else:
            self.said.append(there[1])
        return there[0]

    def lag(self, slots: int, unit: str, per_day: int) -> str:
        """A lag in words, whatever its sign."""
        words = self._lags.get((slots, unit, per_day))
        if words is None:
            day = per_day if unit == "working" else MINUTES
            words = slots_words(abs(slots), self.grid, day, working=unit == "working") if slots else ""
            self._lags[slots, unit, per_day] = words
        return words

    def two_years(self) -> bool:
        """Whether the dates said lie in more than one year."""
        if not self.said:
            return False
        first, last = self.grid.day(min(self.said)), self.grid.day(max(self.said))
        return first < last and dt.date.fromordinal(first).year != dt.date.fromordinal(last).year


def held_words(
    network: Network, link: Dependency, ask: Ask, known: Callable[[int], Known], say: Say | None = None
) -> str:
    """``after Count the till (ends Wed 5 Aug), with 1 working day between``: what holds a task, and how.

    What bounds the task's end says so; what comes through the end of a phase names that.
    """
    _, _, grid = known(ask.source)
    there = _there(known(ask.source), ask.end, say or (lambda day: slot_words(day, grid)))
    if (phase := _phase_between(network, link)) is not None:
        return f"after the phase {short(phase)} ({there[1]})"
    amounts = _amounts(ask, network.activities[link.target], grid)
    return _phrase(ask.end + link.type[1], f"{there[0]} ({there[1]})", amounts, ask.working < 0 or ask.elapsed < 0)


def _there(known: Known, end: str, say: Say) -> tuple[str, str]:
    """A source's name, and where the end of it stands: ``ends Wed 5 Aug``."""
    task, dates, _ = known
    verb = ("ends" if end == "F" else "starts") if task.duration else "falls on"
    return short(task.title), f"{verb} {say(dates[end == 'F'])}" if dates else "has no date yet"


def _phrase(kind: str, there: str, amounts: str, lead: bool) -> str:
    """How a link of a type holds, with the lags on the way in words."""
    side = "before" if lead else "after"
    if kind == "FS":
        if not amounts:
            return f"after {there}"
        return f"{amounts} before the end of {there}" if lead else f"after {there}, with {amounts} between"
    if kind == "SS":
        return f"{amounts} {side} the start of {there}" if amounts else f"with the start of {there}"
    end = "the end" if kind[0] == "F" else "the start"
    if amounts:
        return f"not to end before {amounts} {side} {end} of {there}"
    return f"to end with {there}" if kind[0] == "F" else f"not to end before the start of {there}"


def _amounts(ask: Ask, target: Activity, grid: Grid) -> str:
    """The lags on the way, or nothing."""
    parts = []
    if ask.working:
        parts.append(slots_words(abs(ask.working), grid, target.calendar.per_day, working=True))
    if ask.elapsed:
        parts.append(slots_words(abs(ask.elapsed), grid, working=False))
    return " and at least ".join(parts)


def _phase_between(network: Network, link: Dependency) -> str | None:
    """The name of the phase at whose end a link begins."""
    if link.source < network.knots.base:
        return None
    knot = network.knots.knot(link.source)
    return knot.label if knot.kind == "phase" else None


def _should_words(ask: Ask, kind: str, known: Known, say: Say, amounts: str) -> str:
    """What a link that no longer holds asked for."""
    task, dates, _ = known
    assert dates
    over = task.state in {"done", "in review"}
    title, at_end = short(task.title), ask.end == "F"
    stands = ("ended" if over else "ends") if at_end else ("started" if over or task.stands == "begun" else "starts")
    verb = {"FS": "should follow", "SS": "should not start before", "FF": "should not end before"}.get(
        kind, "should not end before the start of"
    )
    between = f", with {amounts} between" if amounts and ask.working >= 0 and ask.elapsed >= 0 else ""
    between = between or (f", by up to {amounts} less" if amounts else "")
    return f"{verb} {title}, which {stands if task.duration else 'falls on'} {say(dates[at_end])}{between}"


def _bound(kind: Kind, day: int, binding: bool, text: str, source: str | None = None) -> Reason:
    return Reason(kind, day, binding, f"{text}, binding" if binding else text, source)


class _Reasons:
    """The reasons of one task, its dates said by ``say``, or without it as the plan usually says them."""

    def __init__(self, telling: Telling, position: int, say: Say | None = None) -> None:
        plan = self.plan = telling.plan
        self.telling, self.usual = telling, say is None
        self.position, self.say, self.fronts, self.known = position, say or telling.day, telling.fronts, telling.known
        self.task, self.activity = plan.tasks[position], plan.network.activities[position]
        self.grid, self.start = plan.grid, plan.schedule.start[position]
        self._numbers: dict[str, int] = {}

    def all(self) -> list[Reason]:
        plan, position = self.plan, self.position
        _, dates, _ = self.known(position)
        if dates is None:
            return [self._undated()]
        if plan.is_parent(position):
            return [self._parts(dates)]
        stands = self.task.stands
        floors = [self._standing(dates)] if stands else []
        floors += [reason for reason in self._floors(dates) if not (stands and reason.binding)]
        if stands:
            return floors
        if not any(reason.binding for reason in floors) and plan.direction == "backward" and self.task.when is None:
            floors += self._followed()
        if not any(reason.binding for reason in floors):
            kind: Kind = "put" if self.task.put else "kept"
            text = "put there by hand" if self.task.put else "keeps the date it had"
            floors.append(_bound(kind, dates[0], True, f"{text} → {self.say(dates[0])}"))
        return floors

    def _floors(self, dates: tuple[int, int]) -> Iterator[Reason]:
        plan, task, grid, say = self.plan, self.task, self.grid, self.say
        if task.when and task.target:
            yield self._target()
        elif task.opens:
            yield Reason("opening", dates[0], True, f"opens the job → {say(dates[0])}")
        for limit in limit_of(task, grid):
            first, start = self._at(limit)
            yield _bound("not before", first, start == self.start, f"not before {say(first)}")
        for awaited in task.waits:
            if awaited.finish is not None:
                first, start = self._at(awaited.finish)
                ends = say(grid.inclusive(awaited.finish))
                text = f"after {short(awaited.title)} of {awaited.run} (ends {ends}) → {say(first)}"
                yield _bound("awaits", first, start == self.start, text)
        network = plan.network
        plain = self.usual and not task.stands and self.position not in network.knots.before
        with suppress(DateRangeError):  # a lead back beyond year 1 holds nothing
            for link in network.incoming[self.position] if plain else ():
                yield from self._plain(link)
            for link, ask in () if plain else network.held_by(self.position, self.fronts):
                yield self._link(link, ask)

    def _span(self, position: int) -> tuple[int, int]:
        return self.plan.schedule.start[position], self.plan.schedule.finish[position]

    def _at(self, bound: int) -> tuple[int, int]:
        """The date and the boundary at which the task would start from a boundary on."""
        span = place(self.activity, bound)
        dates = read(self.task, *span, self.grid)
        assert dates
        return dates[0], span[0]

    def _target(self) -> Reason:
        plan, task, grid, say = self.plan, self.task, self.grid, self.say
        assert task.when and task.target
        anchor, target = plan.anchors[task.when.anchor], plan.target_read(self.position)
        assert anchor is not None and target
        binding = place(self.activity, task.target[0])[0] == self.start
        label, forward = short(plan.labels[task.when.anchor]), plan.direction == "forward"
        if task.opens and task.window:
            return self._window(task.window, target[0 if forward else 1], binding)
        at_end = task.edge == "finish"
        day = target[1] if at_end else target[0]
        calendar = plan.calendars[task.calendar]
        raw = unrolled(anchor, task.when, calendar)
        rolled = ""
        if raw != day and task.when.roll != "none":
            off = calendar.name_of(grid.day(raw))
            rolled = f", rolled from {say(raw)}" + (f" ({off})" if off else "")
        if task.opens and forward:
            text = f"opens the job on {label} ({say(anchor)}) → {say(target[0])}"
            return _bound("opening", target[0], binding, text + rolled)
        due = "due " if at_end and task.duration else ""
        text = f"{due}{offset_words(task.when, label)} ({say(anchor)}) → {say(day)}"
        return _bound("anchor", day, binding, text + rolled)

    def _window(self, window: tuple[int, int], day: int, binding: bool) -> Reason:
        """What only its phase's window dates."""
        plan, grid = self.plan, self.grid
        key = phase_keys([plan.tasks[i] for i in plan.above(self.position)]).get(self.task.key)
        label = short(next((phase.label for phase in plan.phases if phase.key == key), "its phase"))
        days = [grid.day_start(grid.day(window[0])), grid.inclusive(window[1])]
        text = f"in the window of {label} ({self.say(days[0])} – {self.say(days[1])}) → {self.say(day)}"
        return _bound("phase", day, binding, text)

    def _plain(self, link: Dependency) -> Iterator[Reason]:
        """What a link asks; those at a distance that never changes, which are most, without looking boundaries up."""
        plan, telling, source = self.plan, self.telling, self.plan.network.activities[link.source]
        gap = None if source.stands or source.undated else distance(link, source, self.activity)
        fits = (
            gap is not None and link.source not in plan.network.children and not may_rest(link, source, self.activity)
        )
        if not fits or plan.schedule.start[link.source] < 0:
            yield from (self._link(link, ask) for ask in self.fronts.asks(link))
            return
        assert gap is not None
        number, stands = telling.number(link.source) + gap, telling.number(self.position)
        if number > stands:
            yield from (self._link(link, ask) for ask in self.fronts.asks(link))
            return
        dates = self.known(self.position)[1]
        if number != stands:
            dates = read(self.task, *span_at(self.activity, number), self.grid)
        assert dates
        day = dates[link.type[1] == "F"]
        amounts = telling.lag(link.lag, link.unit, self.activity.calendar.per_day) if link.lag else ""
        words = _phrase(link.type, telling.there(link.source, link.type[0]), amounts, link.lag < 0)
        key = plan.tasks[link.source].key
        yield _bound("link", day, number == stands, f"{words} → {self.say(day)}", key)

    def _link(self, link: Dependency, ask: Ask) -> Reason:
        plan, network, activity = self.plan, self.plan.network, self.activity
        end = link.type[1]
        number, stands = number_from(activity, end, ask.bound(activity)), self._number(end)
        binding, at_end = number == stands, end == "F"
        if binding and not self.task.stands:
            _, dates, _ = self.known(self.position)
        else:
            dates = read(self.task, *span_at(activity, number), self.grid)
        assert dates
        source = plan.tasks[ask.source].key
        kind: Kind = "link" if _phase_between(network, link) is None else "phase"
        if number > stands and self.task.state != "dropped":
            known, amounts = self.known(ask.source), _amounts(ask, activity, self.grid)
            text = _should_words(ask, ask.end + end, known, self.say, amounts)
            unit = slots_words(number - stands, self.grid, activity.calendar.per_day)
            return Reason(kind, dates[at_end], False, f"{text}: broken by {unit}", source)
        words = held_words(network, link, ask, self.known, self.say)
        return _bound(kind, dates[at_end], binding, f"{words} → {self.say(dates[at_end])}", source)

    def _number(self, end: str) -> int:
        """The number that an end of the task stands at."""
        number = self._numbers.get(end)
        if number is None:
            number = self._numbers[end] = number_from(self.activity, end, self._span(self.position)[end == "F"])
        return number

    def _followed(self) -> Iterator[Reason]:
        """In a plan that runs backward: what follows, where it needs this task to be no later."""
        plan, network = self.plan, self.plan.network
        for at in plan.above(self.position):
            for link in network.outgoing[at]:
                span = self._span(link.target)
                if span[0] == UNDATED:
                    continue
                with suppress(DateRangeError):
                    until = latest_source(link, span, network.activities[link.target])
                    follower = plan.read(link.target)
                    assert follower
                    what = f"{short(plan.tasks[link.target].title)} (starts {self.say(follower[0])})"
                    yield self._as_late(link, until, what, plan.tasks[link.target].key)
            if at not in network.knots.behind:
                continue
            backs = Backs(network.knots, network.activities, lambda i: self._span(i) if self._span(i)[0] >= 0 else None)
            for knot in reversed(network.order):
                if knot >= network.knots.base:
                    backs.settle(knot)
            for link in network.knots.behind[at]:
                for bound in backs.untils(link):
                    yield self._as_late(link, bound.last(), "what follows", None)

    def _as_late(self, link: Dependency, until: int, what: str, source: str | None) -> Reason:
        placed = span_at(self.activity, number_until(self.activity, link.type[0], until))
        dates = read(self.task, *placed, self.grid)
        assert dates
        text = f"as late as {what} allows → {self.say(dates[0])}"
        return _bound("late", dates[0], placed[0] == self.start, text, source)

    def _standing(self, dates: tuple[int, int]) -> Reason:
        first, last = self.say(dates[0]), self.say(dates[1])
        stands = self.task.stands
        if stands == "fixed":
            return _bound("fixed", dates[0], True, f"fixed on {first}")
        if stands == "begun":
            return _bound("begun", dates[0], True, f"begun {first}")
        if stands == "done":
            return _bound("done", dates[1], True, f"done {last}")
        return _bound("dropped", dates[0], True, "dropped; nothing waits for it")

    def _parts(self, dates: tuple[int, int]) -> Reason:
        plan = self.plan
        start, finish = plan.schedule.start, plan.schedule.finish
        dated = [i for i in plan.network.children[self.position] if start[i] != UNDATED]
        first, last = min(dated, key=lambda i: start[i]), max(dated, key=lambda i: finish[i])
        text = f"from the start of {short(plan.tasks[first].title)} to the end of {short(plan.tasks[last].title)}"
        return _bound("parts", dates[0], True, text)

    def _undated(self) -> Reason:
        plan, task, position = self.plan, self.task, self.position
        if task.state == "dropped":
            return Reason("dropped", None, True, "dropped; nothing waits for it")
        if plan.is_parent(position):
            dropped = all(plan.tasks[i].state == "dropped" for i in plan.leaves(position))
            text = "all of its sub-steps are dropped" if dropped else "none of its sub-steps has a date yet"
            return Reason("undated", None, True, text)
        if task.when:
            label = short(plan.labels[task.when.anchor])
            return Reason("undated", None, True, f"{offset_words(task.when, label)}, whose date is not known yet")
        source = next(iter(plan.network.sources(position)), None)
        if source is not None:
            title = short(plan.tasks[source].title)
            return Reason("undated", None, True, f"after {title}, which has no date yet")
        return Reason("undated", None, True, "starts with the job, whose first date is not known yet")
