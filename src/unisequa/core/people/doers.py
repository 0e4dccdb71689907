"""Who does work, and the minutes they have on a day.

A person has the minutes of a working day of their calendar, times the share of it that is theirs, rounded down; none on
leave. A team is one doer with the hours of its members, and what is asked of it is shared by their hours that day.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.calendar import CalendarDocument, working_minutes

EIGHT_HOURS = (("09:00", "17:00"),)
"""A working day where the calendar gives no hours."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody with their hours.

    Parameters
    ----------
    calendar : WorkingCalendar
        The days they work, closures taken.
    minutes : int
        What they have on each of those: the calendar's minutes times their share, rounded down.
    leave : sequence of (int, int)
        First and last days of their leave.
    roles : frozenset of str
        The roles and the position by which work may be handed over to them.
    """

    name: str
    calendar: WorkingCalendar
    minutes: int
    leave: Sequence[tuple[int, int]] = ()
    roles: frozenset[str] = frozenset()
    _known: dict[int, int] = field(default_factory=dict, repr=False, compare=False)

    def hours(self, day: int) -> int:
        """The minutes they have on a day."""
        known = self._known.get(day)
        if known is None:
            there = self.calendar.is_working_day(day) and not any(a <= day <= b for a, b in self.leave)
            known = self._known[day] = self.minutes if there else 0
        return known

    def why_away(self, day: int) -> str:
        """``away`` on leave, the name of a holiday or closure, or nothing where they have hours or a day off."""
        if any(a <= day <= b for a, b in self.leave):
            return "away"
        return self.calendar.name_of(day) or ""


@dataclass(frozen=True, slots=True)
class Team:
    """People who share a queue, in their order."""

    name: str
    members: tuple[Person, ...]

    def hours(self, day: int) -> int:
        """The minutes they have on a day, all together."""
        return sum(one.hours(day) for one in self.members)


Doer = Person | Team


def daily_minutes(document: CalendarDocument, share: Fraction = Fraction(1)) -> int:
    """What somebody has on a working day of a calendar.

    >>> daily_minutes(CalendarDocument(name="c"), Fraction(29, 100))
    139
    """
    return int(sum(b - a for a, b in working_minutes(document.hours or EIGHT_HOURS)) * share)


def shared(days: Mapping[int, int], team: Team) -> dict[str, dict[int, int]]:
    """Minutes asked of a team by day, as minutes of its members; where none has hours, they share alike.

    >>> ann, bo = (Person(name, WorkingCalendar(), minutes) for name, minutes in (("Ann", 480), ("Bo", 240)))
    >>> shared({739_000: 100}, Team("Both", (ann, bo)))
    {'Ann': {739000: 66}, 'Bo': {739000: 34}}
    """
    parts: dict[str, dict[int, int]] = {}
    for day, minutes in days.items():
        has = [one.hours(day) for one in team.members]
        if not any(has):
            has = [1] * len(has)
        total, so_far, done = sum(has), 0, 0
        for one, its in zip(team.members, has, strict=True):
            so_far += its
            part = minutes * so_far // total - done
            done += part
            if part:
                parts.setdefault(one.name, {})[day] = part
    return parts


@dataclass(frozen=True, slots=True)
class Overload:
    """A stretch of days on each of which more is asked of somebody than they have; minutes, days both included."""

    who: str
    first: int
    last: int
    asked: int
    has: int

    @property
    def over(self) -> int:
        """By how much."""
        return self.asked - self.has


def overloads(who: str, asked: Mapping[int, int], hours: Callable[[int], int]) -> list[Overload]:
    """The stretches on which somebody is over; days with neither hours nor work do not part one."""
    found: list[Overload] = []
    over: list[int] = []

    def close() -> None:
        if over:
            found.append(Overload(who, over[0], over[-1], sum(asked[d] for d in over), sum(hours(d) for d in over)))
            over.clear()

    for day in range(min(asked, default=0), max(asked, default=-1) + 1):
        minutes, has = asked.get(day, 0), hours(day)
        if minutes > has:
            over.append(day)
        elif minutes or has:
            close()
    close()
    return found
