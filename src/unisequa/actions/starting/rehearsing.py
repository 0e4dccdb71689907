"""A run as it would be, worked out before anything is created."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.people.people import Actor
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.filling import Filled, filled
from unisequa.actions.templates.included import included_by
from unisequa.actions.templates.seeing import edition_of
from unisequa.core.calendars.today import now_on
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.includes import laid_open
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, Fault, ShiftError
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.from_end import opening_by
from unisequa.core.plan.noticed import warnings_of
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Move
from unisequa.store.documents import Latest, digest_of, template_of
from unisequa.store.store import Session
from unisequa.store.tables import Edition
from unisequa.store.waits import AwaitedElsewhere

OF_ASSEMBLY = frozenset({"rolled", "backward"})
"""What a plan is warned of when it is assembled, and not by how it stands."""


class Startable:
    """What is started: an edition with what it includes laid open, and all that its plan rests on, asked for once.

    Without a number it is the newest released, and where none is yet the draft, for who may edit it; that of ``row``
    where it is known already.
    """

    def __init__(
        self,
        session: Session,
        actor: Actor,
        template_id: int,
        number: int | None,
        today: dt.date,
        row: Edition | None = None,
    ) -> None:
        self._session, self.actor, self.today = session, actor, today
        self.row = edition_of(session, actor, template_id, number, to_start=True) if row is None else row
        self.document = template_of(self.row)
        self.included = included_by(session, self.row)
        self.grid = self.document.slots_of_time()
        self.template_id, self.edition, self.draft = template_id, self.row.number, self.row.state == "draft"
        self._members: dict[str, dict[str, Filled]] = {}
        self._elsewhere: dict[str, AwaitedElsewhere] = {}

    @cached_property
    def template(self) -> Template:
        """With what it includes as its own parts.

        Raises
        ------
        DocumentError
            Where something that it includes is not there.
        """
        return laid_open(self.document, self.included.library)

    @cached_property
    def documents(self) -> tuple[CalendarDocument, ...]:
        """All working calendars, its own first."""
        return calendar_documents(self._session, self.document.calendar)

    @property
    def calendars(self) -> tuple[str, ...]:
        """The names of the working calendars it may have, its own first."""
        return tuple(document.name for document in self.documents)

    @property
    def opening(self) -> str | None:
        """The key of the anchor that follows from an end: the first that is required and not derived."""
        return next((a.key for a in self.template.anchors if a.required and a.from_ is None), None)

    def members(self, choices: Choices) -> dict[str, Filled]:
        """Role → who fills it by what is chosen."""
        key = repr((sorted(choices.crew.items()), choices.subject, choices.keeper))
        if key not in self._members:
            keeper = choices.keeper or self.actor.id
            found = filled(self._session, keeper, self.template, choices.crew, choices.subject)
            self._members[key] = found
        return self._members[key]

    def elsewhere(self, choices: Choices) -> AwaitedElsewhere:
        """What its steps wait for in other runs."""
        chosen = {str(number): run_id for number, run_id in choices.awaits.items()}
        key = repr((sorted(chosen.items()), choices.subject))
        if key not in self._elsewhere:
            waits = [wait for step in self.template.steps for wait in step.waits_for]
            self._elsewhere[key] = AwaitedElsewhere(
                self._session,
                waits,
                self.included.ids,
                self.today,
                self.grid,
                viewer=self.actor.id,
                chosen=chosen,
                subject=choices.subject,
            )
        return self._elsewhere[key]

    def plan(self, choices: Choices, *, sketch: bool = False) -> Plan:
        """The plan that a run would have; nothing is created.

        Parameters
        ----------
        sketch : bool
            A first look: what is required may be missing still; tasks that hang on an anchor without a date have none.

        Raises
        ------
        DocumentError
            With what is missing or wrong, path by path.
        """
        crew = {role: member.name for role, member in self.members(choices).items()}
        first = choices.calendar or self.document.calendar
        calendars = tuple(sorted(self.documents, key=lambda document: document.name != first))
        based = (self.row.digest, sorted((number, one.digest) for number, one in self.included.editions.items()))
        chosen = (
            sorted(choices.anchors.items()), sorted(choices.facts.items()), crew, choices.subject, choices.calendar,
            now_on(self.grid, self.today), sorted(choices.without), sorted(choices.put.items()), sketch,
        )  # fmt: skip
        elsewhere = self.elsewhere(choices)
        waits = any(step.waits_for for step in self.template.steps)
        written = [document.written() for document in calendars]
        key = digest_of(repr((based, chosen, written, elsewhere.known() if waits else "")))
        if key in _PLANS:
            return _PLANS[key]
        occasion = Occasion(
            anchors=choices.anchors,
            facts=choices.facts,
            crew=crew,
            subject=choices.subject,
            calendars=calendars,
            today=self.today,
            elsewhere=elsewhere,
            without=choices.without,
            sketch=sketch,
        )
        plan = assemble(self.document, occasion, self.included.library)
        return _PLANS.keep(key, _put(plan, choices.put) if choices.put else plan)

    def opened_by_end(self, choices: Choices, anchor: str) -> Choices:
        """The choices with an anchor dated so that all is over by the end that was chosen.

        Raises
        ------
        TypedError
            Where it cannot be.
        DocumentError
            As of :meth:`plan`.
        """
        assert choices.end is not None

        def on_day(day: dt.date) -> Plan:
            return self.plan(replace(choices, anchors={**choices.anchors, anchor: day}), sketch=True)

        return replace(choices, anchors={**choices.anchors, anchor: opening_by(choices.end, on_day)})


def _put(plan: Plan, put: Mapping[str, dt.date]) -> Plan:
    """The plan with tasks where somebody put them; dates of what is not in it say nothing."""
    there = [Move(key, _slot(plan, key, day)) for key, day in put.items() if key in plan.positions]
    if not there:
        return plan
    try:
        after = cascade(plan, there).after()
    except ShiftError as error:
        where = f"put.{error.task}" if error.task else ""
        raise DocumentError([Fault(where, str(error))]) from error
    kept = [warning for warning in plan.warnings if warning.kind in OF_ASSEMBLY and warning.task not in put]
    return replace(after, warnings=(*kept, *warnings_of(after, abroad=True)))


def _slot(plan: Plan, key: str, day: dt.date) -> int:
    """Where a task was put; on a day alone, in a job of hours, at the time at which it would be."""
    if plan.grid.per_day == 1 or isinstance(day, dt.datetime):
        return plan.grid.of(day)
    read = plan.read(plan.position(key))
    return plan.grid.on_day(day.toordinal(), read and read[0])


_PLANS: Latest[Plan] = Latest(32)
"""The plans worked out last, by all that they rest on: what was looked at before a start is not worked out again within
its transaction; of other runs that it waits for, too."""


def rehearse(
    session: Session, actor: Actor, template_id: int, number: int | None, choices: Choices, today: dt.date
) -> Plan:
    """The plan that a run would have; as :meth:`Startable.plan`."""
    return Startable(session, actor, template_id, number, today).plan(choices)
