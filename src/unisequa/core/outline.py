"""A template seen without dates: where its steps lie, in working days from its anchors.

The steps are put on a calendar of Monday to Friday with no holidays, each anchor on a Monday behind
the reach of the one before it, conditions left aside. So one working day is one day of the outline
and a week is five.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.core.assemble import Occasion, assemble
from unisequa.core.calendar import WorkingCalendar
from unisequa.core.document import CalendarDocument, Template
from unisequa.core.errors import UnisequaError
from unisequa.core.plan import Plan
from unisequa.core.schedule import UNDATED

_MONDAY = dt.date(2001, 1, 1)
_GAP_WEEKS = 2


@dataclass(frozen=True, slots=True)
class Outline:
    """Steps by key as half-open intervals of working days; ``anchors`` gives each anchor's day.

    ``length`` counts the working days from the first to the last of what hangs on the first anchor.
    ``fault`` says why there are no intervals, if there are none.
    """

    spans: Mapping[str, tuple[int, int]]
    anchors: Mapping[str, int]
    length: int
    drift: Mapping[str, int]
    critical: frozenset[str]
    fault: str = ""


def outline(template: Template) -> Outline:
    """Where the steps of a template lie."""
    if template.grid == "minute":
        return Outline({}, {}, 0, {}, frozenset(), "A job of hours and minutes has no outline in working days")
    bare = _bare(template)
    anchors: dict[str, dt.date] = {}
    plan: Plan | None = None
    reach, length = _MONDAY, 0
    try:
        for anchor in bare.anchors or ():
            if anchor.from_ is None:
                anchors[anchor.key] = reach
                plan, last = _placed(bare, anchors, reach)
                if len(anchors) == 1:
                    length = _length(plan)
                reach = _monday_after(last)
        if plan is None:
            plan, _ = _placed(bare, anchors, reach)
            length = _length(plan)
    except UnisequaError as error:
        return Outline({}, {}, 0, {}, frozenset(), str(error))
    return _measured(plan, length)


def _placed(bare: Template, anchors: Mapping[str, dt.date], base: dt.date) -> tuple[Plan, dt.date]:
    occasion = Occasion(anchors=anchors, calendars=(CalendarDocument(name="week"),), today=base)
    plan = assemble(bare, occasion)
    found = plan.reach()
    return plan, max(base, dt.date.fromordinal(found[1])) if found else base


def _monday_after(day: dt.date) -> dt.date:
    return day + dt.timedelta(days=7 * _GAP_WEEKS - day.weekday())


def _bare(template: Template) -> Template:
    """The template without what an outline leaves aside."""
    steps = tuple(
        step.model_copy(update={"title": step.key, "only_if": None, "calendar": None}) for step in template.steps
    )
    keys = {step.key for step in steps}
    return template.model_copy(
        update={
            "steps": steps,
            "links": tuple(k for k in template.links if k.from_ in keys and k.to in keys),
            "anchors": tuple(anchor.model_copy(update={"required": False}) for anchor in template.anchors),
            "roles": tuple(role.model_copy(update={"calendar": None}) for role in template.roles),
            "facts": (),
            "includes": (),
            "naming": "",
            "direction": "forward",
        }
    )


def _measured(plan: Plan, length: int) -> Outline:
    week = WorkingCalendar()
    zero = _MONDAY.toordinal()
    spans = {
        task.key: (week.count(zero, plan.schedule.start[i]), week.count(zero, plan.schedule.finish[i]))
        for i, task in enumerate(plan.tasks)
        if plan.schedule.start[i] != UNDATED
    }
    anchors = {key: week.count(zero, day) for key, day in plan.anchors.items() if day is not None}
    drift = {task.key: late for i, task in enumerate(plan.tasks) if (late := plan.drift(i) or 0) > 0}
    critical = frozenset(task.key for i, task in enumerate(plan.tasks) if plan.schedule.critical[i])
    return Outline(spans, anchors, length, drift, critical)


def _length(plan: Plan) -> int:
    reach = plan.reach()
    return WorkingCalendar().count(reach[0], reach[1] + 1) if reach else 0
