"""A template seen without dates: where its steps lie, in working days from its anchors.

The steps are put on a calendar of Monday to Friday with no holidays, each anchor on a Monday far behind the one
before it, conditions left aside; then the empty time between the steps of one anchor and those of the next is
cut short. So one working day is one day of the outline and a week is five.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

from unisequa.core.assemble import Occasion, assemble
from unisequa.core.calendar import WorkingCalendar
from unisequa.core.document import CalendarDocument, Step, Template
from unisequa.core.errors import UnisequaError
from unisequa.core.includes import Library
from unisequa.core.plan import Plan
from unisequa.core.schedule import UNDATED

_MONDAY = dt.date(2001, 1, 1)
_BETWEEN = 10
"""The working days left between the steps of one anchor and those of the next."""
_DAYS_OF = {"weeks": 5, "months": 23}


@dataclass(frozen=True, slots=True)
class Outline:
    """Steps by key as half-open intervals of working days; ``anchors`` gives each anchor's day.

    ``length`` counts the working days from the first to the last of what hangs on the first anchor.
    ``drift`` says how many working days behind its offset a step lies. ``fault`` says why there are no
    intervals, if there are none.
    """

    spans: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    anchors: Mapping[str, int] = field(default_factory=dict)
    length: int = 0
    drift: Mapping[str, int] = field(default_factory=dict)
    critical: frozenset[str] = frozenset()
    fault: str = ""


def outline(template: Template, library: Library | None = None) -> Outline:
    """Where the steps of a template lie, with those of the templates it includes as far as ``library`` has them."""
    if template.grid == "minute":
        return Outline(fault="A job of hours and minutes has no outline in working days")
    shelf = library or Library()
    bare = _bare(template, shelf)
    bare_shelf = shelf.map(lambda inner: _bare(inner, shelf))
    if bare.includes:
        return _laid(bare, bare_shelf)
    return _remembered(bare)


@lru_cache(maxsize=16)
def _remembered(bare: Template) -> Outline:
    return _laid(bare, Library())


def _laid(bare: Template, bare_shelf: Library) -> Outline:
    own = [anchor.key for anchor in bare.anchors if anchor.from_ is None]
    gap = 2 * (_reach(bare) + sum(_reach(inner) for inner in bare_shelf.within(bare))) // 5 + 4
    try:
        anchors = {key: _MONDAY + dt.timedelta(weeks=gap * i) for i, key in enumerate(own)}
        occasion = Occasion(anchors=anchors, calendars=(CalendarDocument(name="week"),), today=_MONDAY)
        plan = assemble(bare, occasion, bare_shelf)
    except (UnisequaError, OverflowError) as error:
        return Outline(fault=str(error))
    return _measured(plan, [5 * gap * i for i in range(1, len(own))], 5 * gap // 2)


def _reach(template: Template) -> int:
    """So many working days, at most, lie between an anchor and the farthest step that hangs on it."""
    lengths = sum(step.days for step in template.steps)
    lags = sum(abs(link.lag) for link in template.links if isinstance(link.lag, int))
    offsets = [
        abs(m.offset) * _DAYS_OF.get(m.unit, 1)
        for step in template.steps
        for m in (step.when, step.not_before)
        if m is not None and isinstance(m.offset, int)
    ]
    derived = [
        abs(a.from_.offset) * _DAYS_OF.get(a.from_.unit, 1)
        for a in template.anchors
        if a.from_ and isinstance(a.from_.offset, int)
    ]
    return lengths + lags + max(offsets, default=0) + sum(derived)


def _bare(template: Template, library: Library) -> Template:
    """The template without what an outline leaves aside."""
    steps = tuple(
        Step.model_construct(
            key=step.key,
            title=step.key,
            parent=step.parent,
            duration=step.duration,
            when=step.when,
            not_before=step.not_before,
            deadline=step.deadline,
        )
        for step in template.steps
    )
    includes = tuple(i for i in template.includes if library.reachable(template, i))
    keys = {step.key for step in steps} | {include.key for include in includes}
    links = (k for k in template.links if k.from_.split(".")[0] in keys and k.to.split(".")[0] in keys)
    return template.model_copy(
        update={
            "steps": steps,
            "links": tuple(links),
            "anchors": tuple(anchor.model_copy(update={"required": False}) for anchor in template.anchors),
            "roles": (),
            "facts": (),
            "phases": (),
            "day_labels": (),
            "includes": tuple(include.model_copy(update={"roles": {}, "phase": None}) for include in includes),
            "naming": "",
            "purpose": "",
            "instructions": "",
            "direction": "forward",
        }
    )


def _measured(plan: Plan, later: list[int], half: int) -> Outline:
    """The plan in working days, with what lies between the anchors cut short; ``later`` are those behind the first."""
    week = WorkingCalendar()
    zero = _MONDAY.toordinal()
    parents = {task.parent for task in plan.tasks}
    spans = {
        task.key: (week.count(zero, plan.schedule.start[i]), week.count(zero, plan.schedule.finish[i]))
        for i, task in enumerate(plan.tasks)
        if plan.schedule.start[i] != UNDATED
    }
    anchors = {key: week.count(zero, day) for key, day in plan.anchors.items() if day is not None}
    leaves = [span for key, span in spans.items() if key not in parents]
    marks = leaves + [(day, day + 1) for day in anchors.values()]
    cuts: list[tuple[int, int]] = []
    for day in later:
        border = day - half
        before = max(finish for start, finish in marks if start < border)
        behind = min(start for start, finish in marks if start >= border)
        cuts.append((border, max(0, behind - before - _BETWEEN)))

    def near(day: int) -> int:
        return day - sum(cut for border, cut in cuts if day >= border)

    read = [days for i, task in enumerate(plan.tasks) if task.key not in parents and (days := plan.days(i))]
    first = [days for days in read if not later or week.count(zero, days[0]) < later[0] - half]
    length = week.count(min(a for a, _ in first), max(b for _, b in first) + 1) if first else 0
    return Outline(
        {key: (near(start), near(finish)) for key, (start, finish) in spans.items()},
        {key: near(day) for key, day in anchors.items()},
        length,
        {task.key: late for i, task in enumerate(plan.tasks) if (late := plan.drift(i) or 0) > 0},
        frozenset(task.key for i, task in enumerate(plan.tasks) if plan.schedule.critical[i]),
    )
