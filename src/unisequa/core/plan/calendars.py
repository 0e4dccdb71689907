"""The working calendars of a plan, by their names."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

from unisequa.core.calendars.days import WithInterval, WorkingCalendar
from unisequa.core.calendars.grid import DAYS, Grid
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.measures import standing_calendar
from unisequa.core.documents.template import Measure
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.plan.task import Task
from unisequa.core.terms import Edge


class Calendars:
    """The working calendars of a plan by name, each made once; the first is the default."""

    def __init__(self, documents: Iterable[CalendarDocument] = (), grid: Grid = DAYS) -> None:
        self.documents = tuple(documents) or (CalendarDocument(name="Monday to Friday"),)
        self.grid = grid
        self.default = self.documents[0].name
        names = [document.name for document in self.documents]
        if twice := next((name for i, name in enumerate(names) if name in names[:i]), None):
            raise DocumentError([Fault("calendars", f'"{twice}" is the name of two of them; give each its own')])
        self._made: dict[str, WorkingCalendar] = {d.name: d.working(grid) for d in self.documents}
        self._own: dict[tuple[object, ...], WorkingCalendar] = {}

    def __contains__(self, name: object) -> bool:
        return name in self._made

    def __getitem__(self, name: str | None) -> WorkingCalendar:
        calendar = self._made.get(name or self.default)
        if calendar is None:
            message = f'no calendar "{name}"{did_you_mean(name or "", self._made)}'
            raise DocumentError([Fault("calendar", message)])
        return calendar

    @cached_property
    def by_day(self) -> Calendars:
        """The same calendars on the day grid: which days are worked, whatever the hours."""
        return self if self.grid.per_day == 1 else Calendars(self.documents)

    def of(self, task: Task) -> WorkingCalendar:
        """A task's calendar; a day off that its unrolled target falls on counts as worked for it alone."""
        calendar = self[task.calendar]
        if task.when is None or task.when.roll != "none" or task.target is None:
            return calendar
        grid = self.grid
        read = grid.inclusive(task.target[1]) if task.edge == "finish" else task.target[0]
        return self.unrolled(task.when, read, task.edge, calendar)

    def unrolled(self, measure: Measure, day: int, edge: Edge, calendar: WorkingCalendar) -> WorkingCalendar:
        """A calendar with the day off that a measure falls on worked, where it is not to be rolled."""
        standing = standing_calendar(measure, day, edge, calendar)
        if not isinstance(standing, WithInterval):
            return standing
        return self._own.setdefault((calendar.name, standing.a, standing.b), standing)

    def with_slot(self, calendar: WorkingCalendar, slot: int) -> WorkingCalendar:
        """A calendar in which the day of a slot is worked, for one task that stands on it on purpose."""
        if calendar.is_worked(slot):
            return calendar
        day = self.grid.day(slot)
        made = WithInterval(calendar, self.grid.day_start(day), self.grid.day_start(day + 1))
        return self._own.setdefault((calendar.name, made.a, made.b), made)
