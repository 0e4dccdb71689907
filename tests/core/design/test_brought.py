"""Tables as people have them: titles above, phases between, indents, dates, numbers of their own, and typing errors."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import step, template
from unisequa.core.design.brought import BroughtFault, Wishes, look_at
from unisequa.core.design.fields.entries import field_text
from unisequa.core.design.rows import Place, in_phases, rows
from unisequa.core.documents.checks import faults_in, may_wait

MESSY = [
    ["Autumn fair, plan of last year"],
    ["copied 3 Sept", "", "", ""],
    [],
    ["No.", "Task name", "Owner", "Due date", "Duration", "Predecessor(s)", "Notes"],
    ["", "PREPARATION", "", "", "", "", ""],
    ["1", "Book the hall", "Office", "T-40", "2 days", "", "call twice"],
    ["2", "Ask the printer, again", "Press officer", "12.03.2027", "1", "1", ""],
    ["3", "Proofs", "Press officer", "15.3.", "1.0", "2FS+2 days", ""],
    ["", "", "", "", "", "", ""],
    ["", "The day:", "", "", "", "", ""],
    ["No.", "Task name", "Owner", "Due date", "Duration", "Predecessor(s)", "Notes"],
    ["4", "Open the doors", "Hosts", "D+0", "0", "2; 3 + 1 wd", ""],
    ["5", "Sweep", "Hosts", "soon", "many", "9", ""],
    ["6", "x" * 201, "Hosts", "", "", "4", ""],
]
GO = [{"key": "go", "label": "Fair day"}]
DAY = dt.date(2027, 3, 19)


def test_a_messy_table_is_read_as_it_is_meant_and_all_that_is_wrong_is_told_at_once() -> None:
    seen = look_at(template([], anchors=GO), MESSY, Wishes())
    assert [row.kind for row in seen.rows] == [
        "out", "out", "out", "out", "phase", "0", "0", "0", "out", "phase", "out", "0", "0", "0",
    ]  # fmt: skip
    assert (seen.rows[0].why, seen.rows[10].why) == ("above the names of the columns", "the names again")
    assert seen.columns == ("number", "title", "role", "when", "duration", "follows", "instructions")
    assert seen.new_roles == ("Office", "Press officer", "Hosts") and seen.new_phases == ("PREPARATION", "The day")
    assert [(fault.row, fault.column) for fault in seen.faults] == [(-1, 0), (12, 3), (12, 4), (12, 5), (13, 1)]
    assert seen.faults[0].message == "there are dates; say which day Fair day was"
    assert seen.template.steps == ()


def test_mended_in_place_it_makes_the_template_that_is_meant() -> None:
    mended = {(12, 3): "D+1", (12, 4): "2", (12, 5): "4", (13, 1): "Thank the hosts"}
    seen = look_at(template([], anchors=GO), MESSY, Wishes(day=DAY, mended=mended))
    assert seen.faults == ()
    made = seen.template
    shown = [
        (s.title, s.phase, field_text(made, s, "when"), s.duration, field_text(made, s, "follows")) for s in made.steps
    ]
    assert shown == [
        ("Book the hall", "preparation", "-40 wd", 2, ""),
        ("Ask the printer, again", "preparation", "-5 wd", 1, "Book the hall"),
        ("Proofs", "preparation", "-4 wd", 1, '"Ask the printer, again" +2 d'),
        ("Open the doors", "the-day", "0 wd", 0, '"Ask the printer, again", Proofs +1 wd'),
        ("Sweep", "the-day", "+1 wd", 2, "Open the doors"),
        ("Thank the hosts", "the-day", "", None, "Open the doors"),
    ]
    assert seen.rows[7].readings == {3: "-4 wd"}


def test_what_is_proposed_is_chosen_otherwise_row_by_row_and_column_by_column() -> None:
    cells = [["What", "Who", "Left"], ["Pack", "Ada", "3"], ["Crates", "", ""], ["Ship", "Bo", "4"], ["Sign", "Bo", ""]]
    assert [row.kind for row in look_at(template([]), cells, Wishes()).rows] == ["out", "0", "phase", "0", "0"]
    wishes = Wishes(columns={1: "", 2: "duration"}, kinds={2: "1", 4: "out"})
    seen = look_at(template([]), cells, wishes)
    assert [(s.key, s.parent, s.role, s.duration) for s in seen.template.steps] == [
        ("pack", None, None, 3), ("crates", "pack", None, None), ("ship", None, None, 4),
    ]  # fmt: skip
    assert look_at(template([]), cells, Wishes(head=-1)).columns == ("title", "role", "when")
    assert "no column holds the titles" in look_at(template([]), cells, Wishes(columns={0: ""})).faults[0].message


@pytest.mark.parametrize(
    "cells, levels",
    [
        ([["Task", "Who"], ["* Pack", "A"], ["  - Crates", "A"], ["    Nails", "A"], ["Ship", "B"]], "0120"),
        (
            [["WBS", "Task", "Who"], ["1", "Pack", "A"], ["1.1", "Crates", "A"], ["1.1.1", "Nails", "A"],
             ["2", "Ship", ""]],
            "0120",
        ),
        ([["1", "Go", ""], ["1.1", "Pack", "A"], ["1.1.1", "Crates", "B"], ["2", "Away", ""],
          ["2.1", "Ship", "B"]], "p01p0"),
    ],
)  # fmt: skip
def test_indents_and_numbers_with_dots_are_levels(cells: list[list[str]], levels: str) -> None:
    seen = look_at(template([]), cells, Wishes())
    assert "".join(row.kind[0] for row in seen.rows if row.kind != "out") == levels
    assert {step.title for step in seen.template.steps} <= {"Pack", "Crates", "Nails", "Ship"}


def test_without_names_columns_are_known_by_what_stands_in_them() -> None:
    cells = [
        ["1", "Ask the lender for a list", "Registrar", "12.3.2027"],
        ["2", "Crates built", "Technician", "15.3.2027"],
        ["3", "Objects packed and sealed", "Technician", "16.3.2027"],
        ["4", "Sent", "Registrar", "17.3.2027"],
    ]
    assert look_at(template([]), cells, Wishes()).columns == ("number", "title", "role", "when")


def test_a_first_and_a_last_day_say_how_long_a_step_lasts() -> None:
    cells = [["Task", "Start", "Finish"], ["Pack", "15 mar", "17 mar 2027"], ["Ship", "18/3/2027", ""]]
    made = look_at(template([], anchors=GO), cells, Wishes(day=DAY)).template
    assert [(field_text(made, s, "when"), s.duration) for s in made.steps] == [("-2 wd", 3), ("start -1 wd", None)]


def test_dates_are_of_the_year_in_which_they_lie_nearest_to_the_anchor() -> None:
    cells = [["Task", "Due"], ["Late autumn", "30 nov"], ["Early summer", "7 jun"], ["A Saturday", "20.3."]]
    seen = look_at(template([], anchors=GO), cells, Wishes(day=DAY))
    assert [row.readings[1] for row in seen.rows[1:]] == ["-79 wd", "+56 wd", "+1 d"]


def test_pasted_beside_others_steps_keep_to_their_place_and_may_follow_what_is_there() -> None:
    there = template(
        [step("a", title="Alpha", phase="one"), step("b", title="Beta", phase="one")],
        phases=[{"key": "one", "label": "One"}],
    )
    seen = look_at(
        there, [["Pack", "Crew"], ["Ship", "Crew", "", "", "Alpha, Packk +1 wd"]], Wishes(), Place("a", "one")
    )
    assert seen.faults == () and seen.keys == ("pack", "ship") and seen.new_roles == ("Crew",)
    assert [s.key for s in in_phases(seen.template)] == ["a", "pack", "ship", "b"]
    assert [(k.from_, k.to, k.lag) for k in seen.template.links] == [("a", "ship", 0), ("pack", "ship", 1)]
    again = look_at(seen.template, [["Two:"], ["Pack", "Crew"]], Wishes(), Place("a", "one"))
    assert [(row.step.key, row.phase) for row in rows(again.template)][-1] == ("pack-2", "two")


CELLS = st.lists(st.lists(st.sampled_from(
    ["", "Pack", "  Ship", "1", "1.1", "12.3.", "T-5", "soon", "Task", "Due", "Follows", "No.", "2; 1", "Pack:",
     "x" * 201, "\x00"]
), max_size=5), max_size=8)  # fmt: skip


@given(CELLS, st.booleans(), st.none() | st.dates())
def test_any_table_is_read_or_told_what_is_wrong_and_what_it_makes_is_a_template(
    cells: list[list[str]], beside: bool, day: dt.date | None
) -> None:
    there = template([step("a"), step("pack")], anchors=GO)
    seen = look_at(there, cells, Wishes(day=day), Place("a") if beside else None)
    assert len(seen.rows) == len(cells)
    if seen.faults:
        assert seen.template == there
        assert all(-1 <= fault.row < len(cells) and isinstance(fault, BroughtFault) for fault in seen.faults)
    else:
        assert [fault for fault in faults_in(seen.template) if not may_wait(fault)] == []


def test_a_name_that_looks_like_another_may_be_taken_for_it() -> None:
    rows = [["Task", "Owner"], ["Hang", "Technician"], ["Light", "Technican"], ["Move", "technician"], ["A", "Hall 1"],
            ["B", "Hall 2"]]  # fmt: skip
    seen = look_at(template([]), rows, Wishes())
    assert seen.new_roles == ("Technician", "Technican", "Hall 1", "Hall 2")
    assert seen.alike == (("Technican", "Technician"),)
    seen = look_at(template([]), rows, Wishes(same={"Technican": "Technician"}))
    assert (seen.new_roles, seen.alike) == (("Technician", "Hall 1", "Hall 2"), ())


def test_a_circle_is_told_at_each_of_the_cells_that_close_it() -> None:
    rows = [["No.", "Task", "Predecessors"], ["1", "Book", "3"], ["2", "Pack", "1"], ["3", "Send", "2"]]
    told = [(f.row, f.column, f.message) for f in look_at(template([]), rows, Wishes()).faults]
    words = "run in a circle: Book → Pack → Send → Book; take one of these links out"
    assert told == [(1, 2, words), (2, 2, words), (3, 2, words)]
    assert look_at(template([]), rows, Wishes(mended={(1, 2): ""})).faults == ()
    rows[2][1] = "  Pack"
    seen = look_at(template([]), [row if i != 1 else ["1", "Book", ""] for i, row in enumerate(rows)], Wishes())
    assert [(f.row, f.message) for f in seen.faults] == [
        (2, "it is part of Book; empty this, or make the row a step of its own")
    ]


def made(*rows: list[str]) -> dict[str, tuple[object, ...]]:
    seen = look_at(template([], anchors=GO), list(rows), Wishes())
    assert seen.faults == ()
    links = [(k.from_, k.to) for k in seen.template.links]
    return {
        s.key: (s.phase, s.role, s.when and (s.when.offset, s.when.unit), [a for a, b in links if b == s.key])
        for s in seen.template.steps
    }


def test_habits_of_tables_are_understood() -> None:
    """Numbers of rows beside outline numbers, cells merged down, boxes to tick, a deadline that is when it is due."""
    assert made(
        ["WBS", "Task Name", "Predecessors", "Resource Names"],
        ["1", "Prep", "", ""], ["1.1", "Order", "", "Registrar"], ["1.2", "Pack", "2 (FS)", ""], ["2", "Open", "1", ""],
    ) == {
        "prep": (None, None, None, []), "order": (None, "registrar", None, []),
        "pack": (None, None, None, ["order"]), "open": (None, None, None, ["prep"]),
    }  # fmt: skip
    assert made(
        ["Phase", "Activity", "Deadline", "Owner"],
        ["Cut-off", "[x] Count the till", "WD1", "A"], ["", "☐ Bank", "bd+2", "B"],
        ["Review", "Sign", "on the day", "C"],
    ) == {
        "count-the-till": ("cut-off", "a", (1, "working days"), []), "bank": ("cut-off", "b", (2, "working days"), []),
        "sign": ("review", "c", (0, "working days"), []),
    }  # fmt: skip
    again = made(["Key", "Phase", "Step"], ["x", "One", "X"], ["y", "", "Y"], ["z", "Two", "Z"])
    assert [phase for phase, *_ in again.values()] == [None, "one", "two"]  # what was written here is as it says
