"""Edits as documents and as options: one form, there and back, and every fault with its place."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import day, plan, step
from unisequa.core.calendars.grid import DAYS, MINUTES, Grid
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.errors import DocumentError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import (
    KINDS,
    AddLink,
    Close,
    Drop,
    Due,
    Duration,
    Edit,
    Give,
    Move,
    MoveAnchor,
    MoveRun,
    NewDays,
    RemoveLink,
    Reopen,
)
from unisequa.core.shift.edits.codec import OPTIONS, fields_of, from_options, read, read_all, written


def row() -> Plan:
    return plan([step("a", 2, 0), step("b", 1)], "a>b")


def hours() -> Plan:
    return plan([{"key": "a", "title": "A", "duration": "2h"}], grid="minute")


def made(kind: type[Edit], grid: Grid) -> st.SearchStrategy[Edit]:
    """Any edit of a kind, its fields drawn by how they are written."""
    first = dt.date(2026, 1, 1).toordinal()
    values: dict[str, st.SearchStrategy[Any]] = {
        "task": st.sampled_from(["a", "b"]),
        "text": st.text(max_size=9),
        "date": st.integers(first * grid.per_day, (first + 900) * grid.per_day),
        "instant": st.integers(first * grid.per_day, (first + 900) * grid.per_day),
        "day": st.integers(first, first + 900),
        "length": st.integers(0, 90_000),
        "lag": st.integers(-90_000, 90_000),
        "number": st.integers(-900, 900),
        "calendar": st.builds(CalendarDocument, name=st.sampled_from(["c", "d"]), week=st.sampled_from(["1111100"])),
    }
    parts = {}
    for one in fields_of(kind):
        choices = one.metadata["choices"]
        drawn = st.sampled_from(choices) if choices else values[one.metadata["value"]]
        parts[one.name] = drawn | st.none() if one.default is None else drawn
    return st.builds(kind, **parts)


@given(st.data(), st.sampled_from(KINDS), st.booleans())
def test_every_edit_comes_back_from_its_document(data: Any, kind: type[Edit], minute: bool) -> None:
    found = hours() if minute else row()
    edit = data.draw(made(kind, found.grid))
    assert read(written(edit, found.grid), found) == edit


def test_the_documents_read_as_they_are_described() -> None:
    documents = [
        {"edit": "move", "task": "b", "start": "2026-12-07"},
        {"edit": "due", "task": "b", "finish": "2026-12-07"},
        {"edit": "duration", "task": "a", "duration": 3},
        {"edit": "drop", "task": "b", "why": "not this year"},
        {"edit": "link", "from": "a", "to": "b", "type": "SS", "lag": -2, "unit": "elapsed"},
        {"edit": "unlink", "from": "a", "to": "b"},
        {"edit": "anchor", "anchor": "go", "on": "2026-12-07", "keep": "offsets"},
        {"edit": "close", "first": "2026-12-02", "last": "2026-12-03", "label": "Stocktaking"},
        {"edit": "reopen", "first": "2026-12-02", "last": "2026-12-02"},
        {"edit": "shift", "by": -3},
        {"edit": "shift", "to": "2026-12-07"},
        {"edit": "give", "task": "a", "calendar": "nights"},
    ]
    seventh, second, third = day("2026-12-07"), day("2026-12-02"), day("2026-12-03")
    assert read_all(documents, row()) == [
        Move("b", seventh), Due("b", seventh), Duration("a", 3), Drop("b", "not this year"),
        AddLink("a", "b", "SS", -2, "elapsed"), RemoveLink("a", "b"), MoveAnchor("go", seventh, "offsets"),
        Close(second, third, "Stocktaking"), Reopen(second, second), MoveRun(by=-3), MoveRun(to=seventh),
        Give("a", "nights"),
    ]  # fmt: skip
    assert [written(edit, DAYS) for edit in read_all(documents, row())] == documents


@pytest.mark.parametrize(
    "flag, text, document",
    [
        ("--move", "a=2026-06-05", {"edit": "move", "task": "a", "start": "2026-06-05"}),
        ("--close", "2026-06-05", {"edit": "close", "first": "2026-06-05", "last": "2026-06-05"}),
        ("--link", "a:b:ff:-2e",
         {"edit": "link", "from": "a", "to": "b", "type": "FF", "lag": -2, "unit": "elapsed"}),
        ("--unlink", "a:b:SS", {"edit": "unlink", "from": "a", "to": "b", "type": "SS"}),
        ("--reset-anchor", "go=2026-06-05", {"edit": "anchor", "anchor": "go", "on": "2026-06-05", "keep": "offsets"}),
        ("--shift", "−2", {"edit": "shift", "by": -2}),
        ("--shift", "2026-06-05", {"edit": "shift", "to": "2026-06-05"}),
    ],
)  # fmt: skip
def test_an_option_is_the_short_form_of_a_document(flag: str, text: str, document: dict[str, Any]) -> None:
    (edit,) = from_options({flag: [text]}, row())
    assert written(edit, DAYS) == document


def test_every_kind_has_an_option() -> None:
    assert {kind for kind, _ in OPTIONS.values()} == set(KINDS) - {NewDays}  # which is a whole document


def test_lengths_on_the_minute_grid_are_text_and_a_number_is_days() -> None:
    found = hours()
    assert found.grid.per_day == MINUTES
    assert written(Duration("a", 1_530), found.grid) == {"edit": "duration", "task": "a", "duration": "25h 30m"}
    per_day = found.calendars[None].per_day
    assert read({"edit": "duration", "task": "a", "duration": 2}, found) == Duration("a", 2 * per_day)
    assert read({"edit": "duration", "task": "a", "duration": "1d 30m"}, found) == Duration("a", per_day + 30)


@pytest.mark.parametrize(
    "document, place, words",
    [
        ("move", "[0]", "an edit is written as"),
        ({"task": "a"}, "[0].edit", "says which edit it is"),
        ({"edit": "mvoe"}, "[0].edit", 'no edit "mvoe"; did you mean "move"?'),
        ({"edit": "move", "task": "a"}, "[0].start", "is missing"),
        ({"edit": "move", "task": "a", "start": "31 Feb"}, "[0].start", "is no date"),
        ({"edit": "move", "task": "a", "start": 7}, "[0].start", "is no date"),
        ({"edit": "move", "task": "a", "start": "2026-06-05", "begin": 1}, "[0].begin", "has no such key"),
        ({"edit": "duration", "task": "a", "duration": "3h"}, "[0].duration", "no whole number of days"),
        ({"edit": "duration", "task": "a", "duration": True}, "[0].duration", "no length of time"),
        ({"edit": "link", "from": "a", "to": "b", "type": "XX"}, "[0].type", '"XX" is none of FS, SS, FF, SF'),
        ({"edit": "shift", "by": "three"}, "[0].by", "no whole number"),
        ({"edit": "drop", "task": "a", "why": "x" * 2001}, "[0].why", "longer than 2000"),
    ],
)
def test_a_fault_is_said_with_its_place(document: Any, place: str, words: str) -> None:
    with pytest.raises(DocumentError) as caught:
        read_all([document], row())
    (fault,) = caught.value.faults
    assert fault.path == place and words in fault.message
