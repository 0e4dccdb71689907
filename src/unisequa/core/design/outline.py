"""A template seen without dates: where its steps lie, in working days from its anchors.

The steps are put on a calendar of Monday to Friday with no holidays, each anchor on a Monday far behind the one
before it, conditions left aside; then the empty time between the steps of one anchor and those of the next is
cut short. An anchor whose steps hold steps of another is put so many weeks earlier that they make nothing late: how far
apart two anchors are no template says, and lateness that only the drawing makes is none. So one working day is one day
of the outline and a week is five. A job of hours is put on a calendar that never rests, in minutes.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Set
from dataclasses import dataclass, field
from functools import lru_cache

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, read_span
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.includes import Library
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import UnisequaError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan

_MONDAY = dt.date(2001, 1, 1)
_BETWEEN = 10
"""The working days left between the steps of one anchor and those of the next."""
_DAYS_OF = {"weeks": 5, "months": 23}


@dataclass(frozen=True, slots=True)
class Outline:
    """Steps by key as half-open intervals of working days; ``anchors`` gives each anchor's day.

    ``length`` counts the working days from the first to the last of what hangs on the first anchor.
    ``drift`` says how many working days behind its offset a step lies. ``fault`` says why there are no
    intervals, if there are none. ``marks`` has the day on which each milestone reads, which its boundary alone does not
    tell. Of a job of hours all of this is in ``minutes``, and ``length`` is not given.
    """

    spans: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    anchors: Mapping[str, int] = field(default_factory=dict)
    length: int = 0
    drift: Mapping[str, int] = field(default_factory=dict)
    critical: frozenset[str] = frozenset()
    fault: str = ""
    minutes: bool = False
    marks: Mapping[str, int] = field(default_factory=dict)


def outline(template: Template, library: Library | None = None) -> Outline:
    """Where the steps of a template lie, with those of the templates it includes as far as ``library`` has them."""
    shelf = library or Library()
    bare = _bare(template, shelf)
    bare_shelf = shelf.map(lambda inner: _bare(inner, shelf))
    if bare.includes:
        return _laid(bare, bare_shelf)
    return _remembered(bare)


@lru_cache(maxsize=16)
def _remembered(bare: Template) -> Outline:
    return _laid(bare, Library())


@dataclass(frozen=True, slots=True)
class _Paper:
    """What an outline is drawn on: Monday to Friday in days, or for jobs of hours every minute of every day."""

    minutes: bool
    days: WorkingCalendar = field(default_factory=WorkingCalendar)

    @property
    def zero(self) -> dt.date:
        return dt.datetime.combine(_MONDAY, dt.time(12)) if self.minutes else _MONDAY

    @property
    def calendar(self) -> CalendarDocument:
        if self.minutes:
            return CalendarDocument(name="week", week="1111111", hours=(("00:00", "24:00"),))
        return CalendarDocument(name="week")

    @property
    def week(self) -> int:
        """The slots of a week: working days or minutes."""
        return 7 * MINUTES if self.minutes else 5

    def count(self, slot: int) -> int:
        """Slots from the first anchor to a boundary."""
        if self.minutes:
            return slot - _MONDAY.toordinal() * MINUTES - MINUTES // 2
        return self.days.count(_MONDAY.toordinal(), slot)

    def slots(self, length: int | str, unit: str = "") -> int:
        """A length or an offset, at most."""
        if not self.minutes:
            return abs(length) * _DAYS_OF.get(unit, 1) if isinstance(length, int) else 0
        if isinstance(length, str):
            return abs(read_span(length, MINUTES))
        return abs(length) * {"hours": 60, "working hours": 60, "minutes": 1, "working minutes": 1}.get(
            unit, 31 * MINUTES
        )


def _laid(bare: Template, bare_shelf: Library) -> Outline:
    paper = _Paper(bare.grid == "minute")
    own = [anchor.key for anchor in bare.anchors if anchor.from_ is None]
    reach = _reach(bare, paper) + sum(_reach(inner, paper) for inner in bare_shelf.within(bare))
    gap = 2 * reach // paper.week + 4

    def planned(weeks: Mapping[str, int]) -> Plan:
        anchors = {key: paper.zero + dt.timedelta(weeks=at) for key, at in weeks.items()}
        return assemble(bare, Occasion(anchors=anchors, calendars=(paper.calendar,), today=paper.zero), bare_shelf)

    far = {key: gap * i for i, key in enumerate(own)}
    try:
        weeks, plan = far, planned(far)
        if len(own) > 1 and _late(plan):
            weeks, plan = _nearer(far, planned, paper.week)
    except (UnisequaError, OverflowError) as error:
        return Outline(fault=str(error))
    later = [paper.week * at for at in far.values() if at and at in weeks.values()]
    return _measured(plan, paper, later, paper.week * gap // 2)


def _late(plan: Plan) -> dict[str, int]:
    """How many slots behind their offsets steps lie, of those that do."""
    return {task.key: late for i, task in enumerate(plan.tasks) if (late := plan.drift(i) or 0) > 0}


def _nearer(
    far: Mapping[str, int], planned: Callable[[Mapping[str, int]], Plan], week: int
) -> tuple[dict[str, int], Plan]:
    """The weeks at which the anchors lie, one after the other put so early that it makes no other's steps late; and the
    plan of that."""
    weeks = dict(list(far.items())[:1])
    plan = planned(weeks)
    before = _late(plan)
    for key, at in list(far.items())[1:]:
        plan = planned({**weeks, key: at})
        own = {task.key for task in plan.tasks if task.when is not None and task.when.anchor == key}
        more = max((late - before.get(step, 0) for step, late in _late(plan).items() if step not in own), default=0)
        weeks[key] = at + -more // week if more > 0 else at
        if more > 0:
            plan = planned(weeks)
        before = _late(plan)
    return weeks, plan


def _reach(template: Template, paper: _Paper) -> int:
    """So many slots, at most, lie between an anchor and the farthest step that hangs on it."""
    lengths = sum(paper.slots(step.duration if step.duration is not None else 1, "hours") for step in template.steps)
    lags = sum(paper.slots(link.lag) for link in template.links)
    offsets = [
        paper.slots(m.offset, m.unit) for step in template.steps for m in (step.when, step.not_before) if m is not None
    ]
    derived = [paper.slots(a.from_.offset, a.from_.unit) for a in template.anchors if a.from_]
    return lengths + lags + max(offsets, default=0) + sum(derived)


def _bare(template: Template, library: Library) -> Template:
    """The template without what an outline leaves aside."""
    dating = any(phase.span or phase.opens != "with its tasks" for phase in template.phases)
    steps = tuple(
        Step.model_construct(
            key=step.key,
            title=step.key,
            parent=step.parent,
            phase=step.phase if dating else None,
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
            "phases": template.phases if dating else (),
            "day_labels": (),
            "includes": tuple(include.model_copy(update={"roles": {}, "phase": None}) for include in includes),
            "naming": "",
            "purpose": "",
            "instructions": "",
            "zone": None,
        }
    )


def _measured(plan: Plan, paper: _Paper, later: list[int], half: int) -> Outline:
    """The plan in slots, with what lies between the anchors cut short; ``later`` are those behind the first."""
    parents = {task.parent for task in plan.tasks}
    spans = {
        task.key: (paper.count(plan.schedule.start[i]), paper.count(plan.schedule.finish[i]))
        for i, task in enumerate(plan.tasks)
        if plan.schedule.start[i] != UNDATED
    }
    anchors = {key: paper.count(day) for key, day in plan.anchors.items() if day is not None}
    leaves = [span for key, span in spans.items() if key not in parents]
    marks = leaves + [(day, day + 1) for day in anchors.values()]
    cuts: list[tuple[int, int]] = []
    for day in later:
        border = day - half
        before = max(finish for start, finish in marks if start < border)
        behind = min(start for start, finish in marks if start >= border)
        cuts.append((border, max(0, behind - before - (_BETWEEN * 12 if paper.minutes else _BETWEEN))))

    def near(day: int) -> int:
        return day - sum(cut for border, cut in cuts if day >= border)

    standing = {
        task.key: near(paper.count(days[0]))
        for i, task in enumerate(plan.tasks)
        if not paper.minutes
        and task.key in spans
        and spans[task.key][0] == spans[task.key][1]
        and (days := plan.days(i))
    }

    return Outline(
        {key: (near(start), near(finish)) for key, (start, finish) in spans.items()},
        {key: near(day) for key, day in anchors.items()},
        0 if paper.minutes else _length(plan, paper, parents, later[0] - half if later else None),
        _late(plan),
        frozenset(task.key for i, task in enumerate(plan.tasks) if plan.schedule.critical[i]),
        minutes=paper.minutes,
        marks=standing,
    )


def _length(plan: Plan, paper: _Paper, parents: Set[str | None], border: int | None) -> int:
    read = [days for i, task in enumerate(plan.tasks) if task.key not in parents and (days := plan.days(i))]
    first = [days for days in read if border is None or paper.count(days[0]) < border]
    return paper.count(max(b for _, b in first) + 1) - paper.count(min(a for a, _ in first)) if first else 0
