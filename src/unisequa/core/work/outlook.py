"""How a run stands: ahead, on time, behind, or in a muddle; the first that fits, with its reason in words.

===========  ==========================================================================================
in a muddle  a task is begun or over although what holds it back is not; or a later phase has a task begun
             while an earlier one has open tasks that should have been over by now; or a date fixed, or a
             link, is broken between tasks not over
behind       a task is late; or a deadline, an anchor or a window is missed, or will be by the expected
             end; or earned schedule is behind
ahead        nothing is late, and earned schedule is ahead
on time      else
===========  ==========================================================================================

The expected end is the plan's finish after catching up to today.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from unisequa.core.calendars.words import count_words, names_words
from unisequa.core.network.places import UNDATED, misses
from unisequa.core.plan.phases import phase_keys
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import anchor_limit
from unisequa.core.terms import BEGUN, FINISHED
from unisequa.core.work.earned import Curve, threshold
from unisequa.core.work.readiness import Readiness
from unisequa.core.work.task_states import late_by

Standing = Literal["ahead", "on time", "behind", "in a muddle"]


@dataclass(frozen=True, slots=True)
class Outlook:
    """How a run stands, and why.

    Parameters
    ----------
    ahead : Fraction, optional
        Worked slots ahead by earned schedule, negative behind.
    ends : int, optional
        The last day of the run by the plan caught up to today.
    """

    standing: Standing
    reason: str
    ahead: Fraction | None = None
    ends: int | None = None


def outlook(
    plan: Plan, ready: Readiness, caught_up: Plan, curve: Curve | None = None, phases: Sequence[str] = ()
) -> Outlook:
    """How a run stands.

    Parameters
    ----------
    caught_up : Plan
        The plan with nothing unfinished before today.
    curve : Curve, optional
        Of its latest baseline.
    phases : sequence of str
        The keys of its phases in their order.
    """
    reach = caught_up.reach()
    ends = reach[1] if reach else None
    now, calendar = plan.today, plan.calendars[None]
    ahead = None if curve is None or now is None else curve.ahead(now, calendar)
    if muddle := next(_muddles(plan, ready, phases), None):
        return Outlook("in a muddle", muddle, ahead, ends)
    late = sum(late_by(plan, i) > 0 for i in range(len(plan.tasks)) if not plan.is_parent(i))
    if late:
        return Outlook("behind", f"{count_words(late, 'task')} late", ahead, ends)
    if missed := next(_missed(caught_up), None):
        return Outlook("behind", missed, ahead, ends)
    least = threshold(curve.length if curve else 0, plan.grid)
    if ahead is not None and ahead <= -least:
        return Outlook("behind", f"{_slots(-ahead, plan)} behind what was planned", ahead, ends)
    if ahead is not None and ahead >= least:
        return Outlook("ahead", f"{_slots(ahead, plan)} ahead of what was planned", ahead, ends)
    return Outlook("on time", "", ahead, ends)


def _slots(slots: Fraction, plan: Plan) -> str:
    return count_words(round(slots), "working day" if plan.grid.per_day == 1 else "minute")


def _muddles(plan: Plan, ready: Readiness, phases: Sequence[str]) -> Iterator[str]:
    today = plan.today
    if today is None:
        return
    for i, task in enumerate(plan.tasks):
        if plan.is_parent(i) or (task.state not in BEGUN and task.state != "done"):
            continue
        free = ready.finishes[i] if task.state == "done" else ready.begins[i]
        if free is None or free > today:
            did = "is done" if task.state == "done" else "is begun"
            yield f"{task.title} {did} although what it waits for is not over"
    yield from _phases_crossed(plan, phases)
    fronts = plan.network.fronts(lambda i: (plan.schedule.start[i], plan.schedule.finish[i]))
    for i, task in enumerate(plan.tasks):
        start, finish = plan.schedule.start[i], plan.schedule.finish[i]
        if plan.is_parent(i) or task.state in FINISHED or start == UNDATED:
            continue
        for one in task.waits:
            if not one.done and one.finish is not None and start < one.finish:
                yield f"{task.title} {'is fixed' if task.fixed else 'stands'} before {one.place} lets it"
        activity = plan.network.activities[i]
        for link, ask in plan.network.held_by(i, fronts):
            source = plan.tasks[ask.source]
            if all(plan.tasks[leaf].state in FINISHED for leaf in plan.leaves(ask.source)):
                continue
            if misses(activity, link.type[1], ask.bound(activity), (start, finish)):
                stands = "is fixed before" if task.fixed else "stands before"
                yield f"{task.title} {stands} {source.title}, which it follows, lets it"


def _phases_crossed(plan: Plan, phases: Sequence[str]) -> Iterator[str]:
    """A later phase with a task begun, while an earlier one has open tasks that should be over by now."""
    order, of = {key: n for n, key in enumerate(phases)}, phase_keys(plan.tasks)
    begun: dict[int, int] = {}
    open_: dict[int, int] = {}
    for i, task in enumerate(plan.tasks):
        place = order.get(of.get(task.key, ""))
        if place is None or plan.is_parent(i):
            continue
        if task.state in BEGUN or task.state == "done":
            begun.setdefault(place, i)
        elif late_by(plan, i):
            open_.setdefault(place, i)
        if task.state in BEGUN and late_by(plan, i):
            open_.setdefault(place, i)
    for place, i in sorted(open_.items()):
        later = min((at for at in begun if at > place), default=None)
        if later is not None:
            yield f"{plan.tasks[begun[later]].title} is begun while {plan.tasks[i].title} of a phase before it is open"


def _missed(plan: Plan) -> Iterator[str]:
    """Deadlines, anchors and windows that open tasks miss in a plan caught up to today."""
    by_anchor: dict[str, int] = {}
    for i, task in enumerate(plan.tasks):
        start, finish = plan.schedule.start[i], plan.schedule.finish[i]
        if plan.is_parent(i) or task.state in FINISHED or start == UNDATED:
            continue
        limit = anchor_limit(task, plan.anchors, plan.calendars)
        if limit is not None and (finish if limit[0] == "F" else start) > limit[1]:
            assert task.when is not None
            by_anchor[task.when.anchor] = by_anchor.get(task.when.anchor, 0) + 1
    if by_anchor:
        names = names_words([plan.labels[key] for key in by_anchor])
        yield f"{count_words(sum(by_anchor.values()), 'task')} will be after {names}"
    span = plan.span()
    if plan.end is not None and span and span[1] > plan.end:
        over = plan.calendars[None].count(plan.end, span[1])
        name = plan.labels.get(plan.ends or "", "its deadline")
        yield f"it will end {count_words(over, _unit(plan))} after {name}"
    for i, task in enumerate(plan.tasks):
        due, finish = task.due_by, plan.schedule.finish[i]
        if plan.is_parent(i) or task.state in FINISHED or due is None or finish == UNDATED or finish <= due:
            continue
        over = plan.calendars.of(task).count(due, finish)
        what = "a deadline" if task.deadline is not None else "the window of a phase"
        yield f"{what} will be missed by {count_words(max(1, over), _unit(plan))}: {task.title}"


def _unit(plan: Plan) -> str:
    return "working day" if plan.grid.per_day == 1 else "minute"
