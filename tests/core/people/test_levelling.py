"""Load, levelling and proposals held to a slow reckoner that shares no code with them."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests import slow_reckoner
from tests.plans import day, plan, step
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.people.doers import Doer, Person, Team, overloads, shared
from unisequa.core.people.laying import Effort, laid
from unisequa.core.people.levelling import Asked, RunOfWork, asked_of, level, no_time, overloads_of
from unisequa.core.people.proposals import Evening
from unisequa.core.plan.plan import replanned
from unisequa.core.plan.task import Awaited

TODAY = day("2026-06-01")  # a Monday
WEEK = WorkingCalendar()


def person(name: str, minutes: int = 480, leave: Any = (), roles: Any = ()) -> Person:
    return Person(name, WEEK, minutes, leave, frozenset(roles))


def works(number: int) -> bool:
    return dt.date.fromordinal(number).weekday() < 5


@settings(max_examples=300)
@given(
    st.integers(-15, 15), st.integers(0, 12), st.integers(1, 4000), st.sampled_from([0, 60, 120, 240]),
    st.sampled_from(["waiting", "under way", "in review"]), st.sampled_from([None, 0, 90]), st.integers(1, 480),
    st.lists(st.integers(-5, 20), max_size=6),
)  # fmt: skip
def test_effort_lies_where_a_slow_reckoner_lays_it(
    first: int, days: int, minutes: int, chunk: int, state: Any, left: int | None, has: int, away: list[int]
) -> None:
    doer = person("Bao", has, tuple((TODAY + n, TODAY + n) for n in away))
    duration = sum(works(TODAY + first + n) for n in range(days + 1))
    effort = Effort(minutes, TODAY + first, TODAY + first + days, duration, state, chunk, left)
    found = laid(effort, TODAY, WEEK, doer.hours)
    assert found == slow_reckoner.laid(effort, lambda d: has if works(d) and d - TODAY not in away else 0, works, TODAY)


def test_a_queue_is_shared_by_the_hours_of_its_members_that_day() -> None:
    team = Team("Workshop", (person("Ann", 480), person("Bo", 240, ((TODAY + 1, TODAY + 1),))))
    assert shared({TODAY: 100, TODAY + 1: 60}, team) == {"Ann": {TODAY: 66, TODAY + 1: 60}, "Bo": {TODAY: 34}}


def test_days_with_neither_hours_nor_work_do_not_part_an_overload() -> None:
    friday, monday = TODAY + 4, TODAY + 7
    found = overloads("Bao", {friday: 600, monday: 500, monday + 1: 100, monday + 2: 481}, person("Bao").hours)
    assert [(o.first, o.last, o.asked, o.has) for o in found] == [
        (friday, monday, 1100, 960), (monday + 2, monday + 2, 481, 480),
    ]  # fmt: skip


@st.composite
def cases(draw: st.DrawFn) -> list[RunOfWork]:
    """Two runs of a few tasks, with people, a team, effort in pieces, leave, and a fixed task."""
    away = {"Ann": (), "Bao": ((TODAY + 2, TODAY + 4),), "Cleo": ()}
    people = [person(name, draw(st.sampled_from([240, 420, 480])), leave, ("r",)) for name, leave in away.items()]
    doers: list[Doer] = [*people, Team("Both", (people[0], people[1]))]
    runs = []
    for _ in range(2):
        n = draw(st.integers(2, 7))
        offsets = [draw(st.integers(-3, 8)) if i < 2 or draw(st.booleans()) else None for i in range(n)]
        steps = [step(f"t{i}", draw(st.integers(1, 4)), offset) for i, offset in enumerate(offsets)]
        links = [
            f"t{draw(st.integers(0, i - 1))}>t{i}+{draw(st.integers(0, 2))}"
            for i in range(2, n)
            if offsets[i] is None or draw(st.booleans())
        ]
        made = replace(plan(steps, *links), today=TODAY)
        fixed = draw(st.integers(0, 2 * n))
        tasks = tuple(replace(task, fixed=i == fixed) for i, task in enumerate(made.tasks))
        dates = {task.key: (made.schedule.start[i], made.schedule.finish[i]) for i, task in enumerate(tasks)}
        keys = [task.key for task in tasks]
        runs.append(
            RunOfWork(
                replanned(made, dates, tasks=tasks),
                {key: Asked(draw(st.integers(30, 1500)), draw(st.sampled_from([0, 0, 60]))) for key in keys},
                {key: draw(st.sampled_from(doers)) for key in keys if draw(st.integers(0, 9))},
                draw(st.booleans()),
            )
        )
    return runs


def people_of(runs: list[RunOfWork]) -> dict[str, Person]:
    doers = [doer for run in runs for doer in run.doers.values()]
    return {one.name: one for doer in doers for one in (doer.members if isinstance(doer, Team) else (doer,))}


@settings(max_examples=150, deadline=None)
@given(cases())
def test_nobody_is_over_capacity_and_every_link_and_floor_holds(runs: list[RunOfWork]) -> None:
    answer = level(runs, TODAY)
    spans = {(t.run, t.position): t.span for t in answer.tasks}
    free: dict[tuple[str, int], int] = {}
    for task in answer.tasks:
        run = runs[task.run]
        made, doer = run.plan.tasks[task.position], run.doers.get(task.key)
        asked = run.asked.get(task.key)
        if doer is None or asked is None:
            continue
        assert sum(task.days.values()) == asked.minutes
        for d, minutes in task.days.items():
            free[task.who or "", d] = free.get((task.who or "", d), 0) + (0 if made.stands else minutes)
        if not made.stands:
            assert task.span[0] >= TODAY
            names = {m.name for m in doer.members} if isinstance(doer, Team) else {doer.name}
            assert task.who in names
    people = people_of(runs)
    assert all(minutes <= people[who].hours(d) for (who, d), minutes in free.items() if who in people)
    for n, run in enumerate(runs):
        for link in run.plan.network.links:
            if run.plan.tasks[link.target].stands or (n, link.target) not in spans or (n, link.source) not in spans:
                continue
            behind = WEEK.count(spans[n, link.source][1], spans[n, link.target][0])
            assert behind >= link.lag
        for i, task in enumerate(run.plan.tasks):
            if task.target and not task.stands and (n, i) in spans:
                assert spans[n, i][0] >= task.target[0]


@settings(max_examples=60, deadline=None)
@given(cases())
def test_every_proposal_solves_what_it_says_once_it_is_applied(runs: list[RunOfWork]) -> None:
    people = {name: person(name, 480, (), ("r",)) for name in ("Ann", "Bao", "Cleo")}
    people |= people_of(runs)
    before = asked_of(runs, TODAY)
    evening = Evening(runs, people, TODAY)

    def over(days: dict[str, dict[int, int]], who: str, d: int) -> int:
        return max(0, days.get(who, {}).get(d, 0) - people[who].hours(d))

    for overload in overloads_of(before, people):
        for one in evening.proposals(overload):
            task = runs[one.run].plan.tasks[runs[one.run].plan.position(one.key)]
            assert not task.stands
            after = asked_of(evening.with_carried_out(one).runs, TODAY)
            stretch = range(overload.first, overload.last + 1)
            solved = sum(over(before, overload.who, d) - over(after, overload.who, d) for d in stretch)
            assert solved == one.solves > 0
            assert all(over(after, who, d) <= over(before, who, d) for who, days in after.items() for d in days)
        made, left = evening.all_of_it(overload), evening
        for one in made:
            assert one.solves > 0
            left = left.with_carried_out(one)
        assert left.what_is_left(overload).over == overload.over - sum(one.solves for one in made)


def test_a_person_with_two_days_work_on_one_day_is_told_who_waits() -> None:
    made = replace(plan([step("a", 1, 0), step("b", 1, 0), step("c")], "b>c"), today=TODAY)
    bao, ann = person("Bao"), person("Ann")
    run = RunOfWork(made, {"a": Asked(480), "b": Asked(480)}, {"a": bao, "b": bao, "c": ann})
    answer = level([run], TODAY)
    assert {t.key: t.start - TODAY for t in answer.tasks} == {"a": 1, "b": 0, "c": 1}
    tight = replace(run, plan=replace(made, end=TODAY + 2))
    assert not no_time([tight], level([tight], TODAY), TODAY)
    late = RunOfWork(
        replace(plan([step("a", 1, 0), step("b", 1, 0), step("c")], "a>c", "b>c"), today=TODAY), run.asked, run.doers
    )
    told = no_time([late], level([late], TODAY), TODAY)
    assert [one.words for one in told] == ["no time before Tue 2 Jun: Bao has 16 h of 8 h; holds up C (Ann)"]


def test_what_waits_for_another_run_follows_where_that_is_levelled_to() -> None:
    bao, ann = person("Bao"), person("Ann")
    first = RunOfWork(
        replace(plan([step("a", 1, 0), step("b", 1, 0)]), today=TODAY), {"a": Asked(480), "b": Asked(480)},
        {"a": bao, "b": bao}, number=1,
    )  # fmt: skip
    awaited = Awaited("B", "first", TODAY + 1, of=(1, "b")), Awaited("A", "first", TODAY + 1, of=(1, "a"))
    waiting = replace(plan([step("c", 1, 0)]), today=TODAY)
    tasks = (replace(waiting.tasks[0], waits=awaited),)
    second = RunOfWork(replace(waiting, tasks=tasks), {"c": Asked(60)}, {"c": ann}, number=2)
    answer = level([second, first], TODAY)
    assert {task.key: task.start - TODAY for task in answer.tasks} == {"a": 0, "b": 1, "c": 2}
    circle = replace(first.plan.tasks[0], waits=(Awaited("C", "second", TODAY + 1, of=(2, "c")),))
    round_ = replace(first, plan=replace(first.plan, tasks=(circle, first.plan.tasks[1])))
    assert {task.key for task in level([second, round_], TODAY).tasks} == {"a", "b", "c"}
