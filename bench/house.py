"""A house with people and long runs, as benchmarks need it, and a client that is signed in."""

from __future__ import annotations

import datetime as dt
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from fastapi.testclient import TestClient
from httpx2 import Response
from sqlalchemy import text

from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.settings import Settings
from unisequa.store.folder import mark_demo
from unisequa.store.store import Session
from unisequa.store.tables import Calendar, Person
from unisequa.web.app import create_app

TODAY = dt.date(2026, 6, 10)
GO = dt.date(2026, 6, 1)


def long_template(tasks: int) -> dict[str, object]:
    """A template of so many steps in 10 phases, with half as many links again."""
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


class House:
    """Five people and a calendar in a folder of their own, until it is left."""

    def __enter__(self) -> House:
        self._folder = tempfile.TemporaryDirectory()
        folder = Path(self._folder.name)
        mark_demo(folder)
        app = create_app(Settings(data=folder, demo=True, today=TODAY))
        self.app, self.store = app, app.state.store
        with self.store.writing() as session:
            rows = [Person(name=f"Person {i}", email=f"p{i}@example.org", password_hash="-") for i in range(5)]
            session.add_all(rows)
            house = {"name": "house", "holidays": {"country": "GB", "subdivision": "ENG"}}
            session.add(Calendar(name="house", document=house))
            session.flush()
            self.people: list[Actor] = [as_actor(row) for row in rows]
        self.client = TestClient(app, headers={"accept-encoding": "identity"}, base_url="http://localhost")
        self.templates: dict[int, int] = {}
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.store.engine.dispose()
        self._folder.cleanup()

    def choices(self, first: int = 0) -> Choices:
        """The same of every run; ``first`` is who fills its first role."""
        crew = {f"r{i}": str(self.people[(first + i) % 5].id) for i in range(5)}
        return Choices(anchors={"go": GO}, crew=crew)

    def template(self, session: Session, tasks: int) -> int:
        """The long template of so many steps."""
        if tasks not in self.templates:
            content = read_template({**long_template(tasks), "name": f"Long, {tasks}"})
            self.templates[tasks] = keep_template(session, self.people[0], content, released=True).template_id
        return self.templates[tasks]

    def started(self, session: Session, tasks: int) -> int:
        """A run of so many tasks."""
        return start_run(session, self.people[0], self.template(session, tasks), None, self.choices(), TODAY)

    def sign_in(self, run_id: int, who: int = 0) -> str:
        """Sign somebody in; gives the token of their forms."""
        form = self.client.get("/sign-in").text
        token = form.split('name="csrf" value="')[1].split('"')[0]
        self.client.post("/sign-in", data={"csrf": token, "sample": str(self.people[who].id)})
        return self.client.get(f"/runs/{run_id}").text.split('data-csrf="')[1].split('"')[0]


def asked(ask: Callable[[], Response], loop: Callable[[], object], rounds: int) -> tuple[Response, float]:
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


def copies(session: Session, run_id: int, count: int, first: int = 1000) -> None:
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
            {"count": count, "first": first, "run": run_id},
        )
