"""What the edition of a run says of its tasks beside their dates: what they wait for in other runs, and how they are
signed off."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, object_session

from unisequa.core.documents.includes import Library, Scope, same_name, whole
from unisequa.core.documents.placeholders import holds
from unisequa.core.documents.template import SignOff, Step, Template, Wait
from unisequa.core.plan.task import Awaited
from unisequa.core.terms import FINISHED
from unisequa.store.documents import calendars_of, pinned, template_of, template_of_run
from unisequa.store.tables import Edition, Run, TaskRow, TemplateRow


def elsewhere(session: Session, today: dt.date, slots: int = 1) -> Callable[[Wait, dt.date | None], Awaited]:
    """What is awaited in the runs there are: in the one of that template whose anchor has that date.

    ``slots`` is how many a day has on the grid of the plan that waits.
    """

    def found(wait: Wait, date: dt.date | None) -> Awaited:
        template = _awaited(session, wait)
        run = _run_of(session, template, wait, date) if template and date else None
        if run is None:
            return Awaited(wait.step, template.name if template else wait.template, found=False)
        task = next((task for task in run.tasks if task.key == wait.step), None)
        if task is None:  # it does not apply there
            return Awaited(wait.step, run.name, done=True)
        finish = (task.finish_on.toordinal() + 1) * slots if task.finish_on else None
        return Awaited(task.title, run.name, finish, task.state in FINISHED or signed_by_itself(run, task, today))

    return found


def _awaited(session: Session, wait: Wait) -> TemplateRow | None:
    """The template of that name; one that had it in an edition, where it has been given another since."""
    rows = list(session.scalars(select(TemplateRow).order_by(TemplateRow.id)))
    named = [row for row in rows if same_name(row.name, wait.template)]
    had = (row for row in rows if any(same_name(e.document["name"], wait.template) for e in row.editions))
    return named[0] if named else next(had, None)


def _run_of(session: Session, template: TemplateRow, wait: Wait, date: dt.date) -> Run | None:
    query = select(Run).join(Edition).where(Edition.template_id == template.id, Run.state != "called off")
    day = date.isoformat()[:10]
    return next(
        (run for run in session.scalars(query.order_by(Run.id.desc())) if run.anchors.get(wait.theirs) == day), None
    )


def waits_of(run: Run, template: Template, today: dt.date) -> dict[str, tuple[Awaited, ...]]:
    """What each task of a run of that template waits for in other runs, its parents' waits among them."""
    steps = {step.key: step for step in template.steps}
    session = object_session(run)
    if session is None or not any(step.waits_for for step in template.steps):
        return {}
    find, parents = elsewhere(session, today), {row.key: row.parent for row in run.tasks}
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


def rule_of(run: Run, row: TaskRow) -> SignOff | None:
    """How a task is signed off."""
    return next((step.sign_off for step in template_of_run(run).steps if step.key == row.key), None)


def held_until(run: Run, row: TaskRow) -> str | None:
    """The condition that holds a task in review, while it does not hold or cannot be worked out yet."""
    rule = rule_of(run, row)
    if rule is None or rule.until is None:
        return None
    try:
        return None if holds(rule.until, _values(run, row.key)) else rule.until
    except ValueError:
        return rule.until


def signed_by_itself(run: Run, row: TaskRow, today: dt.date) -> bool:
    """Whether a task in review counts as signed off: nobody sent it back for so many working days, nothing holds it."""
    rule = rule_of(run, row) if row.state == "in review" else None
    if rule is None or rule.by_itself is None or row.done_at is None:
        return False
    done = row.done_at.date()
    calendar = calendars_of(run.calendars)[row.calendar]
    since = calendar.count(done.toordinal() + 1, max(today, done).toordinal())
    return since >= rule.by_itself and held_until(run, row) is None


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
    library = Library((name, template_of(edition)) for name, edition in pinned(session, run.pins or {}).items())
    parts = whole(template_of(run.edition), library)
    return next((placed.scope for placed in parts.steps if placed.key == key), Scope())
