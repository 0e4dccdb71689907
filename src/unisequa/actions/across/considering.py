"""A shift of a run begun from elsewhere: kept in hand for its maker, to be looked at on the run's page."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.in_hand import Held, hold, in_hand
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import fitting, read_edits, read_kept
from unisequa.core.errors import NotAllowed, Refused, ShiftError
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits.codec import Document, written
from unisequa.store.queries.people import people_named
from unisequa.store.store import Session


def take_in_hand(session: Session, actor: Actor, run_id: int, documents: Sequence[Document], today: dt.date) -> None:
    """Add edits to the shift of a run that somebody has in hand; nothing is moved.

    Raises
    ------
    NotAllowed
        Where they may not consider a shift of it.
    Refused
        Field ``edits``, for what cannot be.
    """
    run = see_run(session, actor, run_id, today)
    if not run.may_consider:
        raise NotAllowed(f"You may look at {run.name}, but shift nothing in it.")
    for document in documents:
        name = document.get("person")
        if document.get("edit") == "give" and name and len(people_named(session, str(name))) != 1:
            raise Refused({"edits": f"There is nobody called {name}, or several; hand the task over on its own page."})
    held = in_hand(session, actor, run).held
    kept, _ = read_kept(held.edits, run.plan)
    edits = (*fitting(run.plan, kept, held.mode), *read_edits(documents, run.plan))
    try:
        cascade(run.plan, edits, held.mode)
    except ShiftError as error:
        raise Refused({"edits": str(error)}) from error
    written_down = tuple(written(edit, run.plan.grid) for edit in edits)
    hold(session, actor, run, Held(written_down, held.mode, held.why))
