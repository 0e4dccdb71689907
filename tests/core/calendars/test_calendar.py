"""Working-day arithmetic, held against numpy's business-day functions on random calendars."""

from __future__ import annotations

import datetime as dt
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from unisequa.core.calendars.days import LAST_DAY, WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, Grid, span_text
from unisequa.core.calendars.holidays import public_holidays
from unisequa.core.calendars.hours import WorkingHours
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.measures import measured, roll_day
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import Measure
from unisequa.core.errors import DateRangeError, DocumentError

EPOCH = dt.date(1970, 1, 1).toordinal()
BASE = dt.date(2026, 1, 1).toordinal()

weeks = st.text("01", min_size=7, max_size=7).filter(lambda week: "1" in week)
closed = st.sets(st.integers(BASE - 60, BASE + 60), max_size=20)
days = st.integers(BASE - 90, BASE + 90)


def numpy_day(day: int) -> np.datetime64:
    return np.datetime64(day - EPOCH, "D")


def both(week: str, closures: set[int]) -> tuple[WorkingCalendar, np.busdaycalendar]:
    ours = WorkingCalendar("c", week, closures=dict.fromkeys(closures, ""))
    return ours, np.busdaycalendar(week, [numpy_day(day) for day in sorted(closures)])


@given(weeks, closed, days, days)
def test_counting_agrees_with_numpy(week: str, closures: set[int], a: int, b: int) -> None:
    ours, theirs = both(week, closures)
    assume(a <= b)
    assert ours.count(a, b) == np.busday_count(numpy_day(a), numpy_day(b), busdaycal=theirs)


@given(weeks, closed, days, st.integers(-40, 40))
def test_advancing_agrees_with_numpy(week: str, closures: set[int], b: int, n: int) -> None:
    ours, theirs = both(week, closures)
    if n > 0:  # after the n-th worked day at or after b
        last = np.busday_offset(numpy_day(b), n - 1, "following", busdaycal=theirs)
        assert numpy_day(ours.advance(b, n)) == last + 1
    elif n < 0:  # before the n-th worked day that ends at or before b
        first = np.busday_offset(numpy_day(b - 1), n + 1, "preceding", busdaycal=theirs)
        assert numpy_day(ours.advance(b, n)) == first
    else:
        assert ours.advance(b, 0) == b


ROLLS = {
    "following": "following",
    "preceding": "preceding",
    "modified following": "modifiedfollowing",
    "modified preceding": "modifiedpreceding",
}


@given(weeks, closed, days, st.sampled_from(sorted(ROLLS)))
def test_every_roll_agrees_with_numpy(week: str, closures: set[int], day: int, roll: str) -> None:
    ours, theirs = both(week, closures)
    expected = np.busday_offset(numpy_day(day), 0, ROLLS[roll], busdaycal=theirs)
    assert numpy_day(roll_day(day, roll, ours)) == expected  # type: ignore[arg-type]


@given(weeks, closed, days, st.integers(-30, 30).filter(bool))
def test_offsets_in_working_days_agree_with_numpy(week: str, closures: set[int], anchor: int, n: int) -> None:
    ours, theirs = both(week, closures)
    # strictly after (before) the anchor: numpy counts from a working day, so start it on the other side
    start = "preceding" if n > 0 else "following"
    expected = np.busday_offset(numpy_day(anchor), n, start, busdaycal=theirs)
    assert numpy_day(measured(anchor, Measure(anchor="a", offset=n), ours)) == expected


def test_a_month_on_is_clipped_to_its_end() -> None:
    everyday = WorkingCalendar("c", "1111111")
    january = dt.date(2028, 1, 31).toordinal()
    assert dt.date.fromordinal(
        measured(january, Measure(anchor="a", offset=1, unit="months", roll="none"), everyday)
    ) == dt.date(2028, 2, 29)


def test_an_extra_working_day_beats_a_closure_and_a_closure_beats_the_week() -> None:
    saturday, sunday, monday = BASE + 2, BASE + 3, BASE + 4
    calendar = WorkingCalendar(closures={monday: "", sunday: ""}, extra=[saturday, sunday])
    assert [calendar.is_worked(d) for d in (saturday, sunday, monday)] == [True, True, False]


def test_public_holidays_come_with_their_names() -> None:
    calendar = WorkingCalendar(holidays=public_holidays("GB", "ENG"))
    christmas = dt.date(2026, 12, 25).toordinal()
    assert not calendar.is_worked(christmas)
    assert calendar.name_of(christmas) == "Christmas Day"


def test_an_unknown_country_is_a_fault_and_not_a_calendar_without_holidays() -> None:
    document = read_document(CalendarDocument, {"name": "c", "holidays": {"country": "XX"}})
    with pytest.raises(DocumentError, match="no public holidays known"):
        document.working()


def test_a_calendar_grows_back_and_on_without_changing_its_answers() -> None:
    calendar = WorkingCalendar()
    near = calendar.advance(BASE, 3)
    calendar.count(BASE - 9000, BASE + 9000)
    assert calendar.advance(BASE, 3) == near
    assert calendar.advance(BASE, 5000) == calendar.advance(calendar.advance(BASE, 2500), 2500)


def test_the_end_of_time_is_an_error_and_not_an_endless_search() -> None:
    with pytest.raises(DateRangeError):
        WorkingCalendar().advance(LAST_DAY - 3, 50)
    with pytest.raises(DateRangeError):
        WorkingCalendar("never", "0000000", extra=[BASE]).advance(BASE + 1, 1)


def test_minutes_are_written_in_days_hours_and_minutes() -> None:
    assert [span_text(n) for n in (0, 59, 60, 90, 1439, -65)] == ["0m", "59m", "1h", "1h 30m", "23h 59m", "-1h 5m"]
    assert [span_text(n, 480) for n in (480, 540, 545)] == ["1d", "1d 1h", "1d 1h 5m"]


def test_ends_lie_behind_their_slots_where_a_change_of_the_clock_comes_to_be_known_while_they_are_looked_up() -> None:
    """Moscow's clock changed for good on 26 October 2014, the first time since 2011 (tz database, *Russia*)."""
    shifts = WorkingHours(WorkingCalendar("always", "1111111"), [(0, 1440)], Grid(MINUTES, ZoneInfo("Europe/Moscow")))
    first = shifts.index(shifts.instant(dt.date(2013, 1, 1)))
    numbers = [first, first + 700 * MINUTES]
    assert shifts.spans(numbers, [0, 0])[1] == [shifts.slot(k) + 1 for k in numbers]
