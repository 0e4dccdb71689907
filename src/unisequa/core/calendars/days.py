"""Working calendars on prefix sums.

Boundaries are those of :mod:`unisequa.core.calendars.grid`. Every worked slot of a calendar has a number, counted on
from an origin that never moves, and two look-ups turn one into the other, however far they go:

``index(b)``   how many worked slots lie before boundary ``b``, from the origin on
``slot(k)``    the boundary before worked slot number ``k``

All else is made of these two. Between two worked slots with days off there are *two* boundaries with one
index: ``slot(k - 1) + 1``, right behind the one slot, where a task may finish, and ``slot(k)``, right before
the other, where one may start. They are never taken for each other.
"""

from __future__ import annotations

import datetime as dt
from array import array
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from itertools import accumulate, compress, pairwise
from operator import add
from threading import RLock

from unisequa.core.calendars.grid import DAYS, FIRST_DAY, LAST_DAY, Grid
from unisequa.core.errors import DateRangeError

_MARGIN = 400
"""Days added around what is asked for when the tables are made."""

PublicHolidays = Callable[[int, int], Mapping[int, str]]
"""Gives the public holidays of the years from–to (inclusive) as day → name."""


_BUILDING = RLock()
"""One at a time comes to know more days; calendars are kept and read by many threads at once."""


class Tables:
    """What is known of the days from ``lo`` to ``hi``: replaced as a whole where more come to be known, so that whoever
    takes it up has one state of it. Numbers of worked slots count from an origin that stays, by ``base``."""

    __slots__ = ("base", "before", "ends", "hi", "lo", "names", "rests", "worked")

    def __init__(
        self, lo: int = 0, hi: int = 0, base: int = 0, before: Sequence[int] = (), worked: Sequence[int] = (),
        names: Mapping[int, str] | None = None,
    ) -> None:  # fmt: skip
        self.lo, self.hi, self.base, self.before, self.worked, self.names = lo, hi, base, before, worked, names or {}
        self.ends = [day + 1 for day in worked]
        self.rests = [a + 1 < b for a, b in pairwise(worked)]


class WorkingCalendar:
    """Which days are worked. On the day grid a slot is a day, so this is all there is to know.

    An extra working day beats a closure, a closure beats a public holiday and the week.

    Parameters
    ----------
    name : str
        What steps, roles and runs call it.
    week : str
        Seven characters, Monday first, ``1`` for a working day.
    holidays : callable, optional
        Public holidays by years.
    closures : mapping of int to str
        Closed day → its label (may be empty).
    extra : iterable of int
        Days worked in spite of all that.
    """

    grid: Grid = DAYS
    per_day: int = 1
    """Worked slots of a working day."""

    def __init__(
        self,
        name: str = "Monday to Friday",
        week: str = "1111100",
        *,
        holidays: PublicHolidays | None = None,
        closures: Mapping[int, str] | None = None,
        extra: Iterable[int] = (),
    ) -> None:
        if len(week) != 7 or set(week) - {"0", "1"}:
            raise ValueError(f"a week is seven characters of 0 and 1, Monday first; got {week!r}")
        self.name = name
        self.week = week
        self.holidays = holidays
        self.closures = dict(closures or {})
        self.extra = frozenset(extra)
        self._tables = Tables()

    # The tables: days before each day, and the worked days in order.

    def cover(self, lo: int, hi: int) -> Tables:
        """Tables that reach from day ``lo`` to day ``hi``, made with a margin; they keep what they covered."""
        known = self._tables
        if known.lo and known.lo <= lo and hi <= known.hi:
            return known
        if lo < FIRST_DAY or hi > LAST_DAY + 1:
            raise DateRangeError("a date falls outside the years 1 to 9999")
        with _BUILDING:
            known = self._tables
            if known.lo:
                if known.lo <= lo and hi <= known.hi:
                    return known
                lo, hi = min(lo, known.lo), max(hi, known.hi)
            return self._build(max(lo - _MARGIN, FIRST_DAY), min(hi + _MARGIN, LAST_DAY + 1))

    def _grow(self, known: Tables, *, back: bool) -> None:
        """Double the reach of the tables, onwards or back, unless they have grown since; the other end stays."""
        if (back and known.lo == FIRST_DAY) or (not back and known.hi == LAST_DAY + 1):
            raise DateRangeError(f'the calendar "{self.name}" has no working day left in the years 1 to 9999')
        with _BUILDING:
            if self._tables is not known:
                return
            span = max(known.hi - known.lo, _MARGIN)
            if back:
                self._build(max(known.lo - span, FIRST_DAY), known.hi)
            else:
                self._build(known.lo, min(known.hi + span, LAST_DAY + 1))

    def _build(self, lo: int, hi: int) -> Tables:
        self._tables = made = self._made(lo, hi)
        return made

    def _made(self, lo: int, hi: int) -> Tables:
        """What there is to know from day to day; numbers given out stay what they are."""
        first = (lo + 6) % 7  # ordinal 1 is a Monday
        pattern = bytes(int(day) for day in self.week[first:] + self.week[:first])
        flags = bytearray((pattern * ((hi - lo) // 7 + 1))[: hi - lo])
        names: dict[int, str] = {}
        if self.holidays is not None:
            years = dt.date.fromordinal(lo).year, dt.date.fromordinal(hi - 1).year
            for day, name in self.holidays(*years).items():
                if lo <= day < hi:
                    flags[day - lo] = 0
                    names[day] = name
        for day, name in self.closures.items():
            if lo <= day < hi:
                flags[day - lo] = 0
                names[day] = name or "closed"
        for day in self.extra:
            if lo <= day < hi:
                flags[day - lo] = 1
                names.pop(day, None)
        known = self._tables
        base = known.base + sum(flags[: known.lo - lo]) if known.lo else 0
        return Tables(lo, hi, base, array("i", [0, *accumulate(flags)]), list(compress(range(lo, hi), flags)), names)

    def day_index(self, day: int) -> int:
        """How many working days lie before ``day``, from the origin on."""
        known = self._tables
        if not (known.lo <= day <= known.hi and known.lo):
            known = self.cover(day, day)
        return known.before[day - known.lo] - known.base

    def nth_day(self, k: int) -> int:
        """Working day number ``k``.

        Raises
        ------
        DateRangeError
            When there is none in the years 1 to 9999.
        """
        while True:
            known = self._tables
            at = k + known.base
            if 0 <= at < len(known.worked):
                return known.worked[at]
            if not known.lo:
                raise ValueError("no day has been asked for yet, so there is no origin to count from")
            self._grow(known, back=at < 0)

    def is_working_day(self, day: int) -> bool:
        """Whether ``day`` is a working day."""
        return self.day_index(day + 1) > self.day_index(day)

    def name_of(self, day: int) -> str | None:
        """The public holiday or closure on ``day``, if there is one."""
        return self.cover(day, day + 1).names.get(day)

    # Worked slots and boundaries.

    def index(self, b: int) -> int:
        """How many worked slots lie before boundary ``b``, from the origin on."""
        return self.day_index(b)

    def slot(self, k: int) -> int:
        """The boundary before worked slot number ``k``."""
        return self.nth_day(k)

    def rested(self, k: int) -> bool:
        """Whether worked slot number ``k`` comes behind a slot that is not worked."""
        known = self._tables
        at = k + known.base - 1
        if not 0 <= at < len(known.rests):
            return self.slot(k - 1) + 1 < self.slot(k)
        return known.rests[at]

    def spans(self, numbers: Sequence[int], lasts: Sequence[int]) -> tuple[list[int], list[int]]:
        """From the boundary before each slot to the one right behind the slot that comes so many later."""
        if numbers and not self._knows(min(numbers) - 1):
            self._reach(min(numbers), list(map(add, numbers, lasts)))
        try:
            return self._looked_up(numbers, lasts)
        except IndexError:  # behind the end of the tables
            self._reach(min(numbers), list(map(add, numbers, lasts)))
        return self._looked_up(numbers, lasts)

    def _reach(self, first: int, ends: Collection[int]) -> None:
        """Know the days of worked slots from the ``first`` of some spans to the last of their ``ends``.

        An end may lie one slot before its start, as a milestone's does.
        """
        self.slot(first if self._knows(first - 1) else min(first, *ends))
        self.slot(max(ends))

    def _knows(self, k: int) -> bool:
        """Whether the tables have worked slot number ``k``."""
        known = self._tables
        return 0 <= k + known.base < len(known.worked)

    def _looked_up(self, numbers: Sequence[int], lasts: Sequence[int]) -> tuple[list[int], list[int]]:
        known = self._tables
        base, worked, ends = known.base, known.worked, known.ends
        if base:
            return [worked[k + base] for k in numbers], [
                ends[k + n + base] for k, n in zip(numbers, lasts, strict=True)
            ]
        return [worked[k] for k in numbers], [ends[k + n] for k, n in zip(numbers, lasts, strict=True)]

    def count(self, a: int, b: int) -> int:
        """Worked slots in ``[a, b)``; negative when ``b`` lies before ``a``."""
        return self.index(b) - self.index(a)

    def is_worked(self, slot: int) -> bool:
        """Whether a slot is worked."""
        return self.index(slot + 1) > self.index(slot)

    def advance(self, b: int, n: int) -> int:
        """The boundary after the n-th worked slot that begins at or after ``b``; ``b`` for n = 0.

        A negative ``n`` retreats.

        >>> friday = dt.date(2026, 8, 7).toordinal()
        >>> dt.date.fromordinal(WorkingCalendar().advance(friday, 2))
        datetime.date(2026, 8, 11)
        """
        if n == 0:
            return b
        k = self.index(b) + n
        return self.slot(k - 1) + 1 if n > 0 else self.slot(k)

    def retreat(self, b: int, n: int) -> int:
        """The boundary before the n-th worked slot that ends at or before ``b``; ``b`` for n = 0."""
        return self.advance(b, -n)

    def roll_forward(self, b: int) -> int:
        """The first boundary at or after ``b`` whose following slot is worked: a place to start."""
        return self.slot(self.index(b))

    def roll_back(self, b: int) -> int:
        """The last boundary at or before ``b`` whose preceding slot is worked: a place to finish."""
        return self.slot(self.index(b) - 1) + 1

    def instant(self, moment: dt.date) -> int:
        """The boundary of a date that somebody gives; on the minute grid a date alone is its first worked minute."""
        return self.grid.of(moment)

    def read(self, text: str) -> int:
        """The same from text.

        Raises
        ------
        ValueError
            With words for a person.
        """
        try:
            return self.instant(dt.date.fromisoformat(text.strip()))
        except ValueError:
            return self.grid.read(text)

    def with_changes(self, *, closed: Mapping[int, str] | None = None, worked: Iterable[int] = ()) -> WorkingCalendar:
        """A copy with more closed days or more working days; the name stays."""
        closures = {**self.closures, **(closed or {})}
        extra = (self.extra - set(closed or {})) | set(worked)
        return WorkingCalendar(self.name, self.week, holidays=self.holidays, closures=closures, extra=extra)


class WithInterval(WorkingCalendar):
    """A calendar in which all of ``[a, b)`` is worked too, for one task whose date stands there on purpose."""

    def __init__(self, calendar: WorkingCalendar, a: int, b: int) -> None:
        super().__init__(calendar.name, calendar.week)
        self.calendar, self.a, self.b = calendar, a, b
        self.grid, self.per_day = calendar.grid, calendar.per_day
        self._first = calendar.index(a)
        self._more = (b - a) - calendar.count(a, b)

    def day_index(self, day: int) -> int:
        return self.calendar.day_index(day)

    def nth_day(self, k: int) -> int:
        return self.calendar.nth_day(k)

    def name_of(self, day: int) -> str | None:
        return self.calendar.name_of(day)

    def index(self, b: int) -> int:
        if b <= self.a:
            return self.calendar.index(b)
        return self._first + b - self.a if b <= self.b else self.calendar.index(b) + self._more

    def slot(self, k: int) -> int:
        if k < self._first:
            return self.calendar.slot(k)
        into = k - self._first
        return self.a + into if into < self.b - self.a else self.calendar.slot(k - self._more)

    def rested(self, k: int) -> bool:
        return self.slot(k - 1) + 1 < self.slot(k)

    def spans(self, numbers: Sequence[int], lasts: Sequence[int]) -> tuple[list[int], list[int]]:
        ends = [self.slot(k + last) + 1 for k, last in zip(numbers, lasts, strict=True)]
        return [self.slot(k) for k in numbers], ends
