"""Living in runs: starting a large one, a full desk, finishing a task, a long list."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import insert, select, text

from bench.house import TODAY, House, asked, copies
from bench.networks import bare_loop, job
from unisequa.actions.starting.choices import Wanted
from unisequa.actions.starting.creating import start_runs
from unisequa.actions.starting.rehearsing import rehearse
from unisequa.core.shift.mending import mending
from unisequa.core.work.line import line_of
from unisequa.core.work.readiness import readiness
from unisequa.core.work.summary import phases_of, summary_of
from unisequa.store.lists import outlook_of
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import LinkRow, Run, TaskRow

STARTED, MINE, FEW, MANY = 500, 200, 1_000, 100_000
FINISHED = 40


@dataclass(frozen=True, slots=True)
class LivingFigures:
    """Ratios: a start against the bare insert of its rows; a desk among many tasks against one among few; what
    summing up a run costs of finishing a task in it; the rest in loops."""

    start: float
    desk_growth: float
    desk: float
    finish: float
    list: float
    summaries: float


def figures(rounds: int) -> LivingFigures:
    """All of them, in one house."""
    loop = bare_loop(job(10_000))
    with House() as house:
        with house.store.writing() as session:
            large, small, other = (house.started(session, tasks) for tasks in (STARTED, FINISHED, 20))
            number = house.template(session, STARTED)
        start = _start(house, number, large, rounds)
        token, client = house.sign_in(large), house.client
        _, listed = asked(lambda: client.get(f"/runs/{large}?view=list"), loop, rounds)
        finish, seconds = _finish(house, small, token, loop, rounds)
        summaries = _summing_up(house, small, rounds) / seconds
        with house.store.writing() as session:
            _desk_of(session, house, large)
            copies(session, other, FEW // 20, 10_000)
        _, few = asked(lambda: client.get("/"), loop, rounds)
        with house.store.writing() as session:
            copies(session, other, (MANY - FEW) // 20, 20_000)
        page, many = asked(lambda: client.get("/"), loop, rounds)
        assert page.text.count('data-state="') >= MINE
    return LivingFigures(start, many / few, many, finish, listed, summaries)


def _start(house: House, number: int, like: int, rounds: int) -> float:
    """A start, planned before as the page does, against the insert of as many rows like it."""
    ratios = []
    with house.store.reading() as session:
        columns = TaskRow.__table__.columns
        tasks = [dict(row) for row in session.execute(select(*columns).where(TaskRow.run_id == like)).mappings()]
        columns = LinkRow.__table__.columns
        links = [dict(row) for row in session.execute(select(*columns).where(LinkRow.run_id == like)).mappings()]
        run = dict(session.execute(select(*Run.__table__.columns).where(Run.id == like)).mappings().one())
    for _ in range(rounds):
        with house.store.reading() as session:
            rehearse(session, house.people[0], number, None, house.choices(), TODAY)
        begun = time.perf_counter()
        with house.store.writing() as session:
            start_runs(session, house.people[0], [Wanted(number, None, house.choices())], TODAY)
        took = time.perf_counter() - begun
        begun = time.perf_counter()
        with house.store.writing() as session:
            new = session.execute(insert(Run.__table__), {**run, "id": None}).inserted_primary_key[0]
            first = session.execute(text("SELECT max(id) FROM tasks")).scalar_one() + 1
            ids = {row["id"]: first + i for i, row in enumerate(tasks)}
            session.execute(insert(TaskRow.__table__), [{**t, "id": ids[t["id"]], "run_id": new} for t in tasks])
            rows = [
                {**k, "id": None, "run_id": new, "source_id": ids[k["source_id"]], "target_id": ids[k["target_id"]]}
                for k in links
            ]
            session.execute(insert(LinkRow.__table__), rows)
        ratios.append(took / (time.perf_counter() - begun))
    return statistics.median(ratios)


def _finish(house: House, run_id: int, token: str, loop: Callable[[], object], rounds: int) -> tuple[float, float]:
    """Finishing a task of a run with 40 of them, and its page anew, in loops and in seconds; each time it is undone in
    between."""
    ratios, seconds, client = [], [], house.client
    form = {"csrf": token, "act": "finish", "confirmed": "yes", "zoom": "day", "mode": "push"}
    path, headers = f"/runs/{run_id}/tasks/step-0/act", {"hx-request": "true"}
    for _ in range(rounds + 1):
        begun = time.perf_counter()
        done = client.post(path, data=form, headers=headers)
        took = time.perf_counter() - begun
        assert done.status_code == 200, done.text[:300]
        begun = time.perf_counter()
        loop()
        ratios.append(took / (time.perf_counter() - begun))
        seconds.append(took)
        client.post(path, data={**form, "act": "reopen"}, headers=headers)
    return statistics.median(ratios[1:]), statistics.median(seconds[1:])


def _summing_up(house: House, run_id: int, rounds: int) -> float:
    """Seconds that a run's row and its phases' rows take to be summed up from a plan that is there."""
    seconds = []
    with house.store.reading() as session:
        run = run_by_id(session, run_id)
        assert run is not None
        plan = plan_of(run, TODAY, by_itself=False)
        ready, mend = readiness(plan, {}, set()), mending(plan)
        for _ in range(rounds):
            begun = time.perf_counter()
            stands = outlook_of(run, plan, ready, mend)
            phases_of(plan)
            summary_of(plan, {}, stands, 0)
            line_of(plan, stands, frozenset(), "")
            seconds.append(time.perf_counter() - begun)
    return statistics.median(seconds)


def _desk_of(session: Session, house: House, run_id: int) -> None:
    """Give somebody 200 open tasks of one run, and all others to somebody else."""
    mine, other = house.people[0].id, house.people[1].id
    session.execute(text("UPDATE tasks SET person_id = :other, assigned_id = :other"), {"other": other})
    session.execute(text("UPDATE runs SET keeper_id = :other WHERE id != :run"), {"other": other, "run": run_id})
    session.execute(
        text("UPDATE tasks SET person_id = :mine, assigned_id = :mine WHERE run_id = :run AND position < :count"),
        {"mine": mine, "run": run_id, "count": MINE},
    )
