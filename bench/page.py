"""The page of a large run, as the server makes it."""

from __future__ import annotations

import datetime as dt
import statistics
import tempfile
import time
from pathlib import Path

from fastapi.testclient import TestClient

from unisequa.actions.runs.runs import Choices, start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.demo.fill import PEOPLE, _person
from unisequa.settings import Settings
from unisequa.store.tables import Calendar
from unisequa.web.app import create_app

TASKS = 300


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


def page_of_300(rounds: int) -> tuple[float, float]:
    """Median milliseconds to answer, and kilobytes of the answer before compression."""
    with tempfile.TemporaryDirectory() as folder:
        settings = Settings(data=Path(folder), demo=True, today=dt.date(2026, 6, 10))
        app = create_app(settings)
        with app.state.store.writing() as session:
            people = [_person(session, name, title, "-") for name, title in PEOPLE[:5]]
            house = {"name": "house", "holidays": {"country": "GB", "subdivision": "ENG"}}
            session.add(Calendar(name="house", document=house))
            edition = keep_template(session, people[0], read_template(long_template()), released=True)
            crew = {f"r{i}": str(person.id) for i, person in enumerate(people)}
            choices = Choices(anchors={"go": dt.date(2026, 6, 1)}, crew=crew)
            run = start_run(session, people[0], edition, choices, settings.day())
            number, first = run.id, people[0].id
        client = TestClient(app, headers={"accept-encoding": "identity"})
        form = client.get("/sign-in").text
        token = form.split('name="csrf" value="')[1].split('"')[0]
        client.post("/sign-in", data={"csrf": token, "sample": str(first)})
        times, size = [], 0.0
        for _ in range(rounds):
            begun = time.perf_counter()
            answer = client.get(f"/runs/{number}")
            times.append((time.perf_counter() - begun) * 1000)
            assert answer.status_code == 200 and answer.text.count('role="row" data-k=') == TASKS
            size = len(answer.content) / 1000
        app.state.store.engine.dispose()
    return statistics.median(times[1:]), size
