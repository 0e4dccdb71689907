"""Edits of a shift from what somebody typed, or from where a bar or a line was let go: a function for each kind."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from unisequa.core.calendars.grid import DAYS, read_span
from unisequa.core.calendars.typed import counted_from, typed_days, typed_moment, typed_span
from unisequa.core.design.following import typed_lag
from unisequa.core.errors import TypedError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import (
    AddLink,
    CatchUp,
    Close,
    Drop,
    Due,
    Duration,
    Edit,
    Fix,
    Free,
    Give,
    Move,
    MoveAnchor,
    MoveRun,
    Remaining,
    RemoveLink,
    Reopen,
    Window,
)
from unisequa.core.shift.edits.links import TYPES
from unisequa.core.shift.result import Cascade, Mode
from unisequa.core.terms import DAY_MINUTES, MOST_DAYS, LinkType

_BY = re.compile(r"^(?:wd\s*)?([+−-]\s*\d{1,5})(?:\s*(?:wd|d|working days?|days?))?$")
_SPAN = re.compile(r"\s+(?:-|–|to|until)\s+")
_SHORT = re.compile(r"^(\d{1,2})\s*[-–]\s*(\d{1,2})\.?\s+([^\W\d].*)$")


@dataclass(frozen=True)
class Standing:
    """A run as it stands with the edits so far: what is typed for several tasks is counted from there for each, so that
    two of a chain go by a day each, and the later not by two."""

    plan: Plan
    edits: tuple[Edit, ...] = ()
    mode: Mode = "push"

    @cached_property
    def _after(self) -> Cascade:
        return cascade(self.plan, self.edits, self.mode)

    def read(self, at: int) -> tuple[int, int] | None:
        """The dates of a task as people read them."""
        return self._after.read_after(at) if self.edits else self.plan.read(at)


@dataclass(frozen=True, slots=True)
class Typed:
    """What somebody typed: for which task, anchor or phase by its ``key``, the text, a second one beside it."""

    standing: Standing
    today: dt.date
    key: str
    text: str
    also: str = ""
    month_first: bool = False

    @property
    def plan(self) -> Plan:
        """The run's plan, without the edits."""
        return self.standing.plan

    def read(self) -> tuple[int, int] | None:
        """The dates of the task as people read them, with the edits so far."""
        return self.standing.read(self.plan.position(self.key))

    def moment(self, base: int | None) -> int:
        """The date that was typed, counted from another where it is relative."""
        grid, plan = self.plan.grid, self.plan
        at = plan.positions.get(self.key)
        calendar = plan.calendars[None] if at is None else plan.calendars.of(plan.tasks[at])
        typed = typed_moment(
            self.text,
            today=self.today,
            base=counted_from(grid, base),
            calendar=calendar,
            grid=grid,
            month_first=self.month_first,
        )
        if grid.per_day > 1 and not isinstance(typed, dt.datetime):
            raise TypedError(f'"{self.text}" is a day; give a time with it, such as fri 19:40')
        return grid.of(typed)

    def day(self, text: str, seen_from: int | None = None) -> int:
        """A day, whatever the grid; the nearest of its name to today, or to another."""
        today = self.today if seen_from is None else dt.date.fromordinal(seen_from)
        calendar = self.plan.calendars.by_day[None]
        typed = typed_moment(text, today=today, base=None, calendar=calendar, grid=DAYS, month_first=self.month_first)
        return typed.toordinal()

    def days(self) -> tuple[int, int]:
        """A day or a stretch of days: ``24 dec``, ``24 dec to 2 jan``, ``24-26 dec``."""
        ends = _SPAN.split(_SHORT.sub(r"\1 \3 to \2 \3", self.text.strip()))
        if len(ends) > 2:
            raise TypedError(f'"{self.text}" is no stretch of days; type 24 dec, or 24 dec to 2 jan')
        first = self.day(ends[0])
        return first, self.day(ends[1], first) if len(ends) == 2 else first

    def slots(self, text: str, *, least: int = 0) -> int:
        """A length of time: working days, in a job of hours ``1h 30m``."""
        plan = self.plan
        if plan.grid.per_day == 1:
            days = typed_days(text)
            if days is None or not least <= days <= MOST_DAYS:
                raise TypedError(f'"{text}" is no number of working days; type 1, 2, 3 … or 2 w')
            return days
        try:
            slots = read_span(typed_span(text), plan.calendars.of(plan.tasks[plan.position(self.key)]).per_day)
        except ValueError as error:
            raise TypedError(str(error)) from None
        if not least <= slots <= MOST_DAYS * plan.grid.per_day:
            raise TypedError(f'"{text}" is no length of time here; type 20m or 1h 30m')
        return slots


def typed_edit(kind: str, typed: Typed) -> Edit:
    """An edit of a kind from what was typed.

    Raises
    ------
    TypedError, DateRangeError, ShiftError
    """
    make = _KINDS.get(kind)
    if make is None:
        raise TypedError("That cannot be changed here.")
    return make(typed)


def of_tasks(kind: str) -> bool:
    """Whether the key that goes with a kind is a task's."""
    return kind not in {"anchor", "offsets", "run", "close", "reopen", "catch", "window"}


def joined(edits: Iterable[Edit], edit: Edit, plan: Plan) -> tuple[tuple[Edit, ...], Edit | None]:
    """The edits with one more, which takes the place of the one that it overrules, and that one."""
    edits = tuple(edits)
    slot = _slot(edit)
    replaced = next((one for one in edits if slot is not None and _slot(one) == slot), None)
    kept = tuple(one for one in edits if one is not replaced)
    if isinstance(edit, RemoveLink) and isinstance(replaced, AddLink):
        there = any((k.source, k.target) == (edit.source, edit.target) for k in plan.links)
        return ((*kept, edit) if there else kept), replaced
    return (*kept, edit), replaced


def _slot(edit: Edit) -> tuple[Any, ...] | None:
    """What an edit decides: of two that decide the same the last counts."""
    match edit:
        case MoveAnchor():
            return "anchor", edit.anchor
        case Window():
            return "window", edit.phase
        case MoveRun() | CatchUp():
            return (edit.kind,)
        case AddLink() | RemoveLink():
            return "link", edit.source, edit.target
        case Close() | Reopen():
            return "days", edit.first, edit.last
        case Fix() | Free():
            return edit.task, "date"
        case _:
            return (edit.task, edit.holds or edit.kind) if edit.task else None


def _move(typed: Typed) -> Edit:
    read = typed.read()
    return Move(typed.key, typed.moment(read and read[0]))


def _due(typed: Typed) -> Edit:
    read = typed.read()
    return Due(typed.key, typed.moment(read and read[1]))


def _end(typed: Typed) -> Edit:
    """The duration that makes a task's end the one typed."""
    read, plan = typed.read(), typed.plan
    day = typed.moment(read and read[1])
    if read is None:
        return Due(typed.key, day)
    calendar = plan.calendars.of(plan.tasks[plan.position(typed.key)])
    return Duration(typed.key, max(1, calendar.count(read[0], plan.grid.exclusive(day))))


def _fix(typed: Typed) -> Edit:
    """Fixed where it stands, or where it was typed."""
    read = typed.read()
    if not typed.text.strip() and read is not None:
        return Fix(typed.key, read[0])
    return Fix(typed.key, typed.moment(read and read[0]))


def _link(typed: Typed) -> Edit:
    """After a task, by its title; drawn from bar to bar the type is in ``also``."""
    kind: LinkType = next((one for one in TYPES if one == typed.also), "FS")
    return AddLink(_named(typed.plan, typed.text), typed.key, kind)


def _unlink(typed: Typed) -> Edit:
    return RemoveLink(typed.text, typed.key)


def _lag(typed: Typed) -> Edit:
    """The lag of a link from the task in ``also``, as typed: ``+2``, ``-1 wd``, ``+3 d``, ``15m``."""
    plan, source = typed.plan, typed.also
    link = next((k for k in plan.links if (k.source, k.target) == (source, typed.key)), None)
    added = next(
        (e for e in typed.standing.edits if isinstance(e, AddLink) and (e.source, e.target) == (source, typed.key)),
        None,
    )
    if link is None and added is None:
        raise TypedError("There is no such link to lag behind.")
    read, unit = typed_lag(typed.text)
    if isinstance(read, str) != (plan.grid.per_day > 1) and read:
        raise TypedError(f'"{typed.text}" is no lag here; type {"+15m" if plan.grid.per_day > 1 else "+2 or +3 d"}')
    lag = read if isinstance(read, int) else _spanned(read, plan.calendars[None].per_day)
    if abs(lag) > MOST_DAYS * plan.grid.per_day:
        raise TypedError(f'"{typed.text}" is longer than any job')
    kind = link.type if link is not None else added.type if added is not None else "FS"
    return AddLink(source, typed.key, kind, lag, unit)


def _spanned(text: str, day: int) -> int:
    """The minutes of a lag, negative of a lead."""
    sign = -1 if text[:1] in {"-", "−"} else 1
    return sign * read_span(text.lstrip("-−"), day)


def _anchor(typed: Typed) -> Edit:
    return _put_anchor(typed, "distances")


def _offsets(typed: Typed) -> Edit:
    return _put_anchor(typed, "offsets")


def _put_anchor(typed: Typed, keep: Any) -> Edit:
    plan = typed.plan
    if typed.key not in plan.anchors:
        raise TypedError("This run has no such date.")
    was = plan.anchors[typed.key]
    for one in typed.standing.edits:
        if isinstance(one, MoveAnchor) and one.anchor == typed.key:
            was = one.day
    if plan.grid.per_day > 1 and was is None:
        moment = typed_moment(
            typed.text,
            today=typed.today,
            base=None,
            calendar=plan.calendars[None],
            grid=plan.grid,
            month_first=typed.month_first,
        )
        slot = plan.grid.of(moment)
        timed = isinstance(moment, dt.datetime)
        return MoveAnchor(typed.key, slot if timed else plan.calendars[None].roll_forward(slot), keep)
    return MoveAnchor(typed.key, typed.moment(was), keep)


def _run(typed: Typed) -> Edit:
    """The whole run by working days (``+5``), or so that it starts on a day."""
    if found := _BY.match(" ".join(typed.text.lower().split())):
        return MoveRun(by=int(found[1].replace(" ", "").replace("−", "-")))
    span = typed.plan.span()
    return MoveRun(to=typed.moment(span[0] if span else None))


def _close(typed: Typed) -> Edit:
    first, last = typed.days()
    return Close(first, last, typed.also.strip()[:200])


def _reopen(typed: Typed) -> Edit:
    first, last = typed.days()
    return Reopen(first, last)


def _catch(typed: Typed) -> Edit:
    return CatchUp(typed.plan.today or typed.plan.grid.of(typed.today))


def _give(typed: Typed) -> Edit:
    """By another calendar, or to somebody: ``person:Jory Pellew``."""
    name = typed.text.strip()
    if name.startswith("person:"):
        return Give(typed.key, person=name.removeprefix("person:").strip())
    return Give(typed.key, name)


def _remaining(typed: Typed) -> Edit:
    """What remains, and behind a comma the work left in it: ``2``, ``2, 6h``."""
    length, comma, work = typed.text.partition(",")
    left = None
    if comma:
        try:
            left = read_span(typed_span(work), DAY_MINUTES)
        except ValueError as error:
            raise TypedError(str(error)) from None
        if left < 0:
            raise TypedError(f'"{work.strip()}" is less than nothing')
    return Remaining(typed.key, typed.slots(length, least=1), left)


def _drop(typed: Typed) -> Edit:
    return Drop(typed.key, typed.text.strip()[:2000])


def _free(typed: Typed) -> Edit:
    return Free(typed.key)


def _window(typed: Typed) -> Edit:
    first, last = typed.days()
    return Window(typed.key, first, last)


def _named(plan: Plan, text: str) -> str:
    """The key of the task that a title, or a key, means."""
    word = text.strip()
    if word in plan.positions:
        return word
    found = [task.key for task in plan.tasks if task.title.casefold() == word.casefold()]
    if len(found) == 1:
        return found[0]
    raise TypedError(f"“{word}” is {'no task of this run' if not found else 'the title of several tasks'}")


_KINDS: dict[str, Callable[[Typed], Edit]] = {
    "move": _move,
    "due": _due,
    "end": _end,
    "duration": lambda typed: Duration(typed.key, typed.slots(typed.text)),
    "remaining": _remaining,
    "fix": _fix,
    "free": _free,
    "drop": _drop,
    "give": _give,
    "after": _link,
    "unlink": _unlink,
    "lag": _lag,
    "anchor": _anchor,
    "offsets": _offsets,
    "run": _run,
    "close": _close,
    "reopen": _reopen,
    "catch": _catch,
    "window": _window,
}
