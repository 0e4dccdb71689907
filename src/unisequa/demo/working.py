"""Work done in the demo's runs, as people would have done it: day by day, each their own, some of it late."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from contextlib import AbstractContextManager

from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.core.errors import Refused
from unisequa.core.terms import FINISHED
from unisequa.store.lists import bring_up
from unisequa.store.plans import plan_of
from unisequa.store.queries.people import people_by_id
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session, savepoint
from unisequa.store.tables import Person, Run, TaskRow, as_of

HOUR = 10
"""At which things are done in the demo, UTC."""


def on_day(day: dt.date) -> AbstractContextManager[None]:
    """Have what is written carry a day of the past as its moment."""
    return as_of(dt.datetime.combine(day, dt.time(HOUR)))


NEVER = 10_000
"""So many working days late is not done at all."""


def work_off(
    session: Session, run_id: int, keeper: Actor, until: dt.date, late: Mapping[str, int] | None = None
) -> None:
    """Have a run's tasks done as they fell due before a day, each by whoever does it, and begin what is running.

    Parameters
    ----------
    late : mapping
        Task → by how many working days it was finished after it was due; :data:`NEVER` for one that still is not.
        Negative is early.
    """
    run = run_by_id(session, run_id)
    assert run is not None
    late = late or {}
    people = people_by_id(session, {n for row in run.tasks for n in (row.person_id, row.signer_id) if n})
    people |= {one.id: one for member in run.crew for one in member.people}
    queues = {member.role: [one.id for one in member.team.members] for member in run.crew if member.team}

    def doer_of(row: TaskRow) -> int:
        queue = queues.get(row.role or "") if row.person_id is None else None
        return queue[row.position % len(queue)] if queue else row.person_id or keeper.id

    days = _days(run, until, late)
    pending: list[TaskRow] = []
    day = min(days.values(), default=until)
    while day < until:
        with on_day(day):
            pending += [row for row in run.tasks if days.get(row.key) == day]
            done = -1
            while pending and done:
                done = 0
                for doer in sorted({doer_of(row) for row in pending}):
                    actor = as_actor(people[doer]) if doer in people else keeper
                    own = [row for row in pending if doer_of(row) == doer]
                    finished = _finish(session, actor, run, own, day)
                    pending = [row for row in pending if row.key not in finished]
                    done += len(finished)
                _sign(session, run, day)
        day += dt.timedelta(days=1)
    _begin(session, run, keeper, people, until)
    bring_up(run, until)


def _begin(session: Session, run: Run, keeper: Actor, people: Mapping[int, Person], until: dt.date) -> None:
    """Have everybody begin what should be running by now and nothing holds back."""
    parents = {row.parent for row in run.tasks}
    for row in run.tasks:
        ready = row.state == "waiting" and row.ready_on is not None and row.ready_on <= until
        if not ready or not row.duration or row.start_on is None or row.start_on >= until or row.key in parents:
            continue
        actor = as_actor(people[row.person_id]) if row.person_id and row.person_id in people else keeper
        begun = max(row.start_on, row.ready_on or until)
        with on_day(begun):
            act_on_tasks(session, actor, run.id, Deed("begin", [row.key], begun), until)


def _days(run: Run, until: dt.date, late: Mapping[str, int]) -> dict[str, dt.date]:
    """Task → the day on which it was done: when it was due, later where it or what it follows was late."""
    plan = plan_of(run, until)
    done: dict[str, int] = {}
    order = sorted(range(len(plan.tasks)), key=lambda i: plan.days(i) or (0, 0))
    before: dict[str, list[str]] = {}
    for link in plan.links:
        if link.type == "FS" and link.lag >= 0:
            before.setdefault(link.target, []).append(link.source)
    for _ in range(2):  # what follows may be dated before what it follows
        for i in order:
            task, days = plan.tasks[i], plan.days(i)
            if plan.is_parent(i) or days is None or task.role is None:
                continue
            calendar = plan.calendars[task.calendar]
            more = late.get(task.key, 0)
            after = max((done.get(key, 0) for key in before.get(task.key, ())), default=0)
            early = calendar.nth_day(calendar.day_index(days[1]) + min(more, 0))
            day = calendar.advance(days[1] + 1, more) - 1 if more >= 0 else early
            done[task.key] = until.toordinal() + NEVER if more >= NEVER else max(day, after)
    return {key: dt.date.fromordinal(min(day, until.toordinal() + NEVER)) for key, day in done.items()}


def _finish(session: Session, actor: Actor, run: Run, rows: list[TaskRow], day: dt.date) -> set[str]:
    """Have somebody finish what nothing holds back on a day; gives which tasks those were."""
    may = [
        row for row in rows
        if row.state == "under way" or (row.state == "waiting" and row.ready_on is not None and row.ready_on <= day)
    ]  # fmt: skip
    if not may:
        return {row.key for row in rows if row.state in FINISHED}
    try:
        with savepoint(session):
            act_on_tasks(session, actor, run.id, Deed("finish", [row.key for row in may]), day)
        return {row.key for row in may}
    except Refused:
        return set()


def _sign(session: Session, run: Run, day: dt.date) -> None:
    """Sign off what is in review, by whoever does that."""
    for row in run.tasks:
        if row.state == "in review" and row.signer_id is not None:
            signer = people_by_id(session, {row.signer_id})[row.signer_id]
            act_on_tasks(session, as_actor(signer), run.id, Deed("sign off", [row.key]), day)
