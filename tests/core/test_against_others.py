"""Dates held against general-purpose libraries that compute the same: QuantLib's calendars, OR-tools' CP-SAT."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest
import QuantLib as ql
from hypothesis import given, settings
from hypothesis import strategies as st
from ortools.sat.python import cp_model

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.holidays import public_holidays
from unisequa.core.documents.measures import measured, roll_day, unrolled
from unisequa.core.documents.template import Measure
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.forward import forward
from unisequa.core.network.network import Network

DAYS = st.dates(dt.date(2024, 1, 1), dt.date(2028, 12, 31))
ROLLS = {
    "following": ql.Following,
    "preceding": ql.Preceding,
    "modified following": ql.ModifiedFollowing,
    "modified preceding": ql.ModifiedPreceding,
    "none": ql.Unadjusted,
}  # as the ISDA Definitions name them
_WEEKDAYS = (ql.Monday, ql.Tuesday, ql.Wednesday, ql.Thursday, ql.Friday, ql.Saturday, ql.Sunday)


def theirs(day: dt.date) -> Any:
    return ql.Date(day.day, day.month, day.year)


def ours(date: Any) -> dt.date:
    return dt.date(date.year(), date.month(), date.dayOfMonth())


@st.composite
def calendars(draw: st.DrawFn) -> tuple[WorkingCalendar, Any]:
    """The same days off in both."""
    week = draw(st.sampled_from(["1111100", "0111110", "1111110"]))
    closed = draw(st.sets(DAYS, max_size=40))
    made = ql.BespokeCalendar("case")
    for weekday, on in zip(_WEEKDAYS, week, strict=True):
        if on == "0":
            made.addWeekend(weekday)
    for day in closed:
        made.addHoliday(theirs(day))
    return WorkingCalendar("case", week, closures={day.toordinal(): "" for day in closed}), made


@given(calendars(), DAYS, st.sampled_from(sorted(ROLLS)))
def test_every_roll_is_quantlibs(both: Any, day: dt.date, roll: Any) -> None:
    mine, other = both
    rolled = dt.date.fromordinal(roll_day(day.toordinal(), roll, mine))
    assert rolled == ours(other.adjust(theirs(day), ROLLS[roll]))


@given(
    calendars(),
    DAYS,
    st.integers(-60, 60),
    st.sampled_from(["days", "weeks", "months"]),
    st.sampled_from(sorted(ROLLS)),
)
def test_every_offset_is_quantlibs(both: Any, day: dt.date, n: int, unit: Any, roll: Any) -> None:
    mine, other = both
    moved = theirs(day) + ql.Period(n, {"days": ql.Days, "weeks": ql.Weeks, "months": ql.Months}[unit])
    measure = Measure(anchor="a", offset=n, unit=unit, roll=roll)
    assert dt.date.fromordinal(unrolled(day.toordinal(), measure, mine)) == ours(moved)
    assert dt.date.fromordinal(measured(day.toordinal(), measure, mine)) == ours(other.adjust(moved, ROLLS[roll]))


@given(calendars(), DAYS, st.integers(-60, 60))
def test_the_nth_working_day_is_quantlibs(both: Any, day: dt.date, n: int) -> None:
    mine, other = both
    found = dt.date.fromordinal(measured(day.toordinal(), Measure(anchor="a", offset=n, roll="following"), mine))
    assert found == ours(other.advance(theirs(day), n, ql.Days, ql.Following))


@pytest.mark.parametrize(
    "country, subdivision, calendar",
    [
        ("GB", "ENG", ql.UnitedKingdom()),
        ("NO", None, ql.Norway()),
    ],
    ids=["England", "Norway"],
)
def test_public_holidays_are_those_of_quantlibs_calendars(country: str, subdivision: str | None, calendar: Any) -> None:
    named = public_holidays(country, subdivision)(2022, 2027)
    for n in range(dt.date(2022, 1, 1).toordinal(), dt.date(2028, 1, 1).toordinal()):
        day = dt.date.fromordinal(n)
        if day.weekday() < 5 and (day.month, day.day) not in CLOSED_BY_CUSTOM:
            assert (n in named) == calendar.isHoliday(theirs(day)), day


CLOSED_BY_CUSTOM = {(12, 24), (12, 31)}
"""Days on which trade rests by custom (common practice, no source): with us closures, not public holidays."""

TYPES = st.sampled_from(["FS", "FS", "SS", "FF", "SF"])


@st.composite
def networks(draw: st.DrawFn) -> Network:
    """Small networks on one calendar, with lags of both units."""
    base, n = dt.date(2026, 6, 1).toordinal(), draw(st.integers(2, 9))
    closed = dict.fromkeys(draw(st.sets(st.integers(base, base + 30), max_size=6)), "")
    calendar = WorkingCalendar("c", draw(st.sampled_from(["1111100", "1010101"])), closures=closed)
    activities = [
        Activity(f"t{i}", draw(st.integers(1, 5)), calendar, floor=base + draw(st.integers(0, 12))) for i in range(n)
    ]
    pairs = st.sampled_from([(i, j) for j in range(n) for i in range(j)])
    links = [
        Dependency(i, j, draw(st.integers(-3, 4)), draw(st.sampled_from(["working", "elapsed"])), draw(TYPES))
        for i, j in draw(st.lists(pairs, unique=True, max_size=14))
    ]
    return Network.of(activities, links)


@settings(max_examples=60)
@given(networks())
def test_nothing_could_start_earlier_says_cp_sat(network: Network) -> None:
    """The least sum of starts with which all links hold is where the forward pass has them."""
    calendar = network.activities[0].calendar
    low = calendar.index(network.activities[0].floor or 0) - 20
    slots = [calendar.slot(low + k) for k in range(160)]
    model = cp_model.CpModel()
    start = [model.new_int_var(8, 140, a.key) for a in network.activities]
    begin = [model.new_int_var(slots[0], slots[-1] + 1, f"{a.key} begin") for a in network.activities]
    end = [model.new_int_var(slots[0], slots[-1] + 1, f"{a.key} end") for a in network.activities]
    for i, activity in enumerate(network.activities):
        model.add_element(start[i], slots, begin[i])
        model.add_element(start[i] + activity.duration - 1, [slot + 1 for slot in slots], end[i])
        model.add(begin[i] >= activity.floor)
    for link in network.links:
        p, s = link.source, link.target
        bound = end[p] if link.type[0] == "F" else begin[p]
        before = start[p] + (network.activities[p].duration if link.type[0] == "F" else 0)
        if link.unit == "elapsed":
            bound = bound + link.lag
        elif link.lag:  # behind the n-th slot from there on, or before the n-th back
            bound = model.new_int_var(slots[0], slots[-1] + 1, "")
            ahead = link.lag > 0
            model.add_element(before + link.lag - ahead, [slot + ahead for slot in slots], bound)
        model.add((end[s] if link.type[1] == "F" else begin[s]) >= bound)
    model.minimize(sum(start))
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    assert solver.solve(model) == cp_model.OPTIMAL
    assert [solver.value(b) for b in begin] == forward(network).start
