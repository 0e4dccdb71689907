"""Both passes, held against networkx and against a checker that shares no code with them."""

from __future__ import annotations

import datetime as dt

import networkx as nx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import dates, day, plan, step
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.errors import CircleError
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.backward import backward, schedule
from unisequa.core.network.forward import forward
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED

BASE = day("2026-06-01")
EVERY_DAY = WorkingCalendar("every day", "1111111")


@st.composite
def networks(draw: st.DrawFn, *, plain: bool = False) -> Network:
    """A random network; plain ones have no lags, no milestones and every day worked."""
    n = draw(st.integers(1, 14))
    calendars = [EVERY_DAY]
    if not plain:
        week = draw(st.sampled_from(["1111100", "1010101", "1111111"]))
        closures = dict.fromkeys(draw(st.sets(st.integers(BASE, BASE + 30), max_size=6)), "")
        calendars = [WorkingCalendar("a", week, closures=closures), WorkingCalendar("b", "0111110")]
    activities = []
    for i in range(n):
        duration = draw(st.integers(1 if plain else 0, 6))
        floor = BASE if plain else BASE + draw(st.integers(0, 15))
        edge = draw(st.sampled_from(["start", "finish"]))
        activities.append(Activity(f"t{i}", duration, draw(st.sampled_from(calendars)), edge, floor))
    pairs = [(i, j) for j in range(n) for i in range(j)]
    chosen = draw(st.lists(st.sampled_from(pairs), unique=True, max_size=25)) if pairs else []
    order = draw(st.permutations(range(n)))  # positions say nothing about the order
    lag = st.just(0) if plain else st.integers(-3, 4)
    types = st.just("FS") if plain else st.sampled_from(["FS", "FS", "SS", "FF", "SF"])
    units = st.sampled_from(["working", "elapsed"])
    links = [Dependency(order[i], order[j], draw(lag), draw(units), draw(types)) for i, j in chosen]
    return Network.of(activities, links)


@given(networks(plain=True))
def test_without_calendars_the_length_is_networkx_longest_path(network: Network) -> None:
    graph = nx.DiGraph()
    for i, activity in enumerate(network.activities):
        graph.add_edge((i, "start"), (i, "end"), weight=activity.duration)
    for link in network.links:
        graph.add_edge((link.source, "end"), (link.target, "start"), weight=0)
    result = schedule(network)
    assert result.latest - BASE == nx.dag_longest_path_length(graph)
    on_longest = {i for i, critical in enumerate(result.critical) if critical}
    assert {i for i, _ in nx.dag_longest_path(graph)} <= on_longest


def worked(calendar: WorkingCalendar, day: int) -> bool:
    """Whether a day is worked, read off the week and the closures."""
    return calendar.week[dt.date.fromordinal(day).weekday()] == "1" and day not in calendar.closures


def holds(network: Network, start: list[int], finish: list[int], i: int, at: int) -> bool:
    """Whether activity ``i`` could start at ``at``: nothing but the rules, day by day."""
    activity = network.activities[i]
    if activity.floor is not None and at < activity.floor:
        return False
    first = at if activity.duration or activity.edge == "start" else at - 1
    if not worked(activity.calendar, first):
        return False
    ends, left = at, activity.duration
    while left:
        left -= worked(activity.calendar, ends)
        ends += 1
    for link in network.links:
        if link.target != i:
            continue
        bound = {"F": finish, "S": start}[link.type[0]][link.source]
        if link.unit == "elapsed":
            bound += link.lag
        else:
            left = abs(link.lag)
            while left and link.lag > 0:
                left -= worked(activity.calendar, bound)
                bound += 1
            while left and link.lag < 0:
                bound -= 1
                left -= worked(activity.calendar, bound)
        if {"S": at, "F": ends}[link.type[1]] < bound:
            return False
    return True


@given(networks())
def test_every_floor_holds_and_nothing_could_start_a_day_earlier(network: Network) -> None:
    early = forward(network)
    start, finish = early.start, early.finish
    for i, activity in enumerate(network.activities):
        assert holds(network, start, finish, i, start[i])
        assert not any(holds(network, start, finish, i, at) for at in range(start[i] - 12, start[i]))
        spent = [day for day in range(start[i], finish[i]) if worked(activity.calendar, day)]
        assert len(spent) == activity.duration
        assert not spent or (spent[0] == start[i] and spent[-1] == finish[i] - 1)


@given(networks())
def test_late_dates_are_the_latest_with_which_the_end_still_holds(network: Network) -> None:
    result = schedule(network)
    end = result.latest
    for i, activity in enumerate(network.activities):
        for at, fits in ((result.late_start[i], True), (result.late_start[i] + 1, False)):
            pinned = [
                Activity(a.key, a.duration, a.calendar, a.edge, at if j == i else a.floor)
                for j, a in enumerate(network.activities)
            ]
            moved = forward(Network.of(pinned, network.links)).finish
            assert (max(moved) <= end) == fits, activity.key


@given(networks())
def test_free_slack_moves_no_successor_and_one_more_day_does(network: Network) -> None:
    result = schedule(network)
    for i, activity in enumerate(network.activities):
        free = result.free_slack[i]
        followers = [link.target for link in network.outgoing[i]]
        if not followers or free is None:
            continue
        total = result.total_slack[i] or 0
        for slip, still in ((free, True), (free + 1, False))[: 1 if free == total else 2]:
            at = activity.calendar.advance(result.start[i], slip) if slip else result.start[i]
            pinned = [
                Activity(a.key, a.duration, a.calendar, a.edge, at if j == i else a.floor)
                for j, a in enumerate(network.activities)
            ]
            start = forward(Network.of(pinned, network.links)).start
            assert all(start[j] == result.start[j] for j in followers) == still


@given(networks())
def test_drivers_are_just_the_links_that_alone_would_put_a_task_where_it_is(network: Network) -> None:
    result = schedule(network)
    start, finish = result.start, result.finish
    for i, activity in enumerate(network.activities):
        alone = Activity(activity.key, activity.duration, activity.calendar, activity.edge)
        holding = set()
        for link in network.incoming[i]:
            length = finish[link.source] - start[link.source]
            source = Activity("p", length, EVERY_DAY, "start", start[link.source])
            only = forward(Network.of([source, alone], [Dependency(0, 1, link.lag, link.unit, link.type)])).start
            if only[1] == start[i]:
                holding.add(link.source)
        assert set(result.drivers[i]) == holding


def test_a_circle_names_the_steps_it_runs_through() -> None:
    activities = [Activity(key, 1, EVERY_DAY, floor=BASE) for key in "abcd"]
    links = [Dependency(0, 1), Dependency(1, 2), Dependency(2, 1), Dependency(2, 3)]
    with pytest.raises(CircleError) as caught:
        Network.of(activities, links)
    assert caught.value.keys in {("b", "c", "b"), ("c", "b", "c")}


def test_what_hangs_on_nothing_dated_is_undated_and_holds_nothing_up() -> None:
    activities = [
        Activity("open", 2, EVERY_DAY),
        Activity("behind", 1, EVERY_DAY),
        Activity("known", 3, EVERY_DAY, floor=BASE),
    ]
    result = schedule(Network.of(activities, [Dependency(0, 1), Dependency(1, 2)]))
    assert list(result.start) == [UNDATED, UNDATED, BASE]
    assert result.total_slack == [None, None, 0]


def test_a_deadline_that_cannot_be_met_makes_slack_negative_and_its_chain_critical() -> None:
    found = plan(
        [
            step("a", 3, 0),
            step("b", 2, deadline={"anchor": "go", "offset": 3}),
            step("aside", 1, 0),
        ],
        "a>b",
    )
    slack = dict(zip(["a", "b", "aside"], found.schedule.total_slack, strict=True))
    assert slack == {"a": -1, "b": -1, "aside": 4}
    assert list(found.schedule.critical) == [True, True, False]
    assert [w.kind for w in found.warnings] == ["deadline"]


def test_without_a_deadline_late_dates_run_back_from_the_end_that_is_asked_for() -> None:
    found = plan([step("a", 1, 0), step("b", 1)], "a>b")
    later = backward(found.network, forward(found.network), end=day("2026-06-06"))
    assert later.total_slack == [3, 3]
    assert not any(later.critical)


def test_not_before_holds_a_step_back() -> None:
    found = plan([step("a", 1, 0), step("b", 1, not_before={"anchor": "go", "offset": 3})], "a>b")
    assert dates(found)["b"] == ("2026-06-04", "2026-06-04")


def test_a_lead_reaching_before_the_known_days_is_worked_out_all_the_same() -> None:
    found = plan([step("a", 1, 0), step("b", 1)], "a>b-900")
    assert dates(found)["b"] == ("2022-12-20", "2022-12-20")  # numpy.busday_offset says so too
