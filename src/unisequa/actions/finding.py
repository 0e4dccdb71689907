"""Finding a run, a task, a template, a person, or a page by any part of its name."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.store.queries import finding as queries
from unisequa.store.store import Session

MOST_OF_A_KIND = 8

PAGES = (
    ("Desk", "/"), ("Library", "/library"), ("Import a template", "/import"), ("Runs", "/runs"),
    ("Calendars", "/calendars"), ("Your account, leave, password", "/account"),
    ("What I sign off", "/?view=sign-off"), ("What waits", "/?view=waiting"), ("What I have done", "/?view=done"),
)  # fmt: skip
PAGES_OF_ADMINISTRATORS = (("People", "/people"), ("Teams", "/teams"), ("Positions", "/positions"))


@dataclass(frozen=True, slots=True)
class Found:
    """Something found: what kind it is, what it is called, what is said beside it, and where it is."""

    kind: str
    title: str
    beside: str
    path: str


def find(session: Session, actor: Actor, text: str) -> tuple[Found, ...]:
    """All that somebody may see whose name holds a text; nothing for nothing."""
    text = text.strip()[:100]
    if not text:
        return ()
    found = [
        Found("page", title, "", path)
        for title, path in (*PAGES, *(PAGES_OF_ADMINISTRATORS if actor.administrator else ()))
        if text.casefold() in title.casefold()
    ]
    for run in queries.runs(session, actor.id, text, MOST_OF_A_KIND):
        about = f"about {run.subject}, " if run.subject and run.subject not in run.name else ""
        found.append(Found("run", run.name, about + run.state, f"/runs/{run.id}"))
    for task in queries.tasks(session, actor.id, text, MOST_OF_A_KIND):
        beside = f"{task.run}{', yours' if task.mine else ''}"
        found.append(Found("task", task.title, beside, f"/runs/{task.run_id}?task={task.key}"))
    for number, name, category in queries.templates(session, actor.id, text, MOST_OF_A_KIND):
        found.append(Found("template", name, category, f"/templates/{number}"))
    if actor.administrator:
        for number, name, title in queries.people(session, text, MOST_OF_A_KIND):
            found.append(Found("person", name, title, f"/people/{number}"))
    return tuple(found)
