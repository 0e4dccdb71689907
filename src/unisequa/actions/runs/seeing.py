"""Runs as they are seen: the list of them, and one whole."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from unisequa.actions import access
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.template import SignOff, Template
from unisequa.core.errors import NotThere
from unisequa.core.plan.plan import Plan
from unisequa.core.work.run_states import is_over, place_in_lists
from unisequa.core.work.summary import RunSummary
from unisequa.store.documents import template_of_run
from unisequa.store.plans import plan_of
from unisequa.store.queries import runs as queries
from unisequa.store.store import Session
from unisequa.store.tables import Run, TaskRow


@dataclass(frozen=True, slots=True)
class RunLine:
    """A run in a list."""

    id: int
    name: str
    state: str
    keeper: str
    template: str
    summary: RunSummary


@dataclass(frozen=True, slots=True)
class Member:
    """Who fills a role; ``name`` is empty while nobody does."""

    role: str
    label: str
    person_id: int | None
    outside: str
    name: str


@dataclass(frozen=True, slots=True)
class TaskSeen:
    """What a run's plan does not say of a task."""

    key: str
    title: str
    phase: str | None
    role: str | None
    kind: str
    state: str
    instructions: str
    links_out: tuple[Mapping[str, Any], ...]
    effort: str | None
    may_skip: bool
    sign_off_role: str | None
    sign_off: SignOff | None
    may_work: bool


@dataclass(frozen=True, slots=True)
class LastShift:
    """The newest shift that was not taken back."""

    number: int
    who: str
    moved: int
    why: str


@dataclass(frozen=True, slots=True)
class RunSeen:
    """A run as one person sees it: all that its pages show, asked for once.

    ``may_change`` says whether they may change its dates and crew while it is not over; ``may_edit_template`` whether
    they may edit what it was made from.
    """

    id: int
    name: str
    subject: str
    state: str
    version: int
    keeper: str
    edition: int
    template_id: int
    template_name: str
    template: Template
    plan: Plan
    tasks: Mapping[str, TaskSeen]
    crew: tuple[Member, ...]
    facts: Mapping[str, Any]
    last_shift: LastShift | None
    may_change: bool
    may_edit_template: bool

    @property
    def over(self) -> bool:
        """Whether it is finished or called off."""
        return is_over(self.state)

    def member(self, role: str | None) -> Member:
        """Who fills a role."""
        return next((one for one in self.crew if one.role == role), Member(role or "", "", None, "", ""))

    def task(self, key: str) -> TaskSeen:
        """One of its tasks.

        Raises
        ------
        NotThere
        """
        if key not in self.tasks:
            raise NotThere("This task does not exist.")
        return self.tasks[key]


def list_runs(session: Session, actor: Actor) -> list[RunLine]:
    """The runs that somebody may see, those under way first, the latest created first."""
    lines = [
        RunLine(one.id, one.name, one.state, one.keeper, one.template, RunSummary(**one.summary))
        for one in queries.runs_open_to(session, actor.id)
    ]
    return sorted(lines, key=lambda line: place_in_lists(line.state))


def run_of(session: Session, run_id: int, actor: Actor) -> Run:
    """A run's rows, for somebody who may see it."""
    run = queries.run_by_id(session, run_id)
    if run is None or not access.may_see_run(run, actor):
        raise NotThere("This run does not exist, or is not open to you.")
    return run


def task_of(run: Run, key: str) -> TaskRow:
    """A task's row by its key."""
    for row in run.tasks:
        if row.key == key:
            return row
    raise NotThere("This task does not exist.")


def see_run(session: Session, actor: Actor, run_id: int, today: dt.date) -> RunSeen:
    """A run as it stands today."""
    looked_up = queries.run_to_look_at(session, run_id)
    if looked_up is None or not access.may_see_run(looked_up[0], actor):
        raise NotThere("This run does not exist, or is not open to you.")
    run, rows = looked_up
    template = template_of_run(run)
    rules = {step.key: step.sign_off for step in template.steps if step.sign_off}
    last = queries.last_shift(session, run_id)
    changes = access.may_change_run(run, actor)
    mine = {member.role for member in run.crew if member.person_id == actor.id}
    return RunSeen(
        id=run.id,
        name=run.name,
        subject=run.subject,
        state=run.state,
        version=run.version,
        keeper=run.keeper.name,
        edition=run.edition.number,
        template_id=run.edition.template_id,
        template_name=run.edition.template.name,
        template=template,
        plan=plan_of(run, today, rows=rows),
        tasks={
            row.key: TaskSeen(
                row.key, row.title, row.phase, row.role, row.kind, row.state, row.instructions, tuple(row.links_out),
                row.effort, row.may_skip, row.sign_off_role, rules.get(row.key),
                changes or row.role in mine or row.sign_off_role in mine,
            )
            for row in rows.tasks
        },
        crew=tuple(Member(m.role, m.label, m.person_id, m.outside, m.name) for m in run.crew),
        facts=dict(run.facts),
        last_shift=LastShift(last.number, last.person.name, len(last.changes), last.why) if last else None,
        may_change=changes and not is_over(run.state),
        may_edit_template=access.may(run.edition.template, actor, "edit"),
    )  # fmt: skip


def shift_words(shift: LastShift) -> str:
    """``Shift 3 by Ines Okafor moved 4 tasks: “the ferry”``."""
    words = f"Shift {shift.number} by {shift.who} moved {count_words(shift.moved, 'task')}"
    return words + (f": “{shift.why}”" if shift.why else "")
