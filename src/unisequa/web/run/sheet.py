"""A run as a sheet: rows and field, with the shift being considered drawn into it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from unisequa.actions.runs.shifts import Considered
from unisequa.core.calendars.words import count_words, day_words
from unisequa.core.documents.measures import measured
from unisequa.core.documents.template import DayLabel, Measure
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED
from unisequa.core.work.task_states import days_late, shown_state
from unisequa.web.drawing.marks import Arrow, Mark, arrows, bar
from unisequa.web.drawing.scale import (
    HEAD,
    ROW,
    Head,
    Plumb,
    Scale,
    Stripe,
    Zoom,
    date_scale,
    days_off,
    head_of,
    plumbs,
)


@dataclass(frozen=True, slots=True)
class TaskLine:
    """A task's row: worded at the left, its mark in the field."""

    key: str
    title: str
    who: str
    role: str
    start: str
    due: str
    state: str
    slack: str
    late: int
    y: int
    moved: bool
    edited: bool
    mark: Mark | None
    level: int = 1
    parent: bool = False


@dataclass(frozen=True, slots=True)
class PhaseLine:
    """A phase's row."""

    label: str
    done: int
    of: int
    y: int


@dataclass(frozen=True, slots=True)
class RunSheet:
    """All that the sheet's template draws; lengths in pixels."""

    lines: tuple[PhaseLine | TaskLine, ...]
    scale: Scale
    head: Head
    off: tuple[Stripe, ...]
    plumbs: tuple[Plumb, ...]
    arrows: tuple[Arrow, ...]
    height: int
    today_x: float | None
    row: int = ROW
    head_height: int = HEAD


def run_sheet(considered: Considered, zoom: Zoom) -> RunSheet:
    """The sheet of a run as it stands, or as a shift would leave it."""
    run, result, shown = considered.run, considered.result, considered.after
    plan, phases, labels = run.plan, run.template.phases, run.template.day_labels
    changes = {change.key for change in result.changes} if result else set()
    edited = {edit.task for edit in considered.edits}
    crew = {member.role: member for member in run.crew}

    def who(role: str | None) -> tuple[str, str]:
        member = crew.get(role or "")
        return (member.name, member.label) if member else ("", "")

    days = [day for p in (plan, shown) for i in range(len(p.tasks)) for day in p.days(i) or ()]
    scale = date_scale([*days, *(d for d in plan.anchors.values() if d is not None)], zoom)
    calendar = plan.calendars[None]
    lines: list[PhaseLine | TaskLine] = []
    ends: dict[str, tuple[float, float, float]] = {}
    milestones = frozenset(task.key for task in shown.tasks if not task.duration)
    order: list[tuple[str | None, str]] = [(None, ""), *((phase.key, phase.label) for phase in phases)]
    known = {key for key, _ in order}
    groups: dict[str | None, list[int]] = {}
    for i, task in enumerate(shown.tasks):
        groups.setdefault(task.phase if task.phase in known else None, []).append(i)
    y = 0
    for key, label in order:
        members = groups.get(key, [])
        if not members:
            continue
        if key is not None:
            worked = [i for i in members if not shown.is_parent(i)]
            done = sum(shown.tasks[i].state in FINISHED for i in worked)
            lines.append(PhaseLine(label, done, len(worked), y))
            y += ROW
        for i in members:
            line = _line(plan, shown, i, scale, y, who, shown.tasks[i].key in changes, shown.tasks[i].key in edited)
            lines.append(line)
            if line.mark:
                left = line.mark.x
                ends[line.key] = (left, left + line.mark.width, y)
            y += ROW
    wanted: list[tuple[Literal["anchor", "today", "label"], float, str]] = []
    for anchor, day in plan.anchors.items():
        if day is not None:
            wanted.append(("anchor", scale.x(day + 0.5), f"{plan.labels[anchor]} {day_words(day)}"))
    today_x = scale.x(plan.today + 0.5) if plan.today is not None else None
    if today_x is not None:
        wanted.append(("today", today_x, "today"))
    for named in labels:
        day = _label_day(named, plan)
        if day is not None and day not in plan.anchors.values():
            wanted.append(("label", scale.x(day + 0.5), named.label))
    return RunSheet(
        tuple(lines),
        scale,
        head_of(scale, calendar),
        days_off(scale, calendar),
        plumbs(wanted, scale.width),
        arrows(((link.source, link.target, link.type) for link in plan.links), ends, milestones),
        max(y, ROW),
        today_x,
    )


def _label_day(label: DayLabel, plan: Plan) -> int | None:
    """The day of a day label, where its anchor is known."""
    anchor = plan.anchors.get(label.anchor)
    if anchor is None:
        return None
    measure = Measure(anchor=label.anchor, offset=label.offset, unit=label.unit)
    return plan.grid.day(measured(anchor, measure, plan.calendars[None]))


def _line(
    plan: Plan,
    shown: Plan,
    i: int,
    scale: Scale,
    y: int,
    who: Callable[[str | None], tuple[str, str]],
    moved: bool,
    edited: bool,
) -> TaskLine:
    task, result = shown.tasks[i], shown.schedule
    days, slack = shown.days(i), result.total_slack[i]
    state, late = shown_state(shown, i), days_late(shown, i)
    critical = result.critical[i]
    words = "critical" if critical else "" if slack is None else f"{slack} d"
    name, role = who(task.role)
    mark = None
    if days is not None:
        start, finish = _interval(shown, i)
        shape = "bar" if task.duration else "milestone"
        x, width = bar(scale, start, finish) if task.duration else (scale.x(start), 0.0)
        late_days = shown.late_days(i)
        slack_to = None
        if slack and slack > 0 and late_days and task.state == "waiting":
            slack_to = min(scale.x(late_days[1] + 1), scale.width)
        ghost = None
        if moved and plan.schedule.start[i] != UNDATED:
            a, b = _interval(plan, i)
            ghost = bar(scale, a, b) if task.duration else (scale.x(a), 0.0)
        mark = Mark(shape, x, y, width, state.replace(" ", "-"), critical, late > 0, moved, slack_to, ghost)
    return TaskLine(
        task.key,
        task.title,
        name,
        role,
        day_words(days[0]) if days else "",
        day_words(days[1]) if days else "undated",
        state,
        words if task.state not in FINISHED else "",
        late,
        y,
        moved,
        edited,
        mark,
        len(tuple(shown.above(i))),
        shown.is_parent(i),
    )


def _interval(plan: Plan, i: int) -> tuple[float, float]:
    """Boundaries to draw; a milestone in the middle of the day that it reads as."""
    task, days = plan.tasks[i], plan.days(i)
    assert days is not None
    if task.duration:
        return days[0], days[1] + 1
    return days[0] + 0.5, days[0] + 0.5


def progress_words(plan: Plan) -> str:
    """``9 of 23 tasks done``."""
    tasks = [task for i, task in enumerate(plan.tasks) if not plan.is_parent(i)]
    done = sum(task.state in FINISHED for task in tasks)
    return f"{done} of {count_words(len(tasks), 'task')} done"
