"""The push cascade."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.network.test_schedule import BASE, holds, networks
from tests.plans import dates, day, plan, step
from unisequa.core.errors import ShiftError
from unisequa.core.network.network import Network
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan, boundaries, standing
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Due, Duration, Move, MoveAnchor


def standing_on(network: Network) -> Plan:
    """The network as a live run, on the first of its calendars, where its forward pass puts it."""
    from unisequa.core.network.backward import schedule

    calendar = network.activities[0].calendar
    activities = tuple(replace(a, calendar=calendar) for a in network.activities)
    network = Network.of(activities, network.links)
    result = schedule(network)
    tasks = tuple(Task(a.key, a.key, a.duration, a.edge) for a in network.activities)
    links = tuple(LinkOf(f"t{k.source}", f"t{k.target}", k.type, k.lag, k.unit) for k in network.links)
    calendars = Calendars()
    calendars._made[calendars.default] = calendar
    spans = {t.key: (result.start[i], result.finish[i]) for i, t in enumerate(tasks)}
    return standing("run", tasks, links, spans, calendars, {}, {})


shifts = st.lists(st.tuples(st.integers(0, 13), st.integers(0, 40), st.integers(0, 6)), min_size=1, max_size=3)


def edits_for(found: Plan, chosen: list[tuple[int, int, int]]) -> list[Move | Duration]:
    edits: list[Move | Duration] = []
    for n, ahead, duration in chosen:
        task = found.tasks[n % len(found.tasks)]
        edits.append(Move(task.key, BASE + ahead))
        if task.duration and duration:
            edits.append(Duration(task.key, duration))
    return edits


def downstream(found: Plan, keys: set[str]) -> set[str]:
    reached = set(keys)
    while True:
        more = {k.target for k in found.links if k.source in reached} - reached
        if not more:
            return reached
        reached |= more


@given(networks(), shifts)
def test_tightened_every_link_holds_and_nothing_downstream_could_start_a_day_earlier(network, chosen) -> None:  # type: ignore[no-untyped-def]
    found = standing_on(network)
    edits = edits_for(found, chosen)
    result = cascade(found, edits, "tighten")
    after = result.after()
    start, finish = list(after.schedule.start), list(after.schedule.finish)
    free = Network.of([_without_floor(a) for a in after.network.activities], after.network.links)
    edited = {edit.key for edit in edits}
    for i, task in enumerate(after.tasks):
        assert holds(free, start, finish, i, start[i])
        if task.key not in edited and any(c.key == task.key for c in result.changes):
            assert not any(holds(free, start, finish, i, at) for at in range(start[i] - 12, start[i]))


@given(networks(), shifts)
def test_carried_each_follower_moves_as_far_as_what_it_follows_unless_a_link_holds_it(network, chosen) -> None:  # type: ignore[no-untyped-def]
    found = standing_on(network)
    result = cascade(found, edits_for(found, chosen), "carry")
    moved = {change.key: change for change in result.changes}
    after = result.after()
    free = Network.of([_without_floor(a) for a in after.network.activities], after.network.links)
    start, finish = list(after.schedule.start), list(after.schedule.finish)
    for i, task in enumerate(after.tasks):
        assert holds(free, start, finish, i, start[i])
        before = [
            moved[k.source].delta if k.type[0] == "F" else moved[k.source].delta_start
            for k in found.links
            if k.target == task.key and k.source in moved
        ]
        change = moved.get(task.key)
        if change and change.cause == "following":
            assert change.delta_start == max(before) or not holds(free, start, finish, i, start[i] - 1)


@given(networks(), shifts)
def test_after_a_push_every_link_holds_and_what_is_not_downstream_stays_put(network, chosen) -> None:  # type: ignore[no-untyped-def]
    found = standing_on(network)
    edits = edits_for(found, chosen)
    result = cascade(found, edits)
    after = result.after()
    assert {change.key for change in result.changes} <= downstream(found, {edit.key for edit in edits})
    start, finish = list(after.schedule.start), list(after.schedule.finish)
    free = Network.of([_without_floor(a) for a in after.network.activities], after.network.links)
    for i in range(len(after.tasks)):
        assert holds(free, start, finish, i, start[i])
    edited = {edit.key for edit in edits}
    for change in result.changes:  # what only follows never comes earlier
        assert change.key in edited or change.after[0] > change.before[0]


def _without_floor(activity):  # type: ignore[no-untyped-def]
    return replace(activity, floor=None)


@given(networks(), shifts)
def test_pushing_twice_is_pushing_once(network, chosen) -> None:  # type: ignore[no-untyped-def]
    found = standing_on(network)
    edits = edits_for(found, chosen)
    once = cascade(found, edits).after()
    assert cascade(once, edits).changes == ()


def test_slack_is_used_up_before_anything_is_pushed() -> None:
    found = plan([step("a", 2, 0), step("b", 1, 4), step("c", 2)], "a>b", "b>c")
    result = cascade(found, [Move("a", day("2026-06-03"))])
    assert [change.key for change in result.changes] == ["a"]
    assert result.unchanged == 2


def test_each_change_says_through_which_predecessor_it_comes() -> None:
    found = plan([step("a", 2, 0), step("b"), step("c")], "a>b", "b>c")
    result = cascade(found, [Duration("a", 4)])
    assert [(c.key, c.cause, c.via, c.delta) for c in result.changes] == [
        ("a", "edited", None, 2),
        ("b", "following", "a", 2),
        ("c", "following", "b", 2),
    ]
    assert result.reason(result.changes[1]) == "after A (ends Thu 4 Jun)"
    old, new = result.finish
    assert (dt.date.fromordinal(old), dt.date.fromordinal(new)) == (dt.date(2026, 6, 5), dt.date(2026, 6, 9))


def test_a_task_moved_before_what_it_follows_is_held_and_said_to_be() -> None:
    found = plan([step("a", 3, 0), step("b", 1, 6)], "a>b")
    result = cascade(found, [Move("b", day("2026-06-01"))])
    assert dates(result.after())["b"] == ("2026-06-04", "2026-06-04")
    assert [c.kind for c in result.conflicts] == ["link"]
    assert "it follows A" in result.conflicts[0].text


def test_a_date_on_a_weekend_goes_to_monday_for_a_start_and_for_a_due_date() -> None:
    found = plan([step("a", 2, 0)])
    assert dates(cascade(found, [Move("a", day("2026-06-06"))]).after())["a"] == ("2026-06-08", "2026-06-09")
    assert dates(cascade(found, [Due("a", day("2026-06-06"))]).after())["a"] == ("2026-06-05", "2026-06-08")


def test_a_milestone_stands_on_the_day_it_is_moved_to() -> None:
    found = plan([step("a", 1, 0), step("m", 0), step("b")], "a>m", "m>b")
    after = cascade(found, [Move("m", day("2026-06-03"))]).after()
    assert dates(after)["m"] == ("2026-06-03", "2026-06-03")
    assert dates(after)["b"] == ("2026-06-04", "2026-06-04")


def test_carrying_keeps_gaps_and_tightening_closes_them_later_or_earlier() -> None:
    found = plan([step("a", 2, 0), step("b", 1), step("m", 0)], "a>b+2", "b>m")
    slack = cascade(found, [Move("b", day("2026-06-10"))]).after()  # a gap of three days before b
    earlier = Duration("a", 1)
    assert [c.key for c in cascade(slack, [earlier]).changes] == ["a"]
    carried = dates(cascade(slack, [earlier], "carry").after())
    assert (carried["b"], carried["m"]) == (("2026-06-09",) * 2, ("2026-06-09",) * 2)
    tightened = dates(cascade(slack, [earlier], "tighten").after())
    assert (tightened["b"], tightened["m"]) == (("2026-06-04",) * 2, ("2026-06-04",) * 2)


def test_what_is_begun_is_moved_by_no_mode() -> None:
    found = _with_state(plan([step("a", 2, 0), step("b"), step("c")], "a>b", "b>c"), "b", "under way")
    for mode in ("push", "carry", "tighten"):
        assert [c.key for c in cascade(found, [Duration("a", 5)], mode).changes] == ["a"]


def _with_state(found: Plan, key: str, state: str) -> Plan:
    tasks = tuple(replace(t, state=state) if t.key == key else t for t in found.tasks)
    spans = {t.key: boundaries(t, *found.days(i)) for i, t in enumerate(tasks)}  # type: ignore[misc]
    return standing(found.name, tasks, found.links, spans, found.calendars, found.anchors, found.labels)


def test_a_finished_task_never_moves() -> None:
    found = _with_state(plan([step("a", 2, 0), step("b")], "a>b"), "b", "done")
    assert [c.key for c in cascade(found, [Duration("a", 9)]).changes] == ["a"]
    with pytest.raises(ShiftError, match="B is done and never moves"):
        cascade(found, [Move("b", day("2026-07-01"))])


def test_a_task_under_way_keeps_its_start_and_may_end_later() -> None:
    found = _with_state(plan([step("a", 2, 0), step("b")], "a>b"), "a", "under way")
    with pytest.raises(ShiftError, match="its start stands"):
        cascade(found, [Move("a", day("2026-06-09"))])
    after = cascade(found, [Due("a", day("2026-06-04"))]).after()
    assert dates(after)["a"] == ("2026-06-01", "2026-06-04")
    assert dates(after)["b"] == ("2026-06-05", "2026-06-05")


def test_a_task_under_way_that_cannot_end_before_today_does_not_ride_with_its_anchor() -> None:
    late = replace(_with_state(plan([step("a", 2, 0), step("b", 1, 20)]), "a", "under way"), today=day("2026-06-15"))
    result = cascade(late, [MoveAnchor("go", day("2026-06-04"))])
    assert {c.key: result.keeps_distance(c) for c in result.changes} == {"a": False, "b": True}
    said = ["moves with Go, no earlier than today", "moves with Go"]
    assert [result.reason(c) for c in result.changes] == said
    assert dates(result.after())["a"] == ("2026-06-01", "2026-06-15")


@pytest.mark.parametrize("due, deadline, kinds", [(0, 0, ["deadline"]), (-2, -1, ["deadline", "anchor"])])
def test_a_deadline_on_the_day_of_its_anchor_is_missed_once(due: int, deadline: int, kinds: list[str]) -> None:
    at = {"anchor": "go", "offset": due}
    opening = step("open", 1, when=at, deadline={"anchor": "go", "offset": deadline})
    result = cascade(plan([step("a", 2, -5), opening], "a>open"), [Duration("a", 9)])
    assert [one.kind for one in result.conflicts if one.task == "open" and one.kind != "target"] == [
        "deadline",
        "anchor",
    ]
    assert [one.kind for one in result.needs if one.task == "open"] == kinds


@pytest.mark.parametrize(
    "edit, words",
    [
        (Move("nobody", day("2026-06-01")), 'no task "nobody"'),
        (Duration("a", -1), "cannot take -1 days"),
        (Duration("a", 0), "cannot become a milestone"),
        (Duration("a", 10**9), "cannot take"),
        (Move("a", 10**9), "outside the years"),
        (Move("undated", day("2026-06-01")), None),
        (Duration("undated", 3), "has no date yet"),
    ],
)
def test_an_edit_that_cannot_be_is_refused_in_words(edit, words) -> None:  # type: ignore[no-untyped-def]
    anchors = [{"key": "go", "label": "Go"}, {"key": "later", "label": "Later", "required": False}]
    undated = {"key": "undated", "title": "Undated", "when": {"anchor": "later"}}
    found = plan([step("a", 1, 0), undated], anchors=anchors)
    if words is None:
        assert dates(cascade(found, [edit]).after())["undated"] == ("2026-06-01", "2026-06-01")
        return
    with pytest.raises(ShiftError, match=words):
        cascade(found, [edit])


def test_what_comes_to_lie_before_today_or_behind_the_template_is_a_conflict() -> None:
    found = plan(
        [step("a", 2, 5), {"key": "due", "title": "Due", "when": {"anchor": "go", "offset": 8}}],
        "a>due",
        today=dt.date(2026, 6, 3),
    )
    kinds = [c.kind for c in cascade(found, [Move("a", day("2026-06-02"))]).conflicts]
    assert kinds == ["past"]
    kinds = [c.kind for c in cascade(found, [Duration("a", 5)]).conflicts]
    assert kinds == ["target"]


def test_criticality_that_comes_and_goes_is_told() -> None:
    found = plan([step("long", 5, 0), step("short", 2, 0), step("end")], "long>end", "short>end")
    result = cascade(found, [Duration("short", 6)])
    assert result.criticality(result.after()) == (["short"], ["long"])
