"""The geometry of the sheet: from dates to places in pixels."""

from __future__ import annotations

import datetime as dt
from itertools import pairwise

import pytest

from tests.plans import day, plan, step
from unisequa.actions.runs.seeing import RunSeen
from unisequa.actions.runs.shifts import consider
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.template import Phase, Template
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import Edit, Move
from unisequa.web.drawing.marks import arrows
from unisequa.web.drawing.scale import ROW, Scale, date_scale, days_off, head_of, plumbs
from unisequa.web.run.sheet import PhaseLine, RunSheet, TaskLine, run_sheet

MONDAY = day("2026-06-01")


def sheet(found: Plan, *edits: Edit) -> RunSheet:
    """The sheet of a run that stands as a plan says, with a shift considered."""
    phases = (Phase(key="p", label="P"), Phase(key="empty", label="Empty"))
    run = RunSeen(
        1, "Run", "", "live", 1, "Ada", 1, 1, "Job", Template(name="Job", phases=phases), found, {}, (), {}, None,
        may_change=True, may_edit_template=False,
    )  # fmt: skip
    return run_sheet(consider(run, edits), "day")


def lines(drawn: RunSheet) -> dict[str, TaskLine]:
    return {line.key: line for line in drawn.lines if isinstance(line, TaskLine)}


def test_a_field_begins_on_a_monday_and_ends_on_a_sunday_around_all_its_days() -> None:
    scale = date_scale([day("2026-06-10"), day("2026-06-24")], "day")
    assert (scale.first % 7, scale.days % 7) == (MONDAY % 7, 0)
    assert scale.first <= day("2026-06-03") and scale.first + scale.days > day("2026-07-01")
    assert scale.x(scale.first + 2) == 2 * scale.px


def test_the_head_numbers_every_day_and_no_two_months_run_into_each_other() -> None:
    head = head_of(Scale(MONDAY, 70, 24), WorkingCalendar())
    assert [tick.text for tick in head.days[:7]] == ["1", "2", "3", "4", "5", "6", "7"]
    assert [tick.off for tick in head.days[:7]] == [False] * 5 + [True] * 2
    assert "".join(tick.text for tick in head.letters[:7]) == "MTWTFSS"
    assert {"June 2026", "July 2026", "August 2026"} <= {tick.text for tick in head.months}
    places = [tick.x for tick in head.months]
    assert all(b - a >= 96 for a, b in pairwise(places))


def test_days_off_run_together_and_a_named_one_stands_alone() -> None:
    closed = WorkingCalendar(closures={day("2026-06-05"): "House closed"})
    stripes = days_off(Scale(MONDAY, 14, 10), closed)
    assert [(s.x, s.width, s.name) for s in stripes] == [(40, 10, "House closed"), (50, 20, ""), (120, 20, "")]


def test_words_in_the_head_never_overlap_and_an_anchor_gets_room_before_a_label() -> None:
    drawn = plumbs([("anchor", 200.0, "Opening night"), ("label", 205.0, "Doors open"), ("label", 900.0, "out")], 400)
    assert [(p.text, p.full) for p in drawn] == [("Opening night", "Opening night"), ("", "Doors open")]
    apart = plumbs([("anchor", 200.0, "Opening night"), ("label", 180.0, "Press view")], 400)
    assert [(p.text, p.anchor_end) for p in apart] == [("Opening night", False), ("Press view", True)]


def test_a_bar_covers_its_days_and_a_milestone_stands_in_the_middle_of_its_own() -> None:
    drawn = sheet(
        plan([step("a", 3, 0, phase="p"), step("m", 0, phase="p")], "a>m", phases=[{"key": "p", "label": "P"}])
    )
    a, m = lines(drawn)["a"].mark, lines(drawn)["m"].mark
    assert a and m
    assert (a.x, a.width) == (drawn.scale.x(MONDAY), 3 * 24)
    assert m.x == drawn.scale.x(day("2026-06-03") + 0.5)
    phases = [line for line in drawn.lines if isinstance(line, PhaseLine)]
    assert [(p.label, p.of) for p in phases] == [("P", 2)]  # an empty phase takes no row
    assert [line.y for line in drawn.lines] == [0, ROW, 2 * ROW]


def test_slack_reaches_to_the_latest_finish_and_what_is_critical_has_none() -> None:
    drawn = sheet(plan([step("long", 5, 0), step("short", 2, 0)]))
    short, long = lines(drawn)["short"], lines(drawn)["long"]
    assert short.mark and short.mark.slack_to == drawn.scale.x(day("2026-06-06"))
    assert (short.slack, long.slack) == ("3 d", "critical")
    assert long.mark and long.mark.critical and long.mark.slack_to is None


def test_what_is_late_says_by_how_many_working_days() -> None:
    found = plan([step("a", 2, 0), step("b", 1, 4), step("c", 1, 5)], today=dt.date(2026, 6, 8))
    assert [line.late for line in lines(sheet(found)).values()] == [3, 1, 0]


def test_a_shift_leaves_ghosts_where_the_bars_stood_and_only_there() -> None:
    found = plan([step("a", 2, 0), step("b"), step("aside", 1, 0)], "a>b")
    drawn = sheet(found, Move("a", day("2026-06-03")))
    marks = {key: line.mark for key, line in lines(drawn).items()}
    assert marks["a"] and marks["b"] and marks["aside"]
    assert marks["a"].ghost == (drawn.scale.x(MONDAY), 48) and marks["a"].x == drawn.scale.x(day("2026-06-03"))
    assert marks["b"].ghost == (drawn.scale.x(day("2026-06-03")), 24)
    assert marks["aside"].ghost is None
    assert [(line.edited, line.moved) for line in lines(drawn).values()] == [
        (True, True),
        (False, True),
        (False, False),
    ]


@pytest.mark.parametrize("kind, begins, ends", [("FS", 50, 100), ("SS", 10, 100), ("FF", 50, 140), ("SF", 10, 140)])
def test_a_link_leaves_the_end_it_binds_and_enters_the_end_it_bounds(kind: str, begins: int, ends: int) -> None:
    (arrow,) = arrows([("p", "s", kind)], {"p": (10, 50, 0), "s": (100, 140, ROW)})
    assert arrow.path.startswith(f"M{begins} {ROW // 2}")
    tip = float(arrow.tip[1:].split()[0])
    assert abs(tip - ends) <= 8
