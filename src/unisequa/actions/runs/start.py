"""Starting a run: rehearsed first, then created whole or not at all."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from unisequa.actions.access import check_may
from unisequa.actions.calendars import calendar_documents
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.included import IncludedEditions, included_by
from unisequa.actions.templates.seeing import edition_of
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.includes import laid_open, whole
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.documents.template import Role, Template
from unisequa.core.errors import DocumentError, Refused
from unisequa.core.plan.assemble import Occasion, assemble, not_startable
from unisequa.core.plan.facts import read_facts
from unisequa.core.plan.plan import Plan
from unisequa.store.documents import keep_calendars, template_of
from unisequa.store.lists import bring_up
from unisequa.store.plans import keep_timing, links_of, task_row
from unisequa.store.queries.people import people_by_address, people_by_id
from unisequa.store.store import Session
from unisequa.store.tables import CrewMember, Edition, Person, Run, TaskRow
from unisequa.store.waits import AwaitedElsewhere


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


@dataclass(frozen=True, slots=True)
class Startable:
    """What is started: an edition with what it includes laid open; ``may`` whether this person may start it."""

    template_id: int
    edition: int
    draft: bool
    template: Template
    calendars: tuple[str, ...]


def startable(session: Session, actor: Actor, template_id: int, number: int | None = None) -> Startable:
    """What somebody would start, to ask them for what it needs."""
    edition = edition_of(session, actor, template_id, number)
    template = laid_open(template_of(edition), included_by(session, edition).library)
    names = tuple(document.name for document in calendar_documents(session, template.calendar))
    return Startable(template_id, edition.number, edition.state == "draft", template, names)


@dataclass(frozen=True, slots=True)
class _Occasion:
    """All that a start rests on, asked for once: the edition, what it includes, and who the roles are filled by."""

    edition: Edition
    included: IncludedEditions
    template: Template
    members: Mapping[str, tuple[Person | None, str]]
    today: dt.date


def _occasion(session: Session, actor: Actor, edition: Edition, choices: Choices, today: dt.date) -> _Occasion:
    included = included_by(session, edition)
    template = laid_open(template_of(edition), included.library)
    return _Occasion(edition, included, template, _members(session, actor, template, choices), today)


def rehearse(
    session: Session, actor: Actor, template_id: int, number: int | None, choices: Choices, today: dt.date
) -> Plan:
    """The plan that a run would have; nothing is created.

    Raises
    ------
    DocumentError
        With what is missing or wrong, path by path.
    """
    edition = edition_of(session, actor, template_id, number)
    return _rehearsed(session, _occasion(session, actor, edition, choices, today), choices)


def _rehearsed(session: Session, on: _Occasion, choices: Choices) -> Plan:
    template = template_of(on.edition)
    if faults := not_startable(template):
        raise DocumentError(faults)
    waits = (wait for step in on.template.steps for wait in step.waits_for)
    occasion = Occasion(
        anchors=choices.anchors,
        facts=choices.facts,
        crew={role: person.name if person else outside for role, (person, outside) in on.members.items()},
        subject=choices.subject,
        calendars=calendar_documents(session, choices.calendar or template.calendar),
        today=on.today,
        elsewhere=AwaitedElsewhere(session, waits, on.today),
    )
    return assemble(template, occasion, on.included.library)


def _members(
    session: Session, actor: Actor, template: Template, choices: Choices
) -> dict[str, tuple[Person | None, str]]:
    """Role → the person who fills it, or the name of somebody outside."""
    chosen = {role.key: choices.crew.get(role.key, "").strip() for role in template.roles}
    numbers = {int(text) for text in chosen.values() if text.isascii() and text.isdigit() and len(text) < 10}
    by_id = people_by_id(session, numbers | {actor.id})
    named = {role.fill.person for role in template.roles if role.fill.by == "person" and role.fill.person}
    by_address = people_by_address(session, named)

    def member(role: Role) -> tuple[Person | None, str]:
        text = chosen[role.key]
        if role.fill.by == "outside":
            return None, text[:200]
        if text.isdigit():
            person = by_id.get(int(text)) if len(text) < 10 else None
            return (person if person and person.active else None), ""
        if role.fill.by == "keeper":
            return by_id.get(actor.id), ""
        if role.fill.by == "person" and role.key not in choices.crew:
            return by_address.get(role.fill.person or ""), ""
        return None, ""

    return {role.key: member(role) for role in template.roles}


def start_run(
    session: Session, actor: Actor, template_id: int, number: int | None, choices: Choices, today: dt.date
) -> int:
    """Create a run with all its tasks, or nothing; gives its id.

    Raises
    ------
    Refused
        With a message for every field at fault.
    """
    edition = edition_of(session, actor, template_id, number)
    check_may(edition.template, actor, "edit" if edition.state == "draft" else "start")
    if edition.state == "retired":
        raise Refused({"": "This edition is retired; start the newest one."})
    try:
        on = _occasion(session, actor, edition, choices, today)
        plan = _rehearsed(session, on, choices)
    except DocumentError as error:
        raise Refused({fault.path: fault.message[:1].upper() + fault.message[1:] for fault in error.faults}) from error
    template = on.template
    _check_people(template, on, choices)
    if not plan.tasks:
        raise Refused({"": "No step of this template applies here, so the run would be empty."})
    facts, _ = read_facts(template, choices.facts)
    run = Run(
        edition_id=edition.id,
        edition=edition,
        name=(choices.name.strip() or plan.name)[:200],
        subject=choices.subject.strip()[:200],
        state="prepared" if choices.prepared else "live",
        keeper_id=actor.id,
        version=1,
        anchors={key: dt.date.fromordinal(day).isoformat() if day else None for key, day in plan.anchors.items()},
        facts={key: value.isoformat() if isinstance(value, dt.date) else value for key, value in facts.items()},
        summary={},
        follow=plan.follow,
        pins=on.included.pins(template_of(edition)),
        created_by_id=actor.id,
    )
    keep_calendars(run, plan.calendars.documents)
    keep_timing(run, plan)
    run.crew = [
        CrewMember(role=role.key, label=role.label, person=person, outside=outside)
        for role in template.roles
        for person, outside in (on.members[role.key],)
    ]
    session.add(run)
    run.tasks = _rows(on, plan, run, facts)
    session.flush()
    run.links = links_of(plan, {row.key: row.id for row in run.tasks})
    session.flush()
    bring_up(run, today)
    note(session, actor, "started", f"{run.name} started with {count_words(len(run.tasks), 'task')}", run_id=run.id)
    session.flush()
    return run.id


def _check_people(template: Template, on: _Occasion, choices: Choices) -> None:
    outside = {role.key for role in template.roles if role.fill.by == "outside"}
    nobody = {
        f"crew.{key}": "There is nobody with that number; choose somebody in the list."
        for key, chosen in choices.crew.items()
        if key not in outside and chosen.isdigit() and on.members.get(key, (None, ""))[0] is None
    }
    if nobody:
        raise Refused(nobody)


def _rows(on: _Occasion, plan: Plan, run: Run, facts: Mapping[str, object]) -> list[TaskRow]:
    """The rows of all tasks, phase by phase, their instructions filled in."""
    template = on.template
    values: dict[str, object] = {"subject": run.subject, **facts}
    values |= {member.role: member.name or member.label for member in run.crew}
    values |= {key: dt.date.fromordinal(day) if day else None for key, day in plan.anchors.items()}
    scopes = {placed.key: placed.scope for placed in whole(template_of(on.edition), on.included.library).steps}
    steps = {step.key: step for step in template.steps}
    order = {phase.key: i for i, phase in enumerate(template.phases, 1)}
    shown = sorted(range(len(plan.tasks)), key=lambda i: order.get(plan.tasks[i].phase or "", 0))
    rows = []
    for position, i in enumerate(shown):
        task = plan.tasks[i]
        step = steps[task.key]
        try:
            instructions = fill_in(step.instructions, {**values, **scopes[task.key].named(values)})
        except ValueError as error:
            raise Refused({"": f"The instructions of {task.title}: {error}."}) from error
        rows.append(task_row(plan, i, step, position, instructions))
    return rows
