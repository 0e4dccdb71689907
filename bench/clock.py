"""The clock: a tick with nothing due among many live runs, messages due at once, a feed of a long run."""

from __future__ import annotations

import datetime as dt
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from bench.house import House, copies
from bench.networks import bare_loop, job
from unisequa.actions.clock.ticking import tick
from unisequa.actions.programs.feeds import make_feed
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.calendars.today import Today
from unisequa.core.documents.checks import read_template

RUNS, MESSAGES, LONG = 2_000, 500, 500
NOON = Today.of(dt.datetime(2026, 6, 10, 12, tzinfo=ZoneInfo("Europe/Oslo")))


@dataclass(frozen=True, slots=True)
class ClockFigures:
    """In loops: nothing due among 2,000 live runs, 500 messages due; a feed of 500 tasks kept, and made anew."""

    idle: float
    messages: float
    feed_kept: float
    feed_anew: float


def figures(rounds: int) -> ClockFigures:
    """All of them, in one house."""
    loop = bare_loop(job(10_000))
    with House() as house:
        with house.store.writing() as session:
            other, long = house.started(session, 20), house.started(session, LONG)
            copies(session, other, RUNS, 10_000)
            secret = make_feed(session, house.people[0], "run", long, NOON, events=True, anchors=True)
        tick(house.store, NOON)
        idle = statistics.median(_loops(lambda: tick(house.store, NOON), loop) for _ in range(rounds * 3))
        messages = _messages(house, loop)
        get = lambda: house.client.get(f"/feeds/{secret}.ics")  # noqa: E731
        anew = _loops(get, loop)
        kept = statistics.median(_loops(get, loop) for _ in range(rounds))
    return ClockFigures(idle, messages, kept, anew)


def _loops(work: Callable[[], object], loop: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    took = time.perf_counter() - begun
    begun = time.perf_counter()
    loop()
    return took / (time.perf_counter() - begun)


def _messages(house: House, loop: Callable[[], object]) -> float:
    message = {"to": "r", "of": "due", "offset": 0, "at": "12:00", "subject": "Due today", "text": "{{ subject }}"}
    content = {
        "format": "unisequa-template/1", "name": "Told", "anchors": [{"key": "go", "label": "Go"}],
        "roles": [{"key": "r", "label": "R", "fill": {"by": "keeper"}}],
        "steps": [
            {"key": f"s{i}", "title": f"Step {i}", "role": "r", "messages": [message],
             "when": {"anchor": "go", "offset": 7}}
            for i in range(MESSAGES)
        ],
    }  # fmt: skip
    with house.store.writing() as session:
        number = keep_template(session, house.people[0], read_template(content), released=True).template_id
        choices = Choices(anchors={"go": dt.date(2026, 6, 1)})
        start_run(session, house.people[0], number, None, choices, Today.of(NOON.at - dt.timedelta(days=1)))  # type: ignore[operator]
    begun = time.perf_counter()
    done = tick(house.store, NOON)
    took = time.perf_counter() - begun
    assert done.done >= MESSAGES, done
    return took / statistics.median(_clocked(loop) for _ in range(9))


def _clocked(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun
