"""Shifts of every kind on random plans: what must hold whatever is edited, and each edit by itself."""

from __future__ import annotations

import contextlib
import datetime as dt
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.checker import Checker
from tests.core.drawn_documents import GO, cases, checker, planned_case
from tests.core.plan.test_whole_plans import Case, times_of
from tests.examples import dear
from tests.plans import dates, day, step
from tests.plans import plan as planned
from unisequa.core.errors import DocumentError, ShiftError
from unisequa.core.plan.building import seen_through
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import target_of
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import (
    AddLink,
    Begun,
    CatchUp,
    Close,
    Done,
    Drop,
    Due,
    Duration,
    Edit,
    Fix,
    Give,
    Move,
    MoveAnchor,
    MoveRun,
    RemoveLink,
    Reopen,
    TaskEdit,
)
from unisequa.core.shift.result import MODES, Cascade
from unisequa.core.shift.taking_back import Record, record_of, taken_back
from unisequa.formats.plan_document import plan_document
from unisequa.formats.plan_reading import read_plan

BASE = GO.toordinal()
days = st.integers(BASE - 5, BASE + 30)


@st.composite
def edits(draw: st.DrawFn, keys: list[str]) -> list[Edit]:
    """A few edits of any kind; not all of them can be carried out on every plan."""
    key = st.sampled_from(keys)
    kinds = [
        st.builds(Move, key, days), st.builds(Due, key, days), st.builds(Duration, key, st.integers(0, 6)),
        st.builds(Begun, key, days), st.builds(Done, key, days), st.builds(Drop, key), st.builds(Fix, key, days),
        st.builds(Give, key, st.sampled_from(["one", "two"])), st.builds(RemoveLink, key, key),
        st.builds(AddLink, key, key, st.sampled_from(["FS", "SS", "FF", "SF"]), st.integers(-2, 3)),
        st.builds(MoveAnchor, st.just("go"), days, st.sampled_from(["distances", "offsets"])),
        st.builds(MoveRun, st.integers(-9, 9)),
        st.builds(lambda a, n: Close(a, a + n), days, st.integers(0, 3)), st.builds(CatchUp, days),
        st.builds(lambda a, n: Reopen(a, a + n), days, st.integers(0, 3)), st.builds(lambda day: MoveRun(to=day), days),
    ]  # fmt: skip
    return draw(st.lists(st.one_of(*kinds), min_size=1, max_size=5))


@st.composite
def shifted(draw: st.DrawFn) -> tuple[Case, list[Edit], list[Edit]]:
    """A case, a first shift that makes its plan a run under way, and the shift in question."""
    case = draw(cases(least=4, most=9))
    keys = [step["key"] for step in case[0]["steps"]]
    first = draw(edits(keys)) if draw(st.booleans()) else []
    return case, first, draw(edits(keys))


def possible(found: Plan, chosen: list[Edit]) -> list[Edit]:
    """Those of the edits that can each be carried out on a plan; one that cannot would refuse the whole shift."""
    kept = []
    for edit in chosen:
        try:
            cascade(found, [edit])
        except ShiftError:
            continue
        kept.append(edit)
    return kept


def started(case: Case, first: list[Edit]) -> Plan | None:
    """The plan of a case after a first shift, as a run: read back from its document."""
    try:
        found = planned_case(*case)
        found = cascade(found, possible(found, first)).after() if first else found
    except (DocumentError, ShiftError):
        return None
    return read_plan(json.loads(json.dumps(plan_document(found))))


def carried_out(drawn: Any, mode: Any) -> tuple[Plan, Cascade, Plan] | None:
    """The run, the shift on it and the run afterwards; None where the case cannot be, or the edits together."""
    case, first, chosen = drawn
    found = started(case, first)
    if found is None:
        return None
    try:
        result = cascade(found, possible(found, chosen), mode)
        return found, result, result.after()
    except ShiftError:
        return None


def rules_after(result: Cascade, after: Plan, case: Case) -> tuple[Checker, dict[str, tuple[int, int]]]:
    """The checker for a plan after a shift: its links, calendars and durations, and no floors but the links."""
    document = plan_document(after)
    calendars = [c | {"closures": closed(c)} for c in document["calendars"]]
    steps = document["tasks"]
    parents = {t["parent"] for t in steps}
    template = {
        "grid": "day",
        "steps": [
            {k: v for k, v in t.items() if k in {"key", "duration", "parent", "calendar"} and v is not None}
            | {"when": {"anchor": "go", "offset": 0, "unit": "days", "edge": t["edge"]}}
            for t in steps
        ],
        "links": [
            {"from": k.source, "to": k.target, "type": k.type, "lag": k.lag, "unit": k.unit}
            for k in bridged_links(after)
        ],
    }
    rules = checker(template, calendars)
    rules.floors = {}
    assert rules.parents == parents - {None}
    return rules, times_of(after)


def closed(calendar: dict[str, Any]) -> list[str]:
    """A calendar's closures day by day."""
    found = []
    for one in calendar.get("closures", []):
        first, last = (one, one) if isinstance(one, str) else (one["from"], one["to"])
        a, b = dt.date.fromisoformat(first).toordinal(), dt.date.fromisoformat(last).toordinal()
        found += [dt.date.fromordinal(n).isoformat() for n in range(a, b + 1)]
    return found


def downstream(found: Plan, keys: set[str]) -> set[str]:
    """All that hangs on these tasks by links, parents taken with their sub-steps."""
    parents = {task.key: task.parent for task in found.tasks}
    while True:
        more = {k.target for k in found.links if k.source in keys}
        more |= {key for key, parent in parents.items() if parent in keys} | {
            parents[key] for key in keys if parents[key]
        }
        if more <= keys:
            return keys
        keys = keys | more


def bridged_links(found: Plan) -> list[Any]:
    """Links without what is dropped; tested elsewhere by itself."""
    return list(seen_through(found.tasks, found.links, found.network.children)[0])


@dear
@given(shifted(), st.sampled_from(MODES))
def test_after_any_shift_links_hold_for_what_moved_and_the_rest_stays(drawn: Any, mode: Any) -> None:
    if (done := carried_out(drawn, mode)) is None:
        return
    found, result, after = done
    case, chosen = drawn[0], result.edits
    before, now = times_of(found), times_of(after)
    changed = {change.key for change in result.changes}
    assert {key for i, key in enumerate(after.positions) if key in now and after.read(i) != found.read(i)} <= changed
    assert result.unchanged == len(found.tasks) - len(changed)
    if all(isinstance(edit, TaskEdit) for edit in chosen):
        assert changed <= downstream(found, {getattr(edit, "key", "") for edit in chosen})
    rules, times = rules_after(result, after, case)
    for change in result.changes:
        assert change.after == now[change.key], change
        i = after.positions[change.key]
        assert result.read(change)[1] == after.read(i), change
        task = after.tasks[i]
        if after.is_parent(i) or task.stands or found.tasks[i].stands or i in result.prepared.exact:
            continue
        assert rules.span(change.key, change.after[0]) == change.after
        assert rules.allowed(change.key, change.after[0], times), change
        if change.cause == "following" and mode == "tighten":
            linked = any(link["to"] in rules.line(change.key) for link in rules.template["links"])
            floor = task.target[0] if task.target else 0 if linked else change.after[0]
            caught_up = [edit.day for edit in chosen if isinstance(edit, CatchUp)]  # nothing goes before such a day
            freely = [at for at in range(change.after[0] - 9, change.after[0]) if at >= max([floor, *caught_up])]
            assert not any(rules.allowed(change.key, at, times) for at in freely)
    for i, task in enumerate(found.tasks):  # what was over or pinned has moved only by name
        if task.state == "done" and after.tasks[i].state == "done":
            assert now.get(task.key) == before.get(task.key)
        if after.tasks[i].stands in {"", "fixed"}:  # targets are measured by what is now, whatever was edited before
            assert after.tasks[i].target == target_of(after.tasks[i], after.anchors, after.calendars)
    old, new = result.finish
    assert (old, new) == (found.schedule.latest, after.schedule.latest)


@dear
@given(shifted(), st.sampled_from(MODES))
def test_a_shift_taken_back_restores_everything(drawn: Any, mode: Any) -> None:
    if (done := carried_out(drawn, mode)) is None:
        return
    found, result, after = done
    record = json.loads(json.dumps(record_of(result, after)))
    back = taken_back(read_plan(json.loads(json.dumps(plan_document(after)))), record)
    want, got = plan_document(found), plan_document(back)
    want["links"].sort(key=str), got["links"].sort(key=str)
    for one in (*want["tasks"], *got["tasks"]):
        one.pop("because")
    assert got | {"warnings": []} == want | {"warnings": []}


def test_a_shift_on_whose_place_later_ones_went_on_stands_though_they_have_moved_away() -> None:
    plan = planned([step("a", 2, 0), step("b", 2, 20), step("c", 2, 24)], "b>c")
    records = []
    for edit in (Move("b", day("2026-06-15")), Move("c", day("2026-06-23")), Move("c", day("2026-07-13"))):
        result = cascade(plan, [edit])
        plan = result.after()
        records.append(record_of(result, plan))
    with pytest.raises(ShiftError, match="C was moved since, by where B stands now"):
        taken_back(plan, records[0], records[1:])  # the second could then never be: C on 23 June, B on the 29th
    back = taken_back(taken_back(plan, records[2]), records[1])
    assert dates(back)["c"] == ("2026-07-03", "2026-07-06")


@dear
@given(shifted(), st.data())
def test_whatever_is_taken_back_in_between_all_can_be_newest_first(drawn: Any, data: st.DataObject) -> None:
    case, first, chosen = drawn
    beginning = plan = started(case, first)
    if plan is None or beginning is None:
        return
    standing: list[Record] = []
    for edit in chosen + data.draw(edits([task.key for task in plan.tasks])):
        try:
            result = cascade(plan, [edit], data.draw(st.sampled_from(MODES)))
            plan = result.after()
        except ShiftError:
            continue
        standing.append(json.loads(json.dumps(record_of(result, plan))))
        if data.draw(st.booleans()):
            at = data.draw(st.integers(0, len(standing) - 1))
            with contextlib.suppress(ShiftError):
                plan = taken_back(plan, standing[at], standing[at + 1 :])
                del standing[at]
    for record in reversed(standing):
        plan = taken_back(plan, record)
    assert times_of(plan) == times_of(beginning)


@dear
@given(shifted())
def test_the_same_push_twice_is_that_push_once(drawn: Any) -> None:
    case, first, chosen = drawn
    lasting = (Move, Due, Duration, AddLink, Close, CatchUp, Fix, Give)
    found = started(case, first)
    if found is None or not all(isinstance(edit, lasting) for edit in chosen):
        return
    if any(task.parent == getattr(edit, "key", "") for edit in chosen for task in found.tasks):
        return  # sub-steps of two calendars moved as far do not end as near
    try:
        after = cascade(found, chosen).after()
        again = cascade(after, chosen)
    except ShiftError:
        return
    assert not again.changes
