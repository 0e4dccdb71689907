"""Pages of large runs and of many, as the server makes them."""

from __future__ import annotations

import datetime as dt
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from fastapi.testclient import TestClient
from httpx2 import Response
from sqlalchemy import text

from bench.networks import bare_loop, job
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.demo.fill import PEOPLE, _person
from unisequa.settings import Settings
from unisequa.store.folder import mark_demo
from unisequa.store.store import Session
from unisequa.store.tables import Calendar
from unisequa.web.app import create_app

TASKS, MOVED, RUNS = 300, 500, 2_000


def long_template(tasks: int = TASKS) -> dict[str, object]:
    """A template of 300 steps in 10 phases with 450 links, or of as many more."""
    steps = [
        {
            "key": f"step-{i}",
            "title": f"Step {i} of a long job with a title of usual length",
            "phase": f"p{i * 10 // tasks}",
            "role": f"r{i % 5}",
            "duration": 1 + i % 4,
            **({"when": {"anchor": "go", "offset": i // 4}} if i % 3 == 0 else {}),
        }
        for i in range(tasks)
    ]
    links = [
        {"from": f"step-{i - d}", "to": f"step-{i}"}
        for i in range(tasks)
        for d in (1, 7)[: 1 + i % 2]
        if i >= d and i % 3
    ]
    return {
        "format": "unisequa-template/1",
        "name": "Long",
        "calendar": "house",
        "anchors": [{"key": "go", "label": "Go"}],
        "phases": [{"key": f"p{i}", "label": f"Phase {i}"} for i in range(10)],
        "roles": [{"key": f"r{i}", "label": f"Role {i}"} for i in range(5)],
        "steps": steps,
        "links": links,
    }


@dataclass(frozen=True, slots=True)
class PageFigures:
    """What the server takes, in loops (the bare integer loop over 10,000 steps of the same run), and kilobytes before
    compression."""

    page: float
    page_kb: float
    runs: float
    runs_kb: float
    drop: float


def figures(rounds: int) -> PageFigures:
    """The page of a run with 300 tasks, the list of 2,000 runs, and the drop of a bar among 500 tasks."""
    with tempfile.TemporaryDirectory() as folder:
        mark_demo(Path(folder))
        settings = Settings(data=Path(folder), demo=True, today=dt.date(2026, 6, 10))
        app = create_app(settings)
        with app.state.store.writing() as session:
            people = [_person(session, name, title, "-") for name, title in PEOPLE[:5]]
            house = {"name": "house", "holidays": {"country": "GB", "subdivision": "ENG"}}
            session.add(Calendar(name="house", document=house))
            crew = {f"r{i}": str(person.id) for i, person in enumerate(people)}
            choices = Choices(anchors={"go": dt.date(2026, 6, 1)}, crew=crew)

            def started(tasks: int) -> int:
                template = read_template({**long_template(tasks), "name": f"Long, {tasks}"})
                made = keep_template(session, people[0], template, released=True).template_id
                return start_run(session, people[0], made, None, choices, settings.day())

            page, large, small = started(TASKS), started(MOVED), started(20)
            _copies(session, small, RUNS)
        client = TestClient(app, headers={"accept-encoding": "identity"}, base_url="http://localhost")
        form = client.get("/sign-in").text
        token = form.split('name="csrf" value="')[1].split('"')[0]
        client.post("/sign-in", data={"csrf": token, "sample": str(people[0].id)})
        token = client.get(f"/runs/{page}").text.split('data-csrf="')[1].split('"')[0]
        loop = bare_loop(job(10_000))
        edit = {"kind": "move", "key": "step-0", "value": "wd+3", "zoom": "day", "mode": "push", "csrf": token}
        seen, in_loops = _asked(lambda: client.get(f"/runs/{page}"), loop, rounds)
        listed, list_in_loops = _asked(lambda: client.get("/runs"), loop, rounds)
        tray, drop_in_loops = _asked(
            lambda: client.post(f"/runs/{large}/work", data=edit, headers={"hx-request": "true"}), loop, rounds
        )
        assert seen.text.count('role="row" data-k=') == TASKS
        assert listed.text.count("<tr>") > RUNS and "Moves" in tray.text
        app.state.store.engine.dispose()
    return PageFigures(in_loops, len(seen.content) / 1000, list_in_loops, len(listed.content) / 1000, drop_in_loops)


def _asked(ask: Callable[[], Response], loop: Callable[[], object], rounds: int) -> tuple[Response, float]:
    """An answer, and the median of the time it took over that of a loop clocked beside it."""
    answer, ratios = ask(), []
    for _ in range(rounds):
        begun = time.perf_counter()
        answer = ask()
        took = time.perf_counter() - begun
        begun = time.perf_counter()
        loop()
        ratios.append(took / (time.perf_counter() - begun))
    assert answer.status_code == 200
    return answer, statistics.median(ratios)


def _copies(session: Session, run_id: int, count: int) -> None:
    """So many runs with tasks and all that is kept of them, as one of them is."""
    session.flush()
    connection = session.connection()
    for table in ("runs", "tasks", "crew"):
        row = connection.execute(text(f"SELECT * FROM {table} LIMIT 1")).mappings().one()
        own = "id" if table == "runs" else "run_id"
        columns = [name for name in row if name not in {"id", own}]
        names = ", ".join(columns)
        new = f"{own}, {names}"
        connection.execute(
            text(
                f"INSERT INTO {table} ({new}) "
                f"WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < :count) "
                f"SELECT :first + n.i, {names} FROM {table}, n WHERE {table}.{own} = :run"
            ),
            {"count": count, "first": 1000, "run": run_id},
        )
