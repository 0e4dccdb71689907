"""Rehearsals: a template put on sample dates, with facts and a crew; nothing is created."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.included import Linked
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid, read_span
from unisequa.core.calendars.typed import typed_moment
from unisequa.core.documents.checks import with_readable_titles
from unisequa.core.documents.includes import Whole, whole
from unisequa.core.documents.template import Template
from unisequa.core.errors import DateRangeError, DocumentError, TypedError
from unisequa.core.people.load import Load, absences, loads
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import Warning
from unisequa.core.terms import DAY_MINUTES, number_in
from unisequa.store.queries.people import leave_of, people_by_id
from unisequa.store.store import Session
from unisequa.store.waits import AwaitedElsewhere

Typed = dict[Annotated[str, Field(max_length=300)], Annotated[str, Field(max_length=2000)]]


class Rehearsal(BaseModel):
    """What was typed: anchor dates, facts, people's ids by role, a calendar's name."""

    model_config = ConfigDict(extra="forbid")

    anchors: Typed = {}
    facts: Typed = {}
    crew: Typed = {}
    calendar: Annotated[str, Field(max_length=200)] = ""


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """What a run would be; or, without a plan, what is missing or wrong, by field."""

    plan: Plan | None = None
    parts: Whole = field(default_factory=Whole)
    names: Mapping[str, str] = field(default_factory=dict)
    warnings: tuple[Warning, ...] = ()
    load: tuple[Load, ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)

    def who(self, role: str | None) -> str:
        """Who is in a role, or its own name."""
        if role is None:
            return ""
        entry = self.parts.roles.get(role)
        return self.names.get(role) or (entry.label if entry else role)


def rehearsed(
    session: Session, actor: Actor, template: Template, inside: Linked, given: Rehearsal, today: dt.date
) -> Rehearsed:
    """A template on the dates that were typed; a draft too whose titles name what is not there yet."""
    template, library = with_readable_titles(template), inside.library
    documents = calendar_documents(session, given.calendar or template.calendar)
    grid = template.slots_of_time()
    anchors, faults = _typed(given, Calendars(documents)[None], grid, actor, today)
    if faults:
        return Rehearsed(faults=faults)
    numbers = {role: number for role, text in given.crew.items() if (number := number_in(text))}
    people = people_by_id(session, set(numbers.values()))
    crew = {role: people[number] for role, number in numbers.items() if number in people}
    names = {role: person.name for role, person in crew.items()}
    away = _leave(session, {role: person.id for role, person in crew.items()})
    try:
        parts = whole(template, library)
        facts = {key: value for key, value in given.facts.items() if key in parts.facts}
        dates = {key: day for key, day in anchors.items() if key in parts.anchors}
        waits = [wait for placed in parts.steps for wait in placed.step.waits_for]
        there = AwaitedElsewhere(session, waits, inside.ids, today, grid, viewer=actor.id)
        occasion = Occasion(dates, facts, names, "the subject", documents, today, away=away, elsewhere=there)
        plan = assemble(template, occasion, library)
    except DocumentError as error:
        return Rehearsed(faults={fault.path: fault.message for fault in error.faults})
    rehearsal = Rehearsed(plan, parts, names)
    effort = {placed.key: read_span(placed.step.effort, DAY_MINUTES) for placed in parts.steps if placed.step.effort}
    warnings = (*absences(plan, rehearsal.who), *plan.warnings)
    return Rehearsed(plan, parts, names, warnings, tuple(loads(plan, effort, rehearsal.who)))


def _typed(
    given: Rehearsal, calendar: WorkingCalendar, grid: Grid, actor: Actor, today: dt.date
) -> tuple[dict[str, dt.date], dict[str, str]]:
    """The days of anchors as they were typed, and what is wrong with others, by field."""
    anchors: dict[str, dt.date] = {}
    faults: dict[str, str] = {}
    for key, text in given.anchors.items():
        if text.strip():
            try:
                anchors[key] = typed_moment(
                    text, today=today, base=None, calendar=calendar, grid=grid, month_first=actor.month_first
                )
            except (TypedError, DateRangeError, ValueError) as error:
                faults[f"anchors.{key}"] = str(error)
    return anchors, faults


def days_rehearsed(
    session: Session, actor: Actor, template: Template, given: Rehearsal | None, today: dt.date
) -> tuple[dict[str, dt.date], WorkingCalendar]:
    """The days that anchors have in a rehearsal that is on, and the calendar it goes by."""
    documents = calendar_documents(session, (given.calendar if given else "") or template.calendar)
    calendar = Calendars(documents)[None]
    anchors = _typed(given, calendar, template.slots_of_time(), actor, today)[0] if given else {}
    return {key: dt.date(day.year, day.month, day.day) for key, day in anchors.items()}, calendar


def _leave(session: Session, crew: Mapping[str, int]) -> dict[str, tuple[tuple[dt.date, dt.date], ...]]:
    spans: dict[int, list[tuple[dt.date, dt.date]]] = {}
    for leave in leave_of(session, set(crew.values())):
        spans.setdefault(leave.person_id, []).append((leave.first_on, leave.last_on))
    return {role: tuple(spans[person]) for role, person in crew.items() if person in spans}
