"""Working hours: a calendar on the minute grid, with breaks and shifts over midnight."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from itertools import pairwise

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, Grid


class WorkingHours(WorkingCalendar):
    """A working calendar on the minute grid: the same hours on each of its working days.

    Parameters
    ----------
    hours : sequence of (int, int)
        Minutes of the day, in order, half-open; a shift that goes on after midnight ends beyond 1,440 and
        belongs to the day it begins on.
    grid : Grid
        The minute grid with the run's time zone.

    See :class:`WorkingCalendar` for the others.
    """

    def __init__(self, calendar: WorkingCalendar, hours: Sequence[tuple[int, int]], grid: Grid) -> None:
        super().__init__(
            calendar.name,
            calendar.week,
            holidays=calendar.holidays,
            closures=calendar.closures,
            extra=calendar.extra,
        )
        self.hours = tuple(hours)
        self.grid = grid
        self._minutes = [minute for a, b in hours for minute in range(a, b)]
        self.per_day = len(self._minutes)
        self._pauses = [a < b - 1 for a, b in pairwise(self._minutes)]

    def index(self, b: int) -> int:
        day, minute = divmod(b, MINUTES)
        into = bisect_right(self._minutes, minute - 1)  # of this day's minutes, those before b
        n = self.day_index(day)
        if into and not self.is_working_day(day):
            into = 0
        full = n * self.per_day + into
        if self._minutes[-1] >= MINUTES and self.is_working_day(day - 1):  # last night's shift may still be on
            full -= self.per_day - bisect_right(self._minutes, MINUTES + minute - 1)
        return full

    def slot(self, k: int) -> int:
        n, minute = divmod(k, self.per_day)
        return self.nth_day(n) * MINUTES + self._minutes[minute]

    def rested(self, k: int) -> bool:
        minute = k % self.per_day
        return self._pauses[minute - 1] if minute else self.slot(k - 1) + 1 < self.slot(k)

    def slots(self, numbers: Sequence[int]) -> list[int]:
        return self._at(numbers, self._minutes)

    def slots_after(self, numbers: Sequence[int]) -> list[int]:
        return self._at(numbers, [minute + 1 for minute in self._minutes])

    def _at(self, numbers: Sequence[int], minutes: list[int]) -> list[int]:
        if not numbers:
            return []
        first, last = min(numbers), max(numbers)
        self.slot(first)
        self.slot(last)
        per_day, base = self.per_day, first // self.per_day
        days = [day * MINUTES for day in self._worked[base + self._base : last // per_day + self._base + 1]]
        return [days[k // per_day - base] + minutes[k % per_day] for k in numbers]

    def with_changes(self, *, closed: Mapping[int, str] | None = None, worked: Iterable[int] = ()) -> WorkingHours:
        return WorkingHours(super().with_changes(closed=closed, worked=worked), self.hours, self.grid)
