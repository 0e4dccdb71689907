"""What the edition of a run says of its tasks beside their dates: what they wait for in other runs, and how they are
signed off."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, object_session

from unisequa.core.calendar import WorkingCalendar
from unisequa.core.document import SignOff, Step, Template, Wait
from unisequa.core.includes import Library, Scope, same_name, whole
from unisequa.core.placeholders import holds
from unisequa.core.task import FINISHED, Awaited
from unisequa.store.models import Edition, Run, TaskRow, TemplateRow


def elsewhere(session: Session) -> Callable[[Wait, dt.date | None], Awaited]:
    """What is awaited in the runs there are: in the one of that template whose anchor has that date."""
    rows = list(session.scalars(select(TemplateRow).order_by(TemplateRow.id)))

    def found(wait: Wait, date: dt.date | None) -> Awaited:
        template = next((row for row in rows if same_name(row.name, wait.template)), None)
        run = _run_of(session, template, wait, date) if template and date else None
        if run is None:
            return Awaited(wait.step, template.name if template else wait.template, found=False)
        task = next((task for task in run.tasks if task.key == wait.step), None)
        if task is None:  # it does not apply there
            return Awaited(wait.step, run.name, done=True)
        finish = task.finish_on.toordinal() + 1 if task.finish_on else None
        return Awaited(task.title, run.name, finish, task.state in FINISHED)

    return found


def _run_of(session: Session, template: TemplateRow, wait: Wait, date: dt.date) -> Run | None:
    query = select(Run).join(Edition).where(Edition.template_id == template.id, Run.state != "called off")
    day = date.isoformat()[:10]
    return next(
        (run for run in session.scalars(query.order_by(Run.id.desc())) if run.anchors.get(wait.theirs) == day), None
    )


def waits_of(run: Run, template: Template) -> dict[str, tuple[Awaited, ...]]:
    """What each task waits for in other runs, its parents' waits among them."""
    steps = {step.key: step for step in template.steps}
    session = object_session(run)
    if session is None or not any(step.waits_for for step in template.steps):
        return {}
    find, parents = elsewhere(session), {row.key: row.parent for row in run.tasks}
    found = {}
    for row in run.tasks:
        waits = [wait for step in _line(row.key, parents, steps) for wait in step.waits_for]
        dates = ((wait, run.anchors.get(wait.anchor)) for wait in waits)
        found[row.key] = tuple(find(wait, dt.date.fromisoformat(day) if day else None) for wait, day in dates)
    return found


def _line(key: str | None, parents: Mapping[str, str | None], steps: Mapping[str, Step]) -> Iterator[Step]:
    while key is not None:
        if key in steps:
            yield steps[key]
        key = parents.get(key)


def rule_of(row: TaskRow, template: Template) -> SignOff | None:
    """How a task is signed off."""
    return next((step.sign_off for step in template.steps if step.key == row.key), None)


def held_back(run: Run, row: TaskRow, rule: SignOff | None) -> bool:
    """Whether a task is held in review: what it is held for does not hold, or cannot be worked out, yet."""
    if rule is None or rule.until is None:
        return False
    try:
        return not holds(rule.until, _values(run, row.key))
    except ValueError:
        return True


def signed_by_itself(run: Run, row: TaskRow, rule: SignOff | None, calendar: WorkingCalendar, today: dt.date) -> bool:
    """Whether a task in review counts as signed off: nobody sent it back for so many working days, nothing holds it."""
    if row.state != "in review" or rule is None or rule.by_itself is None or row.done_at is None:
        return False
    since = calendar.count(row.done_at.date().toordinal() + 1, max(today, row.done_at.date()).toordinal())
    enough = since >= rule.by_itself
    return enough and not held_back(run, row, rule)


def _values(run: Run, key: str) -> dict[str, Any]:
    values: dict[str, Any] = {"subject": run.subject, **run.facts}
    values |= {member.role: member.name or member.label for member in run.crew}
    values |= {anchor: dt.date.fromisoformat(day) if day else None for anchor, day in run.anchors.items()}
    return {**values, **_scope(run, key).named(values)}


def _scope(run: Run, key: str) -> Scope:
    """The names that a step of an included template has for what we call otherwise."""
    session = object_session(run)
    if "." not in key or session is None:
        return Scope()
    inner = {name: session.get(Edition, number) for name, number in (run.pins or {}).items()}
    library = Library((name, Template.model_validate(e.document)) for name, e in inner.items() if e is not None)
    parts = whole(Template.model_validate(run.edition.document), library)
    return next((placed.scope for placed in parts.steps if placed.key == key), Scope())
