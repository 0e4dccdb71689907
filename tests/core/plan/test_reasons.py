"""Why a date is what it is: every kind of floor says it in its own words."""

from __future__ import annotations

from typing import Any

import pytest

from tests.plans import day, plan, step
from unisequa.core.plan.reasons import reasons, why
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Begun, Done, Drop, Edit, Fix, Move

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
