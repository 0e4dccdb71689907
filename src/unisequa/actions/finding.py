"""Finding a run, a task, a template, a person, a subject, or a page by any part of its name."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.actions.subjects import find_subjects
from unisequa.actions.templates.library import startable_names
from unisequa.store.queries import finding as queries
from unisequa.store.store import Session

MOST_OF_A_KIND = 8

PAGES = (
    ("Desk", "/"), ("Library", "/library"), ("Import a template", "/import"), ("Runs", "/runs"),
    ("Horizon", "/horizon"), ("Load of people", "/load"), ("Leave", "/leave"), ("Joiners and leavers", "/joiners"),
    ("Hand over tasks", "/hand-over"), ("Add a subject", "/subjects/new"), ("Calendars", "/calendars"),
    ("By itself: rules, hand-offs, what is due", "/by-itself"), ("Outbox", "/outbox"),
    ("What you were told", "/bell"), ("Your account, password, second factor", "/account"),
    ("Settings: how you are told", "/account/notices"), ("Settings: tokens, feeds and programs", "/account/programs"),
    ("What other programs may ask for (API)", "/account/programs/api"),
    ("What I sign off", "/?view=sign-off"), ("What waits", "/?view=waiting"), ("What I have done", "/?view=done"),
)  # fmt: skip
PAGES_OF_ADMINISTRATORS = (("People of the house", "/people"), ("Teams", "/teams"), ("Positions", "/positions"))


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
        if _in(text, title)
    ]
    for run in queries.runs(session, actor.id, text, MOST_OF_A_KIND):
        about = f"about {run.subject}, " if run.subject and run.subject not in run.name else ""
        found.append(Found("run", run.name, about + run.state, f"/runs/{run.id}"))
    for task in queries.tasks(session, actor.id, text, MOST_OF_A_KIND):
        beside = f"{task.run}{', yours' if task.mine else ''}"
        found.append(Found("task", task.title, beside, f"/runs/{task.run_id}?task={task.key}"))
    for number, name, category in queries.templates(session, actor.id, text, MOST_OF_A_KIND):
        found.append(Found("template", name, category, f"/templates/{number}"))
    starts = [(number, name) for number, name in startable_names(session, actor) if _in(text, f"start {name}")]
    for number, name in starts[:MOST_OF_A_KIND]:
        found.append(Found("start", f"Start {name}", "", f"/start/{number}"))
    for number, name, title in queries.people(session, text, MOST_OF_A_KIND):
        path = f"/people/{number}" if actor.administrator else f"/load?who={number}"
        found.append(Found("person", name, title, path))
    for subject in find_subjects(session, actor, text, MOST_OF_A_KIND):
        beside = ", ".join(part for part in (subject.position, subject.unit) if part)
        found.append(Found(subject.kind or "subject", subject.name, beside, f"/subjects/{subject.id}"))
    return tuple(found)


def _in(text: str, name: str) -> bool:
    return text.casefold() in name.casefold()
