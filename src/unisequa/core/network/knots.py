"""Knots: what holds others back without being a task itself.

A step left out and a task dropped are transparent: what followed them is held by what they followed, lags added up; of
two units, the one that asks for later. The end of a phase holds back what opens behind it. Where either ties many to
many, a knot in the middle keeps the links as few as they were drawn: *a* before and *b* behind one are a + b, not a ×
b.

A knot has a position behind those of all activities and a place in the order, and no date. What it hands on is a
*front*: the boundaries of what it follows, the latest for each sum of lags. Backwards it hands on the last boundaries
with which what follows it keeps its place.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.places import UNDATED, boundary_before, boundary_behind

Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Knot:
    """What ties others together: what is ``left out``, or the end of a ``phase``, by its key and its name."""

    key: str
    kind: Literal["left out", "phase"] = "left out"
    label: str = ""


@dataclass(frozen=True, slots=True)
class Knots:
    """The knots of a network by their places behind the ``base`` activities, with the links to and from them.

    ``into`` and ``out_of`` are by knot; ``before`` and ``behind`` have the links between a knot and an activity by the
    activity that is held, and by the one that holds.
    """

    base: int
    all: tuple[Knot, ...]
    into: Mapping[int, tuple[Dependency, ...]]
    out_of: Mapping[int, tuple[Dependency, ...]]
    before: Mapping[int, tuple[Dependency, ...]]
    behind: Mapping[int, tuple[Dependency, ...]]

    @classmethod
    def of(cls, base: int, knots: Sequence[Knot], links: Sequence[Dependency]) -> Knots:
        """The links that touch a knot, sorted."""
        into: dict[int, list[Dependency]] = {}
        out_of: dict[int, list[Dependency]] = {}
        before: dict[int, list[Dependency]] = {}
        behind: dict[int, list[Dependency]] = {}
        for link in links:
            if link.target >= base:
                into.setdefault(link.target, []).append(link)
            if link.source >= base:
                out_of.setdefault(link.source, []).append(link)
                if link.target < base:
                    before.setdefault(link.target, []).append(link)
            else:
                behind.setdefault(link.source, []).append(link)
        return cls(base, tuple(knots), *({k: tuple(v) for k, v in m.items()} for m in (into, out_of, before, behind)))

    def knot(self, position: int) -> Knot:
        """The knot at a position."""
        return self.all[position - self.base]


class Ask(NamedTuple):
    """A boundary of ``source`` that is handed on, and the lags on the way, in worked and in elapsed slots."""

    source: int
    boundary: int
    working: int
    elapsed: int
    end: str

    def bound(self, target: Activity) -> int:
        """The boundary asked of the target's end."""
        calendar, asked = target.calendar, []
        if self.working:
            asked.append(boundary_behind(self.boundary, self.working, "working", calendar))
        if self.elapsed:
            asked.append(boundary_behind(self.boundary, self.elapsed, "elapsed", calendar))
        return max(asked, default=self.boundary)


class Fronts:
    """What each knot hands on, where activities stand as ``span`` says; None for one without a date."""

    def __init__(self, knots: Knots, span: Callable[[int], Span | None]) -> None:
        self._knots, self._span = knots, span
        self._made: dict[int, tuple[Ask, ...]] = {}

    def of(self, knot: int) -> tuple[Ask, ...]:
        """The front of a knot: for each sum of lags the latest boundary."""
        todo = [knot]
        while todo:
            at = todo[-1]
            if at in self._made:
                todo.pop()
                continue
            missing = [
                link.source
                for link in self._knots.into.get(at, ())
                if link.source >= self._knots.base and link.source not in self._made
            ]
            if missing:
                todo += missing
                continue
            self._made[at] = self._front(at)
            todo.pop()
        return self._made[knot]

    def _front(self, knot: int) -> tuple[Ask, ...]:
        best: dict[tuple[int, int], Ask] = {}
        for link in self._knots.into.get(knot, ()):
            for ask in self.asks(link):
                old = best.get((ask.working, ask.elapsed))
                if old is None or ask.boundary > old.boundary:
                    best[ask.working, ask.elapsed] = ask
        return tuple(best.values())

    def asks(self, link: Dependency) -> tuple[Ask, ...]:
        """What a link hands to its target, its own lag included."""
        working, elapsed = (link.lag, 0) if link.unit == "working" else (0, link.lag)
        if link.source >= self._knots.base:
            front = self.of(link.source)
            if not link.lag:
                return front
            return tuple(a._replace(working=a.working + working, elapsed=a.elapsed + elapsed) for a in front)
        span = self._span(link.source)
        if span is None or span[0] == UNDATED:
            return ()
        return (Ask(link.source, span[link.type[0] == "F"], working, elapsed, link.type[0]),)


class Until(NamedTuple):
    """The last boundary for an end counted on a calendar, and the lags that lie between."""

    calendar: WorkingCalendar
    boundary: int
    working: int
    elapsed: int

    def last(self) -> int:
        """The last boundary for the end of the source."""
        until = self.boundary
        if self.working:
            until = boundary_before(self.boundary, self.working, "working", self.calendar)
        if self.elapsed:
            elapsed = boundary_before(self.boundary, self.elapsed, "elapsed", self.calendar)
            until = min(until, elapsed) if self.working else elapsed
        return until


class Backs:
    """What each knot hands backwards, where what follows stands at the latest as ``span`` says."""

    def __init__(self, knots: Knots, activities: Sequence[Activity], span: Callable[[int], Span | None]) -> None:
        self._knots, self._activities, self._span = knots, activities, span
        self._made: dict[int, tuple[Until, ...]] = {}

    def settle(self, knot: int) -> None:
        """Work out what a knot hands backwards; all that follows it has its last place."""
        best: dict[tuple[int, int, int], Until] = {}
        for link in self._knots.out_of.get(knot, ()):
            for until in self.untils(link):
                key = id(until.calendar), until.working, until.elapsed
                if key not in best or until.boundary < best[key].boundary:
                    best[key] = until
        self._made[knot] = tuple(best.values())

    def untils(self, link: Dependency) -> tuple[Until, ...]:
        """What the target of a link lets its source be at the latest."""
        working, elapsed = (link.lag, 0) if link.unit == "working" else (0, link.lag)
        if link.target >= self._knots.base:
            made = self._made.get(link.target, ())
            if not link.lag:
                return made
            return tuple(u._replace(working=u.working + working, elapsed=u.elapsed + elapsed) for u in made)
        span, target = self._span(link.target), self._activities[link.target]
        if span is None or (target.stands == "begun" and link.type[1] == "S"):
            return ()
        calendar = target.calendar
        return (Until(calendar, span[link.type[1] == "F"], working, elapsed),)
