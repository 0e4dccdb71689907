"""Somebody's own page: what is theirs, who waits for it, what they sign off, their queues, the runs that need them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import cast

from unisequa.actions.across.staff import one_of
from unisequa.actions.calendars import calendar_documents
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.in_hand import AtHand, at_hand_anywhere
from unisequa.actions.runs.no_time import told_of_person, told_of_runs
from unisequa.actions.runs.proposing import Proposal, proposals_to
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import DateWords, count_words, day_words, some_names
from unisequa.core.people.laying import Effort, laid
from unisequa.core.plan.calendars import Calendars
from unisequa.core.terms import FINISHED, State
from unisequa.core.work.line import run_words
from unisequa.core.work.summary import RunSummary
from unisequa.store.minutes import clock_words, has_come, minutes_since
from unisequa.store.plans import minutes_of
from unisequa.store.queries import desk as queries
from unisequa.store.store import Session

DONE_DAYS = 30
"""How far back the list of what was done reaches."""
LOAD_DAYS = 28
WORDS_DAYS, MOST_WORDS = 14, 8
"""How far back what was written to somebody is brought up, and how much of it."""


@dataclass(frozen=True, slots=True)
class DeskTask:
    """A task on a desk.

    Parameters
    ----------
    late : int
        Working days since its due date; of a task of hours minutes.
    at : str
        The time at which a task of hours is due, as its run's clock shows it.
    waits : str
        Who or what waits: ``2 wait for it``, ``waits for Crates built``, ``on its day``; of what is to be signed off,
        or was done, who did it and when.
    """

    run_id: int
    run: str
    key: str
    title: str
    state: State
    first: int | None
    last: int | None
    duration: int
    late: int
    waits: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class NeedsMe:
    """A run that needs its keeper, and why."""

    id: int
    name: str
    why: str
    late: bool


@dataclass(frozen=True, slots=True)
class WordForMe:
    """Something that somebody wrote to one, and where; without a key on the whole run."""

    run_id: int
    key: str
    where: str
    who: str
    text: str
    at: dt.datetime


@dataclass(frozen=True, slots=True)
class DayLoad:
    """Minutes of work laid on a day, and those that there are."""

    day: int
    asked: int
    has: int


@dataclass(frozen=True, slots=True)
class Desk:
    """All that is on somebody's desk on a day."""

    today: int
    mine: tuple[DeskTask, ...]
    signing: tuple[DeskTask, ...]
    queues: tuple[tuple[str, tuple[DeskTask, ...]], ...]
    unfilled: tuple[DeskTask, ...]
    proposals: tuple[Proposal, ...]
    words: tuple[WordForMe, ...]
    needing: tuple[NeedsMe, ...]
    at_hand: tuple[AtHand, ...]
    kept: int
    load: tuple[DayLoad, ...]
    without_effort: int
    next_off: tuple[int, str] | None
    calendar: WorkingCalendar


def desk(session: Session, actor: Actor, today: dt.date) -> Desk:
    """What is on somebody's desk."""
    day = today.toordinal()
    calendar = Calendars(calendar_documents(session, None))[None]
    calendar.cover(day - 400, day + 400)
    mine = queries.open_tasks_of(session, actor.id)
    signing = queries.to_sign_off(session, actor.id, administrator=actor.administrator)
    teams = queries.teams_of(session, actor.id)
    queued = queries.in_queues(session, teams)
    kept = queries.runs_kept_by(session, actor.id)
    names = {run.id: run_words(run.name, run.template) for run in kept}
    live = [run.id for run in kept if run.state == "live"]
    unfilled = queries.nobodys(session, live)
    told = _Told(session, [*mine, *queued], actor.name, today)
    short = {(one.run_id, one.key): one.words for one in told_of_person(session, actor, actor.id)}

    def waits(row: queries.OpenTask, state: State) -> str:
        return short.get((row.run_id, row.key)) or told.words(row, state)

    hours = one_of(session, actor.id).hours

    def seen(rows: Iterable[queries.OpenTask], waits: Callable[[queries.OpenTask, State], str]) -> tuple[DeskTask, ...]:
        return tuple(_seen(row, today, calendar, waits) for row in rows if not _is_over(row, today))

    tasks = seen(mine, waits)
    return Desk(
        today=day,
        mine=tasks,
        signing=seen(signing, lambda row, state: _done_words(row)),
        queues=tuple(
            (name, seen([row for row in queued if row.team_id == number], told.words))
            for number, name in sorted(teams.items(), key=lambda team: team[1])
        ),
        unfilled=seen(unfilled, lambda row, state: "nobody of ours does it"),
        proposals=tuple(replace(one, run=names.get(one.run_id, "")) for one in proposals_to(session, actor))
        if kept
        else (),
        words=_words(session, actor, today),
        needing=tuple(_needing(session, kept, day)),
        at_hand=at_hand_anywhere(session, actor),
        kept=len(kept),
        load=_load(mine, today, calendar, hours),
        without_effort=sum(not row.effort and row.duration > 0 for row in mine if not _is_over(row, today)),
        next_off=_next_off(calendar, day),
        calendar=calendar,
    )


def _words(session: Session, actor: Actor, today: dt.date) -> tuple[WordForMe, ...]:
    since = dt.datetime.combine(today - dt.timedelta(days=WORDS_DAYS), dt.time())
    return tuple(
        WordForMe(one.run_id, one.key or "", one.task or one.run, one.who, one.text, one.at)
        for one in queries.words_for(session, actor.id, since, MOST_WORDS)
    )


def done_lately(session: Session, actor: Actor, today: dt.date) -> tuple[DeskTask, ...]:
    """What somebody did in the last thirty days, the latest first."""
    since = dt.datetime.combine(today - dt.timedelta(days=DONE_DAYS), dt.time())
    calendar = Calendars(calendar_documents(session, None))[None]
    rows = queries.done_since(session, actor.id, since)
    return tuple(_seen(row, today, calendar, lambda row, state: _done_words(row)) for row in rows)


def _seen(
    row: queries.OpenTask, today: dt.date, calendar: WorkingCalendar, waits: Callable[[queries.OpenTask, State], str]
) -> DeskTask:
    state = _state(row, today)
    last = row.finish_on.toordinal() if row.finish_on else None
    late = 0
    if row.state in FINISHED:
        pass
    elif row.minutes:
        late = minutes_since(row.minutes, "due", today)
    elif last is not None and last < today.toordinal():
        late = max(1, calendar.day_index(today.toordinal()) - calendar.day_index(last + 1))
    return DeskTask(
        row.run_id, run_words(row.run, row.template), row.key, row.title, state,
        row.start_on.toordinal() if row.start_on else None, last, row.duration, late, waits(row, state),
        clock_words(row.minutes, "finish"),
    )  # fmt: skip


def _state(row: queries.OpenTask, today: dt.date) -> State:
    if row.state != "waiting":
        return cast(State, row.state)
    return "ready" if has_come(row.ready_on, row.minutes, "ready", today) else "waiting"


def _is_over(row: queries.OpenTask, today: dt.date) -> bool:
    """Whether it counts as over by itself by now."""
    return has_come(row.counts_on, row.minutes, "counts", today)


def _done_words(row: queries.OpenTask) -> str:
    if row.done_at is None:
        return row.who or ""
    return f"{row.who + ', ' if row.who else ''}since {day_words(row.done_at.date())}"


class _Told:
    """Who or what waits, for many tasks at once."""

    def __init__(self, session: Session, rows: Sequence[queries.OpenTask], me: str, today: dt.date) -> None:
        ids = [row.id for row in rows]
        self.me = me
        self.said = DateWords.seen_on(today)
        self.behind = _by_task(queries.waiting_for(session, ids))
        held = [row.id for row in rows if row.state == "waiting" and row.ready_on is None]
        self.before = _by_task(queries.waited_for(session, held))

    def words(self, row: queries.OpenTask, state: State) -> str:
        if state == "in review":
            return "waits for its sign-off"
        if state == "waiting":
            if before := self.before.get(row.id):
                return f"waits for {some_names([one.title for one in before], 1)}"
            if row.ready_on is not None:
                day = self.said[row.ready_on.toordinal()]
                return f"at its time, {day}" if row.minutes else f"on its day, {day}"
            return "waits for what comes before it" if row.finish_on else "has no date yet"
        behind = self.behind.get(row.id, [])
        if not behind:
            return "nobody waits"
        names = list(dict.fromkeys(one.who for one in behind if one.who))
        if len(names) == 1 and all(one.who for one in behind):
            return "you wait for it" if names[0] == self.me else f"{names[0]} waits for it"
        return f"{len(behind)} wait for it" if len(behind) > 1 else "1 waits for it"


def _by_task(linked: Iterable[queries.Linked]) -> Mapping[int, list[queries.Linked]]:
    by_task: dict[int, list[queries.Linked]] = {}
    for one in linked:
        by_task.setdefault(one.of, []).append(one)
    return by_task


def _needing(session: Session, kept: Sequence[queries.KeptRun], today: int) -> Iterable[NeedsMe]:
    unfilled: dict[int, list[str]] = {}
    short = told_of_runs(session, [run.id for run in kept if run.state == "live"])
    for run_id, label in queries.unfilled_roles(session, [run.id for run in kept]):
        unfilled.setdefault(run_id, []).append(label)
    for run in kept:
        summary, whys, late = RunSummary(**run.summary), [], False
        if run.state == "live":
            standing, reason = summary.standing(today)
            if summary.mend:
                whys.append(f"{count_words(summary.mend, 'task')} can no longer hold")
            if standing in {"behind", "in a muddle"}:
                whys.append(f"{standing}: {reason}")
            if summary.tasks and summary.done(today) == summary.tasks:
                whys.append("all is done, so it can be finished")
            late = standing in {"behind", "in a muddle"}
        if run.id in short:
            whys.append(short[run.id])
        if roles := unfilled.get(run.id):
            whys.append(f"{some_names(roles, 2)} not filled")
        if whys:
            yield NeedsMe(run.id, run_words(run.name, run.template), "; ".join(whys), late)


def _load(
    rows: Sequence[queries.OpenTask], today: dt.date, calendar: WorkingCalendar, hours: Callable[[int], int]
) -> tuple[DayLoad, ...]:
    day, asked = today.toordinal(), dict[int, int]()
    for row in rows:
        minutes = minutes_of(row.effort)
        if not minutes or row.start_on is None or row.finish_on is None or _is_over(row, today):
            continue
        span = row.start_on.toordinal(), row.finish_on.toordinal()
        takes = span[1] - span[0] + 1 if row.minutes else row.duration
        effort = Effort(minutes, *span, takes, cast(State, row.state), minutes_of(row.chunk) or 0, row.left)
        for at, part in laid(effort, day, calendar, hours).items():
            asked[at] = asked.get(at, 0) + part
    return tuple(DayLoad(at, asked.get(at, 0), hours(at)) for at in range(day, day + LOAD_DAYS))


def _next_off(calendar: WorkingCalendar, today: int) -> tuple[int, str] | None:
    """The next day off that has a name."""
    for day in range(today, today + 120):
        if not calendar.is_working_day(day) and (name := calendar.name_of(day)):
            return day, name
    return None
