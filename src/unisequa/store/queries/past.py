"""What became of one step in the runs that there were."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import CommentRow, Edition, Person, Run, TaskRow, TemplateRow


@dataclass(frozen=True, slots=True)
class PastTask:
    """A step in one run: what became of it, when it was over, and the day that the template aimed at."""

    run_id: int
    run: str
    state: str
    over: dt.date | None
    target: dt.date | None


def past_tasks(session: Session, template_id: int, key: str, person_id: int, most: int) -> list[PastTask]:
    """The last runs of a template that somebody sees in which a step was done or dropped, the latest first."""
    query = (
        select(Run.id, Run.name, TaskRow.state, TaskRow.finish_on, TaskRow.target_finish_on)
        .join(Run, Run.id == TaskRow.run_id)
        .join(Edition, Edition.id == Run.edition_id)
        .join(TemplateRow, TemplateRow.id == Edition.template_id)
        .where(Edition.template_id == template_id, TaskRow.key == key, TaskRow.state.in_(("done", "dropped")))
        .where(seen_by(person_id))
        .order_by(func.coalesce(TaskRow.finish_on, dt.date.min).desc(), Run.id.desc())
    )
    return [PastTask(*row) for row in session.execute(query.limit(most)).all()]


def past_words(
    session: Session, template_id: int, key: str, person_id: int, most: int
) -> list[tuple[int, str, str, str]]:
    """The last words that were left on a step in the runs that somebody sees: run, its name, whose, the text."""
    query = (
        select(Run.id, Run.name, Person.name, CommentRow.text)
        .join(Run, Run.id == CommentRow.run_id)
        .join(Person, Person.id == CommentRow.person_id)
        .join(Edition, Edition.id == Run.edition_id)
        .join(TemplateRow, TemplateRow.id == Edition.template_id)
        .where(Edition.template_id == template_id, CommentRow.task_key == key, seen_by(person_id))
        .order_by(CommentRow.id.desc())
    )
    return [(a, b, c, d) for a, b, c, d in session.execute(query.limit(most)).all()]
