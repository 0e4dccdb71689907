"""What is due by itself, the rules, and what waits to leave."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, and_, bindparam, delete, exists, func, or_, select, update
from sqlalchemy.orm import Session, joinedload
from sqlalchemy.orm.attributes import set_committed_value

from unisequa.store.queries.desk import without_parts
from unisequa.store.queries.runs import seen_by
from unisequa.store.queries.taking import add_once
from unisequa.store.queries.templates import LOOKING, open_to
from unisequa.store.tables import (
    DueRow,
    Edition,
    HistoryRow,
    OutboxRow,
    Person,
    RuleRow,
    Run,
    ShiftRow,
    TaskRow,
    TemplateRow,
)


def next_due(session: Session, now: dt.datetime, most: int) -> list[int]:
    """The ids of the first things that are due by now, in order of time."""
    query = select(DueRow.id).where(DueRow.state == "waiting", DueRow.try_at <= now)
    return list(session.scalars(query.order_by(DueRow.try_at, DueRow.id).limit(most)))


def taken_due(session: Session, number: int, now: dt.datetime) -> DueRow | None:
    """One thing that is due, unless it was done meanwhile, or another does it at this moment."""
    row: DueRow | None = session.scalar(_taken_due(), {"number": number, "now": now})
    return row


@lru_cache(maxsize=1)
def _taken_due() -> Any:
    query = select(DueRow).where(DueRow.id == bindparam("number"), DueRow.state == "waiting")
    return query.where(DueRow.try_at <= bindparam("now")).with_for_update(skip_locked=True)


def put_due(session: Session, row: DueRow) -> bool:
    """Write down what will be due, unless something of its key was already; gives whether it was new."""
    known = session.scalar(select(exists().where(DueRow.key == row.key)))
    return not known and add_once(session, row)


def has_key(session: Session, key: str) -> bool:
    """Whether something of a key is due, or was."""
    return bool(session.scalar(select(exists().where(DueRow.key == key))))


def due_of_rule(session: Session, rule_id: int) -> list[DueRow]:
    """What waits for its moment by a rule."""
    query = select(DueRow).where(DueRow.rule_id == rule_id, DueRow.state == "waiting")
    return list(session.scalars(query.order_by(DueRow.at)))


def due_keys(session: Session, keys: Collection[str]) -> set[str]:
    """Those of some keys that are known."""
    return set(session.scalars(select(DueRow.key).where(DueRow.key.in_(keys)))) if keys else set()


def waiting_of_run(session: Session, run_id: int, kind: str) -> list[DueRow]:
    """What of a kind waits for its moment in a run."""
    query = select(DueRow).where(DueRow.run_id == run_id, DueRow.kind == kind, DueRow.state == "waiting")
    return list(session.scalars(query))


def messages_of_task(session: Session, run_id: int, key: str) -> list[DueRow]:
    """The moments of a task's own messages, the last to be written last."""
    query = select(DueRow).where(DueRow.run_id == run_id, DueRow.kind == "message").order_by(DueRow.id)
    return [row for row in session.scalars(query) if row.content.get("task") == key]


def has_messages_due(session: Session, run_id: int) -> bool:
    """Whether steps' messages wait for their moment in a run."""
    waits = exists().where(DueRow.run_id == run_id, DueRow.kind == "message", DueRow.state == "waiting")
    return bool(session.scalar(select(waits)))


def runs_to_open(session: Session, today: dt.date) -> list[tuple[int, dt.date]]:
    """Prepared runs whose day to open has come, with that day."""
    query = select(Run.id, Run.opens_on).where(Run.state == "prepared", Run.opens_on <= today)
    return [(number, day) for number, day in session.execute(query.order_by(Run.opens_on, Run.id)) if day]


def rule_by_id(session: Session, number: int) -> RuleRow | None:
    """A rule with whom it concerns."""
    query = select(RuleRow).where(RuleRow.id == number)
    return session.scalar(query.options(joinedload(RuleRow.by), joinedload(RuleRow.keeper)))


def rules_on(session: Session, kind: str) -> list[RuleRow]:
    """The rules of a kind that are on."""
    query = select(RuleRow).where(RuleRow.kind == kind, RuleRow.state == "on").order_by(RuleRow.id)
    return list(session.scalars(query))


def listeners(session: Session, template_id: int | None, events: Collection[str]) -> list[RuleRow]:
    """The hand-offs that are on and listen to some events, of a template's runs or of none in particular."""
    if not events:
        return []
    return list(session.scalars(_listeners(), {"events": sorted(events), "template": template_id}))


@lru_cache(maxsize=1)
def _listeners() -> Any:
    """The question, made once: every act in a run asks it."""
    events: Any = bindparam("events", expanding=True)
    query = select(RuleRow).where(RuleRow.kind == "hand-off", RuleRow.state == "on", RuleRow.event.in_(events))
    of = or_(RuleRow.of_template_id.is_(None), RuleRow.of_template_id == bindparam("template"))
    return query.where(of).order_by(RuleRow.id)


def rules_seen_by(session: Session, person_id: int) -> list[RuleRow]:
    """The rules of templates that somebody may see, by name."""
    query = select(RuleRow).options(joinedload(RuleRow.by), joinedload(RuleRow.keeper))
    for of in (RuleRow.template, RuleRow.of_template):
        template = joinedload(of)
        query = query.options(
            template.selectinload(TemplateRow.rights), template.selectinload(TemplateRow.editions),
            template.joinedload(TemplateRow.owner),
        )  # fmt: skip
    seen = select(TemplateRow.id).where(open_to(person_id))
    query = query.where(
        or_(RuleRow.template_id.in_(seen), RuleRow.of_template_id.in_(seen), RuleRow.by_id == person_id)
    )
    return list(session.scalars(query.order_by(func.lower(RuleRow.name), RuleRow.id)))


def runs_in_period(
    session: Session, template_id: int, subject: str, first: dt.date, last: dt.date
) -> list[tuple[Run, str]]:
    """The runs of a template about a subject, any where none is named, with a date of an anchor between two days."""
    query = select(Run).join(Edition, Run.edition_id == Edition.id)
    query = query.where(Edition.template_id == template_id, Run.state != "called off").options(joinedload(Run.keeper))
    wanted = " ".join(subject.split()).casefold()
    found = []
    for run in session.scalars(query.order_by(Run.id.desc())):
        if wanted and " ".join(run.subject.split()).casefold() != wanted:
            continue
        days = [value[:10] for value in run.anchors.values() if isinstance(value, str)]
        inside = [day for day in days if first.isoformat() <= day <= last.isoformat()]
        if inside:
            found.append((run, inside[0]))
    return found


class DueSeen(NamedTuple):
    """One thing that is due by itself, or was, as its page lists it."""

    id: int
    key: str
    kind: str
    at: dt.datetime
    try_at: dt.datetime
    state: str
    tries: int
    error: str
    told: str
    done_at: dt.datetime | None
    rule_id: int | None
    rule: str | None
    run_id: int | None
    run: str | None


def _listed(person_id: int, *, administrator: bool) -> Any:
    columns = (
        DueRow.id, DueRow.key, DueRow.kind, DueRow.at, DueRow.try_at, DueRow.state, DueRow.tries, DueRow.error,
        DueRow.told, DueRow.done_at, DueRow.rule_id, RuleRow.name, DueRow.run_id, Run.name,
    )  # fmt: skip
    query = select(*columns).outerjoin(RuleRow, DueRow.rule_id == RuleRow.id).outerjoin(Run, DueRow.run_id == Run.id)
    query = query.where(DueRow.kind.not_in(("day", "digest")))
    if administrator:
        return query
    query = query.outerjoin(Edition, Run.edition_id == Edition.id)
    query = query.outerjoin(TemplateRow, Edition.template_id == TemplateRow.id)
    looked_at = select(TemplateRow.id).where(open_to(person_id, LOOKING))  # what it did tells of runs
    own = or_(RuleRow.by_id == person_id, RuleRow.keeper_id == person_id)
    mine = or_(own, func.coalesce(RuleRow.template_id, RuleRow.of_template_id).in_(looked_at))
    return query.where(
        or_(and_(DueRow.rule_id.is_not(None), mine), and_(DueRow.run_id.is_not(None), seen_by(person_id)))
    )


def due_coming(session: Session, person_id: int, most: int, *, administrator: bool) -> list[DueSeen]:
    """What is due next among what somebody may see."""
    query = _listed(person_id, administrator=administrator).where(DueRow.state == "waiting")
    return [DueSeen(*row) for row in session.execute(query.order_by(DueRow.try_at, DueRow.id).limit(most))]


def due_past(
    session: Session, person_id: int, most: int, *, administrator: bool, rule: int | None = None
) -> list[DueSeen]:
    """What was done, held back or set aside among what somebody may see, the latest first."""
    query = _listed(person_id, administrator=administrator).where(DueRow.state != "waiting")
    if rule is not None:
        query = query.where(DueRow.rule_id == rule)
    return [
        DueSeen(*row) for row in session.execute(query.order_by(DueRow.done_at.desc(), DueRow.id.desc()).limit(most))
    ]


def due_failing(session: Session, person_id: int, *, administrator: bool) -> list[DueSeen]:
    """What failed and is tried again, or was set aside, among what somebody may see."""
    failed = or_(and_(DueRow.state == "waiting", DueRow.tries > 0), DueRow.state == "set aside")
    query = _listed(person_id, administrator=administrator).where(failed)
    return [DueSeen(*row) for row in session.execute(query.order_by(DueRow.at, DueRow.id).limit(200))]


def editable_templates(session: Session, person_id: int) -> list[tuple[int, str]]:
    """Id and name of the released templates that somebody may edit, by name."""
    released = exists().where(Edition.template_id == TemplateRow.id, Edition.state == "released")
    mine = or_(TemplateRow.owner_id == person_id, open_to(person_id, ("edit",)))
    administers = exists().where(Person.id == person_id, Person.administrator)
    query = select(TemplateRow.id, TemplateRow.name).where(
        released, mine, or_(~administers, TemplateRow.owner_id == person_id)
    )
    return [(a, b) for a, b in session.execute(query.order_by(func.lower(TemplateRow.name)))]


def due_by_id(session: Session, number: int) -> DueRow | None:
    """One thing that is due, or was."""
    return session.get(DueRow, number)


def forget_rule(session: Session, rule: RuleRow) -> None:
    """Delete a rule with what waits by it; runs that it started stay."""
    session.execute(delete(DueRow).where(DueRow.rule_id == rule.id, DueRow.state == "waiting"))
    session.delete(rule)


def started_by(session: Session, rule_ids: Collection[int], person_id: int) -> dict[int, int]:
    """How many runs each of some rules has started, of those that somebody may see."""
    if not rule_ids:
        return {}
    query = select(Run.rule_id, func.count()).join(Edition, Run.edition_id == Edition.id)
    query = query.join(TemplateRow, Edition.template_id == TemplateRow.id).where(seen_by(person_id))
    query = query.where(Run.rule_id.in_(rule_ids)).group_by(Run.rule_id)
    return {rule: count for rule, count in session.execute(query).all() if rule is not None}


# What people are told.


def count_in_bell(session: Session, person_id: int) -> None:
    """Count one more thing in somebody's bell."""
    session.execute(_count_in_bell(), {"person": person_id})


@lru_cache(maxsize=1)
def _count_in_bell() -> Any:
    query = update(Person).where(Person.id == bindparam("person")).values(unseen=Person.unseen + 1)
    return query.execution_options(synchronize_session=False)


def empty_bell(session: Session, person_id: int) -> None:
    """Count nothing in it any more."""
    query = update(Person).where(Person.id == person_id).values(unseen=0)
    session.execute(query.execution_options(synchronize_session=False))


def people_to_write(session: Session, now: dt.datetime) -> list[int]:
    """Whoever has words waiting that should have left by now."""
    ripe = (OutboxRow.kind == "word") & (OutboxRow.state == "waiting") & (OutboxRow.due_at <= now)
    query = select(OutboxRow.person_id).where(ripe, OutboxRow.how.in_(("at once", "text"))).distinct()
    return [number for number in session.scalars(query) if number is not None]


def words_waiting(session: Session, person_id: int, hows: Collection[str]) -> list[OutboxRow]:
    """The words to somebody that wait, in the order in which they were written; taken by who sends them."""
    query = select(OutboxRow).where(OutboxRow.kind == "word", OutboxRow.state == "waiting")
    query = query.where(OutboxRow.person_id == person_id, OutboxRow.how.in_(hows))
    return list(session.scalars(query.order_by(OutboxRow.id).with_for_update(skip_locked=True)))


def bell_of(session: Session, person_id: int, most: int) -> list[OutboxRow]:
    """What somebody was told, the latest first."""
    query = select(OutboxRow).where(OutboxRow.kind == "word", OutboxRow.person_id == person_id)
    return list(session.scalars(query.order_by(OutboxRow.made_at.desc(), OutboxRow.id.desc()).limit(most)))


def words_of_everybody(session: Session) -> list[OutboxRow]:
    """All that people were told, in the order in which it was written."""
    return list(
        session.scalars(select(OutboxRow).where(OutboxRow.kind == "word").order_by(OutboxRow.made_at, OutboxRow.id))
    )


def withdraw_words(session: Session, start: str) -> None:
    """Take back the words that have not left, by the beginning of their keys."""
    query = select(OutboxRow).where(OutboxRow.key.startswith(start, autoescape=True), OutboxRow.kind == "word")
    for row in session.scalars(query.where(OutboxRow.state.in_(("waiting", "bell")))):
        fewer = update(Person).where(Person.id == row.person_id, Person.unseen > 0).values(unseen=Person.unseen - 1)
        session.execute(fewer.execution_options(synchronize_session=False))
        session.delete(row)


class Letter(NamedTuple):
    """Something that left, or is to leave, as the outbox lists it."""

    row: OutboxRow
    who: str | None
    run: str | None


def _open_to(person_id: int, *, administrator: bool) -> ColumnElement[bool] | None:
    if administrator:
        return None
    kept = select(Run.id).where(Run.keeper_id == person_id)
    return or_(OutboxRow.person_id == person_id, OutboxRow.run_id.in_(kept))


def letters(
    session: Session,
    person_id: int,
    *,
    administrator: bool,
    state: str = "",
    run_id: int | None = None,
    most: int = 200,
) -> Sequence[Letter]:
    """What left and what is to leave: of what is somebody's own, of runs that they keep, for administrators all."""
    query = select(OutboxRow, Person.name, Run.name).outerjoin(Person, OutboxRow.person_id == Person.id)
    query = query.outerjoin(Run, OutboxRow.run_id == Run.id)
    if (seen := _open_to(person_id, administrator=administrator)) is not None:
        query = query.where(seen)
    query = query.where(OutboxRow.sent_in.is_(None))
    if state:
        query = query.where(OutboxRow.state == state)
    if run_id is not None:
        query = query.where(OutboxRow.run_id == run_id)
    return [
        Letter(*row)
        for row in session.execute(query.order_by(OutboxRow.made_at.desc(), OutboxRow.id.desc()).limit(most))
    ]


def letter_by_id(session: Session, person_id: int, number: int, *, administrator: bool) -> OutboxRow | None:
    """One row of the outbox that somebody may see."""
    query = select(OutboxRow).where(OutboxRow.id == number)
    if (seen := _open_to(person_id, administrator=administrator)) is not None:
        query = query.where(seen)
    return session.scalar(query)


def letter_counts(session: Session, person_id: int, *, administrator: bool) -> dict[str, int]:
    """How many there are in each state."""
    query = select(OutboxRow.state, func.count()).where(OutboxRow.sent_in.is_(None))
    if (seen := _open_to(person_id, administrator=administrator)) is not None:
        query = query.where(seen)
    return {row[0]: row[1] for row in session.execute(query.group_by(OutboxRow.state))}


def tasks_named(
    session: Session, keys: Collection[tuple[int | None, str | None]]
) -> dict[tuple[int, str], tuple[str, str]]:
    """Run and task → the task's state and the run's, as they are kept."""
    runs = {run for run, _ in keys if run}
    if not runs:
        return {}
    wanted = {key for _, key in keys if key}
    query = select(TaskRow.run_id, TaskRow.key, TaskRow.state, Run.state).join(Run, TaskRow.run_id == Run.id)
    rows = session.execute(query.where(TaskRow.run_id.in_(runs), TaskRow.key.in_(wanted))).all()
    return {(run, key): (state, of_run) for run, key, state, of_run in rows}


class Standing(NamedTuple):
    """A task that is ready or begun, with the last day on which anything happened to it."""

    run_id: int
    run: str
    key: str
    title: str
    state: str
    ready_on: dt.date | None
    begun_at: dt.datetime | None
    last: dt.datetime | None
    edition_id: int


def standing_tasks(session: Session, run_ids: Collection[int], today: dt.date) -> list[Standing]:
    """The ready and begun tasks of some live runs."""
    if not run_ids:
        return []
    of_task = HistoryRow.run_id == TaskRow.run_id, HistoryRow.task_key == TaskRow.key
    last = select(func.max(HistoryRow.at)).where(*of_task).correlate(TaskRow)
    columns = (
        Run.id, Run.name, TaskRow.key, TaskRow.title, TaskRow.state, TaskRow.ready_on, TaskRow.begun_at,
        last.scalar_subquery(), Run.edition_id,
    )  # fmt: skip
    going = or_(TaskRow.state == "under way", and_(TaskRow.state == "waiting", TaskRow.ready_on <= today))
    query = select(*columns).join(Run, TaskRow.run_id == Run.id)
    query = query.where(Run.id.in_(run_ids), Run.state == "live", going, without_parts(run_ids))
    return [Standing(*row) for row in session.execute(query.order_by(Run.id, TaskRow.position))]


def hanging_tasks(
    session: Session, run_ids: Collection[int]
) -> list[tuple[int, str, str, dt.date | None, dict[str, Any]]]:
    """The open tasks of some live runs that are measured from an anchor: run, its name, title, target, measure."""
    if not run_ids:
        return []
    columns = (Run.id, Run.name, TaskRow.title, TaskRow.target_finish_on, TaskRow.measured)
    query = select(*columns).join(Run, TaskRow.run_id == Run.id)
    query = query.where(Run.id.in_(run_ids), Run.state == "live", TaskRow.state.not_in(("done", "dropped")))
    rows = session.execute(query.where(TaskRow.measured.is_not(None)).order_by(Run.id, TaskRow.position)).all()
    return [(a, b, c, d, e) for a, b, c, d, e in rows if e]


def put_off(session: Session, run_ids: Collection[int]) -> list[tuple[int, str, str, int]]:
    """Open tasks of some live runs with how often shifts that stand have moved their due day later: run, its name,
    title, times."""
    if not run_ids:
        return []
    shifts = select(ShiftRow.run_id, ShiftRow.changes).where(
        ShiftRow.run_id.in_(run_ids), ShiftRow.taken_back_at.is_(None)
    )
    times: dict[tuple[int, str], int] = {}
    for run_id, changes in session.execute(shifts).all():
        for change in changes:
            before, after = change["before"][1], change["after"][1]
            if before and after and after > before:
                times[run_id, change["key"]] = times.get((run_id, change["key"]), 0) + 1
    often = {key for (_, key), count in times.items() if count > 1}
    query = select(Run.id, Run.name, TaskRow.key, TaskRow.title).join(Run, TaskRow.run_id == Run.id)
    query = query.where(Run.id.in_(run_ids), Run.state == "live", TaskRow.key.in_(often))
    rows = session.execute(query.where(TaskRow.state.not_in(("done", "dropped")))).all()
    return [(run, name, title, times[run, key]) for run, name, key, title in rows if (run, key) in times]


def runs_past_opening(session: Session, person_id: int, today: dt.date) -> list[tuple[str, dt.date]]:
    """The prepared runs that somebody keeps and whose day to open has come: name and day."""
    query = select(Run.name, Run.opens_on).where(Run.keeper_id == person_id, Run.state == "prepared")
    rows = session.execute(query.where(Run.opens_on <= today).order_by(Run.opens_on)).all()
    return [(name, day) for name, day in rows if day]


def next_of_rules(session: Session, rule_ids: Collection[int]) -> dict[int, dt.datetime]:
    """When each of some rules next does something."""
    if not rule_ids:
        return {}
    query = select(DueRow.rule_id, func.min(DueRow.try_at)).where(DueRow.rule_id.in_(rule_ids))
    query = query.where(DueRow.state == "waiting").group_by(DueRow.rule_id)
    return {rule: at for rule, at in session.execute(query).all() if rule is not None}


def loose(row: RuleRow, **related: Any) -> None:
    """Set what a rule that is not kept is related to, without having it kept."""
    for name, value in related.items():
        set_committed_value(row, name, value)


def live_runs_of(session: Session, template_id: int) -> list[Run]:
    """The live runs of a template."""
    query = select(Run).join(Edition, Run.edition_id == Edition.id)
    return list(session.scalars(query.where(Edition.template_id == template_id, Run.state == "live").order_by(Run.id)))


def called(session: Session) -> list[RuleRow]:
    """The hand-offs that are on and wait for a call."""
    query = select(RuleRow).where(RuleRow.kind == "hand-off", RuleRow.state == "on", RuleRow.event == "call")
    return list(session.scalars(query))
