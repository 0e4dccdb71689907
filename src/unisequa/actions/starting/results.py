"""What a start came to, and what there was before it: the last crew, runs already there."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.crew import TEAM
from unisequa.core.errors import NotThere
from unisequa.store.queries.subjects import (
    last_crew,
    roles_of_runs,
    runs_like,
    runs_of_start,
    start_by_id,
    subject_named,
    tasks_made,
)
from unisequa.store.store import Session


@dataclass(frozen=True, slots=True)
class Made:
    """A run that a start made. ``first`` is the day on which the first task will be ready where none is now; ``who``
    says for whom how many tasks; ``left`` which steps were left out, and why."""

    id: int
    name: str
    template: str
    state: str
    opens_on: dt.date | None
    tasks: int
    ready: int
    first: dt.date | None
    who: tuple[tuple[str, int], ...]
    left: tuple[tuple[str, str], ...]


def see_start(session: Session, actor: Actor, number: int, today: dt.date) -> tuple[Made, ...]:
    """What a start of one's own came to."""
    start = start_by_id(session, number)
    if start is None or start.person_id != actor.id:
        raise NotThere("This start does not exist, or is somebody else's.")
    runs = runs_of_start(session, number, actor.id)
    ids = [run.id for run in runs]
    roles, tasks = roles_of_runs(session, ids), tasks_made(session, ids)
    made = []
    for run in runs:
        own = [task for task in tasks if task.run_id == run.id]
        parents = {task.parent for task in own}
        who: Counter[str] = Counter()
        for task in own:
            if task.key not in parents:
                label, outside = roles.get((run.id, task.role or ""), ("", ""))
                who[task.person or task.team or outside or (f"{label}, nobody yet" if label else "nobody")] += 1
        days = [task.ready_on for task in own if task.ready_on is not None]
        ready = sum(day <= today for day in days)
        left = tuple((title, why) for title, why in start.told.get(str(run.id), ()))
        made.append(
            Made(
                run.id, run.name, run.template, run.state, run.opens_on, sum(who.values()),
                ready if run.state == "live" else 0, None if ready else min(days, default=None),
                tuple(who.most_common()), left,
            )
        )  # fmt: skip
    return tuple(made)


def crew_of_last(session: Session, actor: Actor, template_id: int) -> tuple[str, Mapping[str, tuple[str, str]]] | None:
    """The last run of a template: its name, and for each role who filled it, as forms say it and by name."""
    found = last_crew(session, actor.id, template_id)
    if found is None:
        return None
    name, members = found
    crew = {
        one.role: (
            str(one.person_id) if one.person else f"{TEAM}{one.team_id}" if one.team else one.outside,
            one.name,
        )
        for one in members
        if one.name and (one.person is None or one.person.active)
    }
    return name, crew


@dataclass(frozen=True, slots=True)
class Alike:
    """A run of the same template about the same subject on the same date; about none, by the same name."""

    id: int
    name: str
    template_id: int


def alike(
    session: Session,
    actor: Actor,
    template_ids: Collection[int],
    subject: str,
    days: Mapping[int, dt.date | None],
    names: Collection[str] = (),
) -> list[Alike]:
    """The runs that would be there twice.

    Parameters
    ----------
    days : mapping
        Template → the date of its first anchor.
    names : collection of str
        What the runs would be called, which tells them apart where they are about nobody.
    """
    record = subject_named(session, subject) if subject.strip() else None
    if record is None and subject.strip():
        return []
    found = []
    which = runs_like(session, actor.id, template_ids, record.id if record is not None else None, names)
    for number, name, template_id, anchors in which:
        day = days.get(template_id)
        if day is None or day.isoformat()[:10] in {value[:10] for value in anchors.values() if value}:
            found.append(Alike(number, name, template_id))
    return found
