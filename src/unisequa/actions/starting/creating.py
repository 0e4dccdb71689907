"""Runs created, all that were wanted together, with all their tasks, or none."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

from unisequa.actions.access import check_may
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.changes import Stood, as_it_stands, tell_changes
from unisequa.actions.runs.crew import team_in
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.filling import Filled
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.subjects import as_seen, date_of, kept_subject
from unisequa.actions.templates.included import closed
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.conditions import condition_words
from unisequa.core.documents.includes import whole
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.errors import DocumentError, Refused
from unisequa.core.plan.facts import read_facts
from unisequa.core.plan.plan import Plan
from unisequa.store.baselines import keep_baseline
from unisequa.store.documents import digest_of, keep_calendars, template_of
from unisequa.store.lists import bring_up_waiting, keep, keep_waits
from unisequa.store.new_tasks import NewTask, insert_tasks
from unisequa.store.of_run import template_of_run
from unisequa.store.plans import anchors_kept, insert_links, keep_timing, new_task
from unisequa.store.queries.people import people_by_id
from unisequa.store.queries.subjects import folded, start_by_token
from unisequa.store.queries.taking import add_once
from unisequa.store.store import Session
from unisequa.store.tables import AnchorSource, CrewMember, Run, StartRow, Subject

Told = Callable[[int], None]
"""Is told after some tasks how many there are by now."""
TOLD_EVERY = 25


@dataclass(frozen=True, slots=True)
class Created:
    """A run that was created, with the keys of its tasks."""

    run: Run
    keys: frozenset[str]


def start_run(
    session: Session, actor: Actor, template_id: int, number: int | None, choices: Choices, today: dt.date
) -> int:
    """Create one run; gives its id. As :func:`start_runs`, but nothing is kept of the start itself."""
    return start_wanted(session, actor, Wanted(template_id, number, choices), today).run.id


def start_runs(
    session: Session,
    actor: Actor,
    wanted: Sequence[Wanted],
    today: dt.date,
    token: str = "",
    told: Told | None = None,
) -> int:
    """Create the runs that are wanted together; gives the id of the start.

    Parameters
    ----------
    token : str
        Names the form that this comes from: sent again as it was, nothing is created again; gone back to and changed,
        it is another.
    told : callable, optional
        Is told how many tasks there are by now.

    Raises
    ------
    Refused
        With a message for every field at fault, behind ``ID:`` of its template where there are several.
    """
    given = token
    token = digest_of(f"{token} {[_as_text(one) for one in wanted]}") if token else secrets.token_urlsafe(16)
    before = start_by_token(session, token)
    if before is not None and before.person_id == actor.id:
        return before.id
    if before is not None or not wanted:
        raise Refused({"": "This form cannot be sent; open the start page again."})
    start = StartRow(token=token[:64], person_id=actor.id, told={})
    if not add_once(session, start):  # sent a second time while the first was under way
        return start_runs(session, actor, wanted, today, given)
    created: list[Created] = []
    faults: dict[str, str] = {}
    made = 0
    for one in wanted:
        try:
            new = start_wanted(session, actor, one, today, None if told is None else partial(_told_behind, told, made))
        except Refused as error:
            place = f"{one.template_id}:" if len(wanted) > 1 else ""
            faults |= {place + path if path else "": message for path, message in error.faults.items()}
            continue
        new.run.start_id = start.id
        made += len(new.keys)
        created.append(new)
    if faults:
        raise Refused(faults)
    _share_anchors([new.run for new in created], start)
    start.told = {
        str(new.run.id): _left_out(new, one.choices.without) for new, one in zip(created, wanted, strict=True)
    }
    session.flush()
    return start.id


def _as_text(wanted: Wanted) -> str:
    """What was wanted, always in the same words."""
    return repr(
        (
            wanted.template_id,
            wanted.number,
            sorted(wanted.choices.without),
            replace(wanted.choices, without=frozenset()),
        )
    )


def _told_behind(told: Told, before: int, tasks: int) -> None:
    told(before + tasks)


def start_wanted(session: Session, actor: Actor, wanted: Wanted, today: dt.date, told: Told | None = None) -> Created:
    """Create one run that is wanted."""
    choices = replace(wanted.choices, prepared=True) if wanted.choices.lacking else wanted.choices
    on = Startable(session, actor, wanted.template_id, wanted.number, today)
    edition = on.row
    check_may(edition.template, actor, "change a draft" if on.draft else "start a run")
    if edition.state == "retired":
        raise Refused({"": "This edition is retired; start the newest one."})
    if lost := sorted(closed(session, actor, edition, waits=False)):
        message = f"It includes “{lost[0]}”, which is not there any more, or not open to you; ask its owner."
        raise Refused({"": message})
    try:
        plan = on.plan(choices, sketch=choices.lacking)
    except DocumentError as error:
        raise Refused({fault.path: fault.message[:1].upper() + fault.message[1:] for fault in error.faults}) from error
    template = on.template
    _check_people(session, on, choices)
    members = on.members(choices)
    if not plan.tasks:
        raise Refused({"": "No step of this template applies here, so the run would be empty."})
    if choices.opens_on is not None and choices.opens_on < today:
        raise Refused({"opens_on": "It cannot open on a day that is past; leave it empty to open it by hand."})
    facts, _ = read_facts(template, choices.facts)
    about = kept_subject(session, actor, choices.subject, _dates_by_label(on, choices), template.usual_for or "")
    run = Run(
        edition_id=edition.id,
        edition=edition,
        name=(choices.name.strip() or plan.name)[:200],
        subject=choices.subject.strip()[:200],
        subject_id=about.id if about else None,
        state="prepared" if choices.prepared else "live",
        keeper_id=choices.keeper or actor.id,
        version=1,
        anchors=anchors_kept(plan),
        facts={key: value.isoformat() if isinstance(value, dt.date) else value for key, value in facts.items()},
        summary={},
        follow=plan.follow,
        pins=on.included.pins(on.document),
        created_by_id=actor.id,
        awaits={str(number): run_id for number, run_id in choices.awaits.items()},
        opens_on=choices.opens_on if choices.prepared else None,
    )
    keep_calendars(run, plan.calendars.documents)
    keep_timing(run, plan)
    run.crew = [
        CrewMember(role=role.key, label=role.label, person=member.person, team=member.team, outside=member.outside)
        for role in template.roles
        for member in (members[role.key],)
    ]
    run.sources = _from_record(on, choices, about)
    if not choices.prepared:
        keep_baseline(run, "Opened", plan, actor.id)
    session.add(run)
    session.flush()
    with session.no_autoflush:  # what is kept of the tasks is written with them, and not after them
        tasks = _tasks(on, plan, run, facts, choices, told)
        keep_waits(run)
        keep(run, today, plan, tasks)
        session.flush()
    insert_links(session, run, plan, insert_tasks(session, run.id, tasks))
    bring_up_waiting(run, today, anew=True)
    before, after = Stood("", {}, frozenset()), as_it_stands(run, today, tasks)
    tell_changes(session, actor, run, before, today, f"{actor.name} has started it", after=after)
    note(session, actor, "started", f"{run.name} started with {count_words(len(tasks), 'task')}", run_id=run.id)
    session.flush()
    return Created(run, frozenset(task.key for task in tasks))


def _dates_by_label(on: Startable, choices: Choices) -> dict[str, dt.date]:
    labels = {anchor.key: anchor.label for anchor in on.template.anchors}
    return {labels[key]: dt.date(day.year, day.month, day.day) for key, day in choices.anchors.items()}


def _from_record(on: Startable, choices: Choices, about: Subject | None) -> list[AnchorSource]:
    """The anchors that have their date from the record of the subject: those that are called alike, on the same day."""
    if about is None:
        return []
    record = as_seen(about).dates
    return [
        AnchorSource(anchor=anchor.key, kind="subject", source_id=about.id, name=anchor.label)
        for anchor in on.template.anchors
        if anchor.key in choices.anchors and date_of(record, anchor.label) == choices.anchors[anchor.key]
    ]


def _share_anchors(runs: Sequence[Run], start: StartRow) -> None:
    """Have anchors that several runs were given alike, and that no record gives, know the start they are from."""
    held: dict[tuple[str, str], list[tuple[Run, str, str]]] = {}
    for run in runs:
        known = {source.anchor for source in run.sources}
        for anchor in template_of(run.edition).anchors:
            day = run.anchors.get(anchor.key)
            if day and anchor.key not in known and anchor.from_ is None:
                held.setdefault((folded(anchor.label), day), []).append((run, anchor.key, anchor.label))
    for alike in held.values():
        for run, key, _ in alike if len(alike) > 1 else ():
            run.sources.append(AnchorSource(anchor=key, kind="start", source_id=start.id, name=alike[0][2]))


def _check_people(session: Session, on: Startable, choices: Choices) -> None:
    outside = {role.key for role in on.template.roles if role.fill.by == "outside"}
    members = on.members(choices)
    nobody = {
        f"crew.{key}": "There is nobody with that number; choose somebody in the list."
        for key, chosen in choices.crew.items()
        if key not in outside and (chosen.isdigit() or team_in(chosen)) and not members.get(key, Filled()).name
    }
    there = people_by_id(session, set(choices.given.values()))
    nobody |= {
        f"give.{key}": "There is nobody with that number; choose somebody in the list."
        for key, number in choices.given.items()
        if number not in there or not there[number].active
    }
    if nobody:
        raise Refused(nobody)


def _tasks(
    on: Startable, plan: Plan, run: Run, facts: Mapping[str, object], choices: Choices, told: Told | None
) -> list[NewTask]:
    """All tasks, phase by phase, their instructions filled in."""
    template = on.template
    values: dict[str, object] = {"subject": run.subject, **facts}
    values |= {member.role: member.name or member.label for member in run.crew}
    values |= {key: plan.grid.moment(day) if day is not None else None for key, day in plan.anchors.items()}
    scopes = {placed.key: placed.scope for placed in whole(on.document, on.included.library).steps}
    steps = {step.key: step for step in template.steps}
    order = {phase.key: i for i, phase in enumerate(template.phases, 1)}
    shown = sorted(range(len(plan.tasks)), key=lambda i: order.get(plan.tasks[i].phase or "", 0))
    tasks = []
    for position, i in enumerate(shown):
        task = plan.tasks[i]
        step = steps[task.key]
        try:
            instructions = fill_in(step.instructions, {**values, **scopes[task.key].named(values)})
        except ValueError as error:
            raise Refused({"": f"The instructions of {task.title}: {error}."}) from error
        new = new_task(plan, i, step, position, instructions)
        new.assigned_id = choices.given.get(task.key)
        tasks.append(new)
        if told is not None and len(tasks) % TOLD_EVERY == 0:
            told(len(tasks))
    return tasks


def _left_out(new: Created, without: Collection[str]) -> list[list[str]]:
    """Title and reason of every step that did not become a task."""
    template, told = template_of_run(new.run), []
    for step in template.steps:
        if step.key in new.keys:
            continue
        if step.key in without:
            why = "left out by hand"
        elif step.only_if is not None:
            why = f"only where {condition_words(step.only_if, template)}"
        else:
            why = "a part of what was left out" if step.parent is not None else "all its parts were left out"
        told.append([step.title, why])
    return told
