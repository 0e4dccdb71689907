"""The crew of a run: who fills which role."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.access import check_may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of
from unisequa.core.errors import NotThere, Refused
from unisequa.store.lists import bring_up
from unisequa.store.queries.people import people_by_id
from unisequa.store.store import Session


def fill_role(session: Session, actor: Actor, run_id: int, role: str, chosen: str, today: dt.date) -> None:
    """Put somebody in a role: a person's id as text, or a name for somebody outside; nothing empties it."""
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    member = next((m for m in run.crew if m.role == role), None)
    if member is None:
        raise NotThere("This run has no such role.")
    number = int(chosen) if chosen.isascii() and chosen.isdigit() and len(chosen) < 10 else 0
    person = people_by_id(session, {number}).get(number)
    person = person if person and person.active else None
    if chosen.isdigit() and person is None:
        raise Refused({"who": f"There is nobody to fill {member.label} with that number; choose somebody in the list."})
    member.person = person
    member.outside = "" if person else chosen.strip()[:200]
    run.version += 1
    session.flush()
    bring_up(run, today)
    note(session, actor, "crew changed", f"{member.label}: {member.name or 'nobody'}", run_id=run.id)
