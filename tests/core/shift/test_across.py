"""What a shift of one run does in those that wait for it, each by its own rule, and by a way round."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from tests.plans import dates, day, plan, step
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import Awaited, Task
from unisequa.core.shift.across import MOST_ROUNDS, Beside, Neighbours, Reached, finish_on, spread
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Edit, Move, MoveAnchor
from unisequa.core.terms import Follow


def waits(found: Plan, follow: Follow, **on: tuple[int, str]) -> Plan:
    """The plan with tasks that wait for tasks of other runs, by run and key; where these end is not known yet."""

    def waiting(task: Task) -> Task:
        return replace(task, waits=(Awaited("It", "There", of=on[task.key]),)) if task.key in on else task

    tasks = tuple(waiting(task) for task in found.tasks)
    return replace(found, tasks=tasks, follow=follow)


def among(runs: dict[int, Plan], asked: list[int] | None = None) -> Neighbours:
    def neighbours(number: int) -> Iterable[tuple[int, Beside]]:
        if asked is not None:
            asked.append(number)
        for other, found in runs.items():
            if any(one.of and one.of[0] == number for task in found.tasks for one in task.waits):
                yield other, Beside(found, {})

    return neighbours


def shifted(runs: dict[int, Plan], *edits: Edit, asked: list[int] | None = None) -> dict[int, Reached]:
    first = runs[1]
    return {one.run: one for one in spread(1, first, cascade(first, edits).after(), among(runs, asked))}


def row(**more: Any) -> Plan:
    return plan([step("a", 2, 0), step("b", 1), step("c", 1, 9)], "a>b", **more)


LATER = Move("a", day("2026-06-08"))


def test_each_run_goes_by_its_own_rule_and_on_to_those_behind_it() -> None:
    runs = {1: row(), 2: waits(row(), "late", b=(1, "a"))}
    runs |= {3: waits(row(), "ask", b=(2, "b")), 4: waits(row(), "both", c=(3, "b"))}
    found = shifted(runs, LATER)
    assert found.keys() == {2, 3}  # what is only asked goes no further
    assert found[2].moves is not None and dates(found[2].after)["b"] == ("2026-06-10", "2026-06-10")
    assert found[3].moves is None and found[3].text == "1 task can no longer hold"
    assert dates(found[3].after)["b"] == ("2026-06-03", "2026-06-03")


def test_what_could_come_forward_is_asked_or_comes_by_the_rule() -> None:
    runs = {1: row(), 2: waits(row(), "late", b=(1, "a"))}
    there = shifted(runs, LATER)[2].after
    back = {1: cascade(runs[1], [LATER]).after(), 2: there, 3: replace(there, follow="both")}
    found = shifted(back, Move("a", day("2026-06-01")))
    assert found[2].moves is None and found[2].text == "1 task could come forward"
    assert dates(found[3].after)["b"] == ("2026-06-03", "2026-06-03")


def test_a_run_is_reached_again_by_a_way_round() -> None:
    runs = {1: waits(row(), "late", c=(2, "b")), 2: waits(row(), "late", b=(1, "a"))}
    found = shifted(runs, Move("a", day("2026-06-15")))
    assert dates(found[2].after)["b"] == ("2026-06-17", "2026-06-17")
    assert dates(found[1].after)["a"] == ("2026-06-15", "2026-06-16")  # as it was shifted
    assert dates(found[1].after)["c"] == ("2026-06-18", "2026-06-18")


def test_runs_that_wait_in_a_circle_come_to_an_end() -> None:
    runs = {1: waits(row(), "late", a=(2, "b")), 2: waits(row(), "late", a=(1, "b"))}
    asked: list[int] = []
    shifted(runs, LATER, asked=asked)
    assert len(asked) <= 2 * MOST_ROUNDS + 2


def test_a_job_of_days_waits_to_the_end_of_a_day_and_one_of_hours_for_the_moment() -> None:
    when = {"anchor": "go", "offset": "1h", "edge": "start"}
    hours = plan([{"key": "a", "title": "A", "duration": "2h", "when": when}], grid="minute")
    days = row()
    assert finish_on(hours, 0, days.grid) == day("2026-06-01") + 1
    assert finish_on(hours, 0, hours.grid) == hours.read(0)[1]  # type: ignore[index]
    assert finish_on(days, 0, hours.grid) == hours.grid.day_start(day("2026-06-03"))
    dropped = replace(days, tasks=(replace(days.tasks[0], state="dropped"), *days.tasks[1:]))
    assert finish_on(dropped, 0, days.grid) is None


def test_an_anchor_that_is_taken_goes_along_though_no_task_hangs_on_it() -> None:
    there = replace(row(), follow="late")
    there = replace(
        there, anchors={**there.anchors, "seen": there.anchors["go"]}, labels={**there.labels, "seen": "Seen"}
    )
    first = row()
    after = cascade(first, [MoveAnchor("go", day("2026-06-08"))]).after()
    (found,) = spread(1, first, after, lambda n: [(2, Beside(there, {"seen": (1, "go")}))] if n == 1 else [])
    assert found.after.anchors == {**there.anchors, "seen": day("2026-06-08")}
    assert dates(found.after) == dates(there)
