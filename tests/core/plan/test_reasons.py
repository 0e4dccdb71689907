"""Why a date is what it is: every kind of floor says it in its own words."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest

from tests.plans import day, document, plan, step
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import rolled_anew
from unisequa.core.documents.reading import read_document
from unisequa.core.errors import DocumentError
from unisequa.core.plan.reasons import reasons, why
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Begun, CatchUp, Done, Drop, Edit, Fix, Move

STEPS = [
    step("a", 2),
    step("b", 1),
    step("p"),
    step("x", 1, parent="p"),
    step("y", 1, not_before={"anchor": "go", "offset": 7, "unit": "days"}, parent="p"),
    step("late", 1, when={"anchor": "board", "offset": -2}),
    step("after"),
]
ANCHORS = [{"key": "go", "label": "Go"}, {"key": "board", "label": "Board", "required": False}]


def found(*edits: Edit) -> Any:
    made = plan(STEPS, "a>b", "b>p", "late>after", anchors=ANCHORS)
    return cascade(made, edits).after() if edits else made


def said(key: str, *edits: Edit) -> str:
    made = found(*edits)
    return why(made, made.position(key))


@pytest.mark.parametrize(
    "key, edits, words",
    [
        ("a", [], "opens the job on Go (Mon 1 Jun) → Mon 1 Jun"),
        ("b", [], "after A (ends Tue 2 Jun) → Wed 3 Jun"),
        ("x", [], "after B (ends Wed 3 Jun) → Thu 4 Jun"),
        ("y", [], "not before Mon 8 Jun"),
        ("p", [], "from the start of X to the end of Y"),
        ("late", [], "2 working days before Board, whose date is not known yet"),
        ("after", [], "after Late, which has no date yet"),
        ("b", [Move("b", day("2026-06-05"))], "put there by hand → Fri 5 Jun"),
        ("b", [Fix("b", day("2026-06-05"))], "fixed on Fri 5 Jun"),
        ("a", [Begun("a", day("2026-06-02"))], "begun Tue 2 Jun"),
        ("a", [Done("a", day("2026-06-03"))], "done Wed 3 Jun"),
        ("a", [Drop("a")], "dropped; nothing waits for it"),
        ("p", [Drop("x"), Drop("y")], "all of its sub-steps are dropped"),
    ],
)
def test_each_kind_of_floor_is_said_in_its_words(key: str, edits: list[Edit], words: str) -> None:
    assert said(key, *edits) == words


def test_a_reason_fits_into_a_tooltip_however_long_the_titles_are() -> None:
    made = plan([step("a", 1, 0, title="Long " * 40), step("b")], "a>b")
    assert len(reasons(made, 1)[0].text) < 120


def test_a_link_that_no_longer_holds_says_by_how_much_and_decides_nothing() -> None:
    made = plan([step("a", 2, 0), step("b", 1)], "a>b")
    late = cascade(made, [Begun("b", day("2026-06-01")), Done("a", day("2026-06-05"))]).after()
    broken = reasons(late, 1)[1]
    assert broken.text == "should follow A, which ended Fri 5 Jun: broken by 5 working days" and not broken.binding
    conflicts = cascade(made, [Begun("b", day("2026-06-01"))]).conflicts
    assert [(c.kind, c.text) for c in conflicts] == [
        ("before", "B was begun on Mon 1 Jun, but A, which it follows, would end Tue 2 Jun")
    ]


@pytest.mark.parametrize(
    "link, words",
    [
        ({"type": "SS", "lag": 2}, "2 working days after the start of A (starts Mon 1 Jun) → Wed 3 Jun"),
        ({"type": "FF"}, "to end with A (ends Fri 5 Jun) → Fri 5 Jun"),
        ({"type": "FF", "lag": 1}, "not to end before 1 working day after the end of A (ends Fri 5 Jun) → Mon 8 Jun"),
        ({"type": "SF"}, "not to end before the start of A (starts Mon 1 Jun) → Mon 1 Jun"),
        ({"lag": -2}, "2 working days before the end of A (ends Fri 5 Jun) → Thu 4 Jun"),
        ({"lag": 2, "unit": "elapsed"}, "after A (ends Fri 5 Jun), with 2 days between → Mon 8 Jun"),
    ],
)  # fmt: skip
def test_each_type_of_link_speaks_of_the_end_it_holds(link: dict[str, Any], words: str) -> None:
    made = plan([step("a", 5, 0), step("b", 1)], links=[{"from": "a", "to": "b", **link}])
    assert why(made, 1) == words


def test_a_file_is_told_which_offsets_rest_on_a_roll_it_does_not_say() -> None:
    steps = [step("a", when={"anchor": "go", "offset": -1, "unit": "months"}), step("b", 1, -2)]
    assert [path for path, _ in rolled_anew(document(steps))] == ["steps[0].when"]


def test_hours_that_are_no_time_are_refused_and_a_missed_holiday_is_added_by_name() -> None:
    content = {"name": "c", "hours": [["09:00", "09:00"]]}
    with pytest.raises(DocumentError, match="24 hours are written 00:00 to 24:00"):
        read_document(CalendarDocument, content).working()
    holidays = {"country": "GB", "subdivision": "ENG", "also": [{"name": "Mourning", "date": "2026-06-03"}]}
    calendar = read_document(CalendarDocument, {"name": "c", "holidays": holidays}).working()
    assert (calendar.name_of(day("2026-06-03")), calendar.is_working_day(day("2026-06-03"))) == ("Mourning", False)


def test_what_opens_on_a_day_off_says_so_and_far_dates_carry_their_year() -> None:
    made = plan([step("a", 1), step("b", 1, 160)], go=dt.date(2026, 6, 6))
    assert why(made, 0) == "opens the job on Go (Sat 6 Jun) → Mon 8 Jun, rolled from Sat 6 Jun"
    assert why(made, 1) == "160 working days after Go (Sat 6 Jun 2026) → Fri 15 Jan 2027"
    far = plan([step("a", 1, 0)], today=dt.date(2027, 3, 1))
    assert why(far, 0) == "on Go (Mon 1 Jun 2026) → Mon 1 Jun 2026"


def test_what_is_caught_up_was_not_moved_by_you() -> None:
    made = plan([step("a", 1, 0), step("b", 1)], "a>b", today=dt.date(2026, 6, 10))
    caught = cascade(made, [CatchUp(day("2026-06-10"))])
    assert [caught.reason(change) for change in caught.changes] == [
        "caught up to Wed 10 Jun", "after A (ends Wed 10 Jun)",
    ]  # fmt: skip
    assert why(caught.after(), 0) == "keeps the date it had → Wed 10 Jun"
