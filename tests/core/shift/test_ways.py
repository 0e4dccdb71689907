"""What it would take to reach a date."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.drawn_documents import cases, planned_case
from tests.core.plan.test_whole_plans import Case
from tests.plans import day, plan, step
from unisequa.core.errors import DocumentError, ShiftError
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Duration
from unisequa.core.shift.ways import ways_to


def chain():  # type: ignore[no-untyped-def]
    return plan([step("a", 5, 0), step("b", 4), step("c", 3), step("aside", 2, 0), step("e")], "a>b", "b>c", "c>e")


def test_the_ways_are_those_of_the_driving_chain_cheapest_first() -> None:
    found = ways_to(chain(), "e", day("2026-06-15"))
    assert [way.text for way in found] == [
        "do C in 1 working day instead of 3 working days",
        "do B in 2 working days instead of 4 working days",
        "do A in 3 working days instead of 5 working days",
        "start A on Thu 28 May (−2 d)",
        "let E no longer wait for C",
        "let C no longer wait for B",
        "let B no longer wait for A",
        "move Go to Thu 28 May (−2 d)",
    ]
    assert "Aside" not in " ".join(way.text for way in found)


def test_where_no_single_edit_is_enough_several_are_put_together() -> None:
    found = plan(
        [step("a", 5, 0), step("b", 5, deadline=None), step("c")],
        "a>c",
        "b>c",
        anchors=[{"key": "go", "label": "Go"}],
    )
    (way,) = ways_to(found, "c", day("2026-06-04"))[:1]
    after = cascade(found, way.edits, "tighten").after()
    assert after.days(after.position("c")) <= (day("2026-06-04"),) * 2


def test_what_is_there_already_needs_nothing_and_what_is_done_no_longer_moves() -> None:
    found = chain()
    assert ways_to(found, "e", day("2026-06-17")) == []
    with pytest.raises(ShiftError, match='no task "f"; there is a'):
        ways_to(found, "f", day("2026-06-17"))


@given(cases(most=7), st.integers(0, 6), st.integers(1, 12))
def test_every_way_reaches_the_date_and_one_day_less_of_it_would_not(case: Case, n: int, earlier: int) -> None:
    try:
        found = planned_case(*case)
    except DocumentError:
        return
    i = n % len(found.tasks)
    dates = found.read(i)
    assert dates
    for way in ways_to(found, found.tasks[i].key, dates[1] - earlier):
        after = cascade(found, way.edits, "tighten").after()
        reached = after.read(i)
        assert reached and reached[1] <= dates[1] - earlier
        (edit,) = way.edits if len(way.edits) == 1 else (None,)
        if isinstance(edit, Duration):
            less = cascade(found, [Duration(edit.key, edit.slots + 1)], "tighten").after().read(i)
            assert less and less[1] > dates[1] - earlier
