"""A template made from a run: shown first, then kept as a new one or as the draft of its own."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from dataclasses import dataclass, replace

from pydantic import ValidationError

from unisequa.actions.access import check_may, may
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import keep_template
from unisequa.core.calendars.words import as_sentence
from unisequa.core.design.editing import remove_steps
from unisequa.core.documents.template import Role, SignOff, Step, Template
from unisequa.core.errors import DocumentError, EditError, Refused
from unisequa.core.lookback.from_run import Became, template_from_run
from unisequa.store.documents import template_of
from unisequa.store.plans import plan_of
from unisequa.store.store import Session
from unisequa.store.tables import Run


@dataclass(frozen=True, slots=True)
class Drawn:
    """The template that a run would become, and what becomes of each step."""

    run: str
    template_id: int
    template_name: str
    may_edit: bool
    template: Template
    lines: tuple[Became, ...]


def drawn(
    session: Session, actor: Actor, run_id: int, today: dt.date, *, keep_dropped: bool, only: Collection[str] = ()
) -> Drawn:
    """What would come of it; nothing is made.

    Parameters
    ----------
    only : collection of str
        The tasks that it is made of, each with its parts; ``phase:KEY`` for all of a phase; without any all of them.
    """
    run = run_of(session, run_id, actor)
    check_may(run.edition.template, actor, "see the template")
    try:
        edition, plan = template_of(run.edition), plan_of(run, today, viewer=actor.id)
        template, lines = template_from_run(_with_own(edition, run), plan, run.facts, keep_dropped=keep_dropped)
        there = {step.key for step in edition.steps}
        lines = [line if line.key in there else replace(line, was="not in it") for line in lines]
        if only:
            template = _part(template, only)
            lines = [line for line in lines if line.key in {step.key for step in template.steps}]
    except (DocumentError, EditError) as error:
        raise Refused({"": as_sentence(str(error))}) from error
    row = run.edition.template
    return Drawn(run.name, row.id, row.name, may(row, actor, "change a draft"), template, tuple(lines))


def _with_own(template: Template, run: Run) -> Template:
    """The template with steps for the tasks of the run's own, and the roles that came with them."""
    keys = {step.key for step in template.steps}
    roles = {role.key for role in template.roles}
    rows = [row for row in run.tasks if row.own and row.key not in keys and "." not in row.key]
    keys |= {row.key for row in rows}
    more = [
        Role(key=member.role, label=member.label)
        for member in run.crew
        if member.role not in roles and any(member.role in {row.role, row.sign_off_role} for row in rows)
    ]
    roles |= {role.key for role in more}
    parents = {row.parent for row in run.tasks}
    steps = [
        Step(
            key=row.key,
            title=row.title[:200],
            phase=row.phase,
            role=row.role if row.role in roles else None,
            parent=row.parent if row.parent in keys else None,
            duration=None if row.key in parents else row.duration,
            effort=row.effort,
            instructions=row.instructions,
            sign_off=SignOff(role=row.sign_off_role) if row.sign_off_role in roles else None,
        )
        for row in rows
    ]
    return template.model_copy(update={"steps": (*template.steps, *steps), "roles": (*template.roles, *more)})


def _part(template: Template, only: Collection[str]) -> Template:
    """The template with some of its steps alone, each with its parts and what it is a part of."""
    wanted = {step.key for step in template.steps if step.key in only or f"phase:{step.phase}" in only}
    parents = {step.key: step.parent for step in template.steps}
    while more := {key for key, parent in parents.items() if parent in wanted} - wanted:
        wanted |= more
    for key in tuple(wanted):
        above = parents.get(key)
        while above is not None:
            wanted.add(above)
            above = parents.get(above)
    if not wanted:
        raise Refused({"": "None of these tasks is in the template, so there is nothing to make one of."})
    rest = [step.key for step in template.steps if step.key not in wanted]
    return remove_steps(template, rest) if rest else template


def make(
    session: Session,
    actor: Actor,
    run_id: int,
    today: dt.date,
    *,
    keep_dropped: bool,
    name: str,
    into: bool,
    only: Collection[str] = (),
) -> int:
    """Make it: the draft of the run's own template, or a new one; gives the template's id."""
    drawn_up = drawn(session, actor, run_id, today, keep_dropped=keep_dropped, only=only)
    if into and only:
        raise Refused({"name": "A part of the run becomes a template of its own, not the draft of this one."})
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
