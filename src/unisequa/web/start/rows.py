"""The drawn runs of the start page: rows in words, what deserves a look beneath them, and the field."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from unisequa.actions.starting.looks import Looked, Noticed, Offer
from unisequa.core.calendars.words import day_words
from unisequa.core.documents.measures import offset_words
from unisequa.core.documents.template import When
from unisequa.core.plan.telling import short
from unisequa.web.drawing.marks import Plumb, as_script, due_words, interval, plumbs
from unisequa.web.drawing.scale import days_off, field_of, field_of_hours

FEW = 8
"""Up to so many things that deserve a look are told beneath their rows without being asked for."""
WIDEST = 80
"""Up to so many letters stand on one line beneath a row."""


@dataclass(frozen=True, slots=True)
class GroupLine:
    """A phase, a week or a person."""

    kind: ClassVar[str] = "group"
    label: str
    count: int


@dataclass(frozen=True, slots=True)
class TaskLine:
    """A task as it would be. ``name`` tells it apart among all runs, as forms do; ``number`` ties it to what is told
    at the head."""

    kind: ClassVar[str] = "task"
    name: str
    title: str
    of: str
    who: str
    due: str
    past: bool
    number: int
    level: int
    parent: bool
    mended: bool


@dataclass(frozen=True, slots=True)
class MendLine:
    """What deserves a look about the task above, with what would mend it."""

    kind: ClassVar[str] = "mend"
    name: str
    number: int
    text: str
    offers: tuple[Offer, ...]


@dataclass(frozen=True, slots=True)
class ChangeLine:
    """What can be changed of the task above for this run: its date, who does it, whether it is there."""

    kind: ClassVar[str] = "change"
    name: str
    put: str
    give: str


@dataclass(frozen=True, slots=True)
class LeftLine:
    """A step that is left out this time, with the way back."""

    kind: ClassVar[str] = "left"
    name: str
    title: str


Line = GroupLine | TaskLine | MendLine | ChangeLine | LeftLine


@dataclass(frozen=True, slots=True)
class StartSheet:
    """All rows, and what the script draws, as JSON that may stand in a page."""

    lines: tuple[Line, ...]
    field: str


@dataclass(frozen=True, slots=True)
class Shown:
    """How the rows are shown: grouped by phase, person or date; which row is open; numbers of what deserves a look;
    whether dates stand in for missing ones."""

    by: str
    open: str
    numbers: Mapping[str, int]
    dated: bool


def start_sheet(
    runs: Sequence[Looked], looks: Sequence[Sequence[Noticed]], names: Mapping[int, str], shown: Shown
) -> StartSheet:
    """The rows of all runs together."""
    told: dict[str, list[Noticed]] = {}
    for run, found in zip(runs, looks, strict=True):
        for one in found:
            if one.task is not None:
                told.setdefault(_name(run, one.task), []).append(one)
    few = sum(len(found) for found in told.values()) <= FEW
    apart = _apart(runs)
    plans = [run.plan for run in runs]
    days = [day for plan in plans for i in range(len(plan.tasks)) for day in plan.days(i) or ()]
    days += [plan.grid.day(day) for plan in plans for day in plan.anchors.values() if day is not None]
    now = plans[0].today if plans else None
    today = None if now is None else plans[0].grid.day(now)
    hours = bool(plans) and all(plan.grid.per_day > 1 for plan in plans)
    if hours:
        field = field_of_hours(days)
    else:
        field = field_of([*days, *([today] if today is not None and days and min(days) - today < 120 else [])])
    lines: list[Line] = []
    marks: list[dict[str, Any]] = []
    heads: list[int] = []
    for label, members in _groups(runs, names, shown.by):
        if label:
            heads.append(len(lines))
            lines.append(GroupLine(label, sum(not runs[n].plan.is_parent(i) for n, i in members)))
        for n, i in members:
            run, name = runs[n], _name(runs[n], runs[n].plan.tasks[i].key)
            found = told.get(name, [])
            if (mark := _mark(run, i, len(lines))) is not None:
                marks.append(mark)
            lines.append(_line(run, i, apart[n], names, found, shown))
            for one in found if few or name == shown.open else ():
                lines += _mend_lines(run.plan.tasks[i].title, name, shown.numbers.get(one.kind, 0), one)
            if name == shown.open and not run.plan.is_parent(i):
                key = run.plan.tasks[i].key
                put = run.choices.put.get(key)
                lines.append(ChangeLine(name, put.isoformat()[:16] if put else "", str(run.choices.given.get(key, ""))))
    left = [
        LeftLine(_name(run, step.key), step.title)
        for run in runs
        for step in run.on.template.steps
        if step.key in run.choices.without
    ]
    if left:
        heads.append(len(lines))
        lines += [GroupLine("Left out this time", len(left)), *left]
    content = {
        "first": field.first,
        "days": field.days,
        "hours": hours,
        "today": today,
        "off": days_off(field, plans[0].calendars[None]) if plans else [],
        "plumbs": _plumbs(runs),
        "heads": heads,
        "rows": len(lines),
        "marks": marks,
        "links": [[_name(r, k.source), _name(r, k.target), k.type] for r in runs for k in r.plan.links],
    }
    return StartSheet(tuple(lines), as_script(content))


def _mend_lines(title: str, name: str, number: int, one: Noticed) -> Iterator[MendLine]:
    """What deserves a look of a task, beneath its title and so without it, and what mends it: on a line of its own
    where the words leave no room for it."""
    text = next(
        (one.text.removeprefix(start) for start in (title, short(title)) if one.text.startswith(start)), one.text
    )
    text = text.lstrip(": ")
    text = text[:1].upper() + text[1:]
    if not one.offers or len(text) + sum(len(offer.words) + 3 for offer in one.offers) <= WIDEST:
        yield MendLine(name, number, text, one.offers)
        return
    yield MendLine(name, number, text, ())
    yield MendLine(name, number, "", one.offers)


def _name(run: Looked, key: str) -> str:
    return f"{run.on.template_id}:{key}"


def _apart(runs: Sequence[Looked]) -> list[str]:
    """What tells the templates apart in a narrow column: nothing where there is one."""
    return [run.on.template.name for run in runs] if len(runs) > 1 else [""] * len(runs)


def _plumbs(runs: Sequence[Looked]) -> list[Plumb]:
    """The plumb lines of all runs, each once."""
    every = [line for run in runs for line in plumbs(run.plan, run.on.template.day_labels)]
    return list(dict.fromkeys(every))


def _groups(runs: Sequence[Looked], names: Mapping[int, str], by: str) -> list[tuple[str, list[tuple[int, int]]]]:
    """The tasks of all runs in groups, each with its label."""
    every = [(n, i) for n, run in enumerate(runs) for i in range(len(run.plan.tasks))]
    groups: dict[str, list[tuple[int, int]]] = {}
    if by == "date":
        every = [at for at in every if not runs[at[0]].plan.is_parent(at[1])]
        every.sort(key=lambda at: runs[at[0]].plan.days(at[1]) or (10**7, 10**7))
    for n, i in every:
        plan, task = runs[n].plan, runs[n].plan.tasks[i]
        if by == "who":
            if plan.is_parent(i):
                continue
            label = _who(runs[n], i, names) or "Nobody yet"
        elif by == "date":
            days = plan.days(i)
            monday = days[0] - (days[0] + 6) % 7 if days else None
            label = f"Week of {day_words(monday, year=True)}" if monday else "No date yet"
        else:
            labels = {phase.key: phase.label for phase in runs[n].on.template.phases}
            label = labels.get(task.phase or "", "")
        groups.setdefault(label, []).append((n, i))
    if by == "date":
        return list(groups.items())
    if by == "who":
        return sorted(groups.items(), key=lambda one: (one[0] == "Nobody yet", one[0].casefold()))
    order: dict[str, int] = {}
    for run in runs:
        for phase in run.on.template.phases:
            order.setdefault(phase.label, len(order))
    return sorted(groups.items(), key=lambda one: order.get(one[0], -1))


def _who(run: Looked, i: int, names: Mapping[int, str]) -> str:
    task = run.plan.tasks[i]
    number, name = run.doer(task.key, task.role)
    return (names.get(number, "") if number is not None else "") or name


def _line(run: Looked, i: int, of: str, names: Mapping[int, str], found: Sequence[Noticed], shown: Shown) -> TaskLine:
    plan, task = run.plan, run.plan.tasks[i]
    roles = {role.key: role.label for role in run.on.template.roles}
    days, labels = plan.days(i), {a.key: a.label for a in run.on.template.anchors}
    if shown.dated:
        hours = plan.grid.per_day > 1
        due = due_words(plan, i) if hours or not days else day_words(days[1], year=_years(plan.today, days[1]))
    else:
        due = _offset(task.when, labels.get(task.when.anchor, "")) if task.when else ""
    who = _who(run, i, names) or (f"{roles[task.role]}, nobody" if task.role in roles else "")
    return TaskLine(
        _name(run, task.key),
        task.title,
        of,
        "" if plan.is_parent(i) else who,
        due,
        shown.dated and any(one.kind == "past" for one in found),
        min((shown.numbers[one.kind] for one in found if one.kind in shown.numbers), default=0),
        len(tuple(plan.above(i))) if shown.by == "phase" else 1,
        plan.is_parent(i),
        task.key in run.choices.put or task.key in run.choices.given,
    )


def _offset(when: When, anchor: str) -> str:
    """Where the template has it, in a narrow column: ``−5 wd``; by its anchor's name where it is on it."""
    if not isinstance(when.offset, int):
        return offset_words(when, anchor)
    unit = {"working days": "wd", "days": "d", "weeks": "w", "months": "mo"}.get(when.unit, when.unit)
    return f"{when.offset:+} {unit}".replace("-", "−") if when.offset else anchor


def _years(today: int | None, day: int) -> bool:
    return today is not None and dt.date.fromordinal(today).year != dt.date.fromordinal(day).year


def _mark(run: Looked, i: int, row: int) -> dict[str, Any] | None:
    plan = run.plan
    if plan.days(i) is None:
        return None
    task = plan.tasks[i]
    mark: dict[str, Any] = {"k": _name(run, task.key), "i": row, "s": interval(plan, i), "st": "waiting"}
    if not task.duration:
        mark |= {"ms": True, "t": task.title}
    if plan.schedule.critical[i]:
        mark["cr"] = True
    return mark
