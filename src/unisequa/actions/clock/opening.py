"""Prepared runs opened on their day."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.due import HeldBack
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import as_actor
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.core.calendars.words import count_words, names_words
from unisequa.core.errors import Refused
from unisequa.store.of_run import template_of_run
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, Run


def open_run(session: Session, row: DueRow, today: dt.date) -> str:
    """Open a prepared run whose day has come, as its keeper would; its keeper is told.

    Raises
    ------
    Refused
        Where something required is missing.
    """
    run = run_by_id(session, row.run_id or 0)
    if run is None or run.state != "prepared":
        raise HeldBack("It was opened by hand before." if run is not None else "The run was deleted.")
    if run.opens_on is None or run.opens_on > today:
        raise HeldBack("It opens on another day now.")
    if lacks := lacking(run):
        raise Refused({"": f"{names_words(lacks)} {'is' if len(lacks) == 1 else 'are'} missing; then it opens."})
    set_run_state(session, as_actor(run.keeper), run.id, Becoming("live"), today)
    said = f"{run.name} was opened by itself, with {count_words(len(run.tasks), 'task')}"
    tell(session, run.keeper, Word(row.key, "keeper", said, "", run.id, run=run.name))
    return said


def lacking(run: Run) -> list[str]:
    """What is required of a run and missing: dates of anchors, facts."""
    template = template_of_run(run)
    anchors = [a.label for a in template.anchors if a.required and a.from_ is None and not run.anchors.get(a.key)]
    kept = {key for key, value in run.facts.items() if value not in (None, "")}
    return anchors + [fact.label for fact in template.facts if fact.required and fact.key not in kept]
