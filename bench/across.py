"""Across runs: the horizon and the load of a house with 2,000 runs and 120,000 tasks, levelling of 2,000 open tasks."""

from __future__ import annotations

import datetime as dt
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from playwright.sync_api import Page
from sqlalchemy import text

from bench.house import GO, TODAY, House, copies
from bench.networks import bare_loop, job
from bench.serving import looked_at
from bench.sheet import FRAMES
from unisequa.actions.across.sums import forget
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.checks import read_template
from unisequa.core.people.doers import Doer, Person
from unisequa.core.people.levelling import Asked, RunOfWork, level
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.store.store import Session

RUNS, TASKS, EACH, PEOPLE = 2_000, 120_000, 60, 40
LEVELLED, OF_RUN = 2_000, 50
PORT = 8437


@dataclass(frozen=True, slots=True)
class AcrossFigures:
    """In loops: the horizon's first answer and its next rows; the load of forty people over twelve weeks, kept and with
    a run changed; levelling of 2,000 open tasks. Frames a second at rest against those while the horizon's 2,000 rows
    are scrolled."""

    horizon: float
    rows: float
    load: float
    load_changed: float
    level: float
    scroll: float


def figures(rounds: int) -> AcrossFigures:
    """All of them."""
    loop = bare_loop(job(10_000))
    with House() as house:
        with house.store.writing() as session:
            _staffed(session)
            run = house.started(session, EACH)
            copies(session, run, RUNS, TASKS)
            ids = _spread(session, run)
        house.sign_in(run)
        client = house.client
        assert "Worker 7" in client.get("/load").text and "runs, " in client.get("/horizon").text

        def changed() -> None:
            with house.store.writing() as session:
                session.execute(text("UPDATE runs SET version = version + 1 WHERE id = :id"), {"id": ids[7]})
            client.get("/load")

        wanted = ",".join(str(number) for number in ids[300:360])
        found = [
            _median(lambda: client.get("/horizon"), loop, rounds),
            _median(lambda: client.get(f"/horizon/rows?ids={wanted}"), loop, rounds),
            _median(lambda: client.get("/load"), loop, rounds),
            _median(changed, loop, rounds),
        ]
        with looked_at(house.app, PORT, house.people[0].name) as page:
            scroll = _scrolled(page)
    forget()
    runs = _runs()
    return AcrossFigures(*found, _median(lambda: level(runs, TODAY.toordinal()), loop, 3), scroll)


def _scrolled(page: Page) -> float:
    """Frames a second at rest against those while the horizon is scrolled from row to row."""
    page.goto("/horizon?state=all")
    page.wait_for_selector("#sheet .row")
    page.mouse.move(600, 500)
    idle: float = page.evaluate(FRAMES, 600)
    page.evaluate(
        "window.frames = []; window.counting = true; requestAnimationFrame(function f(t) {"
        " window.frames.push(t); if (window.counting) requestAnimationFrame(f); })"
    )
    for _ in range(120):
        page.mouse.wheel(0, 240)
        page.wait_for_timeout(8)
    frames: list[float] = page.evaluate("(window.counting = false, window.frames)")
    assert page.locator("#sheet").evaluate("(sheet) => sheet.scrollTop") > 1_000
    return idle * (frames[-1] - frames[0]) / 1000 / (len(frames) - 1)


def _median(work: Callable[[], object], loop: Callable[[], object], rounds: int) -> float:
    def once() -> float:
        begun = time.perf_counter()
        work()
        took = time.perf_counter() - begun
        begun = time.perf_counter()
        loop()
        return took / (time.perf_counter() - begun)

    return statistics.median(once() for _ in range(rounds))


def _staffed(session: Session) -> None:
    """Forty people."""
    session.execute(
        text("INSERT INTO people (name, email, password_hash, title, active, administrator, second_factor,"
             " second_factor_used, share, month_first, phone, notices, unseen, created_at)"
             " VALUES (:name, :email, '', '', 1, 0, '', 0, 100, 0, '', '{}', 0, '2026-01-01')"),
        [{"name": f"Worker {n}", "email": f"worker{n}@example.org"} for n in range(PEOPLE)],
    )  # fmt: skip


def _spread(session: Session, run: int) -> list[int]:
    """The copies over two years, their tasks with forty people and some hours each; half of the runs are over."""
    session.execute(
        text(
            "INSERT INTO run_lines SELECT r.id, l.as_of, l.first + (r.id % 104 - 52) * 7,"
            " l.last + (r.id % 104 - 52) * 7, l.expected, l.deadline, l.standing, l.reason, l.ahead, l.mark, l.tasks,"
            " l.over, l.late, l.slack, l.phase, l.phases, l.anchors FROM runs r, run_lines l"
            " WHERE l.run_id = :run AND r.id != :run"
        ),
        {"run": run},
    )  # fmt: skip
    session.execute(text("UPDATE runs SET state = 'finished' WHERE id % 104 < 48"))
    session.execute(text(
        "UPDATE tasks SET effort = '3h', person_id = 1 + (run_id + position) % 40,"
        " start_on = date(start_on, ((run_id % 104 - 52) * 7) || ' days'),"
        " finish_on = date(finish_on, ((run_id % 104 - 52) * 7) || ' days')"
    ))  # fmt: skip
    return [number for (number,) in session.execute(text("SELECT id FROM runs ORDER BY id")).all()]


def _runs() -> list[RunOfWork]:
    """Live runs with 2,000 open tasks among forty people."""
    steps = [
        {"key": f"s{i}", "title": f"Step {i}", "duration": 1 + i % 4, "role": f"r{i % 5}", "effort": f"{2 + i % 6}h",
         **({"when": {"anchor": "go", "offset": i // 4, "edge": "start"}} if i % 3 == 0 else {})}
        for i in range(OF_RUN)
    ]  # fmt: skip
    content = {
        "format": "unisequa-template/1", "name": "Levelled", "anchors": [{"key": "go", "label": "Go"}],
        "roles": [{"key": f"r{i}", "label": f"Role {i}"} for i in range(5)], "steps": steps,
        "links": [{"from": f"s{i - 1}", "to": f"s{i}"} for i in range(1, OF_RUN) if i % 3],
    }  # fmt: skip
    template = read_template(content)
    calendar = WorkingCalendar()
    people: list[Doer] = [Person(f"Person {n}", calendar, 480) for n in range(PEOPLE)]
    runs = []
    for n in range(LEVELLED // OF_RUN):
        day = GO + dt.timedelta(days=3 * n)
        plan = replace(assemble(template, Occasion({"go": day})), today=TODAY.toordinal())
        asked = {task.key: Asked(task.effort or 0) for task in plan.tasks}
        doers = {task.key: people[(i + n * 7) % PEOPLE] for i, task in enumerate(plan.tasks)}
        runs.append(RunOfWork(plan, asked, doers))
    return runs
