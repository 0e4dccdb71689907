"""Levelling held to OR-tools' CP-SAT on random cases of all link types, and to published instances."""

from __future__ import annotations

import random
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest
from ortools.sat.python import cp_model

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.backward import schedule
from unisequa.core.network.network import Network
from unisequa.core.people.serial import Job, Levelling, Place
from unisequa.core.people.steady import Steady
from unisequa.core.terms import LinkType

PSPLIB = Path(__file__).parents[3] / ".venv" / "psplib" / "data"
EVERY_DAY = WorkingCalendar("every day", "1111111")
BASE = 739_621
TYPES: Sequence[LinkType] = ("FS", "FS", "SS", "FF", "SF")

Link = tuple[int, int, LinkType, int]
Case = tuple[list[int], list[Link], list[list[int]], list[int]]


def drawn(draw: random.Random) -> Case:
    """Durations, links, demands, capacities."""
    n = draw.randint(6, 14)
    durations = [draw.randint(1, 6) for _ in range(n)]
    links = [
        (a, b, draw.choice(TYPES), draw.randint(-1, 2))
        for b in range(1, n)
        for a in draw.sample(range(b), min(b, draw.choice([0, 1, 1, 2])))
    ]
    capacity = [draw.randint(2, 5) for _ in range(draw.randint(1, 3))]
    return durations, links, [[draw.randint(0, has) for has in capacity] for _ in range(n)], capacity


def optimum(case: Case) -> tuple[int, bool]:
    """CP-SAT's makespan, and whether it is proved to be the shortest."""
    durations, links, demands, capacity = case
    model, far = cp_model.CpModel(), sum(durations) * 2 + 20
    starts = [model.new_int_var(0, far, f"s{i}") for i in range(len(durations))]
    ends = [start + length for start, length in zip(starts, durations, strict=True)]
    spans = [
        model.new_fixed_size_interval_var(s, d, f"i{n}") for n, (s, d) in enumerate(zip(starts, durations, strict=True))
    ]
    for a, b, kind, lag in links:
        model.add((ends if kind[1] == "F" else starts)[b] >= (ends if kind[0] == "F" else starts)[a] + lag)
    for r, has in enumerate(capacity):
        model.add_cumulative(spans, [demand[r] for demand in demands], has)
    last = model.new_int_var(0, far, "last")
    model.add_max_equality(last, ends)
    model.minimize(last)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds, solver.parameters.num_workers = 5, 1
    status = solver.solve(model)
    return round(solver.objective_value), status == cp_model.OPTIMAL


def levelled(case: Case) -> dict[int, Place]:
    durations, links, demands, capacity = case
    activities = [Activity(str(i), d, EVERY_DAY, "start", BASE) for i, d in enumerate(durations)]
    network = Network.of(activities, [Dependency(a, b, lag, "working", kind) for a, b, kind, lag in links])
    job = Job(network, [BASE] * len(durations), schedule(network).late_start)
    room = Steady(capacity, [dict(enumerate(demands))], BASE, 4000, [network])
    return Levelling([job], room).best().places[0]


def makespan(case: Case) -> int:
    """Ours, once all links and capacities were seen to hold."""
    durations, links, demands, capacity = case
    places = levelled(case)
    for a, b, kind, lag in links:
        assert places[b][kind[1] == "F"] >= places[a][kind[0] == "F"] + lag
    used: dict[tuple[int, int], int] = {}
    for i, place in places.items():
        assert place.start >= BASE
        assert place.finish - place.start == durations[i]
        for slot in range(place.start, place.finish):
            for r, takes in enumerate(demands[i]):
                used[r, slot] = used.get((r, slot), 0) + takes
    assert all(takes <= capacity[r] for (r, _), takes in used.items())
    return max(place.finish for place in places.values()) - BASE


def test_a_hundred_random_cases_come_within_5_per_cent_of_the_optimum() -> None:
    """Kolisch & Hartmann report such distances for serial schemes; the limit here is our own design's."""
    draw, over = random.Random(2026), []
    for _ in range(100):
        case = drawn(draw)
        (best, proved), ours = optimum(case), makespan(case)
        assert ours >= best or not proved
        over.append(ours / best - 1)
    assert sum(over) / len(over) <= 0.05


@pytest.mark.parametrize(
    ("name", "form", "optimal"),
    [("j301_1.sm", "psplib", 43), ("RG300_1.rcp", "patterson", 88), ("aslib0_0.rcp", "patterson", 111)],
)
def test_published_instances_come_near_their_optimum(name: str, form: str, optimal: int) -> None:
    """PSPLIB j30 (Kolisch & Sprecher 1996), RanGen (Demeulemeester, Vanhoucke & Herroelen 2003), ASLIB; the optima are
    what CP-SAT finds."""
    assert optimal <= makespan(published(name, form)) <= optimal * 1.05


def test_six_published_projects_at_once_come_as_near_as_a_solver_in_five_seconds() -> None:
    """MPLIB1, set 1 (Van Eynde & Vanhoucke 2020, from memory): 372 activities of six projects on four resources. Its
    optimum is not known to us; the work of the busiest resource alone takes 292, CP-SAT found 326 in five seconds."""
    case = published("MPLIB1_Set1_0.rcmp", "mplib")
    durations, _, demands, capacity = case
    work = [sum(d * need[r] for d, need in zip(durations, demands, strict=True)) for r in range(len(capacity))]
    least = max(-(-asked // has) for asked, has in zip(work, capacity, strict=True))
    assert least == 292 and least <= makespan(case) <= 326


def published(name: str, form: str) -> Case:
    """An instance that the source package of psplib carries."""
    if not (PSPLIB / name).exists():
        pytest.skip("the source package of psplib, which carries its instances, could not be fetched")
    import psplib

    found: Any = psplib.parse(PSPLIB / name, instance_format=form)
    return (
        [activity.modes[0].duration for activity in found.activities],
        [(i, s, "FS", 0) for i, activity in enumerate(found.activities) for s in activity.successors],
        [list(activity.modes[0].demands) for activity in found.activities],
        [resource.capacity for resource in found.resources],
    )
