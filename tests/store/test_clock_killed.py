"""The clock is killed at any moment, two of them at once: each thing is done once, in order, whole."""

from __future__ import annotations

import datetime as dt
import os
import random
import signal
import time
from pathlib import Path

from sqlalchemy import select

from tests.actions.test_clock import at, rule, template
from tests.site import make_site
from unisequa.actions.checking import check_data
from unisequa.actions.clock.ticking import tick
from unisequa.store.store import Store
from unisequa.store.tables import DueRow, OutboxRow, Run

KILLS = int(os.environ.get("UNISEQUA_KILLS", "40"))
WHEN = at("2026-08-28T12:00")


def ticking(url: str) -> int:
    """A process of its own that ticks until nothing is due; gives its id."""
    child = os.fork()
    if child:
        return child
    try:
        tick(Store(url), WHEN)
    finally:
        os._exit(0)


def test_a_clock_killed_at_any_moment_starts_what_it_owes_once_and_whole(tmp_path: Path) -> None:
    chance = random.Random(11)
    site = make_site(tmp_path)
    number = template(site)
    when = {"rrule": "FREQ=DAILY", "first": "2026-01-01", "roll": "skip"}
    rule(site, number, "2026-06-03T10:00", when=when, lead=0)
    url = site.store.url
    site.store.engine.dispose()
    ended = 0
    for _ in range(KILLS):
        children = [ticking(url) for _ in range(2)]
        time.sleep(chance.uniform(0.02, 0.25))
        for child in children:
            os.kill(child, signal.SIGKILL)
            ended += os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == -signal.SIGKILL
    assert ended > KILLS // 4  # it was really killed in the middle
    store = Store(url)
    tick(store, WHEN)
    with store.reading() as session:
        runs = [run for run in session.scalars(select(Run).order_by(Run.id)) if run.edition.template_id == number]
        due = list(session.scalars(select(DueRow).where(DueRow.kind == "repeat").order_by(DueRow.at)))
        told = [row.key for row in session.scalars(select(OutboxRow).where(OutboxRow.key.like("repeat:%")))]
        days = [dt.date(2026, 6, 4) + dt.timedelta(days=n) for n in range(86)]
        working = [day.isoformat() for day in days if day.weekday() < 5]
        assert [run.anchors["end"] for run in runs] == working  # each once, in the order of time
        assert all(len(run.tasks) == 2 and len(run.links) == 1 for run in runs)
        assert [row.state for row in due] == ["done"] * len(working) + ["waiting"]
        assert len(told) == len(working) == len(set(told))
        assert list(check_data(session, WHEN)) == []
    store.engine.dispose()
