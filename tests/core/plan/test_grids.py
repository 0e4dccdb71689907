"""Includes, planning backward, and jobs of hours: local time, nights, breaks and clock changes."""

from __future__ import annotations

import datetime as dt
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.checker import Calendar
from tests.examples import dear
from tests.plans import document, step
from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.includes import Library
from unisequa.core.documents.measures import measured
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import Measure
from unisequa.core.errors import DocumentError
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan, days_of
from unisequa.core.plan.reasons import why
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Due, MoveAnchor

LONDON = Grid(MINUTES, ZoneInfo("Europe/London"))


def hours(steps: list[dict[str, Any]], go: str, *links: str, calendar: Any = None, **more: Any) -> Plan:
    content = document(steps, *links, grid="minute", **more)
    documents = (read_document(CalendarDocument, {"name": "c", **(calendar or {})}),)
    moment = dt.datetime.fromisoformat(go)
    return assemble(read_template(content), Occasion(anchors={"go": moment}, calendars=documents))


def times(found: Plan) -> dict[str, tuple[str, str] | None]:
    grid = found.grid
    return {t.key: (r := found.read(i)) and (grid.iso(r[0]), grid.iso(r[1])) for i, t in enumerate(found.tasks)}


def at(offset: Any, unit: str = "hours", edge: str = "start", **more: Any) -> dict[str, Any]:
    return {"anchor": "go", "offset": offset, "unit": unit, "edge": edge, **more}


def test_an_evening_is_planned_around_its_doors_and_reads_in_times() -> None:
    steps = [
        {"key": "lights", "title": "Lights", "duration": "1h 30m", "when": at("-30m", edge="finish")},
        {"key": "brief", "title": "Brief", "duration": "20m"},
        {"key": "doors", "title": "Doors", "duration": "0m", "when": at(0, edge="start")},
    ]
    calendar = {"week": "1111111", "hours": [["08:00", "24:00"]]}
    found = hours(steps, "2026-09-12T18:00", "lights>brief", calendar=calendar)
    assert times(found) == {
        "lights": ("2026-09-12T16:00", "2026-09-12T17:30"),
        "brief": ("2026-09-12T17:30", "2026-09-12T17:50"),
        "doors": ("2026-09-12T18:00", "2026-09-12T18:00"),
    }
    assert why(found, 0) == "due 30m before Go (Sat 12 Sep 18:00) → Sat 12 Sep 17:30"


def test_a_day_is_the_calendars_hours_in_working_time_and_24_hours_elapsed() -> None:
    steps = [
        {"key": "work", "title": "Work", "duration": "1d 1h", "when": at(0)},
        {"key": "dry", "title": "Dry", "duration": "1h"},
        {"key": "wait", "title": "Wait", "when": at("25h", edge="start")},
        {"key": "after", "title": "After", "when": at("1d 1h", "working hours")},
    ]
    links = [{"from": "work", "to": "dry", "lag": "1d", "unit": "elapsed"}]
    found = hours(steps, "2026-06-04T16:00", links=links, calendar={"hours": [["09:00", "12:30"], ["13:00", "17:00"]]})
    assert times(found) == {
        "work": ("2026-06-04T16:00", "2026-06-05T17:00"),  # 1 h on Thursday, 7 h 30 m on Friday: 8 h 30 m
        "dry": ("2026-06-08T09:00", "2026-06-08T10:00"),  # a day on it is Saturday 17:00
        "wait": ("2026-06-08T09:00", "2026-06-08T10:00"),  # 25 h on is Friday 17:00, when nobody works
        "after": ("2026-06-08T09:00", "2026-06-08T10:00"),
    }


def test_a_night_with_a_clock_change_has_an_hour_less_or_more() -> None:
    steps = [
        {"key": "shift", "title": "Shift", "duration": "8h", "when": at(0)},
        {"key": "later", "title": "Later", "duration": "10m", "when": at(12)},
    ]
    calendar = {"week": "1111111", "hours": [["22:00", "06:00"], ["10:00", "12:00"]][::-1]}
    spring = hours(steps, "2026-03-28T22:00", calendar=calendar, zone="Europe/London")
    assert times(spring)["shift"] == ("2026-03-28T22:00", "2026-03-29T11:00")  # 7 h at night, 1 h in the morning
    assert times(spring)["later"] == ("2026-03-29T11:00", "2026-03-29T11:10")
    autumn = hours(steps, "2026-10-24T22:00", calendar=calendar, zone="Europe/London")
    assert times(autumn)["shift"] == ("2026-10-24T22:00", "2026-10-25T05:00")
    assert times(autumn)["later"] == ("2026-10-25T10:00", "2026-10-25T10:10")  # 09:00, rolled to the morning's hours


@given(st.datetimes(dt.datetime(2026, 1, 1), dt.datetime(2027, 12, 31)), st.integers(-100_000, 100_000))
def test_elapsed_time_is_what_utc_says(moment: dt.datetime, minutes: int) -> None:
    moment = moment.replace(second=0, microsecond=0, fold=0)
    if LONDON.moment(LONDON.of(moment)) != moment:
        return  # the clock leaves it out
    there = (moment.replace(tzinfo=LONDON.zone).astimezone(dt.UTC) + dt.timedelta(minutes=minutes)).astimezone(
        LONDON.zone
    )
    assert LONDON.elapse(LONDON.of(moment), minutes) == (
        LONDON.of(there.replace(tzinfo=None)) if minutes else LONDON.of(moment)
    )


ZONES = ("Europe/London", "America/New_York", "Australia/Lord_Howe", "America/Santiago", "Pacific/Apia", "Asia/Kolkata")
SHIFTS = ([("22:00", "06:00")], [("09:00", "17:00")], [("00:00", "24:00")], [("01:10", "01:50"), ("02:20", "03:10")])


@dear
@given(
    st.sampled_from(ZONES), st.sampled_from(SHIFTS), st.sampled_from(["1111111", "1111100", "0101011"]),
    st.datetimes(dt.datetime(2026, 1, 1), dt.datetime(2026, 12, 31)) | st.sampled_from(
        [dt.datetime(2026, 3, 29), dt.datetime(2026, 10, 25), dt.datetime(2026, 4, 5), dt.datetime(2026, 3, 8)]
    ),
    st.integers(-1500, 1500),
)  # fmt: skip
def test_worked_minutes_are_real_ones_wherever_the_clock_changes(
    zone: str, shifts: Any, week: str, near: dt.datetime, n: int
) -> None:
    """Against a walk minute by minute through UTC, each minute asked of :mod:`zoneinfo` what the clock shows."""
    grid, clock = Grid(MINUTES, ZoneInfo(zone)), ZoneInfo(zone)
    ours = read_document(CalendarDocument, {"name": "c", "week": week, "hours": shifts}).working(grid)
    theirs = Calendar({"week": week, "hours": shifts}, minute=True)
    b = grid.of(near.replace(second=0, microsecond=0))
    epoch = dt.datetime(1, 1, 1, tzinfo=dt.UTC)

    def worked(minute: int) -> bool:
        shown = (epoch + dt.timedelta(minutes=minute - MINUTES)).astimezone(clock)
        return theirs.worked(shown.toordinal() * MINUTES + shown.hour * 60 + shown.minute)

    at, left = b, n
    while left and abs(at - b) < 20_000:
        at -= left < 0
        left -= (1 if left > 0 else -1) * worked(at)
        at += n > 0
    if not left:
        assert ours.advance(b, n) == at
        assert ours.count(b, at) == n
        text = grid.iso(at)
        assert grid.read(text) == at
        assert grid.of(grid.moment(at)) == at


@given(st.integers(0, 9000), st.integers(-400, 400), st.sampled_from([(["22:00", "06:00"],), (["00:00", "24:00"],)]))
def test_worked_minutes_are_found_as_if_walked_over(into: int, n: int, shifts: Any) -> None:
    ours = read_document(CalendarDocument, {"name": "c", "hours": list(shifts)}).working(Grid(MINUTES))
    theirs = Calendar({"hours": list(shifts)}, minute=True)
    b = dt.date(2026, 6, 5).toordinal() * MINUTES + into
    assert ours.advance(b, n) == theirs.advance(b, n)


def test_an_edit_on_the_minute_grid_moves_by_minutes() -> None:
    steps = [{"key": "a", "title": "A", "duration": "2h", "when": at(0)}, {"key": "b", "title": "B", "duration": "1h"}]
    found = hours(steps, "2026-06-04T14:00", "a>b")
    due = found.grid.read("2026-06-04T16:30")
    assert times(cascade(found, [Due("a", due)]).after())["b"] == ("2026-06-04T16:30", "2026-06-05T09:30")
    later = MoveAnchor("go", found.grid.read("2026-06-05T10:00"))
    assert times(cascade(found, [later]).after())["a"] == ("2026-06-05T10:00", "2026-06-05T12:00")


def backward(steps: list[dict[str, Any]], *links: str, **more: Any) -> Plan:
    content = document(steps, *links, direction="backward", **more)
    return assemble(read_template(content), Occasion(anchors={"go": dt.date(2026, 6, 12)}))  # a Friday


def days(found: Plan) -> dict[str, str]:
    return {t.key: "–".join(found.grid.iso(d)[5:] for d in found.read(i) or ()) for i, t in enumerate(found.tasks)}


def test_backward_everything_stands_as_late_as_what_follows_allows() -> None:
    steps = [step("pack", 2), step("ship", 3), step("hang", 2), step("aside", 1), step("open", 0)]
    found = backward(steps, "pack>ship", "ship>hang", "hang>open", "aside>open")
    assert days(found) == {
        "pack": "06-04–06-05",
        "ship": "06-08–06-10",
        "hang": "06-11–06-12",
        "aside": "06-12–06-12",
        "open": "06-12–06-12",  # a milestone, at the end of that day
    }
    assert why(found, 0) == "as late as Ship (starts Mon 8 Jun) allows → Thu 4 Jun"


def test_backward_what_cannot_be_that_early_goes_forward_and_is_reported() -> None:
    steps = [
        {**step("late", 3), "when": {"anchor": "go", "offset": -1, "edge": "start"}},
        step("between", 2),
        step("open", 1),
    ]
    found = backward(steps, "late>between", "between>open")
    assert days(found)["between"] == "06-16–06-17" and days(found)["open"] == "06-18–06-18"
    assert {w.kind for w in found.warnings} == {"backward", "drift"}


def test_backward_an_anchor_takes_along_what_hangs_on_it_through_links() -> None:
    found = backward([step("pack", 2), step("open", 1)], "pack>open")
    moved = cascade(found, [MoveAnchor("go", dt.date(2026, 6, 10).toordinal())]).after()
    assert days(moved) == {"pack": "06-08–06-09", "open": "06-10–06-10"}


INNER = document(
    [step("count", 1, 1, role="clerk"), step("{{ shop }}".strip("{} ") + "-a", 2, title="Close {{ shop }}")],
    "count>shop-a",
    name="Month-end close",
    roles=[{"key": "clerk", "label": "Clerk"}],
    facts=[{"key": "shop", "label": "Shop", "required": True}],
    day_labels=[{"anchor": "go", "offset": 3, "label": "Closed"}],
    phases=[{"key": "one", "label": "One"}],
)


def outer(**more: Any) -> Any:
    return document(
        [step("report", 1)],
        "m>report",
        name="Quarter",
        anchors=[{"key": "quarter_end", "label": "Quarter end"}],
        roles=[{"key": "lead", "label": "Lead"}],
        includes=[
            {"key": "m", "template": "month-end-close", "anchors": {"go": "quarter_end"}, "roles": {"clerk": "lead"}}
        ],
        **more,
    )


def within(content: Any, *others: Any, **facts: str) -> Plan:
    library = Library((t["name"], read_template(t)) for t in others)
    return assemble(
        read_template(content), Occasion(anchors={"quarter_end": dt.date(2026, 6, 30)}, facts=facts), library
    )


def test_a_template_within_another_brings_its_steps_under_its_key_with_names_mapped() -> None:
    found = within(outer(), INNER, **{"m.shop": "Old Mill"})
    assert days(found) == {"report": "07-06–07-06", "m.count": "07-01–07-01", "m.shop-a": "07-02–07-03"}
    assert [t.role for t in found.tasks] == [None, "lead", None]
    assert found.tasks[2].title == "Close Old Mill"
    assert found.day_labels == ((dt.date(2026, 7, 3).toordinal(), "Closed"),)


@pytest.mark.parametrize(
    "others, facts, words",
    [
        ([], {}, 'includes[0].template: no template "month-end-close" is there'),
        ([INNER], {}, 'facts.m.shop: "Shop" is required'),
        ([INNER | {"grid": "minute"}], {"m.shop": "x"}, "is on the minute grid, this one is not"),
        (
            [INNER | {"includes": [{"key": "q", "template": "Quarter"}]}, outer()],
            {},
            "includes itself: Quarter → Month",
        ),
        ([INNER | {"roles": []}], {}, 'includes[0].roles.clerk: "Month-end close" has no role "clerk"'),
    ],
)
def test_a_template_that_cannot_be_included_is_a_fault_with_its_place(others: Any, facts: Any, words: str) -> None:
    others = [o | {"steps": [step("count")], "links": []} if not o.get("roles", [1]) else o for o in others]
    with pytest.raises(DocumentError) as caught:
        within(outer(), *others, **facts)
    assert words in str(caught.value)


def test_an_offset_of_days_keeps_the_time_of_day_and_one_of_hours_of_work_does_not_roll() -> None:
    calendar = read_document(CalendarDocument, {"name": "c", "hours": [["09:00", "17:00"]]}).working(Grid(MINUTES))
    at = dt.date(2026, 6, 5).toordinal() * MINUTES + 16 * 60 + 30  # a Friday, half past four

    def moment(measure: Measure) -> tuple[int, int]:
        return divmod(measured(at, measure, calendar), MINUTES)

    monday = dt.date(2026, 6, 8).toordinal()
    assert moment(Measure(anchor="a", offset=1)) == (monday, 16 * 60 + 30)
    assert moment(Measure(anchor="a", offset=-1)) == (monday - 4, 16 * 60 + 30)
    assert moment(Measure(anchor="a", offset=1, unit="weeks")) == (monday + 4, 16 * 60 + 30)
    assert moment(Measure(anchor="a", offset=1, unit="working hours")) == (monday, 9 * 60 + 30)


def test_what_ends_at_midnight_touches_the_day_before_and_a_milestone_there_the_day_after() -> None:
    monday = dt.date(2026, 6, 8).toordinal()
    at = LONDON.day_start(monday)
    assert days_of((at - 60, at), True, LONDON) == (monday - 1, monday - 1)
    assert days_of((at - 60, at + 1), True, LONDON) == (monday - 1, monday)
    assert days_of((at, at), False, LONDON) == (monday, monday)
