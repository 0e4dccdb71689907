"""Repeat rules, against RFC 5545's own examples and python-dateutil's set positions."""

from __future__ import annotations

import datetime as dt

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.clock import repeat
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.rule import RepeatRule
from unisequa.core.errors import DocumentError

EVERY_DAY = WorkingCalendar("every day", "1111111")


def dates(
    rule: str, first: dt.date, until: dt.date, calendar: WorkingCalendar = EVERY_DAY, **more: object
) -> list[str]:
    found = RepeatRule.model_validate({"rrule": rule, "first": first, **more})
    return [day.isoformat() for day in repeat.dates(found, calendar, until)]


@pytest.mark.parametrize(
    "rule, first, expected",
    [  # RFC 5545, section 3.8.5.3, "Examples", by their captions
        ("FREQ=MONTHLY;BYMONTHDAY=-3", "1997-09-28", "1997-09-28 1997-10-29 1997-11-28 1997-12-29 1998-01-29"),
        ("FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", "1997-09-02", "1998-02-13 1998-03-13 1998-11-13 1999-08-13"),
        (
            "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2",
            "1997-09-29",
            "1997-09-29 1997-10-30 1997-11-27 1997-12-30 1998-01-29",
        ),
        ("FREQ=WEEKLY;INTERVAL=2;WKST=SU", "1997-09-02", "1997-09-02 1997-09-16 1997-09-30 1997-10-14"),
    ],
)
def test_the_standards_examples_come_out_as_it_says(rule: str, first: str, expected: str) -> None:
    found = dates(rule, dt.date.fromisoformat(first), dt.date(2000, 1, 1))
    assert found[: len(expected.split())] == expected.split()


@given(st.dates(dt.date(1990, 1, 1), dt.date(2060, 1, 1)), st.integers(-12, 12).filter(bool), st.integers(1, 4))
def test_the_nth_working_day_of_a_month_is_dateutils_set_position(first: dt.date, n: int, interval: int) -> None:
    until = first + dt.timedelta(days=900)
    text = f"FREQ=MONTHLY;INTERVAL={interval};BYDAY=MO,TU,WE,TH,FR;BYSETPOS={n}"
    start = dt.datetime.combine(first.replace(day=1), dt.time())
    expected = []
    for moment in rrulestr(text, dtstart=start):
        if moment.date() > until:
            break
        if moment.date() >= first:
            expected.append(moment.date().isoformat())
    assert dates(f"FREQ=MONTHLY;INTERVAL={interval}", first, until, WorkingCalendar(), working_day=n) == expected


def test_the_last_working_day_knows_closures_and_a_short_month_has_no_twenty_third() -> None:
    closed = WorkingCalendar(closures={dt.date(2026, 12, 31).toordinal(): "Stocktaking"})
    january = dt.date(2026, 12, 1)
    assert dates("FREQ=MONTHLY", january, dt.date(2026, 12, 31), closed, working_day=-1) == ["2026-12-30"]
    found = dates("FREQ=MONTHLY", dt.date(2026, 1, 1), dt.date(2026, 4, 30), WorkingCalendar(), working_day=22)
    assert found == ["2026-01-30", "2026-03-31", "2026-04-30"]  # February 2026 has twenty working days


def test_rolled_dates_come_once_each() -> None:
    found = dates("FREQ=DAILY", dt.date(2026, 6, 5), dt.date(2026, 6, 9), WorkingCalendar())
    assert found == ["2026-06-05", "2026-06-08", "2026-06-09"]


@pytest.mark.parametrize("rule", ["", "EVERY=DAY", "FREQ=SECONDLY", "FREQ=MONTHLY;BYDAY=XX", "RRULE:FREQ=DAILY"])
def test_what_is_no_rule_is_a_fault_with_its_path(rule: str) -> None:
    with pytest.raises(DocumentError) as caught:
        read_document(RepeatRule, {"rrule": rule, "first": "2026-01-01"})
    assert caught.value.faults[0].path == "rrule"
