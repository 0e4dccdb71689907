"""All runs that somebody may see on one axis: grouped, sorted, filtered; each as its phases, and where its work stands.

Only summaries are read, never tasks. The order of all runs is found from a few columns; whole rows are made of those
that are looked at.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import DateWords, count_words
from unisequa.core.errors import NotThere
from unisequa.core.plan.calendars import Calendars
from unisequa.core.terms import BEGUN
from unisequa.core.work.line import run_words, standing_words, tasks_words
from unisequa.core.work.run_states import is_over, place_in_lists
from unisequa.core.work.summary import RunSummary
from unisequa.store.queries import horizon as queries
from unisequa.store.queries.horizon import OPEN, Asked, Line, Thin
from unisequa.store.queries.people import active_people, leave_of
from unisequa.store.queries.runs import seen_among
from unisequa.store.store import Session

__all__ = ["OPEN", "Asked", "horizon", "rows_of"]

GROUPS = ("keeper", "subject", "kind", "template", "category", "phase", "tag", "unit", "state", "ends")
SORTS = ("end", "lateness", "slack", "name")
FIRST = 60
"""Rows that come with the first answer."""
MOST_AT_ONCE = 200
BAD = ("behind", "in a muddle")
FAR = 10**7

Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class RunSeen:
    """A run as it is drawn; of each phase its key, label, first and last day, tasks over, tasks, and in which line it
    lies, of each anchor its day and name."""

    id: int
    name: str
    state: str
    keeper: str
    template: str
    stands: str
    standing: str
    reason: str
    first: int | None
    last: int | None
    expected: int | None
    deadline: int | None
    mark: int | None
    tasks: int
    over: int
    phases: list[Any]
    anchors: list[Any]


@dataclass(frozen=True, slots=True)
class Packed:
    """A run in the one row of its group: both days included, in which line."""

    id: int
    name: str
    state: str
    standing: str
    first: int
    last: int
    lane: int


@dataclass(frozen=True, slots=True)
class Group:
    """Runs under a head; ``ids`` in their order, ``leave`` of the keeper they are grouped by."""

    label: str
    ids: tuple[int, ...]
    packed: tuple[Packed, ...] = ()
    leave: tuple[tuple[int, int, str], ...] = ()


@dataclass(frozen=True, slots=True)
class Horizon:
    """What is asked for, the first rows whole."""

    groups: tuple[Group, ...]
    rows: tuple[RunSeen, ...]
    total: int
    live: int
    standings: Mapping[str, int]
    reach: Span | None
    calendar: WorkingCalendar
    choices: Mapping[str, list[tuple[str, str]]]


def horizon(
    session: Session, actor: Actor, asked: Asked, by: str, sort: str, today: dt.date, *, packed: bool = False
) -> Horizon:
    """The runs that are asked for; ``packed`` with the spans of all of them, for a row a group."""
    found = queries.thin_runs(session, actor.id, asked, by)
    if asked.tag:
        tagged = queries.thin_runs(session, actor.id, asked, "tag")
        with_tag = {run.id for run in tagged if asked.tag in (run.by or ())}
        found = [run for run in found if run.id in with_tag]
    found.sort(key=lambda run: _order(run, sort))
    calendar = Calendars(calendar_documents(session, None))[None]
    groups = _grouped(found, by, packed=packed)
    if by == "keeper":
        groups = _with_leave(session, actor, groups)
    first = [number for group in groups for number in group.ids][:FIRST] if not packed else []
    live = [run for run in found if run.state == "live"]
    standings: dict[str, int] = {}
    for run in live:
        standings[run.standing] = standings.get(run.standing, 0) + 1
    starts = [run.first for run in found if run.first]
    ends = [run.last for run in found if run.last]
    reach = (min(starts), max(ends)) if starts and ends else None
    rows = tuple(rows_of(session, actor, first, today))
    narrowed = asked != Asked(asked.states)
    all_ = queries.thin_runs(session, actor.id, Asked(asked.states), "") if narrowed else found
    return Horizon(
        groups, rows, len(found), len(live), standings, reach, calendar, _choices(session, actor, asked, all_)
    )


def rows_of(session: Session, actor: Actor, ids: Sequence[int], today: dt.date) -> Iterable[RunSeen]:
    """Runs as they are drawn, in the order of their ids; those one does not see are left out."""
    ids = list(dict.fromkeys(ids))[:MOST_AT_ONCE]
    if not ids:
        return []
    lines = {line.id: line for line in queries.lines_of(session, ids, actor.id)}
    day = dt.date(today.year, today.month, today.day)
    behind = [line.id for line in lines.values() if line.state == "live" and line.as_of != day]
    summaries = queries.summaries_of(session, behind)
    return [_seen(lines[number], summaries.get(number), today) for number in ids if number in lines]


def _seen(line: Line, summary: Mapping[str, Any] | None, today: dt.date) -> RunSeen:
    """A run as it is drawn; what its line said another day is brought to this one as far as its summary tells."""
    standing, reason = line.standing, line.reason
    if summary is not None:
        standing, reason = RunSummary(**summary).standing(today.toordinal())
    live = line.state == "live"
    return RunSeen(
        line.id,
        run_words(line.name, line.template),
        line.state,
        line.keeper,
        line.template,
        standing_words(standing, line.ahead, line.late) if live else line.state,
        standing if live else "",
        reason if live else "",
        line.first,
        line.last,
        line.expected,
        line.deadline,
        line.mark if live else None,
        line.tasks,
        line.tasks if is_over(line.state) else line.over,
        line.phases,
        line.anchors,
    )


def _order(run: Thin, sort: str) -> tuple[object, ...]:
    name = run.name.casefold(), run.id
    if sort == "name":
        return name
    if sort == "lateness":
        bad = run.state == "live" and run.standing in BAD
        return (not bad, -max(run.late, -run.ahead) if run.state == "live" else 0, run.last or FAR, *name)
    if sort == "slack":
        return (run.slack is None or is_over(run.state), run.slack or 0, run.last or FAR, *name)
    return (run.last or FAR, *name)


def _grouped(runs: Sequence[Thin], by: str, *, packed: bool) -> tuple[Group, ...]:
    if by not in GROUPS:
        heads: dict[tuple[object, str], list[Thin]] = {(0, ""): list(runs)} if runs else {}
    else:
        heads = {}
        for run in runs:
            for key in _heads(run, by):
                heads.setdefault(key, []).append(run)
    return tuple(
        Group(key[1], tuple(run.id for run in heads[key]), tuple(_packed(heads[key])) if packed else ())
        for key in sorted(heads, key=lambda key: (key[0], key[1].casefold()))
    )


def _heads(run: Thin, by: str) -> list[tuple[object, str]]:
    """The heads that a run stands under: one, or one for each of its tags."""
    if by == "ends":
        month = dt.date.fromordinal(run.last) if run.last else None
        return [((0, month.year, month.month), f"{month:%B %Y}")] if month else [((1, 0, 0), "no date yet")]
    if by == "state":
        return [(place_in_lists(run.state), run.state)]
    if by == "tag":
        return [(0, tag) for tag in run.by] if run.by else [(1, "no tag")]
    missing = {"category": "no category", "phase": "no phase open", "kind": "other subjects", "unit": "no unit"}
    label = str(run.by or "")
    return [(0, label)] if label else [(1, missing.get(by, "no subject"))]


def _packed(runs: Iterable[Thin]) -> Iterable[Packed]:
    """Runs beneath each other in as few lines as they need."""
    ends: list[int] = []
    dated = [run for run in runs if run.first and run.last]
    for run in sorted(dated, key=lambda run: (run.first or FAR, run.last or FAR)):
        first, last = run.first or 0, run.last or 0
        lane = next((n for n, end in enumerate(ends) if end < first), len(ends))
        if lane == len(ends):
            ends.append(last)
        ends[lane] = last
        yield Packed(run.id, run.name, run.state, run.standing if run.state == "live" else "", first, last, lane)


def _with_leave(session: Session, actor: Actor, groups: Sequence[Group]) -> tuple[Group, ...]:
    """Groups of keepers with the days on which these are away; of two of one name nobody's is shown."""
    ids: dict[str, list[int]] = {}
    for person in active_people(session):
        ids.setdefault(person.name, []).append(person.id)
    alone = {name: numbers[0] for name, numbers in ids.items() if len(numbers) == 1}
    away: dict[int, list[tuple[int, int, str]]] = {}
    for leave in leave_of(session, [alone[group.label] for group in groups if group.label in alone]):
        label = leave.label if actor.administrator or actor.id == leave.person_id else ""
        span = leave.first_on.toordinal(), leave.last_on.toordinal(), label or "away"
        away.setdefault(leave.person_id, []).append(span)
    return tuple(Group(one.label, one.ids, one.packed, tuple(away.get(alone.get(one.label, 0), ()))) for one in groups)


def _choices(session: Session, actor: Actor, asked: Asked, runs: Iterable[Thin]) -> dict[str, list[tuple[str, str]]]:
    """What runs may be filtered by: values with their words."""
    keepers, editions, subjects, months = set[int](), set[int](), set[int](), set[dt.date]()
    for run in runs:
        if run.last:
            months.add(dt.date.fromordinal(run.last).replace(day=1))
        keepers.add(run.keeper_id)
        editions.add(run.edition_id)
        if run.subject_id is not None:
            subjects.add(run.subject_id)
    parts = queries.parts_of(session, keepers, editions, subjects)
    return {
        "keeper": [(str(number), name) for number, name in parts.keepers],
        "template": list(dict.fromkeys((str(number), name) for number, name, _, _ in parts.templates)),
        "category": _alike(category for _, _, category, _ in parts.templates),
        "tag": _alike(tag for _, _, _, tags in parts.templates for tag in tags),
        "kind": _alike(kind for kind, _ in parts.subjects),
        "unit": _alike(unit for _, unit in parts.subjects),
        "phase": _alike(queries.open_phases(session, actor.id, asked.states)),
        "ends": [(f"{month:%Y-%m}", f"{month:%B %Y}") for month in sorted(months)],
    }


def _alike(values: Iterable[str]) -> list[tuple[str, str]]:
    return [(value, value) for value in sorted({value for value in values if value})]


def links_between(session: Session, actor: Actor, ids: Collection[int]) -> list[tuple[int, int]]:
    """Pairs of runs of which the second waits for the first."""
    seen = seen_among(session, set(list(ids)[:5000]), actor.id)
    return queries.waits_between(session, seen)


def phase_words(session: Session, actor: Actor, run_id: int, phase: str, today: dt.date) -> list[str]:
    """What there is to say of a phase: its dates, how far it is, what holds it.

    Raises
    ------
    NotThere
        For a run that one does not see. Of a phase that it has not there is nothing to say.
    """
    lines = queries.lines_of(session, [run_id], actor.id)
    found = next((one for line in lines for one in line.phases if one[0] == phase), None)
    if not lines:
        raise NotThere("This run does not exist, or is not open to you.")
    if found is None:
        return []
    run = lines[0]
    _, label, first, last, over, of, _ = found
    said = DateWords.seen_on(today)
    words = [f"{label}: {said.span(first, last)}, {tasks_words(over, of)}"]
    if run.state == "live" and run.mark is not None and run.standing != "on time":
        stands = standing_words(run.standing, run.ahead, run.late)
        words.append(f"Work done stands where {said[run.mark]} should: {stands}.")
    if run.state == "live" and run.reason and run.standing in BAD:
        words.append(f"{run.reason[:1].upper()}{run.reason[1:]}.")
    if is_over(run.state):
        return words
    tasks = queries.open_in_phase(session, run_id, phase)
    late = [task for task in tasks if task.finish_on is not None and task.finish_on < today]
    if late:
        oldest = late[0]
        due = said[oldest.finish_on.toordinal()] if oldest.finish_on else ""
        who = f" ({oldest.who})" if oldest.who else ""
        more = f", and {count_words(len(late) - 1, 'task')} more" if len(late) > 1 else ""
        words.append(f"{oldest.title}{who} was due {due}{more}.")
    elif tasks:
        now = next((task for task in tasks if task.state in BEGUN), tasks[0])
        who = f", {now.who}" if now.who else ""
        words.append(f"{'Under way' if now.state in BEGUN else 'Next'}: {now.title}{who}.")
    return words
