"""Runs as they are seen: the list of them, and one whole."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from unisequa.actions import access
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.template import SignOff, Template
from unisequa.core.errors import NotThere
from unisequa.core.plan.plan import Plan, one_task
from unisequa.core.shift.mending import Mending, mending
from unisequa.core.terms import FINISHED
from unisequa.core.work.outlook import outlook
from unisequa.core.work.readiness import Readiness, readiness
from unisequa.core.work.run_states import is_over, place_in_lists
from unisequa.core.work.summary import RunSummary
from unisequa.store.baselines import curve_of
from unisequa.store.of_run import template_of_run
from unisequa.store.plans import plan_of
from unisequa.store.queries import runs as queries
from unisequa.store.queries.people import leave_of, people_by_id
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
    keeper_id: int


@dataclass(frozen=True, slots=True)
class Member:
    """Who fills a role; ``name`` is empty while nobody does."""

    role: str
    label: str
    person_id: int | None
    team_id: int | None
    outside: str
    name: str


@dataclass(frozen=True, slots=True)
class TaskSeen:
    """What a run's plan does not say of a task.

    Parameters
    ----------
    who : str
        Who does it: somebody, a team while nobody of it has taken it, or nobody yet.
    given : bool
        Whether it was given to somebody apart from its role, or taken from a queue.
    mine : bool
        Whether it is this person's, alone or in a team.
    of_team, in_team : bool
        Whether its role is a team's, and whether this person is in that.
    signs : str
        Who signs it off, now that it is in review: nobody signs off what they did.
    checked : frozenset of int
        The numbers of the ticked boxes of its instructions.
    """

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
    may_sign_off: bool
    signs: str
    gate: str
    who: str
    person_id: int | None
    given: bool
    mine: bool
    of_team: bool
    in_team: bool
    checked: frozenset[int]
    own: bool
    done_at: dt.datetime | None


@dataclass(frozen=True, slots=True)
class LastShift:
    """The newest shift that was not taken back."""

    number: int
    who: str
    moved: int
    why: str


@dataclass(frozen=True, slots=True)
class Baseline:
    """A baseline: its number, its name, when it was kept."""

    number: int
    name: str
    at: dt.datetime


class TasksSeen(Mapping[str, TaskSeen]):
    """The tasks of a run by their keys, each made when it is first asked for: of 5,000 a page shows some."""

    def __init__(self, rows: Iterable[TaskRow], made: Callable[[TaskRow], TaskSeen], now: Iterable[str] = ()) -> None:
        self._rows = {row.key: row for row in rows}
        self._made = made
        self._known: dict[str, TaskSeen] = {}
        for key in now:  # who may sign them off asks the run's crew, which is there now
            self[key]

    def __getitem__(self, key: str) -> TaskSeen:
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = self._made(self._rows[key])
        return known

    def __contains__(self, key: object) -> bool:
        return key in self._rows

    def __iter__(self) -> Iterator[str]:
        return iter(self._rows)

    def __len__(self) -> int:
        return len(self._rows)


@dataclass(frozen=True, slots=True)
class RunSeen:
    """A run as one person sees it: all that its pages show, asked for once.

    ``may_change`` says whether they may change its dates and crew while it is not over; ``may_edit_template`` whether
    they may edit what it was made from; ``baselines`` are its baselines, the latest first.
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
    ready: Readiness
    summary: RunSummary
    baseline: Mapping[str, Any] | None
    deputies: tuple[tuple[int, str], ...]
    follow: str
    keeper_id: int
    may_state: bool
    may_comment: bool
    baselines: tuple[Baseline, ...]
    today: dt.date
    viewer_id: int

    @property
    def was_live(self) -> bool:
        """Whether it was ever opened, and so has a baseline."""
        return bool(self.baselines)

    @property
    def over(self) -> bool:
        """Whether it is finished or called off."""
        return is_over(self.state)

    @property
    def may_propose(self) -> bool:
        """Whether this person sends shifts to its keeper."""
        return self.may_comment and not self.over

    @property
    def may_consider(self) -> bool:
        """Whether this person works shifts out on it: to apply them, or to send them to its keeper."""
        return self.may_change or self.may_propose

    def is_parent(self, key: str) -> bool:
        """Whether a task spans others."""
        return self.plan.is_parent(self.plan.position(key))

    def state_of(self, key: str) -> str:
        """The state in which people see a task."""
        return self.ready.states[self.plan.position(key)]

    def member(self, role: str | None) -> Member:
        """Who fills a role."""
        return next((one for one in self.crew if one.role == role), Member(role or "", "", None, None, "", ""))

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
        RunLine(one.id, one.name, one.state, one.keeper, one.template, RunSummary(**one.summary), one.keeper_id)
        for one in queries.runs_open_to(session, actor.id)
    ]
    return sorted(lines, key=lambda line: place_in_lists(line.state))


def run_of(session: Session, run_id: int, actor: Actor) -> Run:
    """A run's rows, for somebody who may see it."""
    run = queries.run_by_id(session, run_id)
    if run is None or not access.may_see_run(run, actor):
        raise NotThere("This run does not exist, or is not open to you.")
    return run


def open_rows(run: Run) -> list[TaskRow]:
    """The tasks of a run that are not over, without those that only span others."""
    parents = {row.parent for row in run.tasks}
    return [row for row in run.tasks if row.state not in FINISHED and row.key not in parents]


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
    names = _names(session, run, rows)
    plan = with_leave(session, plan_of(run, today, rows=rows, viewer=actor.id), run, rows.tasks, names)
    ready = readiness(plan)
    crew = {member.role: member for member in run.crew}
    template = template_of_run(run)
    rules = {step.key: step.sign_off for step in template.steps if step.sign_off}
    last = queries.last_shift(session, run_id)
    changes = access.may_change_run(run, actor)
    mine = access.roles_of(run, actor)
    of_teams = {member.role for member in run.crew if member.team is not None}
    comments = access.may_comment(run, actor)
    doers = {role: member.name for role, member in crew.items()}

    def of_row(row: TaskRow) -> TaskSeen:
        theirs = access.is_doer(row, mine, actor)
        return TaskSeen(
            key=row.key,
            title=row.title,
            phase=row.phase,
            role=row.role,
            kind=row.kind,
            state=row.state,
            instructions=row.instructions,
            links_out=tuple(row.links_out),
            effort=row.effort,
            may_skip=row.may_skip,
            sign_off_role=row.sign_off_role,
            sign_off=rules.get(row.key),
            may_work=changes or theirs,
            may_sign_off=row.state == "in review" and access.may_sign_off(run, row, actor),
            signs=(names.get(row.signer_id or 0) or "an administrator") if row.state == "in review" else "",
            gate=row.gate,
            who=doers.get(row.role or "", "") if row.assigned_id is None else names.get(row.assigned_id, ""),
            person_id=row.person_id,
            given=row.assigned_id is not None,
            mine=theirs,
            of_team=row.role in of_teams,
            in_team=row.role in of_teams and row.role in mine,
            checked=frozenset(row.checked),
            own=row.own,
            done_at=row.done_at,
        )

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
        plan=plan,
        tasks=TasksSeen(rows.tasks, of_row, [row.key for row in rows.tasks if row.state == "in review"]),
        crew=tuple(Member(m.role, m.label, m.person_id, m.team_id, m.outside, m.name) for m in run.crew),
        facts=dict(run.facts),
        last_shift=LastShift(last.number, last.person.name, len(last.changes), last.why) if last else None,
        may_change=changes and not is_over(run.state),
        may_edit_template=access.may(run.edition.template, actor, "change a draft"),
        ready=ready,
        summary=RunSummary(**run.summary),
        baseline=run.baselines[-1].dates if run.baselines else None,
        deputies=tuple((deputy.person_id, deputy.person.name) for deputy in run.deputies),
        follow=run.follow,
        keeper_id=run.keeper_id,
        may_state=changes,
        may_comment=comments,
        baselines=tuple(Baseline(row.number, row.name, row.at) for row in reversed(run.baselines)),
        today=today,
        viewer_id=actor.id,
    )  # fmt: skip


def _names(session: Session, run: Run, rows: queries.RowsOfRun) -> dict[int, str]:
    """The names of those whom single tasks were given to, and of those who sign them off now."""
    wanted = {number for row in rows.tasks for number in (row.assigned_id, row.signer_id) if number}
    known = {member.person_id: member.person.name for member in run.crew if member.person}
    others = people_by_id(session, wanted - set(known))
    return {number: name for number, name in known.items() if number} | {n: p.name for n, p in others.items()}


def with_leave(
    session: Session, plan: Plan, run: Run, tasks: Iterable[TaskRow], names: Mapping[int, str] | None = None
) -> Plan:
    """A plan that knows when its people are away, so that a shift says what would fall on somebody's leave."""
    by_role = {member.role: member.person_id for member in run.crew if member.person_id}
    given = {one_task(row.key): row.assigned_id for row in tasks if row.assigned_id}
    spans: dict[int, list[tuple[int, int]]] = {}
    for leave in leave_of(session, {*by_role.values(), *given.values()}):
        spans.setdefault(leave.person_id, []).append((leave.first_on.toordinal(), leave.last_on.toordinal()))
    if not spans:
        return plan
    away = {whose: tuple(spans.get(person, ())) for whose, person in {**by_role, **given}.items()}
    if names is None:
        names = {number: person.name for number, person in people_by_id(session, set(given.values())).items()}
    crew = {whose: names.get(person, "") for whose, person in given.items()}
    return replace(plan, away=away, crew={**plan.crew, **crew})


@dataclass(frozen=True, slots=True)
class Stands:
    """How a run stands, why, and the shift that would mend what can no longer hold."""

    standing: str
    reason: str
    mending: Mending | None = None


def how_it_stands(run: RunSeen, *, closely: bool) -> Stands:
    """How a live run stands today; not ``closely`` as it was kept when it last changed, which costs nothing."""
    if run.state != "live":
        return Stands("", "")
    now = run.plan.today
    if not closely or now is None:
        return Stands(*run.summary.standing(run.plan.grid.day(now) if now is not None else 0))
    mend = mending(run.plan)
    after = mend.result.after() if mend is not None else run.plan
    phases = [phase.key for phase in run.template.phases]
    curve = curve_of(run.plan, run.baseline) if run.baseline is not None else None
    found = outlook(run.plan, run.ready, after, curve, phases)
    return Stands(found.standing, found.reason, mend)


def shift_words(shift: LastShift) -> str:
    """``Shift 3 by Ines Okafor moved 4 tasks: “the ferry”``."""
    words = f"Shift {shift.number} by {shift.who} moved {count_words(shift.moved, 'task')}"
    return words + (f": “{shift.why}”" if shift.why else "")
