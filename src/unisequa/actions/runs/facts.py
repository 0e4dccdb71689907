"""The facts of a run corrected: titles, instructions and the run's name follow."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping

from unisequa.actions.access import check_may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of
from unisequa.actions.subjects import kept_subject
from unisequa.core.calendars.words import names_words
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.errors import Refused
from unisequa.core.plan.assemble import named
from unisequa.core.plan.facts import read_facts
from unisequa.store.lists import anchor_days, values_in
from unisequa.store.of_run import template_of_run
from unisequa.store.store import Session
from unisequa.store.tables import Run


def correct_facts(session: Session, actor: Actor, run_id: int, given: Mapping[str, str], subject: str) -> None:
    """Give a run's facts, and what it is about, other values, all or none.

    Which steps apply stays as it was when the run was started.

    Raises
    ------
    Refused
        Field ``facts.KEY`` for each that cannot be.
    """
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    template = template_of_run(run)
    facts, faults = read_facts(template, given)
    if faults:
        raise Refused({fault.path: fault.message[:1].upper() + fault.message[1:] + "." for fault in faults})
    kept = {key: value.isoformat() if isinstance(value, dt.date) else value for key, value in facts.items()}
    labels = {fact.key: fact.label for fact in template.facts}
    changed = [labels[key] for key, value in kept.items() if run.facts.get(key) != value]
    follows = _proposed(run) == run.name
    if run.subject != subject.strip():
        changed.append("About")
    if not changed:
        return
    run.facts, run.subject = kept, subject.strip()[:200]
    about = kept_subject(session, actor, run.subject, {})
    run.subject_id = about.id if about else None
    steps = {step.key: step for step in template.steps}
    for row in run.tasks:
        step = steps.get(row.key)
        if step is None:
            continue
        values = values_in(run, row.key)
        try:
            row.title = " ".join(fill_in(step.title, values).split())[:400] or row.key
            row.instructions = fill_in(step.instructions, values)
        except ValueError as error:
            raise Refused({"facts": f"The words of {row.title}: {error}."}) from error
    if follows:
        run.name = _proposed(run)
    run.version += 1
    note(session, actor, "facts", f"Corrected: {names_words(changed)}", run_id=run.id)


def _proposed(run: Run) -> str:
    """The name that a run would be given by its template."""
    values = {member.role: member.name or member.label for member in run.crew}
    return named(template_of_run(run), {**values, **anchor_days(run), **run.facts, "subject": run.subject})
