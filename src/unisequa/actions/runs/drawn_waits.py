"""Links drawn between two runs: a task that waits for one of another run because somebody says so, and no template."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass

from unisequa.actions.access import check_may_change_run, check_not_over, may_see_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.reaching import take_all
from unisequa.actions.runs.seeing import run_of, task_of
from unisequa.core.errors import Refused
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import BEGUN, FINISHED
from unisequa.store.lists import bring_up, keep_waits
from unisequa.store.plans import plan_of
from unisequa.store.queries.awaited import hanging_together, keep_awaited, waiting_for
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.taking import take
from unisequa.store.store import Session
from unisequa.store.tables import Run, TaskRow
from unisequa.store.waits import HIDDEN_TASK

MOST = 200
"""So many links may be drawn into one run."""


@dataclass(frozen=True, slots=True)
class Drawable:
    """What a link between two runs may join: the tasks of the one that is waited for, and of the one that waits, as
    key, title and dates; first those that are proposed."""

    source_id: int
    source: str
    target_id: int
    target: str
    awaited: tuple[TaskChoice, ...]
    waiting: tuple[TaskChoice, ...]


@dataclass(frozen=True, slots=True)
class TaskChoice:
    """A task to choose."""

    key: str
    title: str
    first: dt.date | None
    last: dt.date | None


def drawable(session: Session, actor: Actor, source_id: int, target_id: int, today: dt.date) -> Drawable:
    """What a link from one run to another may join, the likeliest first: the last task there, the first here.

    Raises
    ------
    NotThere, NotAllowed, Refused
        Field ``run``.
    """
    source, target = run_of(session, source_id, actor), run_of(session, target_id, actor)
    _check_runs(source, target, actor)
    awaited = [row for row in _leaves(source) if row.state not in FINISHED]
    waiting = [row for row in _leaves(target) if row.state not in FINISHED and row.state not in BEGUN]
    if not awaited:
        raise Refused({"run": f"All tasks of {source.name} are over, so nothing need wait for it."})
    if not waiting:
        raise Refused({"run": f"All tasks of {target.name} have begun, so none of them can wait."})
    awaited.sort(key=lambda row: (row.finish_on or dt.date.min, row.position), reverse=True)
    waiting.sort(key=lambda row: (row.start_on is None, row.start_on or today, row.position))
    return Drawable(source.id, source.name, target.id, target.name, tuple(_choices(awaited)), tuple(_choices(waiting)))


def _choices(rows: list[TaskRow]) -> Iterator[TaskChoice]:
    for row in rows:
        yield TaskChoice(row.key, row.title, row.start_on, row.finish_on)


def _leaves(run: Run) -> list[TaskRow]:
    parents = {row.parent for row in run.tasks}
    return [row for row in run.tasks if row.key not in parents]


def _check_runs(source: Run, target: Run, actor: Actor) -> None:
    if source.id == target.id:
        raise Refused({"run": "A run does not wait for itself; draw a link between two of its tasks on its own page."})
    check_may_change_run(target, actor)
    check_not_over(target)


def draw_wait(
    session: Session, actor: Actor, run_id: int, key: str, source_id: int, source_key: str, today: dt.date
) -> str:
    """Let a task wait for one of another run; no date moves. Gives what was done, in words.

    Raises
    ------
    Refused
        Field ``of`` or ``task``: for what is over, begun, there already, or would make a circle.
    """
    for number in sorted({*hanging_together(session, run_id), *hanging_together(session, source_id)}):
        take(session, Run, number)
    run, source = run_of(session, run_id, actor), run_of(session, source_id, actor)
    _check_runs(source, run, actor)
    row, other = task_of(run, key), task_of(source, source_key)
    if row.state in FINISHED or row.state in BEGUN:
        raise Refused({"task": f"{row.title} is {row.state}, so it waits for nothing any more."})
    if other.state in FINISHED:
        raise Refused({"of": f"{other.title} is {other.state}, so nothing need wait for it."})
    for one, field, of in ((row, "task", run), (other, "of", source)):
        if any(inner.parent == one.key for inner in of.tasks):
            raise Refused({field: f"{one.title} spans its sub-steps; choose one of those."})
    if any((one["key"], one["run"], one["of"]) == (key, source_id, source_key) for one in run.drawn):
        raise Refused({"task": f"{row.title} waits for {other.title} of {source.name} already."})
    if len(run.drawn) >= MOST:
        raise Refused({"task": f"{run.name} waits for {MOST} tasks of other runs already; take some out first."})
    if way := _way(session, actor, (run_id, key), (source_id, source_key), today):
        raise Refused({"task": f"That would be a circle: {' → '.join([*way, row.title])}."})
    entry = {"key": key, "run": source_id, "of": source_key, "template": source.edition.template_id}
    run.drawn = [*run.drawn, entry]
    words = f"{row.title}: waits for {other.title} of {source.name}"
    _keep(session, actor, run, today, f"{row.title}: waits for a task of another run", key)
    return words


def take_wait_out(
    session: Session, actor: Actor, run_id: int, key: str, source_id: int, of: str, today: dt.date
) -> str:
    """Let a task no longer wait for what was drawn; no date moves. Gives what was done, in words.

    Raises
    ------
    Refused
        Field ``wait``: where nobody drew it.
    """
    take_all(session, run_id)
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    check_not_over(run)
    row = task_of(run, key)
    left = [one for one in run.drawn if (one["key"], one["run"], one["of"]) != (key, source_id, of)]
    if len(left) == len(run.drawn):
        raise Refused({"wait": f"{row.title} does not wait for that, or because its template says so."})
    run.drawn = left
    source = run_by_id(session, source_id)
    title = next((one.title for one in source.tasks if one.key == of), of) if source else of
    words = f"{row.title}: no longer waits for {title}" + (f" of {source.name}" if source else "")
    _keep(session, actor, run, today, f"{row.title}: no longer waits for a task of another run", key)
    return words


def _keep(session: Session, actor: Actor, run: Run, today: dt.date, words: str, key: str) -> None:
    run.version += 1
    keep_waits(run)
    keep_awaited(session, run.id, ())  # what is still waited for is found anew
    session.flush()
    bring_up(run, today)
    note(session, actor, "waits", words, run_id=run.id, task_key=key)
    session.flush()


def _way(session: Session, actor: Actor, start: tuple[int, str], goal: tuple[int, str], today: dt.date) -> list[str]:
    """The titles on the way from a task, through what follows it in its run and waits for it in others, to another;
    nothing where there is none. Of a run that whoever asks does not see none is told."""
    plans: dict[int, Plan] = {}
    seen: set[int] = set()
    came: dict[tuple[int, str], tuple[int, str] | None] = {start: None}
    queue = [start]
    for at in queue:
        number, key = at
        if number not in plans:
            run = run_by_id(session, number)
            if run is None:
                continue
            plans[number] = plan_of(run, today)
            if may_see_run(run, actor):
                seen.add(number)
        plan = plans[number]
        if at == goal:
            way: list[str] = []
            step: tuple[int, str] | None = at
            while step is not None:
                there = plans[step[0]]
                way.append(there.tasks[there.position(step[1])].title if step[0] in seen else HIDDEN_TASK)
                step = came[step]
            return way[::-1]
        behind = {(number, plan.tasks[i].key) for i in plan.network.targets(plan.position(key))}
        for above in list(plan.above(plan.position(key)))[1:]:  # what follows a parent follows its parts
            behind |= {(number, plan.tasks[i].key) for i in plan.network.targets(above)}
        for other in sorted(behind | waiting_for(session, number, key)):
            if other not in came:
                came[other] = at
                queue.append(other)
    return []
