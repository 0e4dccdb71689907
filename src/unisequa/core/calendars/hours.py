"""Working hours: a calendar on the minute grid, with breaks and shifts over midnight."""

from __future__ import annotations

import datetime as dt
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import pairwise

from unisequa.core.calendars.days import Tables, WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, Grid

MOST_KEPT = 200_000
"""How many numbers of slots are kept with their boundaries."""


class _Slots(dict[int, int]):
    """Boundaries at slots by their numbers, each looked for once, since many tasks begin at one time of a day."""

    def __init__(self, slot: Callable[[int], int], behind: int) -> None:
        super().__init__()
        self.slot, self.behind = slot, behind

    def __missing__(self, k: int) -> int:
        self[k] = at = self.slot(k) + self.behind
        return at


class _HourTables(Tables):
    """The same on the minute grid: ``bases`` are the minutes from which those of each working day are counted.

    Days on which the clock is put on or back while there is work have more minutes or fewer, and are kept apart:
    ``odd`` has their minutes by their numbers, the others those numbers in order, the slots that they begin with, and
    by how many slots what lies behind them is later. Slots between ``first`` and ``end`` lie on days that are known.
    """

    __slots__ = ("bases", "end", "first", "odd", "odd_numbers", "odd_starts", "odd_sums", "per_day")

    def __init__(self, days: Tables, per_day: int, bases: list[int], odd: dict[int, list[int]]) -> None:
        super().__init__(days.lo, days.hi, days.base, days.before, days.worked, days.names)
        self.per_day, self.bases, self.odd = per_day, bases, odd
        self.odd_numbers = sorted(odd)
        total = -sum(len(odd[n]) - per_day for n in self.odd_numbers if n < 0)
        self.odd_starts: list[int] = []
        self.odd_sums: list[int] = []
        for n in self.odd_numbers:
            self.odd_starts.append(n * per_day + total)
            total += len(odd[n]) - per_day
            self.odd_sums.append(total)
        self.first, self.end = (self.number(n - days.base) for n in (0, len(days.worked)))

    def number(self, n: int) -> int:
        """The number of the first slot of working day number n."""
        if not self.odd_numbers:
            return n * self.per_day
        at = bisect_left(self.odd_numbers, n)
        more = self.odd_sums[at - 1] if at else self.odd_starts[0] - self.odd_numbers[0] * self.per_day
        return n * self.per_day + more

    def place(self, k: int) -> tuple[int, int]:
        """The working day that a slot is on, by its number, and which of its slots that is."""
        if self.odd_numbers:
            at = bisect_right(self.odd_starts, k) - 1
            if at >= 0:
                n = self.odd_numbers[at]
                into = k - self.odd_starts[at]
                if into < len(self.odd[n]):
                    return n, into
                return divmod(k - self.odd_sums[at], self.per_day)
            return divmod(k - (self.odd_starts[0] - self.odd_numbers[0] * self.per_day), self.per_day)
        return divmod(k, self.per_day)


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
        self._nights = self._minutes[-1] + 1 < self._minutes[0] + MINUTES
        self._tables = _HourTables(Tables(), self.per_day, [], {})
        self._slots, self._slot_ends = _Slots(self.slot, 0), _Slots(self.slot, 1)

    _tables: _HourTables

    def _build(self, lo: int, hi: int) -> Tables:
        made = super()._build(lo, hi)
        self._slots.clear()
        self._slot_ends.clear()
        return made

    def _made(self, lo: int, hi: int) -> _HourTables:
        days, clock = super()._made(lo, hi), self.grid.clock
        if clock is None:
            return _HourTables(days, self.per_day, [day * MINUTES for day in days.worked], {})
        apart = set(clock.changing_days(lo - 1, hi + 1))
        edges = sorted(apart)
        offsets: dict[int, int] = {}

        def base(day: int) -> int:
            at = bisect_right(edges, day)  # between two changes the offset is one
            if at not in offsets:
                offsets[at] = clock.offset(day * MINUTES)
            return day * MINUTES - offsets[at]

        odd: dict[int, list[int]] = {}
        bases = []
        for n, day in enumerate(days.worked, -days.base):
            if day not in apart:
                bases.append(base(day))
                continue
            first = clock.first(day * MINUTES + self._minutes[0])
            regular = first - self._minutes[0]
            real = self._real(day, first)
            bases.append(regular)
            if real != [regular + minute for minute in self._minutes]:
                odd[n] = real
        return _HourTables(days, self.per_day, bases, odd)

    def _real(self, day: int, first: int) -> list[int]:
        """The real minutes worked on a day around which the clock changes."""
        clock = self.grid.clock
        assert clock is not None
        hours, zero = set(self._minutes), day * MINUTES
        last = clock.last(zero + self._minutes[-1])
        return [minute for minute in range(first, last + 1) if clock.shown(minute) - zero in hours]

    def _into(self, known: _HourTables, n: int, b: int, minute: int) -> int:
        """How many slots of working day number n lie before a boundary; ``minute`` is what the clock shows of it."""
        real = known.odd.get(n)
        return bisect_left(self._minutes, minute) if real is None else bisect_left(real, b)

    def index(self, b: int) -> int:
        day, minute = divmod(self.grid.shown(b), MINUTES)
        n = self.day_index(day)
        today = self.day_index(day + 1) > n
        before = self._minutes[-1] >= MINUTES and self.is_working_day(day - 1)
        known = self._tables  # with all of these days
        full = known.number(n) + (self._into(known, n, b, minute) if today else 0)
        if before:  # last night's shift may still be on
            there = known.odd.get(n - 1)
            full -= (self.per_day if there is None else len(there)) - self._into(known, n - 1, b, MINUTES + minute)
        return full

    def slot(self, k: int) -> int:
        while True:
            known = self._tables
            n, into = known.place(k)
            self.nth_day(n)
            if self._tables is known:
                break  # else days have come to be known on which the clock changes
        real = known.odd.get(n)
        return known.bases[n + known.base] + self._minutes[into] if real is None else real[into]

    def rested(self, k: int) -> bool:
        known = self._tables
        if not known.first < k < known.end:
            self.slot(k - 1)  # days come to be known, and with them those on which the clock changes
            self.slot(k)
            known = self._tables
        if known.odd_numbers:
            return self.slot(k - 1) + 1 < self.slot(k)
        minute = k % self.per_day
        if minute:
            return self._pauses[minute - 1]
        return self._nights or self.slot(k - 1) + 1 < self.slot(k)

    def spans(self, numbers: Sequence[int], lasts: Sequence[int]) -> tuple[list[int], list[int]]:
        slots, ends = self._slots, self._slot_ends
        if len(slots) + len(ends) > MOST_KEPT:
            slots.clear()
            ends.clear()
        return [slots[k] for k in numbers], [ends[k + n] for k, n in zip(numbers, lasts, strict=True)]

    def instant(self, moment: dt.date) -> int:
        if isinstance(moment, dt.datetime):
            return self.grid.of(moment)
        day = moment.toordinal()
        begins = self.grid.day_start(day)
        first = self.roll_forward(begins)
        return first if self.grid.day(first) == day else self.grid.at(day * MINUTES + self._minutes[0])

    def with_changes(self, *, closed: Mapping[int, str] | None = None, worked: Iterable[int] = ()) -> WorkingHours:
        return WorkingHours(super().with_changes(closed=closed, worked=worked), self.hours, self.grid)
