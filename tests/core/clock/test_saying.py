"""Recurrences in words, and words as recurrences."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.clock.repeat import dates
from unisequa.core.clock.saying import CODES, EXAMPLES, typed_when, when_words
from unisequa.core.documents.rule import RepeatRule
from unisequa.core.errors import TypedError

FIRST = dt.date(2026, 1, 1)
PLACES = st.integers(-5, 5).filter(bool)
MONTHS = st.sampled_from(["", ";INTERVAL=2", ";INTERVAL=14", ";BYMONTH=1,4,7,10", ";BYMONTH=3,6,9,12", ";BYMONTH=2,11"])
RULES = st.one_of(
    st.tuples(MONTHS, PLACES).map(lambda p: (f"FREQ=MONTHLY{p[0]}", p[1])),
    st.tuples(MONTHS, st.integers(-31, 31).filter(bool)).map(lambda p: (f"FREQ=MONTHLY{p[0]};BYMONTHDAY={p[1]}", None)),
    st.tuples(MONTHS, PLACES, st.sampled_from(CODES)).map(lambda p: (f"FREQ=MONTHLY{p[0]};BYDAY={p[1]}{p[2]}", None)),
    st.tuples(st.sampled_from(["", ";INTERVAL=2", ";INTERVAL=13"]), st.sets(st.sampled_from(CODES), min_size=1)).map(
        lambda p: (f"FREQ=WEEKLY{p[0]};BYDAY=" + ",".join(sorted(p[1], key=CODES.index)), None)
    ),
    st.tuples(st.integers(1, 12), st.integers(1, 28)).map(
        lambda p: (f"FREQ=YEARLY;BYMONTH={p[0]};BYMONTHDAY={p[1]}", None)
    ),
    st.tuples(st.sampled_from(["WEEKLY", "YEARLY"]), PLACES).map(lambda p: (f"FREQ={p[0]}", p[1])),
)


@given(RULES, st.sampled_from(["", ";COUNT=12", ";UNTIL=20280131"]))
def test_what_is_said_of_a_rule_is_read_as_that_rule(rule: tuple[str, int | None], end: str) -> None:
    written = RepeatRule(rrule=rule[0] + end, first=FIRST, working_day=rule[1])
    words = when_words(written)
    assert "FREQ" not in words
    read = RepeatRule(**{"roll": written.roll, **typed_when(words, FIRST)})
    assert list(dates(read, WorkingCalendar(), dt.date(2029, 1, 1))) == list(
        dates(written, WorkingCalendar(), dt.date(2029, 1, 1))
    )


@pytest.mark.parametrize("text", EXAMPLES)
def test_every_example_is_understood_and_said_again(text: str) -> None:
    assert when_words(RepeatRule(**typed_when(text, FIRST))) == text


@pytest.mark.parametrize(
    "text, rule",
    [
        ("every Monday and Thursday", "FREQ=WEEKLY;BYDAY=MO,TH"),
        ("every 2 weeks on mon", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO"),
        ("last Friday of March and June", "FREQ=MONTHLY;BYMONTH=3,6;BYDAY=-1FR"),
        ("Every year on 3 apr.", "FREQ=YEARLY;BYMONTH=4;BYMONTHDAY=3"),
    ],
)
def test_other_ways_of_saying_it(text: str, rule: str) -> None:
    assert typed_when(text, FIRST)["rrule"] == rule


@pytest.mark.parametrize(
    "text", ["", "foo", "every blue moon", "the 40th of each month", "the sixth Monday of each month"]
)
def test_what_is_not_understood_says_what_would_be(text: str) -> None:
    with pytest.raises(TypedError, match="the last working day of each month"):
        typed_when(text, FIRST)
