"""What somebody outside answers by a link of their own: that a task is done, or by when; opening it changes nothing."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from dataclasses import dataclass

from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import as_actor
from unisequa.actions.runs.proposing import propose_for_task
from unisequa.actions.runs.step_messages import party_name
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.core.calendars.words import day_words
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries.programs import party_link
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import PartyLink, ProposalRow, Run, TaskRow

OPEN = frozenset({"waiting", "under way"})
NOWHERE = "This link leads nowhere any more: what it was about is done, or no longer goes on."


@dataclass(frozen=True, slots=True)
class Asked:
    """What somebody outside is asked: which task, of which run, by when."""

    who: str
    title: str
    run: str
    due: str
    keeper: str


def make_link(session: Session, run: Run, task: TaskRow, who: str) -> str:
    """A link for one task; gives its token, which is kept nowhere."""
    token = secrets.token_urlsafe(24)
    session.add(PartyLink(digest=_digest(token), run_id=run.id, task_key=task.key, who=who[:200]))
    return token


def asked(session: Session, token: str) -> Asked:
    """What a link asks, while its task is open and its run goes on.

    Raises
    ------
    NotThere
    """
    link, run, task = _found(session, token)
    due = day_words(task.finish_on, year=True) if task.finish_on else ""
    return Asked(link.who, task.title, run.name, due, run.keeper.name)


def say_done(session: Session, token: str, today: dt.date) -> None:
    """Say that the task is done; gate and sign-off hold as for everybody.

    Raises
    ------
    Refused
        Field ``done``.
    """
    link, run, task = _found(session, token)
    keeper = as_actor(run.keeper)
    try:
        act_on_tasks(session, keeper, run.id, Deed("finish", [task.key], why=f"{link.who} says so"), today)
    except Refused as error:
        raise Refused({"done": " ".join(error.faults.values())}) from error
    _told(session, run, link, f"{link.who} says that {task.title} is done", "")


def say_when(session: Session, token: str, by: str, why: str, today: dt.date) -> None:
    """Say by when it can be done; its keeper gets that as a proposal.

    Raises
    ------
    Refused
        Fields ``by``, ``shift``.
    """
    link, run, task = _found(session, token)
    keeper = as_actor(run.keeper)
    number = propose_for_task(session, keeper, run.id, task.key, today, by=by, left="", why=why.strip()[:2000])
    session.get_one(ProposalRow, number).party = party_name(link.who)[:200]
    _told(session, run, link, f"{link.who} cannot have {task.title} done by then, but by {by.strip()}", why.strip())


def _told(session: Session, run: Run, link: PartyLink, said: str, more: str) -> None:
    word = Word(f"answer:{link.id}:{run.version}:{said[:60]}", "keeper", said, more, run.id, link.task_key, run.name)
    tell(session, run.keeper, word)


def _found(session: Session, token: str) -> tuple[PartyLink, Run, TaskRow]:
    link = party_link(session, _digest(token))
    run = run_by_id(session, link.run_id) if link is not None else None
    task = next((row for row in run.tasks if row.key == link.task_key), None) if run is not None and link else None
    if link is None or run is None or task is None or run.state != "live" or task.state not in OPEN:
        raise NotThere(NOWHERE)
    return link, run, task


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
