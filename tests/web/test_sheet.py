"""What a run's sheet says of itself: rows in words, the field in days."""

from __future__ import annotations

import datetime as dt
import json
from typing import Any

from tests.plans import day, plan, step
from unisequa.actions.runs.seeing import RunSeen, TaskSeen
from unisequa.actions.runs.shifts import consider
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.template import DayLabel, Phase, Template
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Done, Drop, Edit, Move
from unisequa.core.work.readiness import readiness
from unisequa.core.work.summary import RunSummary
from unisequa.web.drawing.scale import Field, days_off, field_of
from unisequa.web.run.sheet import FoldLine, PhaseLine, RunSheet, TaskLine, run_sheet

MONDAY = day("2026-06-01")


def sheet(found: Plan, *edits: Edit, labels: tuple[DayLabel, ...] = ()) -> RunSheet:
    """The sheet of a run that stands as a plan says, with a shift considered."""
    phases = (Phase(key="p", label="P"), Phase(key="empty", label="Empty"))
    job = Template(name="Job", phases=phases, day_labels=labels)
    tasks = {
        task.key: TaskSeen(
            key=task.key, title=task.title, phase=task.phase, role=task.role, kind="todo", state=task.state,
            instructions="", links_out=(), effort=None, may_skip=False, sign_off_role=None, sign_off=None,
            may_work=True, may_sign_off=False, signs="", gate="bar", who="", person_id=None, given=False, mine=False,
            of_team=False, in_team=False, checked=frozenset(), own=False, done_at=None,
        )
        for task in found.tasks
    }  # fmt: skip
    run = RunSeen(
        1, "Run", "", "live", 1, "Ada", 1, 1, "Job", job, found, tasks, (), {}, None, may_change=True,
        may_edit_template=False, ready=readiness(found), summary=RunSummary(), baseline=None, deputies=(),
        follow="ask", keeper_id=1, may_state=True, may_comment=False, baselines=(),
        today=dt.date(2026, 6, 3), viewer_id=1,
    )  # fmt: skip
    return run_sheet(consider(run, edits))


def field(drawn: RunSheet) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(drawn.field)
    return found


def marks(drawn: RunSheet) -> dict[str, dict[str, Any]]:
    return {mark["k"]: mark for mark in field(drawn)["marks"]}


def lines(drawn: RunSheet) -> dict[str, TaskLine]:
    return {line.key: line for line in drawn.lines if isinstance(line, TaskLine)}


def test_a_field_begins_on_a_monday_and_ends_on_a_sunday_around_all_its_days() -> None:
    found = field_of([day("2026-06-10"), day("2026-06-24")])
    assert (found.first % 7, found.days % 7) == (MONDAY % 7, 0)
    assert found.first <= day("2026-06-03") and found.first + found.days > day("2026-07-01")
    assert field_of([]).days == 28


def test_days_off_run_together_and_a_named_one_stands_alone() -> None:
    closed = WorkingCalendar(closures={day("2026-06-05"): "House closed"})
    friday = day("2026-06-05")
    assert days_off(Field(MONDAY, 14), closed) == (
        (friday, 1, "House closed"),
        (friday + 1, 2, ""),
        (friday + 8, 2, ""),
    )


def test_a_bar_covers_its_days_and_a_milestone_stands_in_the_middle_of_its_own() -> None:
    drawn = sheet(
        plan([step("a", 3, 0, phase="p"), step("m", 0, phase="p")], "a>m", phases=[{"key": "p", "label": "P"}])
    )
    a, m = marks(drawn)["a"], marks(drawn)["m"]
    assert (a["s"], "ms" in a, a["i"]) == ([MONDAY, MONDAY + 3], False, 1)
    assert (m["s"], m["ms"], m["t"]) == ([MONDAY + 2.5, MONDAY + 2.5], True, "M")
    phases = [line for line in drawn.lines if isinstance(line, PhaseLine)]
    assert [(p.label, p.of) for p in phases] == [("P", 2)]  # an empty phase takes no row
    assert field(drawn)["heads"] == [0] and field(drawn)["links"] == [["a", "m", "FS"]]


def test_anchors_today_and_day_labels_stand_where_they_are_and_in_the_order_they_get_room() -> None:
    labels = (DayLabel(anchor="go", offset=2, label="Books close"), DayLabel(anchor="go", offset=0, label="The day"))
    drawn = sheet(plan([step("a", 3, 0)], today=dt.date(2026, 6, 2)), labels=labels)
    assert field(drawn)["plumbs"] == [
        ["anchor", MONDAY + 0.5, "Go Mon 1 Jun", "go", "Go"],
        ["today", MONDAY + 1.5, "today", "", ""],
        ["label", MONDAY + 2.5, "Books close", "", ""],  # one on an anchor's own day says nothing more
    ]


def test_slack_reaches_to_the_latest_finish_and_what_is_critical_has_none() -> None:
    drawn = sheet(plan([step("long", 5, 0), step("short", 2, 0)]))
    assert "to" not in marks(drawn)["short"]
    assert (lines(drawn)["short"].slack, lines(drawn)["long"].slack) == ("0 d to Go", "critical")
    later = sheet(plan([step("long", 5, 1), step("short", 2, 1)]))
    assert lines(later)["short"].slack == "3 d to the end"
    assert marks(later)["short"]["to"] == day("2026-06-09")
    assert marks(drawn)["long"]["cr"] and "to" not in marks(drawn)["long"]


def test_what_is_late_says_by_how_many_working_days() -> None:
    found = plan([step("a", 2, 0), step("b", 1, 4), step("c", 1, 5)], today=dt.date(2026, 6, 8))
    assert [line.late for line in lines(sheet(found)).values()] == ["3 d", "1 d", ""]


def test_a_shift_leaves_ghosts_where_the_bars_stood_and_only_there() -> None:
    found = plan([step("a", 2, 0), step("b"), step("aside", 1, 0)], "a>b")
    drawn = sheet(found, Move("a", day("2026-06-03")))
    seen = marks(drawn)
    assert (seen["a"]["gh"], seen["a"]["s"][0]) == ([MONDAY, MONDAY + 2], day("2026-06-03"))
    assert seen["b"]["gh"] == [day("2026-06-03"), day("2026-06-04")]
    assert "aside" not in seen and drawn.lines[-1] == FoldLine(1)
    assert [(one.edited, one.moved, one.was, one.would, one.delta, one.number) for one in lines(drawn).values()] == [
        (True, True, "Mon 1 – Tue 2 Jun", "Wed 3 – Thu 4 Jun", "+2 d", 1),
        (False, True, "Wed 3 Jun", "Fri 5 Jun", "+2 d", 0),
    ]


def test_the_line_of_a_phase_says_how_many_of_its_tasks_are_over() -> None:
    steps = [step("a", 1, 0, phase="p"), step("b", 1, phase="p"), step("c", 1, phase="p")]
    begun = cascade(
        plan(steps, "a>b", "b>c", phases=[{"key": "p", "label": "P"}]), [Done("a", MONDAY), Drop("b")]
    ).after()
    phases = [line for line in sheet(begun).lines if isinstance(line, PhaseLine)]
    assert [(p.label, p.done, p.of) for p in phases] == [("P", 2, 3)]
