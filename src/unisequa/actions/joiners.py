"""Who joins and who leaves: subjects with a first or a last day near today, their runs, and what of them is late."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from unisequa.actions.people.people import Actor
from unisequa.actions.subjects import FIRST_DAY, LAST_DAY, SubjectSeen, as_seen, may_add
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.plan.calendars import Calendars
from unisequa.core.work.summary import RunSummary
from unisequa.store.documents import template_of
from unisequa.store.queries import joiners as rows
from unisequa.store.queries import subjects as queries
from unisequa.store.queries.people import calendars
from unisequa.store.queries.runs import started_by
from unisequa.store.queries.templates import newest_released, startable_templates
from unisequa.store.store import Session

BACK_DAYS = 90
AHEAD_DAYS = 180
OPEN = ("live", "prepared", "on hold")


@dataclass(frozen=True, slots=True)
class PhaseSeen:
    """A phase of a run: where it lies, and how far it is."""

    first: dt.date | None
    last: dt.date | None
    tasks: int
    over: int


@dataclass(frozen=True, slots=True)
class LateSeen:
    """A task that is late."""

    key: str
    title: str
    who: str
    due: dt.date
    start: dt.date
    days: int


@dataclass(frozen=True, slots=True)
class RunOf:
    """A run about somebody."""

    id: int
    name: str
    template: str
    state: str
    tasks: int
    over: int
    standing: str
    why: str
    phases: tuple[PhaseSeen, ...]
    late: tuple[LateSeen, ...]


@dataclass(frozen=True, slots=True)
class Comer:
    """Somebody who joins or leaves: on which day, and the runs about them.

    Parameters
    ----------
    outlasting : int
        Of somebody who leaves: how many of their open tasks end after their last day.
    start : (int, str), optional
        The template to start for them, where there is no run yet.
    """

    subject: SubjectSeen
    joins: bool
    day: dt.date
    runs: tuple[RunOf, ...]
    outlasting: int = 0
    start: tuple[int, str] | None = None

    @property
    def late(self) -> int:
        """How many tasks of theirs are late."""
        return sum(len(run.late) for run in self.runs)

    @property
    def settled(self) -> bool:
        """Whether nothing of it is open."""
        return bool(self.runs) and not any(run.state in OPEN for run in self.runs)


@dataclass(frozen=True, slots=True)
class Comers:
    """All of them: overdue first, then who joins, then who leaves, then who has settled."""

    overdue: tuple[Comer, ...] = ()
    joining: tuple[Comer, ...] = ()
    leaving: tuple[Comer, ...] = ()
    settled: tuple[Comer, ...] = ()
    units: tuple[str, ...] = ()
    may_add: bool = False
    calendar: WorkingCalendar = field(default_factory=WorkingCalendar)

    @property
    def every(self) -> tuple[Comer, ...]:
        """All in the order in which they are shown."""
        return (*self.overdue, *self.joining, *self.leaving, *self.settled)


def comers(session: Session, actor: Actor, today: dt.date, show: str = "", unit: str = "") -> Comers:
    """Who joins and leaves from 90 days back on, as far as this person sees subjects, or runs about them.

    Parameters
    ----------
    show : str
        ``joining`` or ``leaving`` for one of the two.
    unit : str
        Only of this unit.
    """
    first, last = today - dt.timedelta(days=BACK_DAYS), today + dt.timedelta(days=AHEAD_DAYS)
    subjects = queries.joining_or_leaving(session, first, last)
    may = may_add(session, actor)
    runs = queries.runs_about_some(session, actor.id, {row.id for row in subjects})
    if not may:
        seen = {run.subject_id for run in runs}
        subjects = [row for row in subjects if row.id in seen]
    units = tuple(sorted({row.unit for row in subjects if row.unit}, key=str.casefold))
    seen_runs = _runs(session, runs, today)
    leavers = {row.person_id: row.last_on for row in subjects if row.person_id and row.last_on}
    outlasting = rows.tasks_after(session, leavers)
    found: list[Comer] = []
    for row in subjects:
        if unit and row.unit != unit:
            continue
        about = as_seen(row)
        for joins, day, other in ((True, row.first_on, row.last_on), (False, row.last_on, row.first_on)):
            if day is None or not first <= day <= last or show == ("leaving" if joins else "joining"):
                continue
            own = tuple(one for run, one in seen_runs if run.subject_id == row.id and _is_of(run, day, other))
            count = outlasting.get(row.person_id or 0, 0) if not joins else 0
            found.append(Comer(about, joins, day, own, count))
    if any(not one.runs for one in found):
        usual = _usual(session, actor)
        found = [
            one if one.runs else replace(one, start=usual.get(FIRST_DAY if one.joins else LAST_DAY)) for one in found
        ]
    found.sort(key=lambda one: (one.day, one.subject.name.casefold()))
    late = [one for one in found if one.late]
    rest = [one for one in found if not one.late]
    return Comers(
        tuple(sorted(late, key=lambda one: -one.late)),
        tuple(one for one in rest if one.joins and not one.settled),
        tuple(one for one in rest if not one.joins and not one.settled),
        tuple(one for one in rest if one.settled),
        units,
        may,
        Calendars([CalendarDocument.model_validate(row.document) for row in calendars(session)])[None],
    )


def _is_of(run: queries.RunAbout, day: dt.date, other: dt.date | None) -> bool:
    """Whether a run goes with one of somebody's two days: it has an anchor on it, or none on the other."""
    days = {value[:10] for value in run.anchors.values() if value}
    return day.isoformat() in days or other is None or other.isoformat() not in days


def _runs(session: Session, runs: Sequence[queries.RunAbout], today: dt.date) -> list[tuple[queries.RunAbout, RunOf]]:
    ids = [run.id for run in runs]
    phases: dict[int, list[PhaseSeen]] = {}
    for one in rows.phases_of_runs(session, ids):
        phases.setdefault(one.run_id, []).append(PhaseSeen(one.first_on, one.last_on, one.tasks, one.over))
    late: dict[int, list[LateSeen]] = {}
    for task in rows.late_tasks(session, ids, today):
        start = task.start_on or task.finish_on
        late.setdefault(task.run_id, []).append(
            LateSeen(task.key, task.title, task.who or "", task.finish_on, start, (today - task.finish_on).days)
        )
    seen = []
    for run in runs:
        summary = RunSummary(**run.summary)
        day = today.toordinal()
        standing, why = summary.standing(day) if run.state == "live" else (run.state, "")
        seen.append(
            (
                run,
                RunOf(
                    run.id, run.name, run.template, run.state, summary.tasks, summary.done(day), standing, why,
                    tuple(phases.get(run.id, ())), tuple(late.get(run.id, ())) if run.state == "live" else (),
                ),
            )
        )  # fmt: skip
    return seen


def _usual(session: Session, actor: Actor) -> dict[str, tuple[int, str]]:
    """First or last day → the template that opens with it and that somebody may start, the most started one."""
    may = {number: name for number, name, _ in startable_templates(session, actor.id)}
    counts = started_by(session, None, templates=set(may)) if may else {}
    found: dict[str, tuple[int, str]] = {}
    for edition in sorted(newest_released(session, ids=set(may)), key=lambda one: -counts.get(one.template_id, 0)):
        anchors = template_of(edition).anchors
        label = anchors[0].label if anchors else ""
        for day in (FIRST_DAY, LAST_DAY):
            if queries.folded(label) == queries.folded(day):
                found.setdefault(day, (edition.template_id, may[edition.template_id]))
    return found
