"""What every edit of a shift has: its place in the order, its fields, its words.

An edit is one frozen class with what it does (:meth:`Edit.carry_out`), its words (:meth:`Edit.said`) and fields from
which :mod:`unisequa.core.shift.edits.codec` makes its document, its option on the command line and its row. Dates are
given as people read them: a day, or on the minute grid an instant. Lengths are in worked slots: working days, or
minutes.

Edits made together are carried out in the order of their turns:

====  ===========================================================
turn  what
====  ===========================================================
0     days closed and reopened, calendars made anew
1     anchors
2     the whole run moved
3     windows of phases
4     links, tasks dropped and reopened; the network is built anew
5     a task's duration, calendar, freedom
6     a task begun
7     a task's dates, what remains, done; links held, what follows let go
8     catching up
====  ===========================================================

Of several edits of one task with the same ``holds`` the last one counts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, ClassVar, Literal

from unisequa.core.calendars.grid import Grid, span_text
from unisequa.core.errors import ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import Task
from unisequa.core.shift.prepared import Prepared, position_of
from unisequa.core.terms import FINISHED

Value = Literal["task", "text", "date", "instant", "day", "length", "lag", "number", "choice", "calendar"]
"""How a field is written: a task's key, other text, a date on the run's grid, the same where a bare date of the minute
grid is its first worked minute, a whole day, worked slots, a lag, a whole number, one of some words, a calendar's
document."""


def part(value: Value, name: str = "", *, choices: tuple[str, ...] = (), **default: Any) -> Any:
    """A field of an edit: how it is written, and its name in documents where that is another one."""
    return field(metadata={"value": value, "name": name, "choices": choices}, **default)


@dataclass(frozen=True, slots=True)
class Option:
    """An option of the command line that makes an edit.

    ``form`` is how its text is taken apart: ``pair`` KEY=VALUE into the first two fields, ``one`` the first field,
    ``range`` A or A..B into the first two, ``pair of range`` KEY=A..B into the first three, ``link`` P:S[:TYPE[:LAG]],
    ``number or date`` into the first or the second, ``whom`` KEY=person:NAME or KEY=calendar:NAME, a name alone being
    a calendar's. ``given`` are fields the option itself sets.
    """

    flag: str
    metavar: str
    words: str
    form: Literal["pair", "one", "range", "pair of range", "link", "number or date", "whom"]
    given: tuple[tuple[str, str], ...] = ()


class Edit:
    """Base of all edits of a shift."""

    __slots__ = ()
    kind: ClassVar[str]
    turn: ClassVar[int]
    options: ClassVar[tuple[Option, ...]]
    restates: ClassVar[bool] = False
    """Whether it gives a task another state."""
    holds: ClassVar[str | None] = None
    """What of a task it decides; of several edits of one task that decide the same, the last counts."""

    @property
    def task(self) -> str | None:
        """The key of the one task it is about; None where it is about more."""
        return None

    def carry_out(self, work: Prepared) -> None:
        """Do it, before anything follows.

        Raises
        ------
        ShiftError
        """
        raise NotImplementedError

    @classmethod
    def together(cls, work: Prepared, edits: Sequence[Edit]) -> None:
        """Carry out all edits of one turn."""
        for edit in edits:
            edit.attempt(work)

    def attempt(self, work: Prepared) -> None:
        """Carry it out; what is raised says which edit it was."""
        try:
            self.carry_out(work)
        except ShiftError as error:
            error.edit = error.edit or self
            raise

    def check_dates(self, plan: Plan) -> None:
        """Refuse a date that no calendar reaches.

        Raises
        ------
        ShiftError
        """
        grid = plan.grid
        for one in fields(self):  # type: ignore[arg-type]
            value, day = one.metadata["value"], getattr(self, one.name)
            if value not in {"date", "instant", "day"} or day is None:
                continue
            low, high = (grid.first, grid.last - 1) if value != "day" else (1, grid.last // grid.per_day - 1)
            if not low <= day < high:
                at = plan.positions.get(self.task) if self.task is not None else None
                title = "" if at is None else f"{plan.tasks[at].title}: "
                text = f"{title}the date falls outside the years 1 to 9999"
                raise ShiftError(text, task=self.task, edit=self)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        """Why a task moves that this edit has changed."""
        if after.duration == before.duration:
            return "moved by you"
        length = f"{after.duration} d" if grid.per_day == 1 else span_text(after.duration)
        return f"now takes {length}, set by you"


@dataclass(frozen=True, slots=True)
class TaskEdit(Edit):
    """An edit of one task."""

    turn: ClassVar[int] = 7

    key: str = part("task", "task")

    @property
    def task(self) -> str | None:
        return self.key

    def carry_out(self, work: Prepared) -> None:
        i = position_of(work.plan, self.key)
        if work.plan.is_parent(i):
            self.on_parent(work, i)
        else:
            self.on(work, i)

    def on(self, work: Prepared, i: int) -> None:
        """Do it to the task at a position."""
        raise NotImplementedError

    def on_parent(self, work: Prepared, i: int) -> None:
        """Do it to a task that spans others."""
        raise ShiftError(f"{work.plan.tasks[i].title} spans its sub-steps; change those", task=self.key)

    def on_each_part(self, work: Prepared, i: int, *, finished: bool = False) -> None:
        """Do it to each sub-step that is not finished, or to each that is."""
        plan = work.plan
        leaves = [leaf for leaf in plan.leaves(i) if (work.task(leaf).state in FINISHED) == finished]
        if not leaves:
            text = f"{plan.tasks[i].title} has no sub-step that this could be done with"
            raise ShiftError(text, task=self.key)
        for leaf in leaves:
            replace(self, key=plan.tasks[leaf].key).carry_out(work)
