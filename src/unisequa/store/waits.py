"""What tasks wait for in other runs: in the one of that template whose anchor has that date."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping, Sequence

from sqlalchemy.orm import Session, object_session

from unisequa.core.documents.includes import name_key
from unisequa.core.documents.template import Step, Template, Wait
from unisequa.core.plan.task import Awaited
from unisequa.core.terms import FINISHED
from unisequa.store.queries.runs import AwaitedRun, runs_of_templates, tasks_of_runs
from unisequa.store.queries.templates import templates_named
from unisequa.store.tables import Run, TaskRow


class AwaitedElsewhere:
    """Answers what is awaited from what there is, asked for at once for all waits.

    Parameters
    ----------
    slots : int
        How many a day has on the grid of the plan that waits.
    """

    def __init__(self, session: Session, waits: Iterable[Wait], today: dt.date, slots: int = 1) -> None:
        waits = tuple(waits)
        self.today, self.slots = today, slots
        self.templates = templates_named(session, {name_key(wait.template) for wait in waits}) if waits else {}
        self.runs: dict[int, list[AwaitedRun]] = {}
        for run in runs_of_templates(session, {number for number, _ in self.templates.values()}):
            self.runs.setdefault(run.template_id, []).append(run)
        ids = {run.id for runs in self.runs.values() for run in runs}
        self.tasks = tasks_of_runs(session, ids, {wait.step for wait in waits})

    def __call__(self, wait: Wait, date: dt.date | None) -> Awaited:
        """What a wait on a date is for."""
        number, name = self.templates.get(name_key(wait.template), (0, wait.template))
        day = date.isoformat()[:10] if date else None
        runs = self.runs.get(number, []) if day else []
        run = next((run for run in runs if run.anchors.get(wait.theirs) == day), None)
        if run is None:
            return Awaited(wait.step, name, found=False)
        task = self.tasks.get((run.id, wait.step))
        if task is None:  # it does not apply there
            return Awaited(wait.step, run.name, done=True)
        finish = (task.finish_on.toordinal() + 1) * self.slots if task.finish_on else None
        return Awaited(task.title, run.name, finish, is_over(task, self.today))


def is_over(row: TaskRow, today: dt.date) -> bool:
    """Whether a task is done or dropped, or counts as signed off by itself."""
    return row.state in FINISHED or (row.counts_on is not None and row.counts_on <= today)


def waits_of(run: Run, rows: Sequence[TaskRow], template: Template, today: dt.date) -> dict[str, tuple[Awaited, ...]]:
    """What each task of a run of that template waits for in other runs, its parents' waits among them."""
    steps = {step.key: step for step in template.steps if step.waits_for}
    session = object_session(run)
    if session is None or not steps:
        return {}
    find = AwaitedElsewhere(session, (wait for step in steps.values() for wait in step.waits_for), today)
    parents = {row.key: row.parent for row in rows}
    days = {key: dt.date.fromisoformat(day) if day else None for key, day in run.anchors.items()}
    return {
        row.key: tuple(
            find(wait, days.get(wait.anchor)) for step in _line(row.key, parents, steps) for wait in step.waits_for
        )
        for row in rows
    }


def _line(key: str | None, parents: Mapping[str, str | None], steps: Mapping[str, Step]) -> Iterator[Step]:
    while key is not None:
        if key in steps:
            yield steps[key]
        key = parents.get(key)
