"""Working calendars on prefix sums.

Days are counted as in :meth:`datetime.date.toordinal`. A *boundary* ``b`` is the instant before day
``b`` begins; a task occupies the half-open interval ``[start, finish)`` of boundaries. Two tables
carry all arithmetic:

``before[b - lo]``   how many worked days lie in ``[lo, b)``
``worked[k]``        the k-th worked day at or after ``lo``

so that ``advance`` and ``retreat`` are two look-ups, however far they go.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping
from itertools import accumulate, compress

from unisequa.core.errors import DateRangeError

FIRST_DAY = dt.date.min.toordinal()
LAST_DAY = dt.date.max.toordinal()

_MARGIN = 400
"""Days added around what is asked for when the tables are made."""

PublicHolidays = Callable[[int, int], Mapping[int, str]]
"""Gives the public holidays of the years from–to (inclusive) as day → name."""


class WorkingCalendar:
    """Which days are worked.

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

    __slots__ = ("before", "closures", "extra", "hi", "holidays", "lo", "name", "names", "week", "worked")

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
        self.lo = self.hi = 0
        self.before: list[int] = []
        self.worked: list[int] = []
        self.names: dict[int, str] = {}

    def cover(self, lo: int, hi: int) -> None:
        """Make the tables reach from day ``lo`` to boundary ``hi``, with a margin; keep what they cover."""
        if self.lo and self.lo <= lo and hi <= self.hi:
            return
        if lo < FIRST_DAY or hi > LAST_DAY + 1:
            raise DateRangeError("a date falls outside the years 1 to 9999")
        if self.lo:
            lo, hi = min(lo, self.lo), max(hi, self.hi)
        self._build(max(lo - _MARGIN, FIRST_DAY), min(hi + _MARGIN, LAST_DAY + 1))

    def grow(self, *, back: bool = False) -> None:
        """Double the reach of the tables, onwards or back; the other end stays.

        Raises
        ------
        DateRangeError
            When that end is at year 1 or year 9999 already.
        """
        if (back and self.lo == FIRST_DAY) or (not back and self.hi == LAST_DAY + 1):
            raise DateRangeError(f'the calendar "{self.name}" has no working day left in the years 1 to 9999')
        span = max(self.hi - self.lo, _MARGIN)
        if back:
            self._build(max(self.lo - span, FIRST_DAY), self.hi)
        else:
            self._build(self.lo, min(self.hi + span, LAST_DAY + 1))

    def _build(self, lo: int, hi: int) -> None:
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
        self.lo, self.hi = lo, hi
        self.before = [0, *accumulate(flags)]
        self.worked = list(compress(range(lo, hi), flags))
        self.names = names

    def count(self, a: int, b: int) -> int:
        """Worked days in ``[a, b)``; negative when ``b`` lies before ``a``."""
        self.cover(min(a, b), max(a, b))
        return self.before[b - self.lo] - self.before[a - self.lo]

    def is_worked(self, day: int) -> bool:
        """Whether ``day`` is a working day."""
        return self.count(day, day + 1) == 1

    def name_of(self, day: int) -> str | None:
        """The public holiday or closure on ``day``, if there is one."""
        self.cover(day, day + 1)
        return self.names.get(day)

    def worked_day(self, b: int, n: int) -> int:
        """The worked day with ``n`` worked days between it and boundary ``b``; n < 0 counts back from ``b``."""
        self.cover(b, b)
        while True:
            k = self.before[b - self.lo] + n
            if 0 <= k < len(self.worked):
                return self.worked[k]
            self.grow(back=k < 0)

    def advance(self, b: int, n: int) -> int:
        """The boundary after the n-th worked day that begins at or after ``b``; ``b`` for n = 0.

        A negative ``n`` retreats.

        >>> friday = dt.date(2026, 8, 7).toordinal()
        >>> dt.date.fromordinal(WorkingCalendar().advance(friday, 2))
        datetime.date(2026, 8, 11)
        """
        if n == 0:
            return b
        return self.worked_day(b, n - 1) + 1 if n > 0 else self.worked_day(b, n)

    def retreat(self, b: int, n: int) -> int:
        """The boundary before the n-th worked day that ends at or before ``b``; ``b`` for n = 0."""
        return self.advance(b, -n)

    def roll_forward(self, b: int) -> int:
        """The first boundary at or after ``b`` whose following day is worked: a place to start."""
        return self.worked_day(b, 0)

    def roll_back(self, b: int) -> int:
        """The last boundary at or before ``b`` whose preceding day is worked: a place to finish."""
        return self.worked_day(b, -1) + 1

    def with_changes(self, *, closed: Mapping[int, str] | None = None, worked: Iterable[int] = ()) -> WorkingCalendar:
        """A copy with more closures or more working days; the name stays."""
        closures = {**self.closures, **(closed or {})}
        extra = (self.extra - set(closed or {})) | set(worked)
        return WorkingCalendar(self.name, self.week, holidays=self.holidays, closures=closures, extra=extra)


def public_holidays(country: str, subdivision: str | None = None) -> PublicHolidays:
    """Public holidays of a country by ISO 3166 codes, from the ``holidays`` package.

    Raises
    ------
    ValueError
        When the package does not know the country or the subdivision.
    """
    import holidays

    try:
        holidays.country_holidays(country, subdiv=subdivision, years=2026)
    except NotImplementedError as error:
        raise ValueError(f'no public holidays known for country "{country}", subdivision "{subdivision}"') from error

    def between(first: int, last: int) -> Mapping[int, str]:
        found = holidays.country_holidays(country, subdiv=subdivision, years=range(first, last + 1))
        return {day.toordinal(): name for day, name in found.items()}

    return between
