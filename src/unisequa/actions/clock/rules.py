"""Repeat rules: written, seen with their next dates before they are on, switched on and off."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import islice
from typing import Any

from unisequa.actions.access import check_may, check_may_change_run, may
from unisequa.actions.clock.repeating import choices_of, plan_ahead
from unisequa.actions.clock.whom import answers_for
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.templates.seeing import newest_released, template_row
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.today import utc_of, zone_of
from unisequa.core.clock.opening import Opening, openings
from unisequa.core.clock.saying import when_words
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.rule import StartRule
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, NotThere, Refused, Stale
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan
from unisequa.store.queries import clock as queries
from unisequa.store.queries.people import people_by_id
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, RuleRow

MOST_SHOWN = 12
HIDDEN = "This rule does not exist, or is of a template that is not open to you."


@dataclass(frozen=True, slots=True)
class RuleDraft:
    """A rule as somebody writes it; ``document`` is that of a :class:`StartRule`."""

    name: str
    template_id: int
    document: Mapping[str, Any]
    keeper_id: int | None = None


@dataclass(frozen=True, slots=True)
class RuleSeen:
    """A rule as one person sees it.

    Parameters
    ----------
    may : bool
        Whether they may change it.
    owes : datetime, optional
        When it next starts something, in UTC; None while it is off.
    started : int
        How many runs it has started.
    """

    id: int
    kind: str
    name: str
    template_id: int
    template: str
    document: StartRule
    when: str
    state: str
    on_since: dt.datetime | None
    by: str
    keeper: str
    keeper_id: int | None
    stopped: str
    version: int
    may: bool
    next: dt.datetime | None
    started: int
    zone: dt.tzinfo


@dataclass(frozen=True, slots=True)
class Dates:
    """The next dates of a rule, on the calendar that rolls them."""

    openings: tuple[Opening, ...]
    calendar: WorkingCalendar


def see_rules(session: Session, actor: Actor, today: dt.date) -> tuple[RuleSeen, ...]:
    """The repeat rules of the templates that somebody may see."""
    rows = [row for row in queries.rules_seen_by(session, actor.id) if row.kind == "repeat"]
    started = queries.started_by(session, [row.id for row in rows], actor.id)
    coming = queries.next_of_rules(session, [row.id for row in rows])
    return tuple(_seen(row, actor, coming.get(row.id), started.get(row.id, 0), today) for row in rows)


def see_rule(session: Session, actor: Actor, number: int, today: dt.date) -> RuleSeen:
    """One rule."""
    row = _row(session, actor, number)
    coming = queries.next_of_rules(session, [row.id]).get(row.id)
    return _seen(row, actor, coming, queries.started_by(session, [row.id], actor.id).get(row.id, 0), today)


def _seen(row: RuleRow, actor: Actor, coming: dt.datetime | None, started: int, today: dt.date) -> RuleSeen:
    assert row.template is not None
    document = StartRule.model_validate(row.document)
    return RuleSeen(
        row.id, row.kind, row.name, row.template.id, row.template.name, document, when_words(document.when), row.state,
        row.on_since, row.by.name, answers_for(row).name, row.keeper_id, row.stopped, row.version,
        may(row.template, actor, "change a draft"), coming, started, zone_of(today),
    )  # fmt: skip


def _row(session: Session, actor: Actor, number: int) -> RuleRow:
    row = queries.rule_by_id(session, number)
    if row is None or row.kind != "repeat" or row.template is None or not may(row.template, actor, "see the template"):
        raise NotThere(HIDDEN)
    return row


def _to_change(session: Session, actor: Actor, number: int, version: int | None = None) -> RuleRow:
    row = _row(session, actor, number)
    assert row.template is not None
    check_may(row.template, actor, "change a draft")
    if version is not None and version != row.version:
        raise Stale(row.version)
    return row


def checked(draft: RuleDraft) -> StartRule:
    """The document of a rule that somebody writes.

    Raises
    ------
    Refused
        A message for each field at fault, by its path.
    """
    try:
        return read_document(StartRule, dict(draft.document))
    except DocumentError as error:
        raise Refused({fault.path: fault.message[:1].upper() + fault.message[1:] for fault in error.faults}) from error


class Writing:
    """A rule as it is written: its template, asked for once; nothing is kept, and the session never sees it."""

    def __init__(self, session: Session, actor: Actor, template_id: int, today: dt.date) -> None:
        self._session, self._actor, self.today = session, actor, today
        self._row = template_row(session, template_id)
        check_may(self._row, actor, "see the template")
        edition = newest_released(self._row)
        if edition is None:
            raise NotThere("This template has no released edition that a rule could start; release one first.")
        self.on = Startable(session, actor, template_id, edition.number, today, edition)
        self.name, self.owner = self._row.name, self._row.owner.name
        self.may = may(self._row, actor, "change a draft")

    @property
    def template(self) -> Template:
        """The edition that it starts."""
        return self.on.template

    def dates(self, draft: RuleDraft) -> Dates:
        """The dates of the next twelve months, at most twelve.

        Raises
        ------
        Refused
        """
        document, today = checked(draft), self.today
        first = document.calendar or self.on.document.calendar
        calendar = Calendars(sorted(self.on.documents, key=lambda one: one.name != first))[None]
        every = openings(document, calendar, zone_of(today), today + dt.timedelta(days=366))
        return Dates(tuple(islice((one for one in every if one.date.day >= today), MOST_SHOWN)), calendar)

    def rehearse(self, draft: RuleDraft, day: dt.date) -> Plan:
        """The run that it would start for a day; what is required may be missing still.

        Raises
        ------
        DocumentError, Refused
        """
        keeper = people_by_id(self._session, {draft.keeper_id} if draft.keeper_id else set())
        me = people_by_id(self._session, {self._actor.id})[self._actor.id]
        with self._session.no_autoflush:
            row = RuleRow(name=draft.name, kind="repeat", document=dict(draft.document), state="off")
            row.template_id, row.by_id, row.keeper_id = draft.template_id, self._actor.id, draft.keeper_id
            queries.loose(row, template=self._row, by=me, keeper=keeper.get(draft.keeper_id or 0))
        _, choices = choices_of(self._session, row, checked(draft), day, self.today, self.on)
        return self.on.plan(choices, sketch=True)


def check_may_write(session: Session, actor: Actor, template_id: int) -> None:
    """Refuse whoever may not write rules that start a template."""
    check_may(template_row(session, template_id), actor, "change a draft")


def templates_to_rule(session: Session, actor: Actor) -> tuple[tuple[int, str], ...]:
    """The released templates of which somebody may write rules."""
    return tuple(queries.editable_templates(session, actor.id))


def save_rule(
    session: Session,
    actor: Actor,
    draft: RuleDraft,
    today: dt.date,
    number: int | None = None,
    version: int | None = None,
) -> int:
    """Write a rule, or change one; one that is on goes on with what it says now. Gives its id.

    Raises
    ------
    Refused
        A message for each field at fault.
    """
    template = template_row(session, draft.template_id)
    check_may(template, actor, "change a draft")
    document = checked(draft)
    if not draft.name.strip():
        raise Refused({"name": "Give the rule a name."})
    keeper = people_by_id(session, {draft.keeper_id} if draft.keeper_id else set()).get(draft.keeper_id or 0)
    if draft.keeper_id and (keeper is None or not keeper.active):
        raise Refused({"keeper": "There is nobody with that number, or they have left; choose somebody in the list."})
    if number is None:
        row = RuleRow(kind="repeat", template_id=template.id, by_id=actor.id, document={})
        session.add(row)
    else:
        row = _to_change(session, actor, number, version)
        if row.template_id != template.id:
            raise Refused({"template": "A rule stays with its template; write another one."})
    row.name, row.document, row.keeper_id = draft.name.strip()[:200], document.written(), keeper.id if keeper else None
    session.flush()
    session.refresh(row)
    plan_ahead(session, row, today)
    what = "written" if number is None else "changed"
    note(
        session, actor, f"rule {what}", f"Repeat rule {row.name}: {when_words(document.when)}", template_id=template.id
    )
    session.flush()
    return row.id


def switch(
    session: Session, actor: Actor, number: int, today: dt.date, *, on: bool, version: int | None = None
) -> None:
    """Switch a rule on, so that from now on it acts with the rights of whoever does, or off.

    Raises
    ------
    Refused
        Field ``state``.
    """
    row = _to_change(session, actor, number, version)
    assert row.template is not None
    if on:
        check_may(row.template, actor, "start a run")
        if newest_released(row.template) is None:
            raise Refused({"state": "Its template has no released edition yet; release one first."})
        choices_of(session, row, StartRule.model_validate(row.document), today, today)
        row.on_since, row.by_id, row.stopped = utc_of(today), actor.id, ""
    row.state = "on" if on else "off"
    session.flush()
    session.refresh(row)
    plan_ahead(session, row, today)
    note(session, actor, "rule switched", f"Repeat rule {row.name} is {row.state}", template_id=row.template_id)


def delete_rule(session: Session, actor: Actor, number: int) -> str:
    """Delete a rule; the runs that it started stay. Gives its name."""
    row = _to_change(session, actor, number)
    name = row.name
    note(session, actor, "rule deleted", f"Repeat rule {name} is deleted", template_id=row.template_id)
    queries.forget_rule(session, row)
    return name


# What is due, and what came of it.

Due = queries.DueSeen


def coming(session: Session, actor: Actor, most: int = 40) -> list[Due]:
    """What is due next."""
    return queries.due_coming(session, actor.id, most, administrator=actor.administrator)


def failing(session: Session, actor: Actor) -> list[Due]:
    """What has failed and is tried again, or was set aside."""
    return queries.due_failing(session, actor.id, administrator=actor.administrator)


def past(session: Session, actor: Actor, most: int = 60, rule: int | None = None) -> list[Due]:
    """What was done by itself, held back or set aside, the latest first."""
    return queries.due_past(session, actor.id, most, administrator=actor.administrator, rule=rule)


def try_again(session: Session, actor: Actor, number: int, today: dt.date) -> None:
    """Have what failed tried again at once: whoever may change the rule, the run's keeper, administrators."""
    row = _failed(session, actor, number)
    row.state, row.try_at, row.done_at = "waiting", utc_of(today), None


def let_be(session: Session, actor: Actor, number: int, today: dt.date) -> None:
    """Have what failed not tried any more."""
    row = _failed(session, actor, number)
    row.state, row.told, row.done_at = "held back", f"Let be by {actor.name}. {row.error}"[:1000], utc_of(today)


def _failed(session: Session, actor: Actor, number: int) -> DueRow:
    row = queries.due_by_id(session, number)
    if row is None or all(one.id != number for one in failing(session, actor)):
        raise NotThere("Nothing of yours has failed there.")
    if row.rule_id is not None:
        _to_change(session, actor, row.rule_id)
    elif row.run_id is not None:
        check_may_change_run(run_of(session, row.run_id, actor), actor)
    return row
