"""Whom something concerns that happens by itself."""

from __future__ import annotations

from unisequa.store.queries.clock import rule_by_id
from unisequa.store.queries.people import active_administrators, person_by_id
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, Person, RuleRow

ABOUT = {"open": "It could not be opened", "message": "A step's message could not be sent"}


def answers_for(rule: RuleRow) -> Person:
    """Who answers for what a rule starts: its keeper, else its template's owner, else who switched it on."""
    owner = rule.template.owner if rule.template is not None else rule.by
    return rule.keeper if rule.keeper is not None else owner


def concerned(session: Session, row: DueRow) -> tuple[str, list[Person]]:
    """What something is called, and whom it concerns: a run's keeper, who answers for a rule, else administrators."""
    if row.rule_id is not None and (rule := rule_by_id(session, row.rule_id)) is not None:
        people = {one.id: one for one in (answers_for(rule), rule.by)}
        return f"The rule {rule.name}", list(people.values())
    if row.run_id is not None and (run := run_by_id(session, row.run_id)) is not None:
        return f"{run.name}: {ABOUT.get(row.kind, 'Something failed')}", [run.keeper]
    if row.person_id is not None and (person := person_by_id(session, row.person_id)) is not None:
        return "Your digest", [person]
    return "What is due by itself", active_administrators(session)
