"""Five people shift three runs that wait for each other, take back at random, and are cut off at random: every link
holds or is told, every history is whole, and taking everything back restores the beginning."""

from __future__ import annotations

import datetime as dt
import json
import os
import random
import re
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from http.client import HTTPException
from pathlib import Path
from typing import Any

from tests.plans import document, step
from tests.site import PASSWORD, TODAY, Site, make_site
from tests.store.serving import Writer, forked, free_port, kill, run_server, wait_for
from unisequa.actions.checking import check_data
from unisequa.actions.runs.shifts import take_back
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.carrying_out import prepare
from unisequa.core.shift.edits.following import awaits_more, broken
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import Person, Run

SECONDS = float(os.environ.get("UNISEQUA_MINUTES", "0.3")) * 60
MON = dt.date(2026, 6, 8)
KEYS = ("a", "b", "c", "d")
FOLLOWS = ("ask", "late", "both")


def three_runs(folder: Path) -> tuple[Site, list[int]]:
    """Three runs, each of which waits for the one before: by one task, and by another further on."""
    site = make_site(folder)
    ada = replace(site.person("Ada"), administrator=True)
    runs: list[int] = []
    with site.store.writing() as session:
        for person in session.query(Person):
            person.administrator = True
        for n, follow in enumerate(FOLLOWS):
            waits = [[{"template": f"Part {n - 1}", "step": key, "anchor": "go"}] if n else [] for key in ("b", "d")]
            steps = [
                step("a", 2, 3 * n), step("b", 2, waits_for=waits[0]), step("c", 1, 4 + 3 * n),
                step("d", 2, waits_for=waits[1]), step("e", 0),
            ]  # fmt: skip
            content = document(steps, "a>b", "b>d", "c>d", "d>e", name=f"Part {n}", follow=follow)
            edition = keep_template(session, ada, read_template(content), released=True)
            edition.template.open_to = "edit"
            choices = Choices(anchors={"go": MON})
            runs.append(start_run(session, ada, edition.template_id, None, choices, TODAY))
            session.flush()
            session.get(Run, runs[-1]).deputies = []
    return site, runs


class Shifter(Writer):
    """Somebody who shifts and takes back, and remembers what was told to be applied."""

    def __init__(self, name: str, port: int, runs: list[int], rng: random.Random) -> None:
        super().__init__(name, port)
        self.runs, self.rng, self.applied = runs, rng, list[tuple[int, int]]()

    def begin(self) -> None:
        self.ask("GET", "/sign-in")
        self.form("/sign-in", email="ada@example.org", password=PASSWORD)
        self.ask("GET", "/runs")

    def act(self) -> None:
        run, rng = self.rng.choice(self.runs), self.rng
        page = self.ask("GET", f"/runs/{run}")[2]
        found = re.search(r'name="version" value="(\d+)"', page)
        if found is None:
            return self.begin()
        if rng.random() < 0.3:
            number = rng.randint(1, max(1, int(found[1])))
            self.form(f"/runs/{run}/shifts/{number}/take-back", version=found[1])
            return None
        answer = self.form(
            f"/runs/{run}/shift", version=found[1], edits=json.dumps([self.edit()]), why=self.name,
            mode=rng.choice(("push", "push", "carry", "tighten")),
        )[2]  # fmt: skip
        if told := re.search(r"Shift (\d+) applied", answer):
            self.applied.append((run, int(told[1])))
        return None

    def edit(self) -> dict[str, Any]:
        rng, key = self.rng, self.rng.choice(KEYS)
        day = (MON + dt.timedelta(days=rng.randrange(0, 40))).isoformat()
        return rng.choice([
            {"edit": "move", "task": key, "start": day},
            {"edit": "due", "task": key, "finish": day},
            {"edit": "duration", "task": key, "duration": rng.randint(1, 5)},
            {"edit": "anchor", "anchor": "go", "on": day},
            {"edit": "fix", "task": key, "start": day},
            {"edit": "free", "task": key},
            {"edit": "close", "first": day, "last": day},
            {"edit": "link", "from": "a", "to": "c", "lag": rng.randint(0, 3)},
            {"edit": "shift", "by": rng.randint(-3, 4)},
        ])  # fmt: skip

    def go_on(self, going: Callable[[], bool]) -> None:
        while going():
            try:
                self.act()
            except (OSError, HTTPException):
                time.sleep(0.05)  # cut off; it comes again


def stand(site: Site, runs: list[int]) -> list[tuple[Any, ...]]:
    """All that a shift can change in some runs."""
    with site.store.reading() as session:
        plans = [plan_of(run_by_id(session, run), TODAY) for run in runs]
        return [
            (
                sorted((t.key, plan.read(i), t.duration, t.fixed, t.put) for i, t in enumerate(plan.tasks)),
                sorted(plan.links, key=str), dict(plan.anchors), [d.written() for d in plan.calendars.documents],
            )
            for plan in plans
        ]  # fmt: skip


def told_of(plan: Plan, run: Run) -> list[str]:
    """What stands where its links, or what it waits for, do not let it, and is not told with the run."""
    loose = [plan.tasks[i].key for i in broken(prepare(plan, ()))]
    fixed = [
        task.key for i, task in enumerate(plan.tasks)
        if task.stands == "fixed" and plan.schedule.start[i] != UNDATED and awaits_more(task, plan.schedule.start[i])
    ]  # fmt: skip
    if loose and not run.summary["mend"]:
        return loose
    return [key for key in fixed if run.summary["stands"] and run.summary["stands"][0] != "in a muddle"]


def test_five_people_and_three_runs_that_wait_for_each_other(tmp_path: Path) -> None:
    site, runs = three_runs(tmp_path)
    beginning, rng, port = stand(site, runs), random.Random(4), free_port()
    people = [Shifter(f"Client {n}", port, runs, random.Random(n)) for n in range(5)]
    until = time.monotonic() + SECONDS

    def going() -> bool:
        """For the time that is meant, and on a machine at work on something else until enough has been done."""
        now = time.monotonic()
        return now < until or (now < until + 300 and len({one for person in people for one in person.applied}) <= 10)

    child = forked(lambda: run_server(tmp_path, port))
    wait_for(port)
    threads = [threading.Thread(target=one.go_on, args=(going,)) for one in people]
    for thread in threads:
        thread.start()
    kills = 0
    while going():
        time.sleep(rng.uniform(2.5, 5))
        kill(child)
        kills += 1
        child = forked(lambda: run_server(tmp_path, port))
        wait_for(port)
    for thread in threads:
        thread.join()
    kill(child)
    applied = {one for person in people for one in person.applied}
    assert kills >= 3 and len(applied) > 10
    with site.store.reading() as session:
        assert list(check_data(session, TODAY)) == []
        rows = [run_by_id(session, run) for run in runs]
        histories = {run.id: [shift.number for shift in run.shifts] for run in rows}
        assert all(numbers == list(range(1, len(numbers) + 1)) for numbers in histories.values())
        assert not [one for one in applied if one[1] not in histories[one[0]]]
        assert [told for run in rows if (told := told_of(plan_of(run, TODAY), run))] == []
        standing = sorted(
            ((s.id, run.id, s.number) for run in rows for s in run.shifts if s.taken_back_at is None), reverse=True
        )
    ada = replace(site.person("Ada"), administrator=True)
    for _, run_id, number in standing:
        with site.store.writing() as session:
            run = session.get(Run, run_id)
            if next(s for s in run.shifts if s.number == number).taken_back_at is None:
                take_back(session, ada, run_id, number, TODAY)
    assert stand(site, runs) == beginning
    with site.store.reading() as session:
        assert list(check_data(session, TODAY)) == []
