"""A template made from a run: shown first, then kept as a new one or as the draft of its own."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from pydantic import ValidationError

from unisequa.actions.access import check_may, may
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import keep_template
from unisequa.core.calendars.words import as_sentence
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, EditError, Refused
from unisequa.core.lookback.from_run import Became, template_from_run
from unisequa.store.documents import template_of
from unisequa.store.plans import plan_of
from unisequa.store.store import Session


@dataclass(frozen=True, slots=True)
class Drawn:
    """The template that a run would become, and what becomes of each step."""

    run: str
    template_id: int
    template_name: str
    may_edit: bool
    template: Template
    lines: tuple[Became, ...]


def drawn(session: Session, actor: Actor, run_id: int, today: dt.date, *, keep_dropped: bool) -> Drawn:
    """What would come of it; nothing is made."""
    run = run_of(session, run_id, actor)
    check_may(run.edition.template, actor, "see the template")
    try:
        template, lines = template_from_run(
            template_of(run.edition), plan_of(run, today, viewer=actor.id), run.facts, keep_dropped=keep_dropped
        )
    except (DocumentError, EditError) as error:
        raise Refused({"": as_sentence(str(error))}) from error
    row = run.edition.template
    return Drawn(run.name, row.id, row.name, may(row, actor, "change a draft"), template, tuple(lines))


def make(
    session: Session, actor: Actor, run_id: int, today: dt.date, *, keep_dropped: bool, name: str, into: bool
) -> int:
    """Make it: the draft of the run's own template, or a new one; gives the template's id."""
    drawn_up = drawn(session, actor, run_id, today, keep_dropped=keep_dropped)
    if into:
        edit_draft(session, actor, drawn_up.template_id, lambda _: drawn_up.template)
        return drawn_up.template_id
    name = " ".join(name.split()) or f"{drawn_up.run}, as it went"
    try:
        template = Template.model_validate({**drawn_up.template.written(), "name": name[:200]})
    except ValidationError:
        raise Refused({"name": "A template needs a name of up to 200 characters that can be shown."}) from None
    like = run_of(session, run_id, actor).edition
    return keep_template(session, actor, template, said=f"made from the run {drawn_up.run}", like=like).template_id
