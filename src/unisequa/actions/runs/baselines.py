"""Baselines of a run: kept under a name, looked at beside how it stands now."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.access import check_may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import RunSeen, run_of
from unisequa.core.errors import Refused
from unisequa.store.baselines import keep_baseline, spans_in
from unisequa.store.lists import bring_up
from unisequa.store.plans import plan_of
from unisequa.store.queries import baselines as queries
from unisequa.store.store import Session

MOST = 100
LONGEST_NAME = 80


@dataclass(frozen=True, slots=True)
class Against:
    """The baseline that a run is looked at beside: where its tasks stood then, as boundaries."""

    number: int
    name: str
    spans: Mapping[str, tuple[int, int]]


def against(session: Session, run: RunSeen, number: int) -> Against | None:
    """Where the tasks of a run stood by one of its baselines; None where there is none of that number."""
    row = queries.baseline_numbered(session, run.id, number)
    return None if row is None else Against(row.number, row.name, spans_in(run.plan, row.dates))


def keep_named(session: Session, actor: Actor, run_id: int, name: str, today: dt.date) -> int:
    """Keep where all tasks stand now under a name; gives its number.

    Raises
    ------
    Refused
        Field ``name``.
    """
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise Refused({"name": f"Give the baseline a name of up to {LONGEST_NAME} characters."})
    if any(row.name.casefold() == name.casefold() for row in run.baselines):
        raise Refused({"name": f"There is a baseline “{name}” already; give this one another name."})
    if len(run.baselines) >= MOST:
        raise Refused({"name": f"This run has {MOST} baselines; that is enough."})
    plan = plan_of(run, today, viewer=actor.id)
    row = keep_baseline(run, name, plan, actor.id)
    run.version += 1
    bring_up(run, today)
    note(session, actor, "baseline", f"Baseline kept: {name}", run_id=run.id)
    session.flush()
    return row.number
