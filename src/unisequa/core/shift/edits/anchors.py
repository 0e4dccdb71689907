"""Edits of anchors, and of the whole run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from unisequa.core.documents.measures import unrolled
from unisequa.core.documents.template import Measure
from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.network.latest import latest_places
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, number_from, span_at
from unisequa.core.plan.phases import PhaseOf, fitted
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import derived_dates
from unisequa.core.shift.edits.edit import Edit, Option, part
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import FINISHED, MOST_DAYS


@dataclass(frozen=True, slots=True)
class MoveAnchor(Edit):
    """Put an anchor on ``day``. What is measured from it moves as far as its target does, keeping the distance
    that people gave it; or with ``keep`` offsets back to the template's."""

    kind = "anchor"
    turn: ClassVar[int] = 1
    options = (
        Option("--anchor", "KEY=DATE", "move an anchor; distances are kept", "pair"),
        Option(
            "--reset-anchor", "KEY=DATE", "the same, back to the template's offsets", "pair", (("keep", "offsets"),)
        ),
    )

    anchor: str = part("text", "anchor")
    day: int = part("instant", "on")
    keep: Literal["distances", "offsets"] = part(
        "choice", "keep", choices=("distances", "offsets"), default="distances"
    )

    @classmethod
    def together(cls, work: Prepared, edits: Sequence[Edit]) -> None:
        moved = [edit for edit in edits if isinstance(edit, MoveAnchor)]
        for edit in moved:
            edit.check(work.plan)
        reset = {edit.anchor for edit in moved if edit.keep == "offsets"}
        put_anchors(work, {edit.anchor: edit.day for edit in moved}, reset)

    def check(self, plan: Plan) -> None:
        """Refuse an anchor that is not there, or that is measured from another."""
        if self.anchor not in plan.anchors:
            raise ShiftError(f'no anchor "{self.anchor}"{did_you_mean(self.anchor, plan.anchors)}', edit=self)
        if self.anchor in plan.derived:
            base = plan.labels[plan.derived[self.anchor].anchor]
            raise ShiftError(f"{plan.labels[self.anchor]} is measured from {base}; move that one", edit=self)


@dataclass(frozen=True, slots=True)
class MoveRun(Edit):
    """Move every anchor and all that is not begun: ``by`` so many working days, or so that the first task starts on
    the day ``to``."""

    kind = "shift"
    turn: ClassVar[int] = 2
    options = (Option("--shift", "N|DATE", "move the whole run by working days, or to a day", "number or date"),)

    by: int | None = part("number", "by", default=None)
    to: int | None = part("date", "to", default=None)

    def carry_out(self, work: Prepared) -> None:
        plan, calendar = work.plan, work.calendars[None]
        days = self._days(work)
        if abs(days) > MOST_DAYS:
            raise ShiftError(f"a run cannot be moved by {days} days; at most {MOST_DAYS}")
        if not days:
            return
        measure = Measure(anchor="run", offset=days)
        moved = {
            key: unrolled(day, measure, calendar)
            for key, day in work.anchors.items()
            if day is not None and key not in plan.derived
        }
        placed = dict(work.wishes)
        put_anchors(work, moved, frozenset(), windows=False)
        for phase in work.phases:
            if phase.window is not None:
                edges = (unrolled(work.grid.day_start(day), measure, calendar) for day in phase.window)
                first, last = (work.grid.day(edge) for edge in edges)
                work.phases = tuple(replace(p, window=(first, last)) if p is phase else p for p in work.phases)
        for i in work.in_windows(work.phases):
            if work.task(i).opens:
                work.measure(i)
        for i in range(len(plan.tasks)):
            if plan.is_parent(i):
                continue
            if work.task(i).stands == "begun":
                work.exact.add(i)  # as far as it may; what follows it moves by all the same
                continue
            work.wishes.pop(i, None)
            if i in placed:
                work.wishes[i] = placed[i]
            work.carry(i, days * work.activity(i).calendar.per_day)
            if i in work.wishes and i not in placed:
                work.exact.add(i)

    def _days(self, work: Prepared) -> int:
        if (self.by is None) == (self.to is None):
            raise ShiftError("a run is moved either by working days or to a day; give one of the two")
        if self.by is not None:
            return self.by
        reach, calendar = work.plan.reach(), work.calendars[None]
        if reach is None:
            raise ShiftError("the run has no dates yet; give an anchor its date instead")
        assert self.to is not None
        return calendar.day_index(work.grid.day(self.to)) - calendar.day_index(reach[0])


def put_anchors(
    work: Prepared, days: Mapping[str, int], reset: Set[str] = frozenset(), *, windows: bool = True
) -> None:
    """Put anchors on other days; ``reset`` names those whose tasks go back to the template's offsets."""
    plan = work.plan
    before = latest_places(_unplaced(work)) if plan.direction == "backward" else {}
    was = work.anchors
    work.anchors = derived_dates({**was, **days}, plan.derived, work.calendars)
    changed = {key for key, day in work.anchors.items() if day != was[key]}
    again = {key for key in work.anchors if _base(plan, key) in reset}
    work.measure_end()
    for i in range(len(plan.tasks)):
        _remeasure(work, i, was, changed, again)
    if windows and any(phase.window or phase.span for phase in work.phases):
        tasks = [work.task(i) for i in range(len(plan.tasks))]
        backward = plan.direction == "backward"
        fit = fitted(work.phases, tasks, work.anchors, work.calendars[None], work.end, backward=backward)
        move_windows(work, fit)
    if plan.direction == "backward":
        after = latest_places(_unplaced(work))
        for i, at in before.items():
            if i not in after or i in work.wishes:
                continue
            task = work.task(i)
            if reset and task.when is None and not task.stands:
                work.wishes[i] = after[i]
                work.causes[i] = "anchor"
                work.mark(i, put=False)
            else:
                work.carry(i, work.activity(i).calendar.count(at, after[i]))


def move_windows(work: Prepared, phases: tuple[PhaseOf, ...]) -> None:
    """Give phases other windows; what only a window dates moves as far as it does."""
    for i in work.in_windows(phases):
        task, old = work.task(i), work.task(i).target
        work.look_at(i)
        work.causes.setdefault(i, "anchor")
        if task.opens and task.state not in FINISHED:
            task = work.measure(i)
            _follow_target(work, i, old, again=False)


def _base(plan: Plan, anchor: str) -> str:
    """The anchor that a derived one is measured from in the end."""
    for _ in plan.derived:
        anchor = plan.derived[anchor].anchor if anchor in plan.derived else anchor
    return anchor


def _unplaced(work: Prepared) -> Network:
    """The network with no floors but the targets."""
    activities = (
        replace(work.activity(i), floor=target[0] if (target := work.task(i).target) else None)
        for i in range(len(work.plan.tasks))
    )
    return work.network.with_activities(activities)


def _remeasure(work: Prepared, i: int, was: Mapping[str, int | None], changed: set[str], again: set[str]) -> None:
    """Measure what a task has from anchors anew, and want it moved as far as its target moves."""
    task = work.task(i)
    names = {measure.anchor for measure in (*task.limits_from, *task.deadlines_from)} | (
        {task.when.anchor} if task.when else set()
    )
    if task.state in FINISHED or not names & (changed | again):
        return
    old = work.with_target(task, was).target
    work.measure(i)
    work.activities[i] = replace(work.activity(i), undated=False)
    work.looked_at.add(i)
    work.limited.add(i)
    work.causes[i] = "anchor"
    _follow_target(work, i, old, again=task.when is not None and task.when.anchor in again)


def _follow_target(work: Prepared, i: int, old: tuple[int, int] | None, *, again: bool) -> None:
    """Want a task where its target now is: there with ``again``, else moved as far as the target has."""
    task, activity = work.task(i), work.activity(i)
    if task.target is None or (task.target == old and not again):
        return
    if task.stands == "begun":
        _follow_under_way(work, i, old)
        return
    if task.fixed:
        if task.target != old:
            work.kept_fixed.add(i)
        return
    if again and task.put:
        work.mark(i, put=False)
    start = work.wishes.get(i, work.stands(i)[0])
    if again or old is None or start in {UNDATED, old[0]}:
        work.wishes[i] = task.target[0]
    else:
        slots = activity.calendar.count(old[0], task.target[0])
        work.wishes[i] = span_at(activity, number_from(activity, "S", start) + slots)[0]


def _follow_under_way(work: Prepared, i: int, old: tuple[int, int] | None) -> None:
    """A task under way keeps its start; its due date moves with its target, never before today, unless its doer has
    said what remains."""
    task, activity = work.task(i), work.activity(i)
    if old is None or task.target is None or task.state != "under way" or task.put or not task.duration:
        return
    calendar, (start, finish) = activity.calendar, work.span(i)
    slots = calendar.count(old[1], task.target[1])
    if not slots:
        return
    after = calendar.advance(finish, slots) if slots > 0 else calendar.retreat(finish, -slots)
    after = calendar.roll_back(after) if not calendar.is_worked(after - 1) else after
    today = start if work.plan.today is None else max(start, work.plan.today)
    after = max(after, calendar.advance(today, 1))
    work.resize(i, calendar.count(start, after))
    work.pin(i, (start, after))
    work.causes[i] = "anchor"
