"""The desk as a sheet: its tasks in groups by when they are due, and their bars."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from unisequa.actions.desk import DayLoad, Desk, DeskTask
from unisequa.core.calendars.grid import span_text
from unisequa.core.calendars.words import DateWords, day_words
from unisequa.core.terms import FINISHED
from unisequa.web.drawing.marks import as_script
from unisequa.web.drawing.scale import Field, days_off

GROUPS = ("Overdue", "Today", "This week", "Next week", "Within a month", "Later", "No date yet")
BACK, AHEAD = 7, 56
"""Days of the field before today and after it."""


@dataclass(frozen=True, slots=True)
class DeskLine:
    """A task's row; ``ref`` is its run and its key, by which the page knows it."""

    ref: str
    run_id: int
    key: str
    title: str
    run: str
    state: str
    waits: str
    due: str
    late: int


@dataclass(frozen=True, slots=True)
class GroupLine:
    """The row of a group; ``note`` is what it counts or the day it is. Without a label it is that of the hours."""

    label: str
    note: str


@dataclass(frozen=True, slots=True)
class DeskSheet:
    """The rows of a desk, and what the script draws beside them, as JSON that may stand in a page."""

    lines: tuple[GroupLine | DeskLine, ...]
    field: str


def desk_sheet(desk: Desk, tasks: Sequence[DeskTask], *, grouped: bool = True) -> DeskSheet:
    """The rows of some of a desk's tasks."""
    groups: dict[str, list[DeskTask]] = {name: [] for name in (GROUPS if grouped else ("",))}
    for task in tasks:
        groups[_group(task, desk.today) if grouped else ""].append(task)
    lines: list[GroupLine | DeskLine] = [GroupLine("", "")] if grouped and tasks else []
    marks: list[dict[str, Any]] = []
    heads: list[int] = []
    said = DateWords.seen_on(desk.today)
    for name, members in groups.items():
        if not members:
            continue
        if name:
            heads.append(len(lines))
            lines.append(GroupLine(name, day_words(desk.today) if name == "Today" else str(len(members))))
        for task in members:
            line = _line(task, said)
            if task.first is not None and task.last is not None:
                marks.append({"i": len(lines), **_mark(line, task)})
            lines.append(line)
    field = Field(desk.today - BACK, BACK + AHEAD)
    content = {
        "first": field.first, "days": field.days, "today": desk.today, "off": days_off(field, desk.calendar),
        "plumbs": [("today", desk.today + 0.5, "today")], "heads": heads, "rows": len(lines), "marks": marks,
        "links": [], "load": [[one.day, one.asked, one.has] for one in desk.load if one.asked],
    }  # fmt: skip
    return DeskSheet(tuple(lines), as_script(content))


def _group(task: DeskTask, today: int) -> str:
    if task.last is None or task.first is None:
        return "No date yet"
    sunday = today + (7 - (today + 6) % 7) - 1
    if task.state == "in review" or task.state in FINISHED:
        return "Today"
    if task.late:
        return "Overdue"
    if task.last <= today or task.state == "under way":
        return "Today"
    for name, until in (("This week", sunday), ("Next week", sunday + 7), ("Within a month", today + 31)):
        if task.last <= until:
            return name
    return "Later"


def _line(task: DeskTask, said: DateWords) -> DeskLine:
    due = "undated" if task.last is None else f"{task.late} d late" if task.late else said[task.last]
    now = task.last == said.today
    if task.at:
        due = f"{span_text(task.late)} late" if task.late else task.at if now else f"{due} {task.at}"
    elif now:
        due = "today"
    return DeskLine(
        f"{task.run_id}:{task.key}", task.run_id, task.key, task.title, task.run, task.state, task.waits, due, task.late
    )


def _mark(line: DeskLine, task: DeskTask) -> dict[str, Any]:
    assert task.first is not None and task.last is not None
    mark: dict[str, Any] = {"k": line.ref, "st": task.state.replace(" ", "-"), "s": (task.first, task.last + 1)}
    if not task.duration:
        mark |= {"ms": True, "s": (task.last + 0.5, task.last + 0.5)}
    if task.late:
        mark["la"] = True
    return mark


def hours_words(minutes: int) -> str:
    """``9½``: hours to the half.

    >>> hours_words(570), hours_words(25), hours_words(0)
    ('9½', '½', '0')
    """
    halves = max(1, round(minutes / 30)) if minutes else 0
    whole, half = divmod(halves, 2)
    return (str(whole) if whole or not half else "") + ("½" if half else "")


def days_of_load(load: Iterable[DayLoad], desk: Desk, days: int = 14) -> tuple[tuple[str, str, bool, int, int], ...]:
    """The next days for a phone: letter, number, whether it is off, and the parts of its bar in percent of a day."""
    told = []
    for one in list(load)[:days]:
        letter, number = day_words(one.day).split()[:2]
        share = round(100 * min(one.asked, one.has) / one.has) if one.has else 0
        over = round(100 * min(1.0, max(0, one.asked - one.has) / one.has)) if one.has else (100 if one.asked else 0)
        told.append((letter[0], number, not desk.calendar.is_working_day(one.day), share, over))
    return tuple(told)
