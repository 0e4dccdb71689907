"""Days closed and reopened in every calendar of the run, or one of them made anew."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import names_words
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.errors import ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import derived_dates
from unisequa.core.shift.edits.edit import Edit, Option, part
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import FINISHED, MOST_DAYS


class CalendarsEdit(Edit):
    """Base of edits that change what calendars a run goes by."""

    __slots__ = ()
    turn: ClassVar[int] = 0

    @classmethod
    def together(cls, work: Prepared, edits: Sequence[Edit]) -> None:
        documents = work.plan.calendars.documents
        for edit in edits:
            assert isinstance(edit, CalendarsEdit)
            edit.check(work.plan)
            documents = tuple(edit.of(document) for document in documents)
        work.calendars = Calendars(documents, work.grid)
        work.anchors = derived_dates(work.anchors, work.plan.derived, work.calendars)
        work.measure_end()
        work.rebuild()
        first = min(edit.since(work) for edit in edits if isinstance(edit, CalendarsEdit))
        for i in range(len(work.plan.tasks)):
            cls._behind(work, i, first)

    @staticmethod
    def _behind(work: Prepared, i: int, first: int) -> None:
        """Look at a task that stands on or behind the days, or is measured across them; its target is measured anew."""
        plan, task = work.plan, work.task(i)
        if task.state in FINISHED or plan.is_parent(i):
            return
        work.measure(i)
        start, finish = work.stands(i)
        if start == UNDATED:
            return
        if task.state == "under way":
            work.pins[i] = work.begun_span(i, start)
        elif not task.stands and (finish > first or work.task(i).target != task.target):
            work.looked_at.add(i)
            work.causes[i] = "closure"

    def check(self, plan: Plan) -> None:
        """Refuse what cannot be carried out."""

    def of(self, document: CalendarDocument) -> CalendarDocument:
        """A calendar's document with this carried out."""
        raise NotImplementedError

    def since(self, work: Prepared) -> int:
        """The boundary from which days are other ones."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class DaysEdit(CalendarsEdit):
    """The days from ``first`` to ``last``, both included."""

    first: int = part("day", "first")
    last: int = part("day", "last")
    label: str = part("text", "label", default="")

    def check(self, plan: Plan) -> None:
        """Refuse days that run backward or on and on."""
        if self.last < self.first:
            raise ShiftError("a closure ends before it begins; give the earlier day first", edit=self)
        if self.last - self.first > MOST_DAYS:
            raise ShiftError("a closure lasts over a hundred years; close fewer days", edit=self)

    def since(self, work: Prepared) -> int:
        return work.grid.day_start(self.first)

    def days(self) -> list[dt.date]:
        """The days themselves."""
        return [dt.date.fromordinal(day) for day in range(self.first, self.last + 1)]


@dataclass(frozen=True, slots=True)
class Close(DaysEdit):
    """Nobody works on these days."""

    kind = "close"
    options = (Option("--close", "DATE[..DATE]", "days on which nobody works", "range"),)

    def of(self, document: CalendarDocument) -> CalendarDocument:
        days, written = self.days(), document.written()
        first, last = days[0].isoformat(), days[-1].isoformat()
        closure = {"from": first, "to": last, "label": self.label} if first != last or self.label else first
        written["closures"] = [*written.get("closures", []), closure]
        closed = set(days)
        written["extra_working_days"] = [day.isoformat() for day in document.extra_working_days if day not in closed]
        return CalendarDocument.model_validate(written)


@dataclass(frozen=True, slots=True)
class Reopen(DaysEdit):
    """These days that were closed are worked; weekends stay what they are."""

    kind = "reopen"
    options = (Option("--reopen", "DATE[..DATE]", "closed days that are worked after all", "range"),)

    def of(self, document: CalendarDocument) -> CalendarDocument:
        calendar: WorkingCalendar = document.working()
        reopened = [
            day
            for day in self.days()
            if not calendar.is_working_day(day.toordinal()) and document.week[day.weekday()] == "1"
        ]
        written = document.written()
        written["extra_working_days"] = [day.isoformat() for day in (*document.extra_working_days, *reopened)]
        return CalendarDocument.model_validate(written)


@dataclass(frozen=True, slots=True)
class NewDays(CalendarsEdit):
    """One calendar of the run is as ``document`` says: its week, hours, holidays, closures, extra days."""

    kind = "calendar"
    options = ()

    document: CalendarDocument = part("calendar", "calendar")

    def check(self, plan: Plan) -> None:
        if self.document.name not in plan.calendars:
            known = names_words([document.name for document in plan.calendars.documents])
            raise ShiftError(f'the run has no calendar "{self.document.name}", but {known}', edit=self)

    def of(self, document: CalendarDocument) -> CalendarDocument:
        return self.document if document.name == self.document.name else document

    def since(self, work: Prepared) -> int:
        reach, grid = work.plan.reach(), work.grid
        if reach is None:
            return grid.last
        old, new = work.plan.calendars[self.document.name], work.calendars[self.document.name]
        for day in range(reach[0], reach[1] + 2):
            span = grid.day_start(day), grid.day_start(day + 1)
            if old.count(*span) != new.count(*span):
                return span[0]
        return grid.day_start(reach[1] + 1)
