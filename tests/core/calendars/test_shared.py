"""Calendars are kept and read by many threads at once, and come to know more days meanwhile."""

from __future__ import annotations

import datetime as dt
import random
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from zoneinfo import ZoneInfo

import pytest

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.calendars.holidays import public_holidays
from unisequa.core.calendars.hours import WorkingHours

THREADS = 6
MIDDLE = dt.date(2026, 6, 3).toordinal()


def house() -> WorkingCalendar:
    return WorkingCalendar("house", closures={MIDDLE + 40: ""}, holidays=public_holidays("GB", "ENG"))


def evenings() -> WorkingCalendar:
    """Shifts over midnight, also over the nights in which the clock is put on or back."""
    return WorkingHours(house(), [(17 * 60, 26 * 60)], Grid(MINUTES, ZoneInfo("Europe/London")))


@pytest.fixture(autouse=True)
def taking_turns() -> Iterator[None]:
    """Threads give way to each other at any step."""
    usual = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    yield
    sys.setswitchinterval(usual)


@pytest.mark.parametrize("make, per_day", [(house, 1), (evenings, MINUTES)])
def test_what_many_threads_are_told_is_what_one_alone_is_told(
    make: Callable[[], WorkingCalendar], per_day: int
) -> None:
    rng = random.Random(7)
    asked = [
        ((MIDDLE + rng.randint(-far, far)) * per_day + 20 * 60 * (per_day > 1), rng.randint(-far, far))
        for far in range(0, 6000, 40)
    ]

    def told(calendar: WorkingCalendar, b: int, n: int) -> tuple[int, int, int, list[int]]:
        k = calendar.index(b)
        return (
            calendar.advance(b, n),
            calendar.count(b, b + n),
            calendar.roll_forward(b),
            calendar.spans([k, k + 1], [2, 0])[1],
        )

    alone = make()
    wanted = {one: told(alone, *one) for one in asked}
    for turn in range(5):
        shared, together = make(), Barrier(THREADS)

        def ask(seed: int, shared: WorkingCalendar = shared, together: Barrier = together) -> list[tuple[int, int]]:
            mine = random.Random(seed).sample(asked, len(asked))
            together.wait()
            return [one for one in mine if told(shared, *one) != wanted[one]]

        with ThreadPoolExecutor(THREADS) as pool:
            assert list(pool.map(ask, range(turn * THREADS, (turn + 1) * THREADS))) == [[]] * THREADS
