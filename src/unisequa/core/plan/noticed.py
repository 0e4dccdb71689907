"""What deserves a look in a plan as it is worked out: what is missed, past, pushed, undated."""

from __future__ import annotations

from collections.abc import Iterator

from unisequa.core.calendars.words import DateWords
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import anchor_limit
from unisequa.core.plan.task import Warning


def warnings_of(plan: Plan, *, abroad: bool) -> Iterator[Warning]:
    """Everything that deserves a look, task by task, then of the run.

    Parameters
    ----------
    abroad : bool
        Whether other jobs' runs were looked at, so that what is awaited there and not found is worth a word.
    """
    grid, said = plan.grid, plan.dates_in_words()
    for i in range(len(plan.tasks)):
        yield from _of_task(plan, said, i, abroad=abroad)
    if plan.end is None:
        return
    last = grid.day(plan.end - 1)
    for phase in plan.phases:
        if phase.window is not None and phase.window[1] > last:
            ends, end = said.of_days.both(phase.window[1], last)
            until = f"{ends}, after the run's end {end}"
            yield Warning("window", None, f"The window of {phase.label} runs to {until}")
    if plan.schedule.latest > plan.end:
        ends, until = said.both(grid.inclusive(plan.schedule.latest), grid.inclusive(plan.end))
        yield Warning("deadline", None, f"The run ends {ends}, after its deadline {until}")


def _of_task(plan: Plan, said: DateWords, i: int, *, abroad: bool) -> Iterator[Warning]:
    grid, task = plan.grid, plan.tasks[i]
    for awaited in task.waits if abroad else ():
        if awaited.finish is None and not awaited.done:
            more = ", which has no date yet" if awaited.found else ""
            yield Warning("awaits", task.key, f"{task.title} waits for {awaited.words}{more}")
    dates, target = plan.read(i), plan.target_read(i)
    if dates is None:
        name = plan.labels[task.when.anchor] if task.when else ""
        text = f"{task.title} has no date until {name} is known" if name else f"{task.title} has no date yet"
        yield Warning("undated", task.key, text)
        return
    due, start, ends = task.due_by, plan.schedule.start[i], plan.schedule.finish[i]
    if plan.today is not None and dates[0] < plan.today:
        yield Warning("past", task.key, f"{task.title} starts {said[dates[0]]}, in the past")
    if target and (plan.drift(i) or 0) > 0:
        wanted, finish = said.both(target[1], dates[1])
        text = f"{task.title} cannot hold {wanted}: what it follows puts it on {finish}"
        yield Warning("drift", task.key, text)
    if due is not None and ends > due and not (task.deadline is None and plan.is_parent(i)):
        until, finish = said.both(grid.inclusive(due), dates[1])
        if task.deadline is not None:
            yield Warning("deadline", task.key, f"{task.title} ends {finish}, after its deadline {until}")
        else:
            yield Warning("window", task.key, f"{task.title} ends {finish}, after its phase's window, until {until}")
    limit = anchor_limit(task, plan.anchors, plan.calendars) if task.when else None
    if limit and task.when and (ends if limit[0] == "F" else start) > limit[1]:
        verb, at = ("ends", dates[1]) if limit[0] == "F" else ("starts", dates[0])
        text = f"{task.title} {verb} {said[at]}, after {plan.labels[task.when.anchor]}"
        yield Warning("anchor", task.key, text)
