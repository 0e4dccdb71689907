"""Why a date is what it is, in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unisequa.core.network import Dependency
from unisequa.core.offsets import unrolled_day
from unisequa.core.plan import Plan, read_days
from unisequa.core.schedule import UNDATED, bound_of, place
from unisequa.core.words import count_words, day_words, offset_words

Kind = Literal["anchor", "link", "opening", "not before", "kept", "undated"]


@dataclass(frozen=True, slots=True)
class Reason:
    """One floor of a task.

    Parameters
    ----------
    kind : str
        What asks for it.
    day : int or None
        The day it asks for: the due day for a target measured at the finish, else the first day.
    binding : bool
        Whether the task is where it is because of this one.
    source : str, optional
        The task a link comes from.
    """

    kind: Kind
    day: int | None
    binding: bool
    text: str
    source: str | None = None


def reasons(plan: Plan, position: int) -> list[Reason]:
    """Every floor of a task with the date it asks for, the binding ones marked.

    >>> # 2 working days after Period end (Fri 31 Jul) → Tue 4 Aug
    >>> # after Count the till (ends Wed 5 Aug) → Thu 6 Aug, binding
    """
    task, start = plan.tasks[position], plan.schedule.start[position]
    found: list[Reason] = []
    if start == UNDATED:
        return [_undated(plan, position)]
    if task.when and task.target:
        found.append(_target(plan, position))
    elif task.opens:
        label = next(iter(plan.labels.values()), "the day it starts")
        found.append(Reason("opening", start, True, f"opens the job on {label} → {_shown(plan, position)}"))
    activity = plan.network.activities[position]
    if activity.not_before is not None:
        placed = place(activity, activity.not_before)
        days = read_days(task, *placed)
        assert days
        text = f"not before {day_words(days[0])}"
        found.append(_bound("not before", days[0], placed[0] == start, text))
    for link in plan.network.incoming[position]:
        if plan.schedule.finish[link.source] != UNDATED:
            found.append(_link(plan, link, position))
    if not any(reason.binding for reason in found):
        days = plan.days(position)
        assert days
        found.append(Reason("kept", days[0], True, f"kept where it was put → {_shown(plan, position)}, binding"))
    return found


def why(plan: Plan, position: int) -> str:
    """The binding reasons in one line, without the word that marks them."""
    binding = [reason.text.removesuffix(", binding") for reason in reasons(plan, position) if reason.binding]
    return " · ".join(binding)


def link_words(plan: Plan, link: Dependency) -> str:
    """``after Count the till (ends Wed 5 Aug)``, with the lag where there is one.

    A link that bounds the target's end says so: ``to end with Count the till (ends Wed 5 Aug)``.
    """
    source, days = plan.tasks[link.source], plan.days(link.source)
    at_end = link.type[0] == "F"
    verb = ("ends" if at_end else "starts") if source.duration else "falls on"
    known = f"{verb} {day_words(days[at_end])}" if days else "has no date yet"
    to_end = "to end " if link.type[1] == "F" else ""
    if not link.lag:
        word = {"FS": "after", "SS": "with the start of", "FF": "with", "SF": "after the start of"}[link.type]
        return f"{to_end}{word} {source.title} ({known})"
    unit = "working day" if link.unit == "working" else "day"
    amount = count_words(abs(link.lag), unit)
    side = "after" if link.lag > 0 else "before"
    end = "" if at_end and link.lag > 0 else "the end of " if at_end else "the start of "
    return f"{to_end}{amount} {side} {end}{source.title} ({known})"


def _shown(plan: Plan, position: int) -> str:
    days = plan.days(position)
    return day_words(days[0]) if days else "no date"


def _bound(kind: Kind, day: int, binding: bool, text: str, source: str | None = None) -> Reason:
    return Reason(kind, day, binding, f"{text}, binding" if binding else text, source)


def _target(plan: Plan, position: int) -> Reason:
    task = plan.tasks[position]
    assert task.when and task.target
    anchor = plan.anchors[task.when.anchor]
    target = plan.target_days(position)
    assert anchor is not None and target
    day = target[1] if task.edge == "finish" else target[0]
    due = "due " if task.edge == "finish" and task.duration else ""
    text = f"{due}{offset_words(task.when, plan.labels[task.when.anchor])} ({day_words(anchor)}) → {day_words(day)}"
    offset, unit = task.when.offset, task.when.unit
    if isinstance(offset, int) and unit in ("working days", "days", "weeks", "months"):
        raw = unrolled_day(anchor, offset, unit, plan.calendars[task.calendar])
        if raw != day:
            off = plan.calendars[task.calendar].name_of(raw)
            text += f", rolled from {day_words(raw)}" + (f" ({off})" if off else "")
    return _bound("anchor", day, task.target[0] == plan.schedule.start[position], text)


def _link(plan: Plan, link: Dependency, position: int) -> Reason:
    activity = plan.network.activities[position]
    source = plan.schedule.start[link.source], plan.schedule.finish[link.source]
    placed = place(activity, bound_of(link, source, activity))
    days = read_days(plan.tasks[position], *placed)
    assert days
    text = f"{link_words(plan, link)} → {day_words(days[0])}"
    binding = placed[0] == plan.schedule.start[position]
    return _bound("link", days[0], binding, text, plan.tasks[link.source].key)


def _undated(plan: Plan, position: int) -> Reason:
    task = plan.tasks[position]
    if task.when:
        label = plan.labels[task.when.anchor]
        return Reason("undated", None, True, f"{offset_words(task.when, label)}, whose date is not known yet")
    sources = [plan.tasks[link.source].title for link in plan.network.incoming[position]]
    if sources:
        return Reason("undated", None, True, f"after {sources[0]}, which has no date yet")
    return Reason("undated", None, True, "starts with the job, whose first date is not known yet")
