"""Each edit of a shift by itself: what it does, what follows, and what it runs into."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

import pytest

from tests.plans import GO, dates, day, plan, step, template
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.errors import ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import (
    AddLink,
    Begun,
    CatchUp,
    Close,
    Done,
    Drop,
    Duration,
    Edit,
    Fix,
    Free,
    Give,
    Move,
    MoveAnchor,
    MoveRun,
    NewDays,
    NotDone,
    Remaining,
    RemoveLink,
    Reopen,
)
from unisequa.core.shift.result import MODES


def row(today: dt.date | None = None, **more: Any) -> Plan:
    """Three tasks one behind the other, with a gap of two days before the last, and one aside."""
    steps = [step("a", 2, 0), step("b", 1), step("c", 2, 5), step("aside", 1, 1)]
    return plan(steps, "a>b", "b>c", today=today, **more)


def after(found: Plan, *made: Edit, mode: Any = "push") -> dict[str, Any]:
    return dates(cascade(found, made, mode).after())


def kinds(found: Plan, *made: Edit) -> list[str]:
    return [conflict.kind for conflict in cascade(found, made).conflicts]


def test_done_early_frees_what_follows_only_where_asked_to() -> None:
    made = Done("a", day("2026-06-01"))
    assert after(row(), made)["a"] == ("2026-06-01", "2026-06-01")
    assert after(row(), made)["b"] == ("2026-06-03", "2026-06-03")
    assert after(row(), made, mode="tighten")["b"] == ("2026-06-02", "2026-06-02")
    assert after(row(), made, mode="carry")["b"] == ("2026-06-02", "2026-06-02")


def test_done_late_pushes_and_the_done_task_then_stays_where_it_was_done() -> None:
    late = cascade(row(), [Done("a", day("2026-06-06"))]).after()  # a Saturday
    assert dates(late)["a"] == ("2026-06-01", "2026-06-06")
    assert dates(late)["b"] == ("2026-06-08", "2026-06-08")
    assert [t.state for t in late.tasks] == ["done", "waiting", "waiting", "waiting"]
    with pytest.raises(ShiftError, match="A is done and never moves"):
        cascade(late, [Move("a", day("2026-06-08"))])
    assert dates(cascade(late, [NotDone("a"), Move("a", day("2026-06-08"))]).after())["a"][0] == "2026-06-08"


def test_a_task_under_way_keeps_its_start_and_ends_by_its_duration_or_what_remains() -> None:
    begun = cascade(row(today=dt.date(2026, 6, 4)), [Begun("a", day("2026-06-03"))]).after()
    assert dates(begun)["a"] == ("2026-06-03", "2026-06-04")
    left = cascade(begun, [Remaining("a", 3)]).after()
    assert dates(left)["a"] == ("2026-06-03", "2026-06-08") and dates(left)["b"][0] == "2026-06-09"


def test_what_somebody_put_before_its_limit_is_not_put_back_by_a_push() -> None:
    limit = {"anchor": "go", "offset": 7, "unit": "days"}
    found = plan([step("a", 1, 0), step("b", 1, not_before=limit), step("c", 1, not_before=limit)], "a>b", "b>c")
    assert dates(found)["b"] == ("2026-06-08", "2026-06-08")
    early = Move("b", day("2026-06-04"))
    assert kinds(found, early) == ["not before"]
    by_hand = cascade(found, [early]).after()
    assert after(by_hand, Duration("a", 2))["b"] == ("2026-06-04", "2026-06-04")
    assert after(by_hand, Duration("a", 2), mode="tighten")["b"] == ("2026-06-08", "2026-06-08")
    assert after(found, Duration("a", 2), mode="carry")["c"] == ("2026-06-10", "2026-06-10")


def test_begun_and_done_told_together_are_both_kept() -> None:
    both = cascade(row(), [Done("a", day("2026-06-05")), Begun("a", day("2026-06-03"))]).after()
    assert dates(both)["a"] == ("2026-06-03", "2026-06-05") and both.tasks[0].state == "done"


def test_catching_up_leaves_nothing_unfinished_before_that_day() -> None:
    begun = cascade(row(), [Begun("a", day("2026-06-01"))]).after()
    found = after(begun, CatchUp(day("2026-06-10")))
    assert found["a"] == ("2026-06-01", "2026-06-10")
    assert found["b"] == ("2026-06-11", "2026-06-11")
    assert found["aside"] == ("2026-06-10", "2026-06-10")


def test_a_dropped_task_is_passed_by_and_no_longer_counts_for_the_end() -> None:
    dropped = cascade(row(), [Drop("b")]).after()
    assert [link.source for link in dropped.network.incoming[2]] == [0]
    assert dates(cascade(dropped, [Duration("a", 7)]).after())["c"][0] == "2026-06-10"
    assert dates(cascade(row(), [Drop("c")]).after())["c"] == ("2026-06-08", "2026-06-09")
    assert cascade(row(), [Drop("c")]).finish[1] == day("2026-06-04")


def test_a_fixed_date_never_moves_and_says_what_it_breaks() -> None:
    found = cascade(row(), [Fix("b", day("2026-06-03"))]).after()
    result = cascade(found, [Duration("a", 4)])
    assert dates(result.after())["b"] == ("2026-06-03", "2026-06-03")
    assert [c.text for c in result.conflicts] == [
        "B is fixed on Wed 3 Jun, but A, which it follows, would end Thu 4 Jun"
    ]
    assert kinds(found, MoveAnchor("go", day("2026-06-08")))[0] == "fixed"
    assert kinds(found, Close(day("2026-06-03"), day("2026-06-03"))) == ["day off"]
    assert dates(cascade(found, [Free("b"), Duration("a", 4)]).after())["b"] == ("2026-06-05", "2026-06-05")
    assert found.schedule.total_slack[0] == 0  # what it follows has no room before it, though the end is far


def test_an_anchor_moves_what_is_measured_from_it_by_as_much_as_its_target() -> None:
    by_hand = cascade(row(), [Move("c", day("2026-06-10"))]).after()  # two days behind its target
    moved = MoveAnchor("go", day("2026-06-08"))
    assert after(by_hand, moved)["c"] == ("2026-06-17", "2026-06-18")
    back = MoveAnchor("go", day("2026-06-08"), keep="offsets")
    assert after(by_hand, back)["c"] == ("2026-06-15", "2026-06-16")
    assert after(row(), MoveRun(5)) == after(row(), moved) == after(row(), MoveRun(to=day("2026-06-08")))


def test_a_task_made_longer_keeps_its_day_to_be_due_on_and_moves_with_its_anchor_by_as_much_as_that_does() -> None:
    due = {"anchor": "go", "offset": 6}
    longer = cascade(plan([step("a", 2, when=due), step("b", 2, 6)], "a>b"), [Duration("a", 4)]).after()
    assert dates(longer) == {"a": ("2026-06-08", "2026-06-11"), "b": ("2026-06-12", "2026-06-15")}
    assert (longer.target_days(0), longer.drift(0)) == ((day("2026-06-04"), day("2026-06-09")), 2)
    later = cascade(longer, [MoveAnchor("go", day("2026-06-02"))]).after()
    assert dates(later) == {"a": ("2026-06-09", "2026-06-12"), "b": ("2026-06-15", "2026-06-16")}
    assert dates(cascade(later, [MoveAnchor("go", day("2026-06-01"))]).after()) == dates(longer)
    closed = cascade(longer, [Close(day("2026-06-25"), day("2026-06-25"))]).after()  # far behind: nothing of theirs
    for one in (longer, closed):
        assert after(one, RemoveLink("a", "b"), mode="tighten")["b"] == ("2026-06-09", "2026-06-10")
        assert after(one, MoveAnchor("go", day("2026-06-01"), keep="offsets"))["a"] == ("2026-06-04", "2026-06-09")


def test_a_task_under_way_that_lasts_longer_for_its_anchors_sake_is_on_its_date_there_and_when_that_comes_back() -> (
    None
):
    begun = cascade(plan([step("a", 3, 0), step("b", 2)], "a>b"), [Begun("a", day("2026-06-01"))]).after()
    begun = cascade(begun, [Close(day("2026-06-02"), day("2026-06-02"))]).after()
    assert (dates(begun)["a"], begun.drift(0)) == (("2026-06-01", "2026-06-04"), 0)
    later = cascade(begun, [MoveAnchor("go", day("2026-06-03"))]).after()
    assert (dates(later)["a"], later.target_days(0)) == (
        ("2026-06-01", "2026-06-05"), (day("2026-06-03"), day("2026-06-05")),
    )  # fmt: skip
    assert later.drift(0) == 0
    assert after(later, MoveAnchor("go", day("2026-06-01")))["a"] == ("2026-06-01", "2026-06-04")


def test_what_follows_a_task_under_way_moves_with_the_run_though_that_can_end_no_earlier() -> None:
    begun = cascade(plan([step("a", 3, 0), step("b", 2)], "a>b"), [Begun("a", day("2026-06-01"))]).after()
    result = cascade(begun, [MoveRun(-4)])
    assert dates(result.after()) == {"a": ("2026-06-01", "2026-06-01"), "b": ("2026-05-29", "2026-06-01")}
    assert [conflict.kind for conflict in result.conflicts] == ["anchor", "link"]
    assert after(result.after(), MoveRun(4))["b"] == dates(begun)["b"]


def test_what_was_undated_gets_its_dates_when_its_anchor_does() -> None:
    anchors = [{"key": "go", "label": "Go"}, {"key": "board", "label": "Board", "required": False},
               {"key": "papers", "label": "Papers", "from": {"anchor": "board", "offset": -2}}]  # fmt: skip
    steps = [step("a", 1, 0), {"key": "send", "title": "Send", "when": {"anchor": "papers"}}, step("file")]
    found = plan(steps, "send>file", anchors=anchors)
    assert dates(found)["file"] is None
    known = after(found, MoveAnchor("board", day("2026-06-12")))
    assert (known["send"], known["file"]) == (("2026-06-10",) * 2, ("2026-06-11",) * 2)
    with pytest.raises(ShiftError, match="Papers is measured from Board; move that one"):
        cascade(found, [MoveAnchor("papers", day("2026-06-12"))])


def test_a_closure_moves_what_stands_on_it_and_reopening_gives_the_day_back() -> None:
    closed = cascade(row(), [Close(day("2026-06-02"), day("2026-06-03"), "Flood")]).after()
    assert dates(closed)["a"] == ("2026-06-01", "2026-06-04")
    assert dates(closed)["aside"] == ("2026-06-04", "2026-06-04")
    assert closed.calendars[None].name_of(day("2026-06-02")) == "Flood"
    assert after(closed, Reopen(day("2026-06-02"), day("2026-06-03")))["a"] == ("2026-06-01", "2026-06-02")


def test_a_calendar_made_anew_does_what_closing_and_reopening_its_days_does() -> None:
    steps = [step("a", 2, 0), step("b", 3), step("c", 1, 9), step("d", 0)]
    row = plan(steps, "a>b", "b>c", "c>d", calendar={"closures": ["2026-06-11"]})
    edits = [Close(day("2026-06-02"), day("2026-06-03")), Reopen(day("2026-06-11"), day("2026-06-11"))]
    for mode in MODES:
        as_days = cascade(row, edits, mode)
        anew = NewDays(as_days.after().calendars.documents[0])
        as_calendar = cascade(row, [anew], mode)
        assert as_calendar.changes == as_days.changes and as_calendar.conflicts == as_days.conflicts
    with pytest.raises(ShiftError, match='no calendar "d"'):
        cascade(row, [NewDays(CalendarDocument(name="d"))])


def test_links_are_added_and_removed_and_a_circle_is_shown() -> None:
    assert after(row(), AddLink("c", "aside", "FF", 1))["aside"] == ("2026-06-10", "2026-06-10")
    assert after(row(), RemoveLink("a", "b"), mode="tighten")["b"] == ("2026-06-01", "2026-06-01")
    with pytest.raises(ShiftError, match="wait for each other in a circle: "):
        cascade(row(), [AddLink("c", "a")])
    with pytest.raises(ShiftError, match="C does not follow A, so there is no link to take out"):
        cascade(row(), [RemoveLink("a", "c")])


def test_leave_and_the_runs_deadline_are_conflicts_of_the_shift_that_meets_them() -> None:
    found = replace(
        row(), end=day("2026-06-11"), crew={"r": "Maud"}, away={"r": ((day("2026-06-10"), day("2026-06-12")),)}
    )
    found = replace(found, tasks=tuple(replace(task, role="r") for task in found.tasks))
    assert kinds(found, Move("c", day("2026-06-09"))) == ["leave"]
    assert kinds(found, Duration("c", 1)) == []  # over before the leave
    assert kinds(found, Move("c", day("2026-06-15"))) == ["deadline"]  # and begun behind it
    texts = [c.text for c in cascade(found, [Move("c", day("2026-06-11"))]).conflicts]
    assert texts == [
        "The run would end Fri 12 Jun, after its deadline Wed 10 Jun",
        "C would fall on Thu 11 Jun, when Maud is away",
    ]


def test_a_parent_is_moved_with_all_its_sub_steps_and_done_with_them() -> None:
    steps = [step("p"), step("x", 1, 0, parent="p"), step("y", 2, 1, parent="p"), step("z")]
    found = plan(steps, "p>z")
    result = cascade(found, [Move("p", day("2026-06-03"))])
    assert dates(result.after()) == {
        "p": ("2026-06-03", "2026-06-05"), "x": ("2026-06-03",) * 2, "y": ("2026-06-04", "2026-06-05"),
        "z": ("2026-06-08",) * 2,
    }  # fmt: skip
    assert {c.key: c.via for c in result.changes} == {"x": None, "y": None, "p": "y", "z": "p"}
    done = cascade(found, [Done("p", day("2026-06-02"))]).after()
    assert [task.state for task in done.tasks] == ["waiting", "done", "done", "waiting"]
    with pytest.raises(ShiftError, match="P spans its sub-steps"):
        cascade(found, [Duration("p", 3)])


def test_what_moves_says_with_what_it_moves() -> None:
    result = cascade(row(), [MoveAnchor("go", day("2026-06-08"))])
    said = {change.key: result.reason(change) for change in result.changes}
    assert said["a"] == said["aside"] == "moves with Go"
    links_only = plan([step("a", 1, 0), step("b")], "a>b")
    moved = cascade(links_only, [MoveRun(2)])
    assert {c.key: moved.reason(c) for c in moved.changes} == {"a": "moves with the run", "b": "moves with the run"}
    pushed = cascade(links_only, [Duration("a", 3)])
    assert [pushed.reason(c) for c in pushed.changes] == ["now takes 3 d, set by you", "after A (ends Wed 3 Jun)"]


def test_a_plan_that_is_all_undated_gets_all_its_dates_from_its_anchor() -> None:
    anchors = [{"key": "go", "label": "Go", "required": False}]
    found = assemble(template([step("a", 1, 0), step("b")], "a>b", anchors=anchors), Occasion(anchors={}))
    assert dates(found) == {"a": None, "b": None} and (found.span(), found.reach()) == (None, None)
    assert list(found.schedule.total_slack) == [None, None] and not any(found.schedule.critical)
    known = cascade(found, [MoveAnchor("go", day("2026-06-05"))])
    assert dates(known.after()) == {"a": ("2026-06-05",) * 2, "b": ("2026-06-08",) * 2}
    assert [(c.before, c.delta) for c in known.changes] == [(None, 0)] * 2 and known.finish[0] == UNDATED


def test_not_before_holds_what_follows_but_not_what_somebody_put() -> None:
    limit = {"anchor": "go", "offset": 7, "unit": "days"}
    found = plan([step("a", 1, 0), step("b", 1, not_before=limit)], "a>b")
    for mode in ("push", "carry", "tighten"):
        both = cascade(found, [Move("b", day("2026-06-03")), Duration("a", 2)], mode).after()
        assert dates(both)["b"] == ("2026-06-03", "2026-06-03"), mode
    fixed = cascade(found, [Fix("b", day("2026-06-02"))])
    assert dates(fixed.after())["b"] == ("2026-06-02", "2026-06-02")


def test_what_a_shift_breaks_is_told_once_and_only_if_it_broke_it() -> None:
    fixed = cascade(row(), [Fix("b", day("2026-06-03"))]).after()
    broken = cascade(fixed, [Duration("a", 4)])
    assert [c.kind for c in broken.conflicts].count("fixed") == 1
    assert kinds(broken.after(), Duration("a", 5)) == []  # it was broken before
    assert kinds(fixed, Close(day("2026-06-04"), day("2026-06-04"))) == []  # another day than that of the fixed one


def test_what_a_push_cannot_give_is_told_with_its_earliest_date() -> None:
    result = cascade(row(), [Move("b", day("2026-06-01"))])
    assert [c.text for c in result.conflicts] == ["B cannot start Mon 1 Jun: it follows A; Wed 3 Jun is the earliest"]


def test_a_parent_not_done_after_all_opens_its_sub_steps_again() -> None:
    found = plan([step("p"), step("x", 1, 0, parent="p"), step("y", 1, parent="p")], "x>y")
    done = cascade(found, [Done("p", day("2026-06-02"))]).after()
    assert {task.key: task.state for task in done.tasks if task.key != "p"} == {"x": "done", "y": "done"}
    again = cascade(done, [NotDone("p")]).after()
    assert {task.state for task in again.tasks if task.key != "p"} == {"waiting"}
    with pytest.raises(ShiftError, match="P has no sub-step that this could be done with"):
        cascade(again, [NotDone("p")])


def test_tightened_what_opens_the_job_stays_and_what_follows_nothing_any_more_opens_it() -> None:
    found = plan([step("a", 1), step("b", 2)], "a>b")
    assert after(found, Duration("a", 2), mode="tighten")["a"] == ("2026-06-01", "2026-06-02")
    late = cascade(found, [Move("b", day("2026-06-10"))]).after()
    assert after(late, RemoveLink("a", "b"), mode="tighten")["b"] == ("2026-06-01", "2026-06-02")


def test_a_deadline_is_missed_from_the_day_after_it() -> None:
    found = plan([step("a", 1, 0), step("b", 1, deadline={"anchor": "go", "offset": 2})], "a>b")
    assert kinds(found, Duration("a", 2)) == []  # B on Wednesday, by when it is due
    assert kinds(found, Duration("a", 3)) == ["deadline"]
    assert kinds(cascade(found, [Duration("a", 3)]).after(), Duration("a", 4)) == []  # it was missed before


def test_what_is_begun_before_what_it_follows_is_told_only_where_the_shift_did_it() -> None:
    begun = cascade(row(), [Begun("b", day("2026-06-02"))])
    assert [c.kind for c in begun.conflicts] == ["before"]
    ended = cascade(row(), [Begun("c", day("2026-06-08")), Duration("b", 9)])
    assert dates(ended.after())["c"][0] == "2026-06-08"


def test_a_task_given_to_another_calendar_keeps_what_is_fixed_or_begun() -> None:
    half = CalendarDocument(name="half", week="1010100")
    whole = CalendarDocument(name="whole")
    occasion = Occasion(anchors={"go": GO}, calendars=(whole, half))
    found = assemble(template([step("a", 2, 0), step("b", 2)], "a>b"), occasion)
    assert after(found, Give("a", "half"))["a"] == ("2026-06-01", "2026-06-03")
    fixed = cascade(found, [Fix("a", day("2026-06-02"))]).after()
    assert after(fixed, Give("a", "half"))["a"] == ("2026-06-02", "2026-06-03")
    begun = cascade(found, [Begun("a", day("2026-06-01"))]).after()
    assert after(begun, Give("a", "half"))["a"] == ("2026-06-01", "2026-06-03")
    with pytest.raises(ShiftError, match='A: no calendar "hlaf"; did you mean "half"'):
        cascade(found, [Give("a", "hlaf")])


def test_a_milestone_is_fixed_on_a_day_off_and_reads_so() -> None:
    for edge in ("start", "finish"):
        when = {"anchor": "go", "offset": 3, "edge": edge}
        found = plan([step("a", 1, 0), {**step("m", 0), "when": when}, step("b")], "a>m", "m>b")
        fixed = after(found, Fix("m", day("2026-06-06")))  # a Saturday
        assert (fixed["m"], fixed["b"]) == (("2026-06-06",) * 2, ("2026-06-08",) * 2), edge
