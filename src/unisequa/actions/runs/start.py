"""Starting a run: rehearsed first, then created whole or not at all."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from unisequa.actions.access import check_may
from unisequa.actions.calendars import calendar_documents
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.crew import team_in
from unisequa.actions.runs.filling import Filled, filled
from unisequa.actions.templates.included import closed, included_by
from unisequa.actions.templates.seeing import edition_of
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.includes import laid_open, whole
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, Refused
from unisequa.core.plan.assemble import Occasion, assemble, not_startable
from unisequa.core.plan.facts import read_facts
from unisequa.core.plan.plan import Plan
from unisequa.store.baselines import keep_baseline
from unisequa.store.documents import Latest, digest_of, keep_calendars, template_of
from unisequa.store.linked import Linked
from unisequa.store.lists import bring_up, keep_waits
from unisequa.store.plans import keep_timing, links_of, task_row
from unisequa.store.store import Session
from unisequa.store.tables import CrewMember, Edition, Run, TaskRow
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
    documents: tuple[CalendarDocument, ...]

    @property
    def calendars(self) -> tuple[str, ...]:
        """The names of the working calendars it may have, its own first."""
        return tuple(document.name for document in self.documents)


def startable(session: Session, actor: Actor, template_id: int, number: int | None = None) -> Startable:
    """What somebody would start, to ask them for what it needs."""
    edition = edition_of(session, actor, template_id, number)
    template = laid_open(template_of(edition), included_by(session, edition).library)
    documents = calendar_documents(session, template.calendar)
    return Startable(template_id, edition.number, edition.state == "draft", template, documents)


@dataclass(frozen=True, slots=True)
class _Occasion:
    """All that a start rests on, asked for once: the edition, what it includes, and who the roles are filled by."""

    edition: Edition
    included: Linked
    template: Template
    members: Mapping[str, Filled]
    today: dt.date
    actor: Actor


def _occasion(session: Session, actor: Actor, edition: Edition, choices: Choices, today: dt.date) -> _Occasion:
    included = included_by(session, edition)
    template = laid_open(template_of(edition), included.library)
    return _Occasion(
        edition, included, template, filled(session, actor, template, choices.crew, choices.subject), today, actor
    )


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
    waits = [wait for step in on.template.steps for wait in step.waits_for]
    crew = {role: member.name for role, member in on.members.items()}
    calendars = calendar_documents(session, choices.calendar or template.calendar)
    based = (on.edition.digest, sorted((number, one.digest) for number, one in on.included.editions.items()))
    chosen = (choices.anchors, choices.facts, crew, choices.subject, choices.calendar, on.today)
    elsewhere = AwaitedElsewhere(session, waits, on.included.ids, on.today, viewer=on.actor.id)
    rests_on = (based, chosen, [document.written() for document in calendars], elsewhere.known() if waits else "")
    key = digest_of(repr(rests_on))
    if key in _PLANS:
        return _PLANS[key]
    occasion = Occasion(
        anchors=choices.anchors,
        facts=choices.facts,
        crew=crew,
        subject=choices.subject,
        calendars=calendars,
        today=on.today,
        elsewhere=elsewhere,
    )
    plan = assemble(template, occasion, on.included.library)
    return _PLANS.keep(key, plan)


_PLANS: Latest[Plan] = Latest(16)
"""The plans worked out last, by all that they rest on: what was looked at before a start is not worked out again within
its transaction; of other runs that it waits for, too."""


def rule_of_crew(session: Session, actor: Actor, template: Template, choices: Choices) -> dict[str, str]:
    """Role → who fills it by what is chosen so far, as forms say it."""
    found = filled(session, actor, template, choices.crew, choices.subject)
    return {role: one.value for role, one in found.items()}


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
    check_may(edition.template, actor, "change a draft" if edition.state == "draft" else "start a run")
    if edition.state == "retired":
        raise Refused({"": "This edition is retired; start the newest one."})
    if lost := sorted(closed(session, actor, edition, waits=False)):
        message = f"It includes “{lost[0]}”, which is not there any more, or not open to you; ask its owner."
        raise Refused({"": message})
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
        CrewMember(role=role.key, label=role.label, person=member.person, team=member.team, outside=member.outside)
        for role in template.roles
        for member in (on.members[role.key],)
    ]
    session.add(run)
    run.tasks = _rows(on, plan, run, facts)
    if not choices.prepared:
        keep_baseline(run, "Opened", plan, actor.id)
    session.flush()
    run.links = links_of(plan, {row.key: row.id for row in run.tasks})
    session.flush()
    keep_waits(run)
    bring_up(run, today)
    note(session, actor, "started", f"{run.name} started with {count_words(len(run.tasks), 'task')}", run_id=run.id)
    session.flush()
    return run.id


def _check_people(template: Template, on: _Occasion, choices: Choices) -> None:
    outside = {role.key for role in template.roles if role.fill.by == "outside"}
    nobody = {
        f"crew.{key}": "There is nobody with that number; choose somebody in the list."
        for key, chosen in choices.crew.items()
        if key not in outside and (chosen.isdigit() or team_in(chosen)) and not on.members.get(key, Filled()).name
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
