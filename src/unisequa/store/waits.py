"""What tasks wait for in other runs: in the one of that template whose anchor has that date."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping, Sequence

from sqlalchemy.orm import Session, object_session

from unisequa.core.calendars.grid import DAYS, Grid
from unisequa.core.documents.includes import name_key
from unisequa.core.documents.template import Step, Template, Wait
from unisequa.core.plan.task import Awaited
from unisequa.core.terms import FINISHED
from unisequa.store.documents import template_of
from unisequa.store.minutes import has_come, slot_of
from unisequa.store.of_run import awaited_by
from unisequa.store.queries.runs import AwaitedRun, runs_as_awaited, runs_of_templates, tasks_of_runs
from unisequa.store.queries.subjects import folded
from unisequa.store.queries.templates import names_of, newest_released
from unisequa.store.tables import Run, TaskRow

HIDDEN_TASK = "a task"


class AwaitedElsewhere:
    """Answers what is awaited from what there is, asked for at once for all waits.

    Parameters
    ----------
    ids : mapping
        Name as it is compared → id of the template that a wait means by it.
    grid : Grid
        That of the plan that waits.
    viewer : int, optional
        Id of who looks: of runs that they may not see only the dates are told.
    chosen : mapping, optional
        Template's id as text → the id of the run that is waited for, whatever its dates.
    subject : str, optional
        That of the run that waits.
    """

    def __init__(
        self,
        session: Session,
        waits: Iterable[Wait],
        ids: Mapping[str, int],
        today: dt.date,
        grid: Grid = DAYS,
        viewer: int | None = None,
        chosen: Mapping[str, int] | None = None,
        subject: str = "",
    ) -> None:
        waits = tuple(waits)
        self.today, self.grid, self.ids, self.chosen = today, grid, ids, chosen or {}
        self.session, self.subject = session, folded(subject)
        self.titles: dict[int, dict[str, str]] | None = None
        self.runs: dict[int, list[AwaitedRun]] = {}
        meant = {number for wait in waits if (number := self._meant(wait))}
        self.names = names_of(session, meant, viewer)
        for run in runs_of_templates(session, meant, viewer):
            self.runs.setdefault(run.template_id, []).append(run)
        every = {run.id for runs in self.runs.values() for run in runs}
        self.tasks = tasks_of_runs(session, every, {wait.step for wait in waits})
        self.seen = {run.id for runs in self.runs.values() for run in runs if run.seen}

    def known(self) -> tuple[object, ...]:
        """All that its answers rest on, as plain values."""
        runs = [(run.id, run.name, sorted(run.anchors.items())) for runs in self.runs.values() for run in runs]
        tasks = [
            (key, t.title, t.finish_on, (t.minutes or {}).get("due"), is_over(t, self.today))
            for key, t in sorted(self.tasks.items())
        ]
        given = sorted(self.ids.items()), sorted(self.chosen.items()), self.grid, self.subject
        return given, sorted(self.names.items()), runs, tasks, sorted(self.seen)

    def _meant(self, wait: Wait) -> int | None:
        return self.ids.get(name_key(wait.template))

    def run_for(self, wait: Wait, date: dt.date | None) -> AwaitedRun | None:
        """The run that a wait on a date is for: the one that was chosen, else of those whose anchor has that date the
        one of the same subject, else the latest."""
        meant = self._meant(wait) or 0
        runs = self.runs.get(meant, [])
        if chosen := self.chosen.get(str(meant)):
            return next((run for run in runs if run.id == chosen), None)
        day = date.isoformat()[:10] if date else None
        found = [run for run in runs if day and (run.anchors.get(wait.theirs) or "")[:10] == day]
        same = (run for run in found if self.subject and folded(run.subject) == self.subject)
        return next(same, found[0] if found else None)

    def __call__(self, wait: Wait, date: dt.date | None) -> Awaited:
        """What a wait on a date is for."""
        run = self.run_for(wait, date)
        if run is None:
            return Awaited(self._title(wait), self.names.get(self._meant(wait) or 0, wait.template), found=False)
        name = run.name if run.id in self.seen else ""
        task = self.tasks.get((run.id, wait.step))
        if task is None:  # it does not apply there
            return Awaited(wait.step, name, done=True)
        return _awaited(task, name, self.grid, self.today)

    def _title(self, wait: Wait) -> str:
        """What a step is called of which there is no run yet, by the newest edition of a template that is seen."""
        if self.titles is None:
            self.titles = {
                edition.template_id: {step.key: step.title for step in template_of(edition).steps}
                for edition in newest_released(self.session, ids=list(self.names))
            }
        title = self.titles.get(self._meant(wait) or 0, {}).get(wait.step, wait.step)
        return wait.step if "{{" in title else title


def _awaited(task: TaskRow, name: str, grid: Grid, today: dt.date, *, drawn: bool = False) -> Awaited:
    """A task that is waited for in the run of that name; without a name it may not be told of."""
    title, of = task.title if name else HIDDEN_TASK, (task.run_id, task.key)
    over = is_over(task, today)
    return Awaited(title, name, _finish(task, grid), over, start=_start(task, grid), of=of, drawn=drawn)


def _start(task: TaskRow, grid: Grid) -> int | None:
    """Where it begins there, as nearly as a grid knows."""
    if task.start_on is None:
        return None
    if grid.per_day > 1 and task.minutes:
        return grid.of(dt.datetime.fromisoformat(task.minutes["start"][:16]))
    return grid.day_start(task.start_on.toordinal())


def _finish(task: TaskRow, grid: Grid) -> int | None:
    """The boundary at which it finishes there."""
    if task.finish_on is None or task.state == "dropped":
        return None
    if grid.per_day > 1 and task.minutes:
        return slot_of(task.minutes["due"], grid)
    return grid.day_start(task.finish_on.toordinal() + 1)


def is_over(row: TaskRow, today: dt.date) -> bool:
    """Whether a task is done or dropped, or counts as signed off by itself."""
    return row.state in FINISHED or has_come(row.counts_on, row.minutes, "counts", today)


def waits_of(
    run: Run, rows: Sequence[TaskRow], template: Template, today: dt.date, viewer: int | None = None
) -> dict[str, tuple[Awaited, ...]]:
    """What each task of a run of that template waits for in other runs, its parents' waits among them; ``viewer`` as
    in :class:`AwaitedElsewhere`."""
    steps = {step.key: step for step in template.steps if step.waits_for}
    session = object_session(run)
    if session is None or not (steps or run.drawn):
        return {}
    drawn = _drawn(session, run, template.slots_of_time(), today, viewer)
    if not steps:
        return drawn
    waits = (wait for step in steps.values() for wait in step.waits_for)
    grid = template.slots_of_time()
    find = AwaitedElsewhere(
        session, waits, awaited_by(run), today, grid, viewer=viewer, chosen=run.awaits, subject=run.subject
    )
    parents = {row.key: row.parent for row in rows}
    days = {key: dt.datetime.fromisoformat(day) if day else None for key, day in run.anchors.items()}
    return {
        row.key: tuple(
            find(wait, days.get(wait.anchor)) for step in _line(row.key, parents, steps) for wait in step.waits_for
        )
        + drawn.get(row.key, ())
        for row in rows
    }


def _drawn(
    session: Session, run: Run, grid: Grid, today: dt.date, viewer: int | None
) -> dict[str, tuple[Awaited, ...]]:
    """What tasks wait for because somebody drew it; a run or a task that is no longer there holds nothing."""
    if not run.drawn:
        return {}
    names = {one.id: one.name if one.seen else "" for one in runs_as_awaited(session, _runs_of(run), viewer)}
    tasks = tasks_of_runs(session, names, {one["of"] for one in run.drawn})
    found: dict[str, tuple[Awaited, ...]] = {}
    for one in run.drawn:
        task = tasks.get((one["run"], one["of"]))
        if task is not None:
            awaited = _awaited(task, names[task.run_id], grid, today, drawn=True)
            found[one["key"]] = (*found.get(one["key"], ()), awaited)
    return found


def _runs_of(run: Run) -> set[int]:
    return {one["run"] for one in run.drawn}


def _line(key: str | None, parents: Mapping[str, str | None], steps: Mapping[str, Step]) -> Iterator[Step]:
    while key is not None:
        if key in steps:
            yield steps[key]
        key = parents.get(key)
