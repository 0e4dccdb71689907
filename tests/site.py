"""A site on a fresh data folder: people, a calendar, a template, and a client that signs in."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from fastapi.testclient import TestClient
from httpx2 import Response

from tests.plans import document, step
from unisequa.actions.people.passwords import hash_password
from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.settings import Settings
from unisequa.store.folder import mark_demo
from unisequa.store.store import Store
from unisequa.store.tables import Calendar, Person
from unisequa.web.app import create_app

TODAY = dt.date(2026, 6, 3)  # a Wednesday
PASSWORD = "a long enough password"
_HASHED: list[str] = []


def job() -> dict[str, Any]:
    """A small template: draft, check, print one after another, and a party on its own day."""
    return document(
        [
            step("draft", 2, 0, role="writer", phase="words", instructions="- [ ] spell-check\n\n<script>x</script>"),
            step("check", 1, role="editor", phase="words", sign_off={"role": "lead"}),
            step("print", 3, 5, role="writer", phase="paper", may_skip=True),
            step("party", 1, 12, role="lead", phase="paper", gate="warn"),
        ],
        "draft>check",
        "check>print",
        "print>party",
        name="Issue of the bulletin",
        naming="Bulletin {{ number }}",
        category="Press",
        roles=[
            {"key": "lead", "label": "Lead", "fill": {"by": "keeper"}},
            {"key": "writer", "label": "Writer"},
            {"key": "editor", "label": "Editor"},
        ],
        facts=[{"key": "number", "label": "Number", "kind": "number", "required": True}],
        phases=[{"key": "words", "label": "Words"}, {"key": "paper", "label": "Paper"}],
    )


@dataclass
class Site:
    """The application, its store, and the ids of what is in it."""

    app: Any
    store: Store
    people: dict[str, int]
    template: int
    run: int

    def client(self, name: str = "") -> Browser:
        """A browser, signed in as somebody."""
        browser = Browser(TestClient(self.app, follow_redirects=True, base_url="http://localhost"))
        if name:
            browser.sign_in(name)
        return browser

    def person(self, name: str) -> Actor:
        return Actor(self.people[name], name)


class Browser:
    """A client that carries the token of its pages, as a browser does."""

    def __init__(self, client: TestClient) -> None:
        self.client = client
        self.token = ""

    def get(self, path: str, **more: Any) -> Response:
        answer = self.client.get(path, **more)
        found = re.search(r'data-csrf="([0-9a-f]+)"', answer.text)
        self.token = found[1] if found else self.token
        return answer

    def post(self, path: str, data: dict[str, Any] | None = None, **more: Any) -> Response:
        return self.client.post(path, data={"csrf": self.token, **(data or {})}, **more)

    def sign_in(self, name: str, password: str = PASSWORD) -> Response:
        self.get("/sign-in")
        answer = self.post("/sign-in", {"email": f"{name.lower()}@example.org", "password": password})
        self.get("/runs")
        return answer


@cache
def _without_rows() -> bytes:
    """A file with all tables and no rows: going through every migration takes longer than most tests do."""
    with TemporaryDirectory() as folder:
        kept = Path(folder) / "kept.sqlite3"
        store = Store(f"sqlite:///{kept}")
        store.migrate()
        store.engine.dispose()
        return kept.read_bytes()


def make_site(
    folder: Path, *, demo: bool = False, content: dict[str, Any] | None = None, database: str | None = None
) -> Site:
    """A site with three people, one released template and one run of it, on Wednesday 3 June 2026."""
    if not _HASHED:
        _HASHED.append(hash_password(PASSWORD))
    if demo:
        mark_demo(folder)
    if database is None and not (kept := folder / "unisequa.sqlite3").exists():
        folder.mkdir(parents=True, exist_ok=True)
        kept.write_bytes(_without_rows())
    app = create_app(Settings(clock=False, data=folder, database_url=database, today=TODAY, demo=demo))
    store: Store = app.state.store
    with store.writing() as session:
        people = {}
        for name in ("Ada", "Bela", "Cleo"):
            person = Person(name=name, email=f"{name.lower()}@example.org", password_hash=_HASHED[0])
            session.add(person)
            people[name] = person
        session.add(Calendar(name="house", usual=True, document={"format": "unisequa-calendar/1", "name": "house"}))
        session.flush()
        edition = keep_template(session, as_actor(people["Ada"]), read_template(content or job()), released=True)
        choices = Choices(
            anchors={"go": dt.date(2026, 6, 1)},
            facts={"number": "7"} if not content else {},
            crew={"writer": str(people["Bela"].id), "editor": str(people["Cleo"].id)} if not content else {},
        )
        run = start_run(session, as_actor(people["Ada"]), edition.template_id, None, choices, TODAY)
        ids = {name: person.id for name, person in people.items()}
    return Site(app, store, ids, edition.template_id, run)
