"""Another template added to a run that is there: its steps as tasks of the run's own."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping

from unisequa.actions.access import check_may
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.own import MOST_IN_RUN, Place, changeable, keep_changed, next_number
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.rehearsing import Startable
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.includes import whole
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import DocumentError, Refused
from unisequa.core.plan.plan import Plan
from unisequa.store.documents import calendars_of, grid_of_run, keep_calendars
from unisequa.store.of_run import template_of_run
from unisequa.store.plans import new_task
from unisequa.store.store import Session
from unisequa.store.tables import CrewMember, LinkRow, Run, TaskRow


def add_template(
    session: Session,
    actor: Actor,
    run_id: int,
    template_id: int,
    day: dt.date,
    place: Place,
    today: dt.date,
) -> list[str]:
    """Add the steps of a template as tasks of the run's own, its anchors on a day; gives their keys.

    Its facts are the run's of the same names, its roles those of the same names; what the run does not have is added
    to its crew. What it waits for elsewhere, and its gates between phases, are not taken over.

    Raises
    ------
    Refused
        Field ``template``: where it asks for a fact that the run does not have, or cannot be planned.
    """
    run = changeable(session, actor, run_id, place)
    on = Startable(session, actor, template_id, None, today)
    check_may(on.row.template, actor, "start a run")
    if on.document.slots_of_time() != grid_of_run(run):
        what = "hours" if grid_of_run(run).per_day == 1 else "days, or by another clock"
        raise Refused({"template": f"It is a job of {what}, this run is not. Start it as a run of its own instead."})
    try:
        template = on.template
        facts = {fact.key: str(run.facts[fact.key]) for fact in template.facts if run.facts.get(fact.key) is not None}
        anchors = {a.key: day for a in template.anchors if a.required and a.from_ is None}
        plan = on.plan(Choices(anchors=anchors, facts=facts, crew=_crew_for(run, template), subject=run.subject))
    except DocumentError as error:
        told = "; ".join(fault.message for fault in error.faults[:3])
        raise Refused({"template": f"It cannot be added: {told}. Start it as a run of its own instead."}) from error
    if not plan.tasks or len(run.tasks) + len(plan.tasks) > MOST_IN_RUN:
        raise Refused({"template": "No step of it applies here."})
    prefix = f"own-{next_number(run)}-"
    roles = _roles_in(session, run, on, plan)
    rows = _rows_of(run, on, plan, prefix, roles, place)
    known = {document.name for document in calendars_of(run).documents}
    more = [document for document in plan.calendars.documents if document.name not in known]
    if more:
        keep_calendars(run, (*calendars_of(run).documents, *more))
    run.tasks += rows
    session.flush()
    ids = {row.key: row.id for row in rows}
    run.links += [
        LinkRow(source_id=ids[prefix + k.source], target_id=ids[prefix + k.target], type=k.type, lag=k.lag, unit=k.unit)
        for k in plan.links
        if prefix + k.source in ids and prefix + k.target in ids
    ]
    keep_changed(session, actor, run, today, f"Added {count_words(len(rows), 'task')} of {template.name}")
    return [row.key for row in rows]


def _crew_for(run: Run, template: Template) -> dict[str, str]:
    """Role of the template → who fills the run's role of the same name, as a start takes it."""
    by_label = {member.label.casefold(): member for member in run.crew}
    chosen = {}
    for role in template.roles:
        member = by_label.get(role.label.casefold())
        if member is not None and member.person_id:
            chosen[role.key] = str(member.person_id)
    return chosen


def _roles_in(session: Session, run: Run, on: Startable, plan: Plan) -> dict[str, str]:
    """Role of the template → role of the run; those that it lacks are added to its crew, filled by their rules."""
    by_label = {member.label.casefold(): member.role for member in run.crew}
    used = {task.role for task in plan.tasks if task.role}
    used |= {step.sign_off.role for step in on.template.steps if step.sign_off}
    members = on.members(Choices(crew=_crew_for(run, on.template), subject=run.subject))
    taken = {member.role for member in run.crew}
    names = {}
    for role in on.template.roles:
        if role.key not in used:
            continue
        name = by_label.get(role.label.casefold())
        if name is None:
            name = role.key
            while name in taken:
                name = f"{name}-2"[-80:]
            taken.add(name)
            member = members[role.key]
            run.crew.append(
                CrewMember(role=name, label=role.label, person=member.person, team=member.team, outside=member.outside)
            )
        names[role.key] = name
    return names


def _rows_of(run: Run, on: Startable, plan: Plan, prefix: str, roles: Mapping[str, str], place: Place) -> list[TaskRow]:
    steps: dict[str, Step] = {step.key: step for step in on.template.steps}
    phases = {phase.label.casefold(): phase.key for phase in template_of_run(run).phases}
    labels = {phase.key: phase.label.casefold() for phase in on.template.phases}
    under = next((row for row in run.tasks if row.key == place.under), None)
    scopes = {placed.key: placed.scope for placed in whole(on.document, on.included.library).steps}
    values: dict[str, object] = {"subject": run.subject, **run.facts}
    values |= {role: name for role, name in plan.crew.items() if name}
    values |= {key: plan.grid.moment(at) if at is not None else None for key, at in plan.anchors.items()}
    first = max((row.position for row in run.tasks), default=-1) + 1
    rows = []
    for i, task in enumerate(plan.tasks):
        try:
            instructions = fill_in(steps[task.key].instructions, {**values, **scopes[task.key].named(values)})
        except ValueError:
            instructions = steps[task.key].instructions
        row = TaskRow(**vars(new_task(plan, i, steps[task.key], first + i, instructions)))
        row.key, row.own, row.put = prefix + task.key, True, True
        row.parent = prefix + task.parent if task.parent else place.under or None
        row.phase = under.phase if under else place.phase or phases.get(labels.get(task.phase or "", ""))
        row.role = roles.get(task.role or "")
        row.sign_off_role = roles.get(row.sign_off_role or "")
        row.measured, row.opens, row.limits, row.deadlines = None, False, [], []
        row.target_start_on = row.target_finish_on = None
        if row.minutes is not None:
            row.minutes = {name: at for name, at in row.minutes.items() if name != "target"}
        rows.append(row)
    return rows
