"""Runs: starting one, the crew, and the state of its tasks."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload, selectinload

from unisequa.actions.access import check_may, may
from unisequa.actions.errors import NotAllowed, NotThere, Refused
from unisequa.actions.history import note
from unisequa.actions.templates.shelf import shelf_of
from unisequa.core.calendars.words import count_words, names_words
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.conditions import sentence
from unisequa.core.documents.includes import Scope, laid_open, whole
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.documents.template import Role, Template
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.facts import read_facts
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Begun, Done
from unisequa.core.work.task_states import Act, acts, shown_state, state_after, unfinished_before
from unisequa.store.documents import template_of, template_of_run
from unisequa.store.plans import plan_of, set_own_dates, task_row
from unisequa.store.rules import elsewhere, held_until
from unisequa.store.tables import Calendar, CrewMember, Edition, LinkRow, Person, Run, TaskRow, TemplateRow, now


@dataclass(frozen=True, slots=True)
class Choices:
    """What somebody chose on the start page.

    Parameters
    ----------
    crew : mapping of str to str
        Role → a person's id as text, or the name of somebody outside.
    calendar : str
        The run's own calendar; the template's without one.
    prepared : bool
        Prepare it now and open it later.
    """

    anchors: Mapping[str, dt.date] = field(default_factory=dict)
    facts: Mapping[str, str] = field(default_factory=dict)
    crew: Mapping[str, str] = field(default_factory=dict)
    subject: str = ""
    name: str = ""
    calendar: str = ""
    prepared: bool = False


def calendar_documents(session: Session, first: str | None) -> tuple[CalendarDocument, ...]:
    """All working calendars, the named one first."""
    rows = session.scalars(select(Calendar).order_by(Calendar.name))
    documents = [CalendarDocument.model_validate(row.document) for row in rows]
    return tuple(sorted(documents, key=lambda document: document.name != first))


def rehearse(session: Session, actor: Person, edition: Edition, choices: Choices, today: dt.date) -> Plan:
    """The plan that a run would have; nothing is created.

    Raises
    ------
    DocumentError
        With what is missing or wrong, path by path.
    """
    template, shelf = template_of(edition), shelf_of(session, edition)
    if faults := not_startable(template):
        raise DocumentError(faults)
    names = {}
    for role in laid_open(template, shelf.library).roles:
        person, outside = _member(session, actor, role, choices)
        names[role.key] = person.name if person else outside
    occasion = Occasion(
        anchors=choices.anchors,
        facts=choices.facts,
        crew=names,
        subject=choices.subject,
        calendars=calendar_documents(session, choices.calendar or template.calendar),
        today=today,
        elsewhere=elsewhere(session, today),
    )
    return assemble(template, occasion, shelf.library)


def not_startable(template: Template) -> list[Fault]:
    """What a template has that runs here cannot have yet; the command line plans all of it."""
    later = "has no page here yet; `unisequa plan` works it out on the command line"
    return [Fault("grid", f"A job of hours and minutes {later}")] if template.grid == "minute" else []


def _chosen(session: Session, chosen: str) -> Person | None:
    """The person whose id was chosen, if it is one who can sign in."""
    person = session.get(Person, int(chosen)) if chosen.isascii() and chosen.isdigit() and len(chosen) < 10 else None
    return person if person and person.active else None


def _member(session: Session, actor: Person, role: Role, choices: Choices) -> tuple[Person | None, str]:
    chosen = choices.crew.get(role.key, "").strip()
    if role.fill.by == "outside":
        return None, chosen[:200]
    if chosen.isdigit():
        return _chosen(session, chosen), ""
    if role.fill.by == "keeper":
        return actor, ""
    if role.fill.by == "person" and role.key not in choices.crew:
        return session.scalar(select(Person).where(Person.email == role.fill.person)), ""
    return None, ""


def start_run(session: Session, actor: Person, edition: Edition, choices: Choices, today: dt.date) -> Run:
    """Create a run with all its tasks, or nothing.

    Raises
    ------
    Refused
        With a message for every field at fault.
    """
    check_may(edition.template, actor, "edit" if edition.state == "draft" else "start")
    if edition.state == "retired":
        raise Refused({"": "This edition is retired; start the newest one."})
    try:
        plan = rehearse(session, actor, edition, choices, today)
    except DocumentError as error:
        raise Refused({fault.path: fault.message[:1].upper() + fault.message[1:] for fault in error.faults}) from error
    shelf = shelf_of(session, edition)
    template = laid_open(template_of(edition), shelf.library)
    _check_people(session, template, choices)
    if not plan.tasks:
        raise Refused({"": "No step of this template applies here, so the run would be empty."})
    facts, _ = read_facts(template, choices.facts)
    run = Run(
        edition_id=edition.id,
        name=(choices.name.strip() or plan.name)[:200],
        subject=choices.subject.strip()[:200],
        state="prepared" if choices.prepared else "live",
        keeper_id=actor.id,
        anchors={key: dt.date.fromordinal(day).isoformat() if day else None for key, day in plan.anchors.items()},
        facts={key: value.isoformat() if isinstance(value, dt.date) else value for key, value in facts.items()},
        calendars=[document.written() for document in plan.calendars.documents],
        pins=shelf.pins(template_of(edition)),
        created_by_id=actor.id,
    )
    run.crew = _crew(session, actor, template, choices)
    session.add(run)
    session.flush()
    values: dict[str, object] = {"subject": run.subject, **facts}
    values |= {member.role: _name_in(session, member) for member in run.crew}
    values |= {key: dt.date.fromordinal(day) if day else None for key, day in plan.anchors.items()}
    scopes = {placed.key: placed.scope for placed in whole(template_of(edition), shelf.library).steps}
    run.tasks = _rows(template, plan, values, scopes)
    session.flush()
    ids = {row.key: row.id for row in run.tasks}
    run.links = [
        LinkRow(source_id=ids[k.source], target_id=ids[k.target], type=k.type, lag=k.lag, unit=k.unit)
        for k in plan.links
    ]
    note(session, actor, "started", f"{run.name} started with {count_words(len(run.tasks), 'task')}", run_id=run.id)
    session.flush()
    return run


def _check_people(session: Session, template: Template, choices: Choices) -> None:
    outside = {role.key for role in template.roles if role.fill.by == "outside"}
    nobody = {
        f"crew.{key}": "There is nobody with that number; choose somebody in the list."
        for key, chosen in choices.crew.items()
        if key not in outside and chosen.isdigit() and _chosen(session, chosen) is None
    }
    if nobody:
        raise Refused(nobody)


def _crew(session: Session, actor: Person, template: Template, choices: Choices) -> list[CrewMember]:
    crew = []
    for role in template.roles:
        person, outside = _member(session, actor, role, choices)
        crew.append(
            CrewMember(role=role.key, label=role.label, person_id=person.id if person else None, outside=outside)
        )
    return crew


def _name_in(session: Session, member: CrewMember) -> str:
    person = session.get(Person, member.person_id) if member.person_id else None
    return person.name if person else member.outside or member.label


def _rows(template: Template, plan: Plan, values: Mapping[str, object], scopes: Mapping[str, Scope]) -> list[TaskRow]:
    steps = {step.key: step for step in template.steps}
    order = {phase.key: i for i, phase in enumerate(template.phases, 1)}
    shown = sorted(range(len(plan.tasks)), key=lambda i: order.get(plan.tasks[i].phase or "", 0))
    rows = []
    for position, i in enumerate(shown):
        task = plan.tasks[i]
        step = steps[task.key]
        row = task_row(task, plan, i)
        row.position = position
        row.kind, row.priority, row.effort, row.gate = step.kind, step.priority, step.effort, step.gate
        row.may_skip, row.sign_off_role = step.may_skip, step.sign_off.role if step.sign_off else None
        row.links_out = [link.written() for link in step.links_out]
        try:
            row.instructions = fill_in(step.instructions, {**values, **scopes[task.key].named(values)})
        except ValueError as error:
            raise Refused({"": f"The instructions of {task.title}: {error}."}) from error
        rows.append(row)
    return rows


def runs(session: Session, actor: Person) -> list[Run]:
    """The runs that somebody may see, those under way first, the latest created first."""
    query = select(Run).options(
        joinedload(Run.keeper),
        joinedload(Run.edition).joinedload(Edition.template).selectinload(TemplateRow.rights),
        selectinload(Run.tasks),
        selectinload(Run.crew),
    )
    order = {"live": 0, "prepared": 1, "on hold": 2, "finished": 3, "called off": 4}
    seen = (run for run in session.scalars(query) if may_see(run, actor))
    return sorted(seen, key=lambda run: (order.get(run.state, 9), -run.id))


def may_see(run: Run, actor: Person) -> bool:
    """Whether somebody sees a run: who may look at its template, its keeper, and its crew."""
    crew = {member.person_id for member in run.crew}
    return actor.id == run.keeper_id or actor.id in crew or may(run.edition.template, actor, "look")


def run_of(session: Session, run_id: int, actor: Person | None = None) -> Run:
    """A run by id, with its tasks, links and crew; for somebody, if they may see it."""
    query = (
        select(Run)
        .where(Run.id == run_id)
        .options(
            joinedload(Run.keeper),
            joinedload(Run.edition).joinedload(Edition.template),
            selectinload(Run.crew).joinedload(CrewMember.person),
            selectinload(Run.tasks),
            selectinload(Run.links),
        )
    )
    run = session.scalar(query)
    if run is None or (actor is not None and not may_see(run, actor)):
        raise NotThere("This run does not exist, or is not open to you.")
    return run


def may_change(run: Run, actor: Person) -> bool:
    """Whether this person changes the run's dates and crew: its keeper and the template's owner."""
    return actor.id in {run.keeper_id, run.edition.template.owner_id}


def check_may_change(run: Run, actor: Person) -> None:
    """Refuse whoever may not change the run, and a run that is over."""
    if not may_change(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, changes it.")
    if run.state in {"finished", "called off"}:
        raise Refused({"": f"The run is {run.state}; its dates no longer change."})


def task_of(run: Run, key: str) -> TaskRow:
    """A task of a run by its key."""
    for row in run.tasks:
        if row.key == key:
            return row
    raise NotThere("This task does not exist.")


def may_work_on(run: Run, row: TaskRow, actor: Person) -> bool:
    """Whether this person changes a task's state: whoever fills its role or signs it off, and the keeper."""
    roles = {row.role, row.sign_off_role}
    return may_change(run, actor) or any(m.person_id == actor.id for m in run.crew if m.role in roles)


def act_on_task(
    session: Session, actor: Person, run_id: int, key: str, act: Act, today: dt.date, *, confirmed: bool = False
) -> Run:
    """Begin, finish, sign off, send back, drop or reopen a task.

    Finishing before its predecessors are done is barred or, where the step says so, needs ``confirmed``.

    Raises
    ------
    Refused
        Field ``state``, or ``gate`` where confirming would let it through.
    """
    run = run_of(session, run_id, actor)
    row = task_of(run, key)
    if run.state != "live":
        raise Refused({"state": f"The run is {run.state}; open it before its tasks are worked on."})
    if not may_work_on(run, row, actor):
        raise NotAllowed(f"Only who does {row.title}, and the run's keeper, change its state.")
    plan = plan_of(run, today)
    position = plan.position(key)
    if plan.is_parent(position):
        raise Refused({"state": f"{row.title} spans its sub-steps; work on those."})
    state = shown_state(plan, position)
    if act not in acts(state, may_skip=row.may_skip):
        raise Refused({"state": f"{row.title} is {state}; that cannot be done with it now."})
    if act == "finish":
        _check_gate(plan, position, row, confirmed)
    if act == "sign off":
        _check_second_person(run, row, actor)
        if until := held_until(run, row):
            raise Refused({"state": f"{row.title} is held in review until {sentence(until, template_of_run(run))}."})
    row.state = state_after(act, sign_off=row.sign_off_role is not None)
    if act == "begin":
        row.begun_at = now()
        set_own_dates(row, cascade(plan, [Begun(key, today.toordinal())]).after())
    elif act == "finish":
        row.done_at, row.done_by_id = now(), actor.id
        set_own_dates(row, cascade(plan, [Done(key, today.toordinal())]).after())
    elif act in {"reopen", "send back"}:
        row.done_at = row.done_by_id = None
        row.begun_at = None if act == "reopen" else row.begun_at
    run.version += 1
    words = {
        "begin": "begun", "finish": "done", "sign off": "signed off", "send back": "sent back", "drop": "dropped",
        "reopen": "reopened",
    }[act]  # fmt: skip
    note(session, actor, f"task {words}", f"{row.title}: {words}", run_id=run.id, task_key=key)
    return run


def _check_gate(plan: Plan, position: int, row: TaskRow, confirmed: bool) -> None:
    before = [plan.tasks[i].title for i in unfinished_before(plan, position)]
    before += [awaited.words for awaited in plan.tasks[position].waits if not awaited.done]
    if not before:
        return
    who = names_words(before[:3]) + (f" and {len(before) - 3} more" if len(before) > 3 else "")
    verb = "is" if len(before) == 1 else "are"
    if row.gate == "bar":
        raise Refused({"state": f"{row.title} waits for {who}, which {verb} not done. Finish that first."})
    if not confirmed:
        raise Refused({"gate": f"{who} {verb} not done yet."})


def _check_second_person(run: Run, row: TaskRow, actor: Person) -> None:
    signers = [m for m in run.crew if m.role == row.sign_off_role]
    if actor.id == row.done_by_id:
        raise Refused({"state": "A second person signs off: not the one who did it."})
    if any(m.person_id for m in signers) and not any(m.person_id == actor.id for m in signers):
        raise NotAllowed(f"{names_words([m.name for m in signers])} signs this off.")


def fill_role(session: Session, actor: Person, run_id: int, role: str, chosen: str) -> Run:
    """Put somebody in a role: a person's id as text, or a name for somebody outside; nothing empties it."""
    run = run_of(session, run_id, actor)
    check_may_change(run, actor)
    member = next((m for m in run.crew if m.role == role), None)
    if member is None:
        raise NotThere("This run has no such role.")
    person = _chosen(session, chosen)
    if chosen.isdigit() and person is None:
        raise Refused({"who": f"There is nobody to fill {member.label} with that number; choose somebody in the list."})
    member.person = person
    member.outside = "" if person else chosen.strip()[:200]
    note(session, actor, "crew changed", f"{member.label}: {member.name or 'nobody'}", run_id=run.id)
    return run


def set_run_state(session: Session, actor: Person, run_id: int, state: str) -> Run:
    """Open a prepared run, put a live one on hold, go on, finish it or call it off."""
    ways = {
        "prepared": {"live", "called off"},
        "live": {"on hold", "finished", "called off"},
        "on hold": {"live", "called off"},
        "finished": {"live"},
        "called off": set(),
    }
    run = run_of(session, run_id, actor)
    if not may_change(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, does that.")
    if state not in ways[run.state]:
        raise Refused({"": f"A run that is {run.state} cannot become {state}."})
    run.state = state
    run.version += 1
    note(session, actor, "run state", f"{run.name} is now {state}", run_id=run.id)
    return run
