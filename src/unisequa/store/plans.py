"""Rows of a run into the core's plan, and dates back into rows: the one place that does, and the one maker of tasks."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any, cast

from sqlalchemy import insert
from sqlalchemy.orm import Session, object_session

from unisequa.core.calendars.grid import Grid, read_span
from unisequa.core.calendars.today import now_on
from unisequa.core.documents.template import Measure, Step, When
from unisequa.core.errors import ShiftError
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf
from unisequa.core.plan.plan import Plan, boundaries, boundaries_of, days_of, read, standing
from unisequa.core.plan.targets import in_windows, still_derived, target_of
from unisequa.core.plan.task import Awaited, LinkOf, Task
from unisequa.core.shift.carrying_out import prepare
from unisequa.core.shift.edits import TaskEdit
from unisequa.core.terms import DAY_MINUTES, Edge, Follow, LagUnit, LinkType, Ready, State
from unisequa.store.documents import calendars_of, keep_calendars
from unisequa.store.minutes import has_come, set_span, set_times, slot_of, span_in, task_at
from unisequa.store.new_tasks import AnyTask, NewTask
from unisequa.store.of_run import template_of_run
from unisequa.store.queries.people import people_by_id, people_named
from unisequa.store.queries.runs import RowsOfRun
from unisequa.store.tables import LinkRow, Run, TaskRow
from unisequa.store.waits import waits_of


def plan_of(
    run: Run,
    today: dt.date,
    *,
    by_itself: bool = True,
    rows: RowsOfRun | None = None,
    viewer: int | None = None,
) -> Plan:
    """A run as it stands: its tasks with their dates, slack and criticality worked out on them.

    What counts as done or signed off by itself by today is done, unless ``by_itself`` says to take states as they are
    written. ``rows`` are its tasks and links where they were only looked up; without them the run's own are loaded. Of
    other runs that tasks wait for, a ``viewer`` (a person's id) is told only what they may see.
    """
    rows = rows or RowsOfRun(run.tasks, run.links)
    calendars, template = calendars_of(run), template_of_run(run)
    grid = calendars.grid
    given = {a.key: run.anchors.get(a.key) for a in template.anchors}
    anchors = {key: grid.read(day) if day else None for key, day in given.items()}
    tasks: list[Task] = []
    dates: dict[str, tuple[int, int]] = {}
    waits = waits_of(run, rows.tasks, template, today, viewer)
    given_to = _given(run, rows.tasks)
    for row in rows.tasks:
        task = _opening(_task(row, grid, waits.get(row.key, ())), anchors, calendars)
        if row.assigned_id in given_to:
            task = replace(task, who=given_to[row.assigned_id])
        read = stands_at(row, grid)
        if by_itself and has_come(row.counts_on, row.minutes, "counts", today):
            counts = _counts(row, grid)
            read = read if row.state == "in review" else (counts, counts)
            task = replace(task, state="done", signed=counts if row.state == "in review" else None)
        tasks.append(task)
        if read:
            dates[row.key] = boundaries(task, *read, grid)
    keys = {row.id: row.key for row in rows.tasks}
    links = tuple(_link(link, keys) for link in rows.links)
    links += tuple(LinkOf(*link) for link in run.ties.get("links", ()))
    phases = tuple(_phase(kept) for kept in run.windows)
    ends = template.ends if template.ends is not None and anchors.get(template.ends) is not None else None
    end = None if ends is None else anchors[ends]
    placed = in_windows(tasks, phases, anchors, calendars) if phases else tuple(tasks)
    plan = standing(
        run.name,
        placed,
        links,
        dates,
        calendars,
        anchors,
        {anchor.key: anchor.label for anchor in template.anchors},
        today=now_on(grid, today),
        end=None if end is None else grid.day_start(grid.day(end) + 1),
        ties=tuple(run.ties.get("keys", ())),
        phases=phases,
    )
    measures = {anchor.key: anchor.from_ for anchor in template.anchors if anchor.from_ is not None}
    derived = still_derived(anchors, measures, calendars)
    crew = {member.role: member.name for member in run.crew if member.name}
    return replace(
        plan,
        derived=derived,
        direction=template.direction,
        crew=crew,
        ends=ends,
        follow=cast(Follow, run.follow),
    )


def _given(run: Run, rows: Sequence[TaskRow]) -> dict[int | None, str]:
    """The names of those who were given single tasks, by their ids."""
    ids = {row.assigned_id for row in rows if row.assigned_id is not None}
    session = object_session(run)
    if not ids or session is None:
        return {}
    return {number: person.name for number, person in people_by_id(session, ids).items()}


def stands_at(row: TaskRow, grid: Grid) -> tuple[int, int] | None:
    """The dates of a row as people read them."""
    if grid.per_day > 1:
        return span_in(row.minutes or {}, grid)
    if row.start_on is None or row.finish_on is None:
        return None
    return row.start_on.toordinal(), row.finish_on.toordinal()


def _counts(row: TaskRow, grid: Grid) -> int:
    """The slot from which a row is over by itself."""
    assert row.counts_on is not None
    if row.minutes and "counts" in row.minutes:
        return slot_of(row.minutes["counts"], grid)
    return grid.day_start(row.counts_on.toordinal())


def _measures(kept: list[Any]) -> tuple[Measure, ...]:
    return tuple(Measure.model_validate(measure) for measure in kept) if kept else ()


def _task(row: TaskRow, grid: Grid, waits: tuple[Awaited, ...]) -> Task:
    target = None
    if grid.per_day == 1 and row.target_start_on and row.target_finish_on:
        days = row.target_start_on.toordinal(), row.target_finish_on.toordinal()
        target = boundaries_of(row.duration, row.edge, *days)
    task = Task(
        key=row.key,
        title=row.title,
        duration=row.duration,
        edge=cast(Edge, row.edge),
        when=When.model_validate(row.measured) if row.measured else None,
        target=target,
        not_before=row.not_before_on.toordinal() if row.not_before_on else None,
        deadline=row.deadline_on.toordinal() + 1 if row.deadline_on else None,
        calendar=row.calendar,
        phase=row.phase,
        role=row.role,
        state=cast(State, row.state),
        opens=row.opens,
        parent=row.parent,
        fixed=row.fixed,
        put=row.put,
        ready=cast(Ready, row.ready),
        signed=row.signed_on.toordinal() + 1 if row.signed_on else None,
        limits_from=_measures(row.limits),
        deadlines_from=_measures(row.deadlines),
        waits=waits,
        effort=minutes_of(row.effort),
        chunk=minutes_of(row.chunk),
        left=row.left,
    )
    return task_at(task, row.minutes or {}, grid) if grid.per_day > 1 else task


def minutes_of(length: str | None) -> int | None:
    """Minutes of work as they are written in a row; None for what nobody can read."""
    if not length:
        return None
    try:
        return read_span(length, DAY_MINUTES)
    except ValueError:
        return None


def _opening(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> Task:
    """A task that opens the job, measured from the first anchor; rows of older runs do not say so."""
    first = next(iter(anchors), None)
    if not task.opens or task.when is not None or first is None:
        return task
    when = When(anchor=first, offset=0, unit="days", edge="start")
    measured = replace(task, when=when)
    return replace(measured, target=target_of(measured, anchors, calendars))


def _link(row: LinkRow, keys: dict[int, str]) -> LinkOf:
    return LinkOf(keys[row.source_id], keys[row.target_id], cast(LinkType, row.type), row.lag, cast(LagUnit, row.unit))


def put_back(run: Run, plan: Plan) -> None:
    """Bring a run's rows to what a plan of it says now: dates, states, links, anchors and calendars."""
    rows = {row.key: row for row in run.tasks}
    given_to = _given(run, run.tasks)
    for position, task in enumerate(plan.tasks):
        row = rows[task.key]
        if task.who != given_to.get(row.assigned_id):
            row.assigned_id = _whom(run, task)
        _set_dates(row, plan, position)
        row.state, row.fixed, row.calendar = task.state, task.fixed, task.calendar
        row.put, row.edge, row.left = task.put, task.edge, task.left
        row.signed_on = _date(None if task.signed is None else plan.grid.day(task.signed - 1))
    ids = {row.key: row.id for row in run.tasks}
    wanted = {(ids[k.source], ids[k.target], k.type, k.lag, k.unit) for k in _drawn(plan, ids)}
    kept = [row for row in run.links if _link_row(row) in wanted]
    made = wanted - {_link_row(row) for row in kept}
    if made or len(kept) < len(run.links):
        run.links = [*kept, *(_new_link(*link) for link in sorted(made))]
    run.anchors = {**run.anchors, **anchors_kept(plan)}
    keep_calendars(run, plan.calendars.documents)
    keep_timing(run, plan)


def _whom(run: Run, task: Task) -> int | None:
    """Whoever a shift gives a task to.

    Raises
    ------
    ShiftError
        For a name that nobody here has, or several.
    """
    session = object_session(run)
    if task.who is None or session is None:
        return None
    found = people_named(session, task.who)
    if len(found) != 1:
        several = "several people are" if found else "nobody is"
        raise ShiftError(f"{task.title}: {several} called {task.who}; hand it over on the task itself", task=task.key)
    return found[0].id


def anchors_kept(plan: Plan) -> dict[str, str | None]:
    """The anchors of a plan as a run keeps them."""
    return {key: plan.grid.iso(at) if at is not None else None for key, at in plan.anchors.items()}


def keep_timing(run: Run, plan: Plan) -> None:
    """Have a run know the windows of its phases, and the ties among its links."""
    timed = any(phase.span or phase.after or phase.window for phase in plan.phases)
    windows = [_kept_phase(phase) for phase in plan.phases] if timed else []
    ties = {}
    if plan.ties:
        tied = [k for k in plan.links if k.source in plan.ties or k.target in plan.ties]
        ties = {"keys": list(plan.ties), "links": [[k.source, k.target, k.type, k.lag, k.unit] for k in tied]}
    if (run.windows, run.ties) != (windows, ties):
        run.windows, run.ties = windows, ties


def _kept_phase(phase: PhaseOf) -> dict[str, Any]:
    days = phase.window and [dt.date.fromordinal(day).isoformat() for day in phase.window]
    return {**asdict(phase), "window": days}


def _phase(kept: Mapping[str, Any]) -> PhaseOf:
    days = kept["window"] and tuple(dt.date.fromisoformat(day).toordinal() for day in kept["window"])
    return PhaseOf(**{**kept, "window": days})


def _drawn(plan: Plan, ids: Mapping[str, int]) -> list[LinkOf]:
    """The links between two tasks."""
    return [k for k in plan.links if k.source in ids and k.target in ids]


def insert_links(session: Session, run: Run, plan: Plan, ids: Mapping[str, int]) -> None:
    """Put all links of a plan into a run whose tasks are there, by the ids of their keys, and that has none yet."""
    rows = [
        {"run_id": run.id, "source_id": ids[k.source], "target_id": ids[k.target], "type": k.type, "lag": k.lag,
         "unit": k.unit}
        for k in _drawn(plan, ids)
    ]  # fmt: skip
    if rows:
        session.connection().execute(insert(LinkRow), rows)
    session.expire(run, ["links"])


def _new_link(source: int, target: int, kind: str, lag: int, unit: str) -> LinkRow:
    return LinkRow(source_id=source, target_id=target, type=kind, lag=lag, unit=unit)


def _link_row(row: LinkRow) -> tuple[int, int, str, int, str]:
    return row.source_id, row.target_id, row.type, row.lag, row.unit


def _date(day: int | None) -> dt.date | None:
    return dt.date.fromordinal(day) if day is not None else None


def _set_dates(row: AnyTask, plan: Plan, position: int) -> None:
    task, days = plan.tasks[position], plan.days(position)
    row.duration = task.duration
    row.start_on, row.finish_on = _date(days and days[0]), _date(days and days[1])
    if plan.grid.per_day > 1:
        set_times(row, plan, position)
        return
    target = plan.target_read(position)
    row.target_start_on, row.target_finish_on = _date(target and target[0]), _date(target and target[1])
    row.not_before_on = _date(task.not_before)
    row.deadline_on = _date(None if task.deadline is None else task.deadline - 1)


def set_actual(row: TaskRow, plan: Plan, edit: TaskEdit) -> None:
    """Put a task where it was begun or done, and nobody else anywhere."""
    position = plan.position(row.key)
    work = prepare(plan, [edit])
    task, (start, finish) = work.task(position), work.span(position)
    row.duration = task.duration
    set_dates(row, read(task, start, finish, plan.grid), plan.grid)


def set_dates(row: TaskRow, dates: tuple[int, int] | None, grid: Grid) -> None:
    """Put a row on dates as people read them."""
    days = days_of(dates, True, grid)
    row.start_on, row.finish_on = _date(days and days[0]), _date(days and days[1])
    if grid.per_day > 1:
        set_span(row, dates, grid)


def new_task(plan: Plan, position: int, step: Step, shown: int, instructions: str) -> NewTask:
    """A planned task that is to become a row: what the computation knows of it, and what its step says beside that.

    Parameters
    ----------
    shown : int
        Its place in the list of the run.
    """
    task = plan.tasks[position]
    row = NewTask(
        key=task.key,
        position=shown,
        title=task.title,
        phase=task.phase,
        role=task.role,
        edge=task.edge,
        opens=task.opens,
        parent=task.parent,
        fixed=task.fixed,
        put=task.put,
        ready=task.ready,
        limits=[_measure(measure) for measure in task.limits_from],
        deadlines=[_measure(measure) for measure in task.deadlines_from],
        calendar=task.calendar,
        measured=_measure(task.when) if task.when else None,
        kind=step.kind,
        priority=step.priority,
        effort=step.effort,
        chunk=step.chunk,
        gate=step.gate,
        may_skip=step.may_skip,
        sign_off_role=step.sign_off.role if step.sign_off else None,
        links_out=[link.written() for link in step.links_out],
        instructions=instructions,
    )
    _set_dates(row, plan, position)
    return row


def _measure(measure: Measure) -> dict[str, Any]:
    return {**measure.written(), "anchor": measure.anchor, "roll": measure.roll}
