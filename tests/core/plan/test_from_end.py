"""The opening that follows from an end, held to trying every day."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import plan, step
from unisequa.core.errors import TypedError
from unisequa.core.plan.from_end import opening_by
from unisequa.core.plan.plan import Plan

END = dt.date(2026, 9, 30)
CALENDAR = {"closures": [{"from": "2026-08-10", "to": "2026-08-28", "label": "Summer"}]}


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(-12, 25)), min_size=1, max_size=5), st.integers(0, 60))
def test_it_is_the_last_day_with_which_all_is_over(found: list[tuple[int, int]], back: int) -> None:
    steps = [step(f"s{i}", duration, offset) for i, (duration, offset) in enumerate(found)]
    links = [f"s{i}>s{i + 1}" for i in range(len(steps) - 1)]
    end = END - dt.timedelta(days=back)

    def on_day(day: dt.date) -> Plan:
        return plan(steps, *links, go=day, calendar=CALENDAR)

    day = opening_by(end, on_day)
    assert on_day(day).reach()[1] <= end.toordinal()  # type: ignore[index]
    assert on_day(day + dt.timedelta(days=1)).reach()[1] > end.toordinal()  # type: ignore[index]


def test_what_stands_on_another_date_cannot_be_over_by_then() -> None:
    fixed = plan([step("a", 3, 0)], go=END + dt.timedelta(days=9))
    with pytest.raises(TypedError, match="however early it begins"):
        opening_by(END, lambda day: fixed)
