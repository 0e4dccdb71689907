"""What it would take to reach a date."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.drawn_documents import cases, planned_case
from tests.core.plan.test_whole_plans import Case
from tests.examples import dear
from tests.plans import GO, day, plan, step
from unisequa.core.errors import DocumentError, ShiftError
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Duration, Move
from unisequa.core.shift.edits.codec import from_options, option_of
from unisequa.core.shift.ways import ways_to
from unisequa.formats.plan_document import plan_document
from unisequa.formats.plan_reading import read_plan


def chain():  # type: ignore[no-untyped-def]
    return plan([step("a", 5, 0), step("b", 4), step("c", 3), step("aside", 2, 0), step("e")], "a>b", "b>c", "c>e")


def test_the_ways_are_those_of_the_driving_chain_cheapest_first() -> None:
    found = ways_to(chain(), "e", day("2026-06-15"))
    assert [(way.text, way.mode) for way in found] == [
        ("let E no longer wait for C, bringing E forward", "push"),
        ("do C in 1 working day instead of 3 working days, bringing E forward", "push"),
        ("let C no longer wait for B, bringing C and E forward", "push"),
        ("do B in 2 working days instead of 4 working days, bringing C and E forward", "push"),
        ("do A in 3 working days instead of 5 working days, bringing B, C and E forward", "push"),
        ("start A on Thu 28 May (−2 d), bringing B, C and E forward", "push"),
        ("move Go to Thu 28 May (−2 d)", "tighten"),
    ]
    assert [way.cost for way in found] == sorted(way.cost for way in found)


def test_a_long_chain_is_brought_forward_as_a_whole() -> None:
    links = [f"s{i}>s{i + 1}" for i in range(79)]
    found = plan([step("s0", 5, 0), *(step(f"s{i}", 2) for i in range(1, 80))], *links)
    until = (found.read(79) or (0, 0))[1] - 7
    ways = ways_to(found, "s79", until)
    assert any(way.mode == "tighten" and way.text.startswith("start S0 on") for way in ways)
    assert any(way.text.startswith("move Go") for way in ways)


def test_where_no_single_edit_is_enough_several_are_put_together() -> None:
    found = plan([step("a", 5, 0), step("b", 5, 1), step("c", 1, 0)], "a>c", "b>c", today=GO)
    ways = ways_to(found, "c", day("2026-06-04"))
    assert "do A in 3 working days instead of 5 working days and do B in 2 working days instead of 5 working days" in (
        ways[0].text
    )
    assert all(edit.day >= day("2026-06-01") for way in ways for edit in way.edits if isinstance(edit, Move))


def test_what_is_there_already_needs_nothing_and_what_is_done_no_longer_moves() -> None:
    found = chain()
    assert ways_to(found, "e", day("2026-06-17")) == []
    with pytest.raises(ShiftError, match='no task "f"; there is a'):
        ways_to(found, "f", day("2026-06-17"))


@dear
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
        options = [part for edit in way.edits for part in option_of(edit, found.grid)]
        printed = read_plan(json.loads(json.dumps(plan_document(found))))
        texts = {
            flag: [t for f, t in zip(options[::2], options[1::2], strict=True) if f == flag] for flag in options[::2]
        }
        result = cascade(printed, from_options(texts, printed), way.mode)
        reached = result.after().read(i)
        assert reached and reached[1] <= dates[1] - earlier, way
        assert way.moved == sum(not found.is_parent(found.position(c.key)) for c in result.changes)
        edit = way.edits[0]
        if isinstance(edit, Duration) and not any(isinstance(e, Duration) for e in way.edits[1:]):
            less = cascade(found, [Duration(edit.key, edit.slots + 1)], "tighten").after().read(i)
            assert less and less[1] > dates[1] - earlier
