"""Measures what must not become slow, each figure as a ratio within one run or as a size.

Prints one line a figure, ``bench NAME VALUE LIMIT``, writes ``docs/benchmarks.md`` with the growth drawn in
``docs/growth.svg``, and exits with 1 when a figure exceeds its limit.
"""

from __future__ import annotations

import platform
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import networkx as nx

from bench.across import figures as figures_of_across
from bench.clock import figures as figures_of_clock
from bench.command import figures as figures_of_command
from bench.growth import drawn
from bench.living import figures as figures_of_living
from bench.networks import BASE, bare_loop, job
from bench.page import figures as figures_of_pages
from bench.sheet import figures as figures_of_sheet
from bench.shifting import figures as figures_of_shifting
from bench.uploads import figures as figures_of_uploads
from unisequa.core.network.backward import AnchorLimit, schedule
from unisequa.core.network.order import topological
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan, standing
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Move

STEPS, ROUNDS = 10_000, 15
SIZES = (1_000, 3_000, 10_000, 30_000, 100_000)


@dataclass(frozen=True)
class Figure:
    """One measured figure; it must not exceed ``limit``."""

    name: str
    value: float
    limit: float
    words: str


def clocked(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def paired(ours: Callable[[], object], theirs: Callable[[], object], rounds: int = ROUNDS) -> float:
    """The median of our time over theirs, both clocked in turn."""
    return statistics.median(clocked(ours) / clocked(theirs) for _ in range(rounds))


def computation() -> list[Figure]:
    """Both passes, slack, drivers and a calendar with public holidays, against the outside and a bare loop."""
    large = job(STEPS)
    graph, network, minutes = large.graph(), large.network(), large.network(minute=True)
    successors = [[link.target for link in out] for out in network.outgoing]

    def with_order() -> None:
        topological(successors)
        schedule(network)

    until = schedule(network).latest
    anchor = AnchorLimit("opening", dict.fromkeys(range(0, STEPS, 7), ("F", until)))
    size = f"plan of {STEPS:,} steps and {2 * STEPS:,} links of all types"
    return [
        Figure(
            "plan-to-networkx",
            paired(with_order, lambda: nx.dag_longest_path(graph)),
            0.55,
            f"{size}, its order found too, against networkx.dag_longest_path on the same graph",
        ),
        Figure(
            "plan-to-bare-loop",
            paired(lambda: schedule(network), bare_loop(large)),
            2.5,
            f"{size}, against a bare integer loop both ways, finish-to-start, no calendar, slack or drivers",
        ),
        Figure(
            "anchor-slack",
            paired(lambda: schedule(network, None, [anchor]), lambda: schedule(network)),
            1.25,
            "the same with the room before an anchor that a seventh of the steps must not pass, against it without",
        ),
        Figure(
            "minute-to-day",
            paired(lambda: schedule(minutes), lambda: schedule(network)),
            1.3,
            "the same on the minute grid, with working hours and a break, against the day grid",
        ),
    ]


def growth() -> tuple[list[Figure], list[tuple[int, float]]]:
    """Microseconds a step as jobs grow; every size is clocked in every round, so that a slow moment hits all."""
    networks = {size: job(size).network() for size in SIZES}
    best = dict.fromkeys(SIZES, float("inf"))
    for _ in range(21):
        for size, network in networks.items():
            times = 1 if size > 10_000 else 10_000 // size
            took = clocked(lambda network=network, times=times: [schedule(network) for _ in range(times)])
            best[size] = min(best[size], took / times / size)
    ratio = best[SIZES[-1]] / best[SIZES[0]]
    words = f"time a step with {SIZES[-1]:,} steps, against {SIZES[0]:,}"
    return [Figure("growth", ratio, 1.3, words)], [(size, best[size] * 1e6) for size in SIZES]


def run_of_chains(length: int) -> Plan:
    """A live run of many chains of so many tasks."""
    tasks = tuple(Task(f"t{i}", f"Task {i}", 2) for i in range(STEPS))
    links = tuple(LinkOf(f"t{i}", f"t{i + 1}") for i in range(STEPS - 1) if (i + 1) % length)
    calendars = Calendars()
    calendar = calendars[None]
    dates = {}
    for i in range(STEPS):
        start = calendar.roll_forward(calendar.advance(BASE, 2 * (i % length)))
        dates[f"t{i}"] = start, calendar.advance(start, 2)
    return standing("run", tasks, links, dates, calendars, {}, {})


def push() -> list[Figure]:
    """A push that moves ten tasks, against the full computation of the same run and against one that moves more."""
    few, many = run_of_chains(10), run_of_chains(1000)
    edit = Move("t5000", few.schedule.start[5000] + 7)
    other = Move("t5000", many.schedule.start[5000] + 7)
    assert (len(cascade(few, [edit]).changes), len(cascade(many, [other]).changes)) == (10, 1000)
    whole = paired(lambda: [cascade(few, [edit]) for _ in range(5)], lambda: schedule(few.network)) / 5
    per_task = paired(lambda: cascade(many, [other]), lambda: [cascade(few, [edit]) for _ in range(100)])
    return [
        Figure(
            "push-to-plan", whole, 1 / 50, f"push that moves 10 of {STEPS:,} tasks, against the run's full computation"
        ),
        Figure("push-growth", per_task, 1.3, "time a moved task of a push that moves 1,000, against one that moves 10"),
    ]


def memory() -> Figure:
    """Megabytes of a process that computes a plan of 100,000 steps."""
    code = (
        "from bench.networks import job; from unisequa.core.network.backward import schedule; "
        "schedule(job(100_000).network()); print(*open('/proc/self/status'))"
    )  # the most since this program began, which what started it has no part in
    status = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True).stdout
    megabytes = next(int(line.split()[1]) for line in status.splitlines() if "VmHWM" in line) / 1024
    return Figure("memory-mb", megabytes, 400, "megabytes of a process that computes a plan of 100,000 steps")


def command() -> list[Figure]:
    """The whole command line with 100,000 steps and 200,000 links."""
    taken = figures_of_command(job(SIZES[-1]), bare_loop(job(STEPS)))
    words = f"a template of {SIZES[-1]:,} steps read, checked, planned and printed by the command line"
    return [
        # 12 seconds where a loop takes 5 milliseconds
        Figure("command-100000", taken.loops, 2_400, f"{words}, loops"),
        Figure("command-100000-mb", taken.megabytes, 350, f"{words}, megabytes"),
    ]


def pages() -> list[Figure]:
    """Pages of large runs and of many, on the server: loops, and kilobytes before compression."""
    taken = figures_of_pages(15)
    return [
        Figure("page-300", taken.page, 12, "page of a run with 300 tasks, loops"),
        Figure("page-300-kb", taken.page_kb, 400, "page of a run with 300 tasks, kilobytes before compression"),
        Figure("runs-2000", taken.runs, 30, "list of 2,000 runs, loops"),
        Figure("runs-2000-kb", taken.runs_kb, 1600, "list of 2,000 runs, kilobytes before compression"),
        Figure("drop-500", taken.drop, 12, "drop of a bar of a run with 500 tasks, to its tray, loops"),
        Figure("drop-5000", taken.drop_of_many, 60, "the same of a run with 5,000 tasks, loops"),
    ]


def living() -> list[Figure]:
    """What living in runs costs."""
    taken = figures_of_living(11)
    return [
        Figure("start-500", taken.start, 3, "start of a run with 500 tasks, against the bare insert of its rows"),
        Figure("desk-growth", taken.desk_growth, 1.5, "desk with 200 open tasks among 100,000, against among 1,000"),
        Figure("desk-200", taken.desk, 15, "that desk, loops"),
        Figure("finish", taken.finish, 6, "a task of a run with 40 finished, and the run's page anew, loops"),
        Figure("summaries", taken.summaries, 0.05, "summing up that run and its phases, of what finishing it takes"),
        Figure("list-500", taken.list, 15, "list of a run with 500 tasks, loops"),
    ]


def shifting() -> list[Figure]:
    """A bar of a run with 500 tasks, in headless Chromium."""
    taken = figures_of_shifting()
    words = "frames a second at rest against those while a bar of a run of 500 tasks is dragged"
    return [
        Figure("run-500-drag", taken.idle_frames / taken.frames, 1.2, words),
        Figure("run-500-tray", taken.shown, 2, "from the server's answer to the frame with the tray, at rest"),
    ]


def sheet() -> list[Figure]:
    """The sheet of a template with 500 steps, in headless Chromium."""
    taken = figures_of_sheet()
    return [
        Figure(
            "sheet-500-drag",
            taken.idle_frames / taken.frames,
            1.2,
            "frames a second at rest against those while a bar of a template of 500 steps is dragged",
        ),
        *(
            Figure(f"sheet-500-{name}", spent, limit, f"{words}, frames at rest")
            for name, spent, limit, words in (
                ("key", taken.key, 2, "a key typed into a template of 500 steps, to the frame that shows it, median"),
                ("letter", taken.letter, 2, "of these a letter"),
                ("enter", taken.enter, 3, "Enter, from a cell to the next row"),
                ("enter-new", taken.enter_new, 6, "Enter behind a step typed into the middle"),
                ("worst", taken.key_worst, 6, "the worst of some 180 such keys"),
                ("preview", taken.preview, 120, "a pasted table of 500 rows, until it stands in the preview"),
                ("pasted", taken.pasted, 90, "from there until its 500 steps are in the sheet"),
                ("rehearsal", taken.rehearsal, 60, "a rehearsal of 500 steps, from its date to the sheet of dates"),
            )
        ),
        Figure("sheet-500-kb", taken.size, 700, "page of a template with 500 steps, kilobytes before compression"),
    ]


def uploads() -> list[Figure]:
    """A second client's page while each of the worst uploads is read over and over."""
    worst = max((value, name) for name, value in figures_of_uploads().items())
    words = f"a second client's page while the worst upload is read ({worst[1]}), against its usual time"
    return [Figure("page-beside-upload", worst[0], 2, words)]


def across() -> list[Figure]:
    """Seeing across runs, in loops."""
    found = figures_of_across(9)
    return [
        Figure(
            "horizon-2000", found.horizon, 45, "horizon of 2,000 runs with 120,000 tasks, its first answer, in loops"
        ),
        Figure("horizon-rows", found.rows, 10, "its next 60 rows, in loops"),
        Figure("load-40", found.load, 45, "load of 40 people over twelve weeks, nothing changed since, in loops"),
        Figure("load-40-changed", found.load_changed, 45, "the same where a run has changed since, in loops"),
        Figure("level-2000", found.level, 150, "levelling of 2,000 open tasks among 40 people, in loops"),
        Figure(
            "horizon-scroll",
            found.scroll,
            1.2,
            "frames a second at rest against those while its 2,000 rows are scrolled",
        ),
    ]


def clock() -> list[Figure]:
    """What happens by itself, in loops."""
    found = figures_of_clock(9)
    return [
        Figure("tick-idle", found.idle, 5, "a tick with nothing due among 2,000 live runs, in loops"),
        Figure("tick-messages", found.messages, 300, "500 messages of steps due at once, in loops"),
        Figure("feed-kept", found.feed_kept, 1, "a feed of 500 tasks when nothing has changed, in loops"),
        Figure("feed-anew", found.feed_anew, 300, "a feed of 500 tasks when something has, in loops"),
    ]


KINDS: dict[str, Callable[[], list[Figure]]] = {
    "computation": computation,
    "push": push,
    "memory": lambda: [memory()],
    "command": command,
    "pages": pages,
    "living": living,
    "shifting": shifting,
    "sheet": sheet,
    "uploads": uploads,
    "clock": clock,
    "across": across,
}


def told(figures: list[Figure]) -> list[Figure]:
    """The same, printed: whoever waits sees how far it is."""
    for figure in figures:
        print(f"bench {figure.name} {figure.value:.4g} {figure.limit:.4g}", flush=True)
    return figures


def main(kinds: list[str]) -> int:
    """Measure all, or the kinds that are named, of which nothing is written."""
    if unknown := [kind for kind in kinds if kind not in KINDS]:
        print(f"no such kind: {', '.join(unknown)}; there are {', '.join(KINDS)}", file=sys.stderr)
        return 2
    if kinds:
        return _within([figure for kind in kinds for figure in told(KINDS[kind]())])
    grown, points = growth()
    figures = told(grown)
    for measure in KINDS.values():
        figures += told(measure())
    _write(figures, points)
    return _within(figures)


def _within(figures: list[Figure]) -> int:
    return int(any(figure.value > figure.limit for figure in figures))


def _write(figures: list[Figure], points: list[tuple[int, float]]) -> None:
    rows = "\n".join(f"| {f.words} | {f.value:.3g} | {f.limit:.3g} |" for f in figures)
    sizes = "\n".join(f"| {size:,} | {each:.2f} | {size * each / 1000:,.1f} |" for size, each in points)
    Path("docs").mkdir(exist_ok=True)
    Path("docs/growth.svg").write_text(drawn(points))
    Path("docs/benchmarks.md").write_text(
        "# Benchmarks\n\nWritten by `make bench`: medians of several rounds within one run, "
        f"Python {platform.python_version()}.\nTimes are ratios, so they hold on any machine: a *loop* is a bare "
        "integer loop over 10,000 steps, both ways, in the\nsame run; a *frame* is one of the page at rest.\n\n"
        f"| what | measured | limit |\n| --- | ---: | ---: |\n{rows}\n\n"
        "## Growth\n\nBoth passes with slack and drivers, two links a step; the least of 21 rounds.\n\n"
        f"| steps | microseconds a step | milliseconds |\n| ---: | ---: | ---: |\n{sizes}\n\n"
        "![Milliseconds against steps, both on logarithmic axes, with a straight line for comparison](growth.svg)\n"
    )


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
