"""Why a date is what it is, in words."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.words import slot_words, slots_words
from unisequa.core.documents.measures import offset_words, unrolled
from unisequa.core.errors import DateRangeError
from unisequa.core.network.activities import Dependency
from unisequa.core.network.places import UNDATED, lagged, latest_source, number_from, number_until, place, span_at
from unisequa.core.plan.building import limit_of
from unisequa.core.plan.plan import Plan, read

Kind = Literal[
    "anchor", "link", "opening", "not before", "awaits", "late", "kept", "fixed", "begun", "done", "dropped", "parts",
    "undated",
]  # fmt: skip
LONGEST_TITLE = 60


@dataclass(frozen=True, slots=True)
class Reason:
    """One floor of a task.

    Parameters
    ----------
    kind : str
        What asks for it.
    day : int or None
        The date it asks for, as people read it: the due date for a target measured at the finish, else the
        first.
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
    task, dates = plan.tasks[position], plan.read(position)
    if dates is None:
        return [_undated(plan, position)]
    if plan.is_parent(position):
        return [_parts(plan, position)]
    stands = task.stands
    floors = [_standing(plan, position)] if stands else []
    floors += [reason for reason in _floors(plan, position) if not (stands and reason.binding)]
    if stands:
        return floors
    if not any(reason.binding for reason in floors) and plan.direction == "backward" and task.when is None:
        floors += _followed(plan, position)
    if not any(reason.binding for reason in floors):
        text = f"kept where it was put → {slot_words(dates[0], plan.grid)}"
        floors.append(_bound("kept", dates[0], True, text))
    return floors


def why(plan: Plan, position: int) -> str:
    """The binding reasons in one line, without the word that marks them."""
    binding = [reason.text.removesuffix(", binding") for reason in reasons(plan, position) if reason.binding]
    return " · ".join(binding)


def short(title: str) -> str:
    """A title that fits into a line with others."""
    return title if len(title) <= LONGEST_TITLE else title[: LONGEST_TITLE - 1].rstrip() + "…"


def link_words(plan: Plan, link: Dependency, dates: tuple[int, int] | None) -> str:
    """``after Count the till (ends Wed 5 Aug)``, with the lag where there is one; ``dates`` are those of its source.

    A link that bounds the target's end says so: ``to end with Count the till (ends Wed 5 Aug)``.
    """
    source = plan.tasks[link.source]
    at_end, title = link.type[0] == "F", short(source.title)
    verb = ("ends" if at_end else "starts") if source.duration else "falls on"
    known = f"{verb} {slot_words(dates[at_end], plan.grid)}" if dates else "has no date yet"
    to_end = "to end " if link.type[1] == "F" else ""
    if not link.lag:
        word = {"FS": "after", "SS": "with the start of", "FF": "with", "SF": "after the start of"}[link.type]
        return f"{to_end}{word} {title} ({known})"
    working = link.unit == "working"
    day = plan.network.activities[link.target].calendar.per_day if working else plan.grid.per_day
    amount = slots_words(abs(link.lag), plan.grid, day, working=working)
    side = "after" if link.lag > 0 else "before"
    end = "" if at_end and link.lag > 0 else "the end of " if at_end else "the start of "
    return f"{to_end}{amount} {side} {end}{title} ({known})"


def _bound(kind: Kind, day: int, binding: bool, text: str, source: str | None = None) -> Reason:
    return Reason(kind, day, binding, f"{text}, binding" if binding else text, source)


def _floors(plan: Plan, position: int) -> Iterator[Reason]:
    task, activity, grid = plan.tasks[position], plan.network.activities[position], plan.grid
    start = plan.schedule.start[position]
    if task.when and task.target:
        yield _target(plan, position)
    elif task.opens:
        day = plan.read(position)
        assert day
        yield Reason("opening", day[0], True, f"opens the job → {slot_words(day[0], grid)}")
    for limit in limit_of(task, grid):
        first = place(activity, limit)
        dates = read(task, *first, grid)
        assert dates
        yield _bound("not before", dates[0], first[0] == start, f"not before {slot_words(dates[0], grid)}")
    for awaited in task.waits:
        if awaited.finish is not None:
            first = place(activity, awaited.finish)
            dates = read(task, *first, grid)
            assert dates
            ends = slot_words(grid.inclusive(awaited.finish), grid)
            text = f"after {short(awaited.title)} of {awaited.run} (ends {ends}) → {slot_words(dates[0], grid)}"
            yield _bound("awaits", dates[0], first[0] == start, text)
    for link in plan.network.incoming[position]:
        if plan.schedule.finish[link.source] != UNDATED:
            with suppress(DateRangeError):  # a lead back beyond year 1 holds nothing
                yield _link(plan, link, position)


def _target(plan: Plan, position: int) -> Reason:
    task, activity, grid = plan.tasks[position], plan.network.activities[position], plan.grid
    assert task.when and task.target
    anchor, target = plan.anchors[task.when.anchor], plan.target_read(position)
    assert anchor is not None and target
    binding = place(activity, task.target[0])[0] == plan.schedule.start[position]
    label = short(plan.labels[task.when.anchor])
    if task.opens and plan.direction == "forward":
        text = f"opens the job on {label} ({slot_words(anchor, grid)}) → {slot_words(target[0], grid)}"
        return _bound("opening", target[0], binding, text)
    at_end = task.edge == "finish"
    day = target[1] if at_end else target[0]
    due = "due " if at_end and task.duration else ""
    text = f"{due}{offset_words(task.when, label)} ({slot_words(anchor, grid)}) → {slot_words(day, grid)}"
    calendar = plan.calendars[task.calendar]
    raw = unrolled(anchor, task.when, calendar)
    if raw != day and task.when.roll != "none":
        off = calendar.name_of(grid.day(raw))
        text += f", rolled from {slot_words(raw, grid)}" + (f" ({off})" if off else "")
    return _bound("anchor", day, binding, text)


def _link(plan: Plan, link: Dependency, position: int) -> Reason:
    activity, task = plan.network.activities[position], plan.tasks[position]
    source = plan.schedule.start[link.source], plan.schedule.finish[link.source]
    placed = span_at(activity, number_from(activity, link.type[1], lagged(link, source, activity)))
    dates = read(task, *placed, plan.grid)
    assert dates
    text = f"{link_words(plan, link, plan.read(link.source))} → {slot_words(dates[0], plan.grid)}"
    binding = placed[0] == plan.schedule.start[position]
    return _bound("link", dates[0], binding, text, plan.tasks[link.source].key)


def _followed(plan: Plan, position: int) -> Iterator[Reason]:
    """In a plan that runs backward: what follows, where it needs this task to be no later."""
    activity, task = plan.network.activities[position], plan.tasks[position]
    start = plan.schedule.start[position]
    for at in plan.above(position):
        for link in plan.network.outgoing[at]:
            span = plan.schedule.start[link.target], plan.schedule.finish[link.target]
            if span[0] == UNDATED:
                continue
            try:
                until = latest_source(link, span, plan.network.activities[link.target])
                placed = span_at(activity, number_until(activity, link.type[0], until))
            except DateRangeError:
                continue
            dates, follower = read(task, *placed, plan.grid), plan.read(link.target)
            assert dates and follower
            what = f"{short(plan.tasks[link.target].title)} (starts {slot_words(follower[0], plan.grid)})"
            text = f"as late as {what} allows → {slot_words(dates[0], plan.grid)}"
            yield _bound("late", dates[0], placed[0] == start, text, plan.tasks[link.target].key)


def _standing(plan: Plan, position: int) -> Reason:
    task, dates = plan.tasks[position], plan.read(position)
    assert dates
    first, last = (slot_words(day, plan.grid) for day in dates)
    if task.stands == "fixed":
        return _bound("fixed", dates[0], True, f"fixed on {first}")
    if task.stands == "begun":
        return _bound("begun", dates[0], True, f"begun {first}")
    if task.stands == "done":
        return _bound("done", dates[1], True, f"done {last}")
    return _bound("dropped", dates[0], True, "dropped; nothing waits for it")


def _parts(plan: Plan, position: int) -> Reason:
    dates = plan.read(position)
    assert dates
    inner = plan.network.children[position]
    start, finish = plan.schedule.start, plan.schedule.finish
    dated = [i for i in inner if start[i] != UNDATED]
    first = min(dated, key=lambda i: start[i])
    last = max(dated, key=lambda i: finish[i])
    text = f"from the start of {short(plan.tasks[first].title)} to the end of {short(plan.tasks[last].title)}"
    return _bound("parts", dates[0], True, text)


def _undated(plan: Plan, position: int) -> Reason:
    task = plan.tasks[position]
    if task.state == "dropped":
        return Reason("dropped", None, True, "dropped; nothing waits for it")
    if plan.is_parent(position):
        dropped = all(plan.tasks[i].state == "dropped" for i in plan.leaves(position))
        text = "all of its sub-steps are dropped" if dropped else "none of its sub-steps has a date yet"
        return Reason("undated", None, True, text)
    if task.when:
        label = short(plan.labels[task.when.anchor])
        return Reason("undated", None, True, f"{offset_words(task.when, label)}, whose date is not known yet")
    sources = [plan.tasks[link.source].title for link in plan.network.incoming[position]]
    if sources:
        return Reason("undated", None, True, f"after {short(sources[0])}, which has no date yet")
    return Reason("undated", None, True, "starts with the job, whose first date is not known yet")
