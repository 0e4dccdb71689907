"""A run written from nothing: no template knows its tasks, and it may become one later."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.template import Anchor, Template
from unisequa.core.errors import Refused
from unisequa.store.documents import keep_calendars
from unisequa.store.lists import bring_up
from unisequa.store.store import Session
from unisequa.store.tables import Run

START = "start"


def start_from_nothing(session: Session, actor: Actor, name: str, today: dt.date) -> int:
    """A live run without tasks, kept by whoever begins it; gives its id.

    What it stands on is a template without steps, open to nobody else, which no list of templates shows.

    Raises
    ------
    Refused
        Field ``name``.
    """
    name = " ".join(name.split())
    if not name or len(name) > 200:
        raise Refused({"name": "Give it a name of up to 200 characters."})
    documents = calendar_documents(session, None)
    template = Template(
        name=name,
        calendar=documents[0].name if documents else None,
        anchors=(Anchor(key=START, label="Start"),),
    )
    edition = keep_template(session, actor, template, said=f"{name} begun from nothing", released=True)
    edition.template.open_to = "nothing"
    run = Run(
        edition_id=edition.id,
        edition=edition,
        name=name,
        subject="",
        state="live",
        keeper_id=actor.id,
        version=1,
        anchors={START: today.isoformat()},
        facts={},
        summary={},
        created_by_id=actor.id,
        awaits={},
    )
    keep_calendars(run, documents)
    session.add(run)
    session.flush()
    bring_up(run, today)
    note(session, actor, "started", f"{name} begun from nothing", run_id=run.id)
    session.flush()
    return run.id
