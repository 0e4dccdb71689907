"""Random jobs of any size for the measurements, and what they are measured against."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import networkx as nx

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.calendars.holidays import public_holidays
from unisequa.core.calendars.hours import WorkingHours
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.network import Network
from unisequa.core.terms import LinkType

BASE = 739_621  # Monday 5 January 2026
TYPES: tuple[LinkType, ...] = ("FS", "FS", "FS", "SS", "FF", "SF")


@dataclass(frozen=True)
class Job:
    """Durations in days, and links with type and lag, of a job of many parallel strands."""

    durations: list[int]
    links: list[tuple[int, int, LinkType, int]]

    def network(self, *, minute: bool = False) -> Network:
        """The job on a fresh calendar with public holidays, on the grid of days or that of minutes."""
        calendar = WorkingCalendar(holidays=public_holidays("GB", "ENG"))
        unit, base = 1, BASE
        if minute:
            calendar = WorkingHours(calendar, [(540, 750), (780, 1020)], Grid(MINUTES))
            unit, base = 90, BASE * MINUTES
        followed = {b for _, b, _, _ in self.links}
        activities = [
            Activity(str(i), duration * unit, calendar, floor=None if i in followed else base)
            for i, duration in enumerate(self.durations)
        ]
        return Network.of(activities, [Dependency(a, b, lag * unit, type=kind) for a, b, kind, lag in self.links])

    def graph(self) -> nx.DiGraph:
        """The same for networkx."""
        graph = nx.DiGraph()
        graph.add_nodes_from(range(len(self.durations)))
        graph.add_weighted_edges_from((a, b, self.durations[a] + lag) for a, b, _, lag in self.links)
        return graph


def job(steps: int, links: int | None = None) -> Job:
    """A job whose links reach back at most 200 steps, two for each step; half of the types are finish-to-start."""
    chance = random.Random(20260105)
    pairs: set[tuple[int, int]] = set()
    while len(pairs) < (links or 2 * steps):
        target = chance.randrange(1, steps)
        pairs.add((max(0, target - chance.randrange(1, 200)), target))
    typed = [(a, b, chance.choice(TYPES), chance.randrange(3)) for a, b in sorted(pairs)]
    return Job([chance.randrange(1, 6) for _ in range(steps)], typed)


def bare_loop(job: Job) -> Callable[[], object]:
    """A forward and a backward pass in integers: finish-to-start links, no calendar, no slack, no drivers."""
    n = len(job.durations)
    before: list[list[int]] = [[] for _ in range(n)]
    after: list[list[int]] = [[] for _ in range(n)]
    for a, b, _, _ in job.links:
        before[b].append(a)
        after[a].append(b)
    durations, order = job.durations, range(n)

    def run() -> Sequence[list[int]]:
        start, finish = [0] * n, [0] * n
        for t in order:
            bound = 0
            for p in before[t]:
                if finish[p] > bound:
                    bound = finish[p]
            start[t] = bound
            finish[t] = bound + durations[t]
        end = max(finish)
        late_start, late_finish = [0] * n, [0] * n
        for t in reversed(order):
            bound = end
            for s in after[t]:
                if late_start[s] < bound:
                    bound = late_start[s]
            late_finish[t] = bound
            late_start[t] = bound - durations[t]
        return start, finish, late_start, late_finish

    return run
