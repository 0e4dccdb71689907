"""What is kept of a run so that lists need not look at its tasks, brought to what its rows say.

Whoever changes a run calls :func:`bring_up` in the same transaction; ``unisequa check-data`` compares.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy.orm import Session, object_session

from unisequa.core.calendars.grid import Grid
from unisequa.core.design.outline import outline
from unisequa.core.documents.includes import Scope, name_key, whole
from unisequa.core.documents.template import SignOff
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.mending import Mending, mending
from unisequa.core.terms import FINISHED
from unisequa.core.work.line import RunLine, laned, line_of
from unisequa.core.work.outlook import Outlook, outlook
from unisequa.core.work.readiness import Readiness, readiness
from unisequa.core.work.run_states import is_over
from unisequa.core.work.sign_off import counts_from
from unisequa.core.work.summary import phases_of, summary_of
from unisequa.store.baselines import curve_of
from unisequa.store.documents import calendars_of, grid_of_run, template_of
from unisequa.store.minutes import has_come, in_lists, set_span, slot_of
from unisequa.store.new_tasks import AnyTask, NewTask
from unisequa.store.of_run import awaited_by, library_of, template_of_run
from unisequa.store.plans import plan_of
from unisequa.store.queries.awaited import Pair, awaited_of, keep_awaited
from unisequa.store.queries.runs import run_by_id, run_ids_without_summary, runs_waiting_for, runs_waiting_for_any
from unisequa.store.queries.templates import editions_without_length
from unisequa.store.step_messages import keep_messages
from unisequa.store.tables import LineOfRun, Run, RunPhase, RunWait, TaskRow


class TaskKept(NamedTuple):
    """What is kept of a task: whose it is, in whose queue it lies, who signs it off, since when it is ready, and since
    when it is over by itself."""

    person_id: int | None
    team_id: int | None
    signer_id: int | None
    ready_on: dt.date | None
    counts_on: dt.date | None
    minutes: dict[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class Kept:
    """All that is kept of a run beside its rows: of each task by its key, of the run, of each phase, and its line."""

    tasks: dict[str, TaskKept]
    summary: dict[str, Any]
    phases: tuple[tuple[str, str, int, int, dt.date | None, dt.date | None], ...]
    line: RunLine


def rule_of(run: Run, key: str) -> SignOff | None:
    """How a task is signed off."""
    return next((step.sign_off for step in template_of_run(run).steps if step.key == key), None)


def values_in(run: Run, key: str) -> dict[str, Any]:
    """What conditions and texts of a task may name: subject, facts, crew and anchors, by its template's own names."""
    values: dict[str, Any] = {"subject": run.subject, **run.facts}
    values |= {member.role: member.name or member.label for member in run.crew}
    values |= anchor_days(run)
    return {**values, **_scope(run, key).named(values)}


def anchor_days(run: Run) -> dict[str, dt.date | None]:
    """Anchor → its date, with its time in a job of hours."""
    grid = grid_of_run(run)
    return {key: grid.moment(grid.read(day)) if day else None for key, day in run.anchors.items()}


def _scope(run: Run, key: str) -> Scope:
    """The names that a step of an included template has for what we call otherwise."""
    if "." not in key:
        return Scope()
    parts = whole(template_of(run.edition), library_of(run))
    return next((placed.scope for placed in parts.steps if placed.key == key), Scope())


def _signed_by_itself(run: Run, row: AnyTask) -> dt.date | None:
    """The day from which a task in review counts as signed off by itself."""
    rule = rule_of(run, row.key) if row.state == "in review" and row.done_at is not None else None
    if rule is None or rule.by_itself is None or row.done_at is None:
        return None
    calendar = calendars_of(run)[row.calendar]
    day = counts_from(rule, row.done_at.date().toordinal(), calendar, values_in(run, row.key))
    return dt.date.fromordinal(day) if day is not None else None


def settle(run: Run, today: dt.date) -> None:
    """Write down what is over by itself by today, as if somebody had done it on its day."""
    for row in run.tasks:
        if row.counts_on is None or not has_come(row.counts_on, row.minutes, "counts", today):
            continue
        if row.state == "in review":
            row.signed_on = row.counts_on - dt.timedelta(days=1)
        else:
            row.before = row.before or dates_kept(row)
            row.done_at = dt.datetime.combine(row.counts_on, dt.time())
            row.start_on = row.finish_on = row.counts_on
            if row.minutes and "counts" in row.minutes:
                grid, counts = grid_of_run(run), row.minutes["counts"]
                row.done_at = dt.datetime.fromisoformat(counts)
                set_span(row, (slot_of(counts, grid), slot_of(counts, grid)), grid)
        row.state, row.counts_on = "done", None


def dates_kept(row: TaskRow) -> dict[str, Any]:
    """Where a task stands, to be there again when it is reopened."""
    days = [day.isoformat() if day else None for day in (row.start_on, row.finish_on)]
    kept = {"days": days, "duration": row.duration, "put": row.put, "fixed": row.fixed}
    return kept | ({"minutes": row.minutes} if row.minutes else {})


def bring_up(run: Run, today: dt.date, plan: Plan | None = None, *, anew: bool = False) -> None:
    """Bring what is kept of a run to what its rows say, and of the runs that wait for it; ``plan`` is the run as it now
    stands, where it is known, ``anew`` as for those."""
    keep(run, today, plan)
    bring_up_waiting(run, today, anew=anew)


def bring_up_waiting(run: Run, today: dt.date, *, anew: bool = False) -> None:
    """Bring up what is kept of the runs that wait for one, or for one of its template that they have not found;
    ``anew`` all that wait for any of them, since this one may be what they wait for."""
    session = object_session(run)
    if session is None or run.id is None:
        return
    which = runs_waiting_for_any if anew else runs_waiting_for
    for run_id in which(session, run.edition.template_id, run.id):
        other = run_by_id(session, run_id, alone=False)
        if other is not None:
            keep(other, today, None)


def keep(run: Run, today: dt.date, plan: Plan | None, new: Sequence[NewTask] | None = None) -> None:
    """Bring up what is kept of a run itself; ``new`` are its tasks while they are no rows yet."""
    every: Sequence[AnyTask] = run.tasks if new is None else new
    for row in every:
        row.counts_on = _signed_by_itself(run, row)
    plan = plan or plan_of(run, today, by_itself=False)
    kept = kept_of(run, plan, every)
    session = object_session(run)
    if session is not None and run.id is not None and any(task.waits for task in plan.tasks):
        keep_awaited(session, run.id, pairs_in(plan))
    for task in every:
        for name, value in kept.tasks[task.key]._asdict().items():
            if getattr(task, name) != value:
                setattr(task, name, value)
    if run.summary != kept.summary:
        run.summary = kept.summary
    rows: dict[str, RunPhase] = {phase.key: phase for phase in run.phases}
    for position, (key, label, tasks, over, first, last) in enumerate(kept.phases):
        phase = rows.pop(key, None)
        if phase is None:
            run.phases.append(phase := RunPhase(key=key))
        phase.position, phase.label, phase.tasks, phase.over = position, label, tasks, over
        phase.first_on, phase.last_on = first, last
    for gone in rows.values():
        run.phases.remove(gone)
    _keep_line(run, kept, today)
    template = template_of_run(run)
    if session is not None and run.id is not None and any(step.messages for step in template.steps):
        keep_messages(session, run, template, plan, every, today)


def _keep_line(run: Run, kept: Kept, today: dt.date) -> None:
    """The line of a run."""
    run.line = run.line or LineOfRun()
    dated = [
        (key, label, first.toordinal(), last.toordinal(), over, tasks)
        for key, label, tasks, over, first, last in kept.phases
        if first is not None and last is not None
    ]
    drawn = {"phases": laned(dated), "anchors": kept.summary.get("anchors", [])}
    as_of = dt.date(today.year, today.month, today.day)
    for name, value in {"as_of": as_of, **_line_kept(kept.line), **drawn}.items():
        if getattr(run.line, name) != value:
            setattr(run.line, name, value)


def _line_kept(line: RunLine) -> dict[str, Any]:
    return {
        "first": line.first, "last": line.last, "expected": line.expected, "deadline": line.deadline, "mark": line.mark,
        "standing": line.standing, "reason": line.reason[:400], "ahead": line.ahead, "tasks": line.tasks,
        "over": line.over, "late": line.late, "slack": line.slack, "phase": line.phase,
    }  # fmt: skip


def pairs_in(plan: Plan) -> set[Pair]:
    """The tasks of a plan that wait for tasks of other runs, parents apart, with what they wait for."""
    return {
        (task.key, *one.of)
        for i, task in enumerate(plan.tasks)
        if not plan.is_parent(i)
        for one in task.waits
        if one.of is not None
    }


def keep_waits(run: Run) -> None:
    """Keep which templates' runs a run's tasks wait for."""
    names = {name_key(wait.template) for step in template_of_run(run).steps for wait in step.waits_for}
    wanted = {number for name, number in awaited_by(run).items() if name in names} if names else set()
    wanted |= {one["template"] for one in run.drawn or ()}
    run.waits = [row for row in run.waits if row.template_id in wanted]
    run.waits += [RunWait(template_id=n) for n in sorted(wanted - {row.template_id for row in run.waits})]


def bring_up_new(session: Session, today: dt.date) -> None:
    """Bring up the editions and runs for which nothing is kept yet: those of a database of an older shape."""
    for edition in editions_without_length(session):
        edition.days = outline(template_of(edition)).length
    for run_id in run_ids_without_summary(session):
        run = run_by_id(session, run_id)
        assert run is not None
        keep_waits(run)
        bring_up(run, today)


def kept_of(run: Run, plan: Plan, of: Sequence[AnyTask]) -> Kept:
    """What should be kept of a run that stands as a plan says, and ``of`` its tasks."""
    rows, grid = {row.key: row for row in of}, plan.grid
    reviewed = {
        key: grid.day_start(day.toordinal()) for key, row in rows.items() if (day := _signed_by_itself(run, row))
    }
    asked = {key for key, row in rows.items() if row.sign_off_role}
    ready = readiness(plan, reviewed, asked)
    mend = mending(plan)
    counts = {
        task.key: over
        for i, task in enumerate(plan.tasks)
        if task.state not in FINISHED and not plan.is_parent(i) and (over := ready.over[i]) is not None
    }
    crew = {member.role: member for member in run.crew}
    tasks = {}
    for i, task in enumerate(plan.tasks):
        row = rows[task.key]
        doer = crew.get(row.role or "")
        person = row.assigned_id or (doer.person_id if doer else None)
        team = doer.team_id if doer is not None and row.assigned_id is None else None
        if plan.is_parent(i):
            person = team = None
        since = None if task.state in FINISHED or plan.is_parent(i) else ready.ready[i]
        over = counts.get(task.key)
        tasks[task.key] = TaskKept(
            person,
            team,
            signer_of(run, row),
            _date(None if since is None else max(1, grid.day(since))),
            _date(None if over is None else grid.day(over)),
            in_lists(row, grid, since, over) if grid.per_day > 1 else None,
        )
    over_on = {key: grid.day(at) for key, at in counts.items()}
    labels = {phase.key: phase.label for phase in template_of_run(run).phases}
    order = {key: i for i, key in enumerate(labels)}
    phases = sorted(phases_of(plan), key=lambda phase: order.get(phase.key, len(order)))
    stands = outlook_of(run, plan, ready, mend)
    now = plan.today if plan.today is not None else 0
    by_now = frozenset(key for key, at in counts.items() if at <= now)
    return Kept(
        tasks,
        _as_json(summary_of(plan, over_on, stands, mend.tasks if mend else 0).written()),
        tuple((p.key, labels.get(p.key, p.key), p.tasks, p.over, _date(p.first), _date(p.last)) for p in phases),
        line_of(plan, stands, by_now, next((p.key for p in phases if p.over < p.tasks), ""), _planned_end(run, grid)),
    )


def _planned_end(run: Run, grid: Grid) -> int | None:
    """The last day of a run's first baseline."""
    ends = [dates[1] for dates in run.baselines[0].dates.values()] if run.baselines else []
    return grid.day(max(grid.read(end) for end in ends)) if ends else None


def outlook_of(run: Run, plan: Plan, ready: Readiness, mend: Mending | None) -> Outlook:
    """How a run stands on its plan's day; ``mend`` what makes it hold again, if something does not."""
    template = template_of_run(run)
    after = mend.result.after() if mend is not None else plan
    phases = [phase.key for phase in template.phases]
    latest = run.baselines[-1] if run.baselines else None
    kept = curve_of(plan, latest.dates) if latest else None
    return outlook(plan, ready, after, kept, phases)


def signer_of(run: Run, row: AnyTask) -> int | None:
    """Who signs a task off that is in review: nobody signs off what they did, and where no active signer is left it is
    the keeper, then the template's owner, then any administrator (None)."""
    if row.state != "in review":
        return None
    did = {row.done_by_id, row.recorded_by_id}
    signers = [person for m in run.crew if m.role == row.sign_off_role for person in m.people if person.active]
    deputies = sorted(deputy.person_id for deputy in run.deputies)
    in_turn = (*(person.id for person in signers), run.keeper_id, *deputies, run.edition.template.owner_id)
    return next((person for person in in_turn if person not in did), None)


def differences(run: Run, today: dt.date) -> list[str]:
    """What is kept of a run and is not what its rows say, in words."""
    plan = plan_of(run, today, by_itself=False)
    kept = kept_of(run, plan, run.tasks)
    told = [
        f"{row.key}: {name} is {is_kept}, and should be {should}"
        for row in run.tasks
        for name, should in kept.tasks[row.key]._asdict().items()
        if (is_kept := getattr(row, name)) != should
    ]
    if _lasting(run.summary) != _lasting(kept.summary):
        told.append("the summary is not what the tasks say")
    lasting = ("first", "last", "deadline", "tasks", "phase")
    line = _line_kept(kept.line)
    if run.line is None or any(getattr(run.line, name) != line[name] for name in lasting):
        told.append("its line on the horizon is not what the tasks say")
    rows = tuple((p.key, p.label, p.tasks, p.over, p.first_on, p.last_on) for p in run.phases)
    if rows != kept.phases:
        told.append("the phases are not what the tasks say")
    session = object_session(run)
    if session is not None and not is_over(run.state) and awaited_of(session, run.id) != pairs_in(plan):
        told.append("what it waits for in other runs is not what is kept of it")
    return told


def _lasting(summary: dict[str, Any]) -> dict[str, Any]:
    """A summary without what depends on the day on which it was worked out; the order of its tasks says nothing."""
    kept = {name: value for name, value in summary.items() if name not in {"stands", "expected", "mend"}}
    return {name: sorted(value) if isinstance(value, list) else value for name, value in kept.items()}


def _as_json(value: Any) -> Any:
    """Tuples as the lists that come back from the database."""
    if isinstance(value, dict):
        return {key: _as_json(one) for key, one in value.items()}
    return [_as_json(one) for one in value] if isinstance(value, list | tuple) else value


def _date(day: int | None) -> dt.date | None:
    return dt.date.fromordinal(day) if day is not None else None
