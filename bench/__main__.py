"""Measures what must not become slow, each figure as a ratio within one run or as a size.

Prints one line a figure, ``bench NAME VALUE LIMIT``, writes ``docs/benchmarks.md`` and exits with 1 when a
figure exceeds its limit.
"""

from __future__ import annotations

import platform
import random
import statistics
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import networkx as nx

from bench.page import page_of_300
from unisequa.core.calendar import WorkingCalendar, public_holidays
from unisequa.core.cascade import Move, cascade
from unisequa.core.network import Activity, Dependency, Network, topological
from unisequa.core.plan import Calendars, LinkOf, Plan, Task, standing
from unisequa.core.schedule import schedule

STEPS, LINKS, ROUNDS = 10_000, 20_000, 9
BASE = 739_621  # Monday 5 January 2026


@dataclass(frozen=True)
class Figure:
    """One measured figure; it must not exceed ``limit``."""

    name: str
    value: float
    limit: float
    words: str


def edges() -> tuple[list[int], list[tuple[int, int]]]:
    """Durations and links of a random job of many parallel strands."""
    chance = random.Random(20260105)
    links: set[tuple[int, int]] = set()
    while len(links) < LINKS:
        target = chance.randrange(1, STEPS)
        links.add((max(0, target - chance.randrange(1, 200)), target))
    return [chance.randrange(1, 6) for _ in range(STEPS)], sorted(links)


def clocked(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def computation() -> Figure:
    """Order, both passes, slack, drivers and a calendar with public holidays, against networkx."""
    durations, links = edges()
    graph = nx.DiGraph()
    graph.add_nodes_from(range(STEPS))
    graph.add_weighted_edges_from((a, b, durations[a]) for a, b in links)
    followed = {b for _, b in links}
    public = public_holidays("GB", "ENG")
    dependencies = [Dependency(a, b) for a, b in links]
    ours, theirs = [], []
    for _ in range(ROUNDS):
        calendar = WorkingCalendar(holidays=public)
        activities = [
            Activity(str(i), durations[i], calendar, floor=None if i in followed else BASE) for i in range(STEPS)
        ]
        network = Network.of(activities, dependencies)
        successors = [[link.target for link in out] for out in network.outgoing]

        def compute(network: Network = network, successors: list[list[int]] = successors) -> None:
            topological(successors)
            schedule(network)

        ours.append(clocked(compute))
        theirs.append(clocked(lambda: nx.dag_longest_path(graph)))
    ratio = statistics.median(a / b for a, b in zip(ours, theirs, strict=True))
    words = f"plan of {STEPS:,} steps and {LINKS:,} links, against networkx.dag_longest_path on the same graph"
    return Figure("plan-to-networkx", ratio, 1.0, words)


def run_of_chains() -> Plan:
    """A live run of a thousand chains of ten tasks."""
    tasks = tuple(Task(f"t{i}", f"Task {i}", 2) for i in range(STEPS))
    links = tuple(LinkOf(f"t{i}", f"t{i + 1}") for i in range(STEPS) if i % 10 != 9)
    calendars = Calendars()
    calendar = calendars[None]
    dates = {}
    for i in range(STEPS):
        start = calendar.roll_forward(calendar.advance(BASE, 2 * (i % 10)))
        dates[f"t{i}"] = start, calendar.advance(start, 2)
    return standing("run", tasks, links, dates, calendars, {}, {})


def push() -> Figure:
    """A push that moves ten tasks, against the full computation of the same run."""
    plan = run_of_chains()
    edit = Move("t5000", plan.schedule.start[5000] + 7)
    assert len(cascade(plan, [edit]).changes) == 10
    ratios = []
    for _ in range(ROUNDS):
        quick = min(clocked(lambda: cascade(plan, [edit])) for _ in range(5))
        ratios.append(quick / clocked(lambda: schedule(plan.network)))
    words = f"push that moves 10 of {STEPS:,} tasks, against the full computation of the run"
    return Figure("push-to-plan", statistics.median(ratios), 1 / 50, words)


def page() -> list[Figure]:
    """The page of a run with 300 tasks: milliseconds on the server, kilobytes before compression."""
    milliseconds, kilobytes = page_of_300(ROUNDS)
    return [
        Figure("page-300-ms", milliseconds, 150, "page of a run with 300 tasks, milliseconds on the server"),
        Figure("page-300-kb", kilobytes, 400, "page of a run with 300 tasks, kilobytes before compression"),
    ]


def main() -> int:
    figures = [computation(), push(), *page()]
    for figure in figures:
        print(f"bench {figure.name} {figure.value:.4g} {figure.limit:.4g}")
    rows = "\n".join(f"| {f.words} | {f.value:.3g} | {f.limit:.3g} |" for f in figures)
    Path("docs").mkdir(exist_ok=True)
    Path("docs/benchmarks.md").write_text(
        "# Benchmarks\n\nWritten by `make bench`: medians of several rounds within one run, "
        f"Python {platform.python_version()}.\nThe first two are ratios, so they hold on any machine; "
        "the others are sizes.\n\n"
        f"| what | measured | limit |\n| --- | ---: | ---: |\n{rows}\n"
    )
    return int(any(figure.value > figure.limit for figure in figures))


if __name__ == "__main__":
    sys.exit(main())
