"""Working hours: a calendar on the minute grid, with breaks and shifts over midnight."""

from __future__ import annotations

import datetime as dt
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import pairwise

from unisequa.core.calendars.days import WorkingCalendar
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
        self._first = self._end = 0
        self._bases: list[int] = []
        self._slots, self._slot_ends = _Slots(self.slot, 0), _Slots(self.slot, 1)
        self._odd: dict[int, list[int]] = {}
        self._odd_numbers: list[int] = []
        self._odd_starts: list[int] = []
        self._odd_sums: list[int] = []

    # Days on which the clock is put on or back while there is work have more minutes or fewer, and are kept apart.

    def _build(self, lo: int, hi: int) -> None:
        super()._build(lo, hi)
        self._slots.clear()
        self._slot_ends.clear()
        clock = self.grid.clock
        if clock is None:
            self._bases = [day * MINUTES for day in self._worked]
            self._known()
            return
        changing = clock.changing_days(lo - 1, hi + 1)
        apart = set(changing)
        edges = sorted(apart)
        offsets: dict[int, int] = {}

        def base(day: int) -> int:
            at = bisect_right(edges, day)  # between two changes the offset is one
            if at not in offsets:
                offsets[at] = clock.offset(day * MINUTES)
            return day * MINUTES - offsets[at]

        self._odd = {}
        bases = []
        for n, day in enumerate(self._worked, -self._base):
            if day not in apart:
                bases.append(base(day))
                continue
            first = clock.first(day * MINUTES + self._minutes[0])
            regular = first - self._minutes[0]
            real = self._real(day, first)
            bases.append(regular)
            if real != [regular + minute for minute in self._minutes]:
                self._odd[n] = real
        self._bases = bases
        self._odd_numbers = sorted(self._odd)
        sums, total = [], -sum(len(self._odd[n]) - self.per_day for n in self._odd_numbers if n < 0)
        self._odd_starts = []
        for n in self._odd_numbers:
            self._odd_starts.append(n * self.per_day + total)
            total += len(self._odd[n]) - self.per_day
            sums.append(total)
        self._odd_sums = sums
        self._known()

    def _known(self) -> None:
        """Between which numbers slots lie on days that are known."""
        self._first, self._end = (self._number(n - self._base) for n in (0, len(self._worked)))

    def _real(self, day: int, first: int) -> list[int]:
        """The real minutes worked on a day around which the clock changes."""
        clock = self.grid.clock
        assert clock is not None
        hours, zero = set(self._minutes), day * MINUTES
        last = clock.last(zero + self._minutes[-1])
        return [minute for minute in range(first, last + 1) if clock.shown(minute) - zero in hours]

    def _number(self, n: int) -> int:
        """The number of the first slot of working day number n."""
        if not self._odd_numbers:
            return n * self.per_day
        at = bisect_left(self._odd_numbers, n)
        more = self._odd_sums[at - 1] if at else self._odd_starts[0] - self._odd_numbers[0] * self.per_day
        return n * self.per_day + more

    def _into(self, n: int, b: int, minute: int) -> int:
        """How many slots of working day number n lie before a boundary; ``minute`` is what the clock shows of it."""
        real = self._odd.get(n)
        return bisect_left(self._minutes, minute) if real is None else bisect_left(real, b)

    def index(self, b: int) -> int:
        day, minute = divmod(self.grid.shown(b), MINUTES)
        n = self.day_index(day)
        today = self.day_index(day + 1) > n
        before = self._minutes[-1] >= MINUTES and self.is_working_day(day - 1)
        full = self._number(n) + (self._into(n, b, minute) if today else 0)
        if before:  # last night's shift may still be on
            there = self._odd.get(n - 1)
            full -= (self.per_day if there is None else len(there)) - self._into(n - 1, b, MINUTES + minute)
        return full

    def _place(self, k: int) -> tuple[int, int]:
        """The working day that a slot is on, by its number, and which of its slots that is."""
        if self._odd_numbers:
            at = bisect_right(self._odd_starts, k) - 1
            if at >= 0:
                n = self._odd_numbers[at]
                into = k - self._odd_starts[at]
                if into < len(self._odd[n]):
                    return n, into
                return divmod(k - self._odd_sums[at], self.per_day)
            return divmod(k - (self._odd_starts[0] - self._odd_numbers[0] * self.per_day), self.per_day)
        return divmod(k, self.per_day)

    def slot(self, k: int) -> int:
        while True:
            reach = self._lo, self._hi
            n, into = self._place(k)
            self.nth_day(n)
            if (self._lo, self._hi) == reach:
                break  # else days have come to be known on which the clock changes
        real = self._odd.get(n)
        return self._bases[n + self._base] + self._minutes[into] if real is None else real[into]

    def rested(self, k: int) -> bool:
        if not self._first < k < self._end:
            self.slot(k - 1)  # days come to be known, and with them those on which the clock changes
            self.slot(k)
        if self._odd_numbers:
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
