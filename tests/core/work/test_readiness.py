"""What holds a task back, and from when on it may be begun and finished and is ready: the rules, row by row."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

import pytest

from tests.plans import day, plan, step
from unisequa.core.plan.plan import Plan, replanned
from unisequa.core.plan.task import Awaited
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Begun, Done, Drop
from unisequa.core.work.readiness import holds, readiness

MON, TUE, WED, THU, FRI = (f"2026-06-0{n}" for n in range(1, 6))
NEXT_MON, NEXT_TUE = "2026-06-08", "2026-06-09"


def after(of: Plan, *edits: Any, today: str = MON) -> Plan:
    """The plan with these things done, on a day."""
    found = cascade(of, edits).after() if edits else of
    return replace(found, today=day(today))


def states(of: Plan, **counts_on: int) -> dict[str, str]:
    found = readiness(of, counts_on)
    return {task.key: found.states[i] for i, task in enumerate(of.tasks)}


def two(kind: str, lag: int = 0, unit: str = "working") -> Plan:
    """*p* of two days from Monday 1 June, and *s* behind it by one link."""
    link = {"from": "p", "to": "s", "type": kind, "lag": lag, "unit": unit}
    return plan([step("p", 2, 0), step("s", 2)], links=[link])


NOTHING: tuple[Any, ...] = ()
BEGUN = (Begun("p", day(MON)),)
OVER = (Done("p", day(TUE)),)


@pytest.mark.parametrize(
    "kind, done, begins, finishes",
    [
        ("FS", NOTHING, False, False), ("FS", BEGUN, False, False), ("FS", OVER, True, True),
        ("SS", NOTHING, False, False), ("SS", BEGUN, True, True), ("SS", OVER, True, True),
        ("FF", NOTHING, True, False), ("FF", BEGUN, True, False), ("FF", OVER, True, True),
        ("SF", NOTHING, True, False), ("SF", BEGUN, True, True), ("SF", OVER, True, True),
    ],
)  # fmt: skip
def test_what_a_link_holds_back_goes_by_its_type(kind: str, done: Any, begins: bool, finishes: bool) -> None:
    found = readiness(after(two(kind), *done, today=TUE))
    assert (found.begins[1] is not None, found.finishes[1] is not None) == (begins, finishes)


@pytest.mark.parametrize(
    "lag, unit, done, free",
    [
        (0, "working", FRI, FRI),  # at once
        (1, "working", FRI, NEXT_TUE),
        (2, "elapsed", FRI, NEXT_MON),  # Saturday and Sunday
        (1, "working", MON, WED),  # from where it really was over, not from Tuesday where it was planned
        (-1, "working", None, TUE),  # a lead: that much before the planned end, whatever its state
    ],
)
def test_a_lag_counts_from_where_the_end_really_came_about(lag: int, unit: str, done: str | None, free: str) -> None:
    edits = (Done("p", day(done)),) if done else ()
    found = readiness(after(two("FS", lag, unit), *edits))
    assert found.begins[1] == day(free)


def test_a_task_in_review_is_over_for_its_links_on_the_day_of_the_sign_off() -> None:
    reviewed = after(two("FS", 1), Done("p", day(TUE)), today=FRI)
    p, s = reviewed.tasks
    waits = replace(reviewed, tasks=(replace(p, state="in review"), s))
    assert states(waits)["s"] == "waiting"
    signed = replace(p, signed=day(FRI) + 1)
    standing = {task.key: (reviewed.schedule.start[i], reviewed.schedule.finish[i]) for i, task in enumerate((p, s))}
    assert readiness(replanned(reviewed, standing, tasks=(signed, s))).begins[1] == day(NEXT_TUE)
    assert states(waits, p=day(FRI))["s"] == "waiting"  # by itself on Friday: Monday lies between
    assert states(replace(waits, today=day(NEXT_MON)), p=day(FRI))["s"] == "ready"


def test_what_is_dropped_is_seen_through_with_its_lags() -> None:
    row = plan([step("p", 1, 0), step("m", 1), step("s", 1)], "p>m+1", "m>s+1")
    dropped = after(row, Drop("m"), today=WED)
    assert states(dropped)["s"] == "waiting"
    assert readiness(after(row, Drop("m"), Done("p", day(MON)))).begins[2] == day(THU)


def test_links_from_a_parent_ask_for_all_its_parts_and_those_to_it_hold_for_each() -> None:
    row = plan(
        [
            step("first", 1, 0), step("all", 1), step("one", 1, parent="all"), step("two", 1, parent="all"),
            step("last", 1),
        ],
        "first>all", "all>last",
    )  # fmt: skip
    assert states(after(row)) == {
        "first": "ready",
        "all": "waiting",
        "one": "waiting",
        "two": "waiting",
        "last": "waiting",
    }
    part = after(row, Done("first", day(MON)), Done("one", day(TUE)), today=TUE)
    assert states(part) == {"first": "done", "all": "under way", "one": "done", "two": "ready", "last": "waiting"}
    whole = after(row, Done("first", day(MON)), Done("one", day(TUE)), Done("two", day(TUE)), today=TUE)
    assert states(whole)["all"] == "done" and states(whole)["last"] == "ready"


@pytest.mark.parametrize("of, today, state", [
    (step("s", 1, 2), TUE, "waiting"), (step("s", 1, 2), WED, "ready"),  # nothing holds it: ready on its day
    (step("s", 1, 0), MON, "ready"), (step("s", 1), MON, "ready"),
])  # fmt: skip
def test_what_nothing_holds_back_is_ready_on_its_day(of: Any, today: str, state: str) -> None:
    assert states(after(plan([of]), today=today))["s"] == state


@pytest.mark.parametrize(
    "more, ready",
    [
        ({}, MON),  # free as soon as what it follows is over
        ({"ready": "on its day"}, WED),
        ({"when": {"anchor": "go", "offset": 2, "edge": "start"}}, TUE),  # never before its anchor's day
        ({"when": {"anchor": "go", "offset": -1, "edge": "start"}}, MON),
    ],
)
def test_what_was_freed_early_is_ready_as_its_step_says(more: Any, ready: str) -> None:
    begun = {"key": "p", "title": "P", "duration": 1, "when": {"anchor": "go", "offset": -2, "edge": "start"}}
    s = {**step("s", 1), "when": {"anchor": "go", "offset": 1, "edge": "start"}, **more}
    if not more:
        del s["when"]
    early = after(plan([begun, s], "p>s", go=dt.date(2026, 6, 2)), Done("p", day(MON)))
    assert readiness(early).ready[1] == day(ready)


def test_a_phase_that_opens_after_the_one_before_holds_back_all_that_is_in_it() -> None:
    row = plan(
        [step("a", 1, 0, phase="one"), step("b", 1, 0, phase="one"), step("c", 1, 0, phase="two")],
        phases=[{"key": "one", "label": "One"}, {"key": "two", "label": "Two", "opens": "after the one before"}],
    )
    part = after(row, Done("a", day(MON)), today=TUE)
    assert states(part)["c"] == "waiting" and [hold.words for hold in holds(part, 2)] == ["B"]
    assert states(after(row, Done("a", day(MON)), Done("b", day(TUE)), today=TUE))["c"] == "ready"


def test_a_milestone_without_a_role_is_done_by_itself_and_what_follows_it_is_ready() -> None:
    steps = [step("p", 2, 0), step("there", 0), step("s", 1), step("role", 0, role="r")]
    row = plan(steps, "p>there", "there>s", "p>role", roles=[{"key": "r", "label": "R"}])
    assert states(after(row)) == {"p": "ready", "there": "waiting", "s": "waiting", "role": "waiting"}
    done = after(row, Done("p", day(TUE)), today=TUE)
    assert states(done) == {"p": "done", "there": "done", "s": "ready", "role": "ready"}
    measured = plan([step("p", 1, 0), step("there", 0, 2), step("s", 1)], "p>there", "there>s")
    assert states(after(measured, Done("p", day(MON)), today=TUE))["s"] == "waiting"  # its own day has not come
    assert states(after(measured, Done("p", day(MON)), today=WED))["s"] == "ready"


def test_what_waits_for_another_run_is_held_until_that_is_over() -> None:
    row = plan([step("s", 1, 0)])
    for done, state in ((False, "waiting"), (True, "ready")):
        waits = replace(
            row, today=day(MON), tasks=(replace(row.tasks[0], waits=(Awaited("Bank", "Close", done=done),)),)
        )
        assert states(waits)["s"] == state
        assert [hold.words for hold in holds(waits, 0)] == ([] if done else ["Bank of Close"])


def test_many_behind_many_are_held_by_all_of_them() -> None:
    keys = [f"p{n}" for n in range(30)]
    steps = [step("group", 1), *(step(key, 1, 0, parent="group") for key in keys), step("next", 1)]
    steps += [step(f"n{n}", 1, parent="next") for n in range(30)]
    row = plan(steps, "group>next")
    most = [Done(key, day(MON)) for key in keys[1:]]
    assert states(after(row, *most))["n7"] == "waiting"
    held = after(row, *most)
    assert [hold.words for hold in holds(held, held.position("n7"))] == ["Group"]
    assert states(after(row, *most, Done("p0", day(MON))))["n7"] == "ready"
