"""Tasks of other runs beside the tasks of one: those that are waited for, and those that wait."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import RunSeen
from unisequa.core.plan.task import Awaited
from unisequa.store.queries import awaited as queries
from unisequa.store.store import Session

ELSEWHERE = "elsewhere"


@dataclass(frozen=True, slots=True)
class Beyond:
    """A task of another run.

    Parameters
    ----------
    key : str
        The task here that waits for it, or for which it waits.
    waits : bool
        Whether it waits for that, rather than being waited for.
    ref : str
        A name of its own on the page.
    run_id : int, optional
        None where it is not open to this person, or there is no such run yet.
    of_key : str
        Its key there.
    first, last : date, optional
        Its dates; times in a job of hours. Without a first one only its end is known.
    """

    key: str
    waits: bool
    ref: str
    run_id: int | None
    of_key: str
    run: str
    title: str
    state: str
    first: dt.date | None
    last: dt.date | None


def beyond(session: Session, actor: Actor, run: RunSeen) -> tuple[Beyond, ...]:
    """The tasks of other runs that a run's tasks wait for, and those that wait for its tasks."""
    plan = run.plan
    awaited = [
        (task.key, one)
        for i, task in enumerate(plan.tasks)
        for one in task.waits
        if one.of is not None or not one.done
        if not any(one in plan.tasks[above].waits for above in plan.above(i) if above != i)
    ]
    found = [_awaited(n, key, one, run) for n, (key, one) in enumerate(awaited)]
    return (*found, *(_waiting(row) for row in queries.waiting_here(session, run.id, actor.id)))


def _awaited(n: int, key: str, one: Awaited, run: RunSeen) -> Beyond:
    grid = run.plan.grid
    first = None if one.start is None else grid.moment(one.start)
    last = None if one.finish is None else grid.moment(grid.inclusive(one.finish))
    place = (one.run or ELSEWHERE) if one.found else f"{one.run}: no run of that date yet"
    run_id, of_key = one.of if one.of is not None and one.run else (None, "")
    state = "done" if one.done else "waiting"
    return Beyond(key, False, f"~{n}", run_id, of_key, place, one.title, state, first if one.run else None, last)


def _waiting(row: queries.TaskElsewhere) -> Beyond:
    first, last = row.start_on, row.finish_on
    if row.minutes and row.minutes.get("start"):
        first, last = (dt.datetime.fromisoformat(row.minutes[name][:16]) for name in ("start", "finish"))
    ref = f"~{row.run_id}:{row.of_key}:{row.key}"
    if not row.seen:
        return Beyond(row.key, True, ref, None, "", ELSEWHERE, "A task", "waiting", None, last)
    return Beyond(row.key, True, ref, row.run_id, row.of_key, row.run, row.title, row.state, first, last)
