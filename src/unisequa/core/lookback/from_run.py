"""A template from what happened: a run's dates turned back into offsets from its anchors.

Planned on the anchors of the run, the template gives the dates of the run again (on the run's calendars, with its
facts). A step keeps its offset where that already gives its date, and has none where its links alone give it;
else it is measured in working days from the anchor that it was measured from, or from the nearest.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import span_text
from unisequa.core.design.editing import changed, remove_steps
from unisequa.core.design.following import StepNames, follows_words
from unisequa.core.design.offsets import when_words
from unisequa.core.documents.measures import measured
from unisequa.core.documents.template import Link, Step, Template, When, usual_roll
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.bridging import bridged
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.terms import Edge, Roll

MOST_PASSES = 12


@dataclass(frozen=True, slots=True)
class Became:
    """What a step was in the template and what it becomes; ``note`` says why it is left out or stays."""

    key: str
    title: str
    was: str
    becomes: str
    note: str = ""

    @property
    def same(self) -> bool:
        """Whether nothing changes."""
        return self.was == self.becomes


def template_from_run(
    template: Template, plan: Plan, facts: Mapping[str, object], *, keep_dropped: bool = False
) -> tuple[Template, list[Became]]:
    """The template that a run's edition becomes by its dates, and what becomes of each step.

    Parameters
    ----------
    plan : Plan
        The run as it stands: tasks that are done with the dates on which they were.
    keep_dropped : bool
        Keep the steps that were dropped as they are; without it they are left out, and what followed them follows
        what they followed.

    Raises
    ------
    DocumentError
        When no anchor of the run is known.
    """
    known = {key: day for key, day in plan.anchors.items() if day is not None}
    if not known:
        raise DocumentError([Fault("anchors", "no anchor of this run has a date, so nothing can be measured from one")])
    dropped = {task.key for task in plan.tasks if task.state == "dropped"}
    original, template = template, template.model_copy(update={"links": _links(template, plan)})
    steps = {step.key: step for step in template.steps}
    followed = {link.to for link in template.links}
    made = dict(steps)
    for i, task in enumerate(plan.tasks):
        step = steps.get(task.key)
        days = plan.read(i)
        if step is None or days is None or plan.is_parent(i) or task.key in dropped:
            continue
        calendar = plan.calendars.of(task)
        lasts = 0 if task.duration == 0 else max(1, calendar.count(days[0], plan.grid.exclusive(days[1])))
        if lasts != step.slots(calendar):
            takes = lasts if plan.grid.per_day == 1 else span_text(lasts)
            step = step.model_copy(update={"duration": takes})
        if step.when is not None or task.key not in followed:
            step = step.model_copy(update={"when": _when(step.when, task, days, known, calendar)})
        made[task.key] = step
    drawn = _until_it_gives_the_dates(template, made, plan, facts, known, dropped)
    if not keep_dropped:
        here = [key for key in dropped if key in made]
        drawn = remove_steps(drawn, here) if here else drawn
    return changed(drawn), list(_told(original, drawn, plan, dropped, keep_dropped=keep_dropped))


def _links(template: Template, plan: Plan) -> tuple[Link, ...]:
    """The template's links with those that were drawn and taken out in the run.

    A link of the run that only bridges what did not apply there is none of these.
    """
    keys = {step.key for step in template.steps}
    ours = {_plain(link, plan): link for link in template.links if link.from_ in keys and link.to in keys}
    bridged_there = set(bridged(ours, {key for key in keys if key not in plan.positions}))
    there = {link for link in plan.links if link.source in keys and link.target in keys}
    kept = [
        link
        for link in template.links
        if (plain := _plain(link, plan)) not in ours or plain in there or plain not in bridged_there
    ]
    drawn = sorted(there - bridged_there - set(ours), key=lambda k: (plan.positions[k.target], k.source))
    return (
        *kept,
        *(Link(**{"from": k.source}, to=k.target, type=k.type, lag=_written(k, plan), unit=k.unit) for k in drawn),
    )


def _written(link: LinkOf, plan: Plan) -> int | str:
    """A lag as templates write it."""
    return link.lag if plan.grid.per_day == 1 or not link.lag else span_text(link.lag)


def _plain(link: Link, plan: Plan) -> LinkOf:
    at = plan.positions.get(link.to)
    calendar = plan.calendars[None] if at is None else plan.calendars.of(plan.tasks[at])
    return LinkOf(link.from_, link.to, link.type, link.slots(calendar), link.unit)


def _when(
    before: When | None, task: Task, days: tuple[int, int], anchors: Mapping[str, int], calendar: WorkingCalendar
) -> When | None:
    """The offset that gives these days: the one there was, if it does."""
    edge = before.edge if before else "finish" if task.edge == "finish" and not task.opens else "start"
    day = days[1] if edge == "finish" else days[0]
    kept = before is not None and before.anchor in anchors
    if before and kept and measured(anchors[before.anchor], before, calendar, before.edge) == day:
        return before
    if before is None and task.opens and day == calendar.roll_forward(next(iter(anchors.values()))):
        return None
    known = {before.anchor: anchors[before.anchor]} if before and before.anchor in anchors else anchors
    return _offset(
        day, edge, known, calendar, before.roll if before and before.roll != usual_roll(before.offset) else None
    )


def _offset(
    day: int, edge: Edge, anchors: Mapping[str, int], calendar: WorkingCalendar, roll: Roll | None = None
) -> When:
    """A day in working days from the nearest of some anchors, an instant in minutes."""
    anchor = min(anchors, key=lambda key: abs(anchors[key] - day))
    zero = anchors[anchor]
    if calendar.grid.per_day > 1:
        minutes = day - zero
        return When(
            anchor=anchor, offset=span_text(minutes), unit="minutes", edge=edge, roll=roll or usual_roll(minutes)
        )
    n = calendar.count(zero + 1, day + 1) if day > zero else -calendar.count(day, zero)
    return When(anchor=anchor, offset=n, edge=edge, roll=roll or usual_roll(n))


def _until_it_gives_the_dates(
    template: Template,
    made: dict[str, Step],
    plan: Plan,
    facts: Mapping[str, object],
    known: Mapping[str, int],
    dropped: set[str],
) -> Template:
    """Give an offset to each step that its links alone put elsewhere, the first ones first."""
    dates = {key: plan.grid.moment(day) for key, day in known.items()}
    given = {key: value for key, value in facts.items() if value not in (None, "")}
    occasion = Occasion(dates, given, plan.crew, calendars=plan.calendars.documents)
    for _ in range(MOST_PASSES):
        drawn = template.model_copy(update={"steps": tuple(made[step.key] for step in template.steps)})
        try:
            again = assemble(drawn, occasion)
        except DocumentError:
            return drawn
        moved = False
        for i in again.network.order:
            task = again.tasks[i]
            at = plan.positions.get(task.key)
            if at is None or task.key in dropped or again.is_parent(i) or made[task.key].when is not None:
                continue
            days = plan.read(at)
            if days is None or again.read(i) == days:
                continue
            calendar = plan.calendars.of(plan.tasks[at])
            when = _offset(days[0], "start", known, calendar)
            made[task.key] = made[task.key].model_copy(update={"when": when})
            moved = True
        if not moved:
            break
    return template.model_copy(update={"steps": tuple(made[step.key] for step in template.steps)})


def _told(template: Template, drawn: Template, plan: Plan, dropped: set[str], *, keep_dropped: bool) -> list[Became]:
    after = {step.key: step for step in drawn.steps}
    names = StepNames(template.steps)
    lines = []
    for step in template.steps:
        new = after.get(step.key)
        was = _words(template, step)
        before, now = (follows_words([k for k in t.links if k.to == step.key], names) for t in (template, drawn))
        if step.key in dropped:
            note = "was dropped; kept as it is" if keep_dropped else "was dropped; left out"
            lines.append(Became(step.key, step.title, was, was if keep_dropped else "", note))
        elif step.key not in plan.positions:
            lines.append(Became(step.key, step.title, was, was, "was not in this run; kept as it is"))
        elif new is not None:
            becomes = _words(template, new)
            if before != now:
                was, becomes = f"{was}, follows {before or 'nothing'}", f"{becomes}, follows {now or 'nothing'}"
            lines.append(Became(step.key, step.title, was, becomes))
    return lines


def _words(template: Template, step: Step) -> str:
    when = when_words(step.when, template.anchors) if step.when else "by its links"
    takes = str(step.duration or "1h") if template.grid == "minute" else f"{step.days} d"
    return f"{when}, {'milestone' if takes in ('0', '0m', '0 d') else takes}"
