"""A task, a link between two by their keys, and the working calendars of a plan."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.days import WithInterval, WorkingCalendar
from unisequa.core.calendars.grid import DAYS, Grid
from unisequa.core.documents.measures import standing_calendar
from unisequa.core.documents.template import CalendarDocument, Edge, LagUnit, LinkType, Measure, When
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.network.network import Stands

State = Literal["waiting", "ready", "under way", "in review", "done", "dropped"]

FINISHED: frozenset[str] = frozenset({"done", "dropped"})
BEGUN: frozenset[str] = frozenset({"under way", "in review"})


@dataclass(frozen=True, slots=True)
class Awaited:
    """A step of another job that a task waits for: its title, the run it is in, the boundary at which it finishes
    there if that is known, and whether it is done. Without a run of that date yet, ``run`` is the job's name."""

    title: str
    run: str
    finish: int | None = None
    done: bool = False
    found: bool = True

    @property
    def words(self) -> str:
        """What is awaited, and where."""
        return f"{self.title} of {self.run}" + ("" if self.found else ", which has no run of that date yet")


@dataclass(frozen=True, slots=True)
class Task:
    """A task as the computation and its words need it.

    Parameters
    ----------
    duration : int
        In worked slots; 0 is a milestone. A parent's means nothing.
    edge : "start" or "finish"
        Which kind of boundary a milestone stands on; which end of a task its ``when`` measures.
    when : When, optional
        Where the template puts it.
    target : tuple of int, optional
        Start and finish boundary of that.
    not_before : int, optional
        The first date it may stand on, as people read it.
    deadline : int, optional
        Boundary at or before which it should finish.
    limits_from, deadlines_from : tuple of Measure
        What the two are measured by.
    calendar : str, optional
        Name of its calendar; the plan's default without one.
    opens : bool
        It has neither a date nor predecessors in the template, so it starts on the first anchor.
    parent : str, optional
        Key of the task it is a part of.
    fixed : bool
        Somebody has pinned its date; no cascade moves it.
    waits : tuple of Awaited
        What it waits for in other runs: none of it starts before they finish.
    """

    key: str
    title: str
    duration: int
    edge: Edge = "finish"
    when: When | None = None
    target: tuple[int, int] | None = None
    not_before: int | None = None
    deadline: int | None = None
    limits_from: tuple[Measure, ...] = ()
    deadlines_from: tuple[Measure, ...] = ()
    calendar: str | None = None
    phase: str | None = None
    role: str | None = None
    state: State = "waiting"
    opens: bool = False
    parent: str | None = None
    fixed: bool = False
    waits: tuple[Awaited, ...] = ()

    @property
    def stands(self) -> Stands:
        """Why no floor moves it, if none does."""
        if self.state in FINISHED:
            return "done" if self.state == "done" else "dropped"
        return "begun" if self.state in BEGUN else "fixed" if self.fixed else ""


@dataclass(frozen=True, slots=True)
class LinkOf:
    """A link by keys; ``lag`` in slots of ``unit``: days, or minutes on the minute grid."""

    source: str
    target: str
    type: LinkType = "FS"
    lag: int = 0
    unit: LagUnit = "working"


@dataclass(frozen=True, slots=True)
class Warning:
    """Something that deserves a look; it keeps nothing from going on."""

    kind: str
    task: str | None
    text: str


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
        found = self._made.get(name or self.default)
        if found is None:
            message = f'no calendar "{name}"{did_you_mean(name or "", self._made)}'
            raise DocumentError([Fault("calendar", message)])
        return found

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
        found = standing_calendar(measure, day, edge, calendar)
        if not isinstance(found, WithInterval):
            return found
        return self._own.setdefault((calendar.name, found.a, found.b), found)

    def with_slot(self, calendar: WorkingCalendar, slot: int) -> WorkingCalendar:
        """A calendar in which the day of a slot is worked, for one task that stands on it on purpose."""
        if calendar.is_worked(slot):
            return calendar
        first = self.grid.day(slot) * self.grid.per_day
        made = WithInterval(calendar, first, first + self.grid.per_day)
        return self._own.setdefault((calendar.name, made.a, made.b), made)
