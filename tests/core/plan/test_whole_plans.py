"""Whole plans of random documents, held against a checker that knows the rules slot by slot and nothing else."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from hypothesis import given

from tests.core.drawn_documents import cases, checker, planned_case
from tests.examples import dear
from unisequa.core.errors import DocumentError
from unisequa.core.network.forward import forward
from unisequa.core.plan.plan import Plan

Case = tuple[dict[str, Any], list[dict[str, Any]]]


def times_of(plan: Plan) -> dict[str, tuple[int, int]]:
    s = plan.schedule
    return {t.key: (s.start[i], s.finish[i]) for i, t in enumerate(plan.tasks) if s.start[i] != -1}


def check(case: Case) -> None:
    try:
        plan = planned_case(*case)
    except DocumentError as error:
        assert "circle" in str(error)  # through parents; nothing else may be wrong
        return
    rules, times = checker(*case), times_of(plan)
    for key in rules.parents:
        inner = [times[k] for k in rules.steps if rules.steps[k].get("parent") == key and k in times]
        assert times.get(key) == ((min(a for a, _ in inner), max(b for _, b in inner)) if inner else None)
    for key in set(rules.steps) - rules.parents:
        start, finish = times[key]
        assert rules.span(key, start) == (start, finish)
        assert rules.allowed(key, start, times), key
        back = range(start - (400 if rules.template["grid"] == "minute" else 20), start)
        assert not any(rules.allowed(key, at, times) for at in back), key


@dear
@given(cases())
def test_every_step_satisfies_every_floor_and_could_start_no_earlier(case: Case) -> None:
    check(case)


@dear
@given(cases(minute=True, most=7))
def test_the_same_holds_minute_by_minute_with_breaks_and_nights(case: Case) -> None:
    check(case)


def check_late(case: Case) -> None:
    """Late dates are the latest with which the end holds, and free slack the most that moves no follower."""
    try:
        plan = planned_case(*case)
    except DocumentError:
        return
    network, result = plan.network, plan.schedule
    if any(link.type[0] == "S" and plan.is_parent(link.source) for link in network.links):
        return  # the first of several starts: which of them must hold is a choice
    for i, activity in enumerate(network.activities):
        free, total = result.free_slack[i], result.total_slack[i]
        if plan.is_parent(i) or result.start[i] == -1:
            continue
        assert total is not None and free is not None
        followers = {k.target for at in plan.above(i) for k in network.outgoing[at]}
        for slip, bound in ((total, "end"), (total + 1, "end"), (free, "followers"), (free + 1, "followers")):
            if bound == "followers" and not followers:
                continue
            at = result.start[i] if not slip else activity.calendar.advance(result.start[i], slip)
            pinned = [replace(a, floor=at) if j == i else a for j, a in enumerate(network.activities)]
            moved = forward(network.with_activities(pinned))
            if bound == "end":
                assert (max(moved.finish) <= result.latest) == (slip == total), (plan.tasks[i].key, slip)
            else:
                still = all(moved.start[j] == result.start[j] for j in followers)
                assert still or slip > free, (plan.tasks[i].key, slip)
                assert not still or slip == free or free == max(total, 0), (plan.tasks[i].key, slip)


@dear
@given(cases())
def test_late_dates_and_slack_hold_to_the_day(case: Case) -> None:
    check_late(case)


@dear
@given(cases(minute=True, most=6))
def test_late_dates_and_slack_hold_to_the_minute(case: Case) -> None:
    check_late(case)
