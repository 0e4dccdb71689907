"""What deserves a look before runs are started, each with what would mend it; nothing of it bars starting them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import cast

from unisequa.actions.across.staff import staff
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.filling import Filled
from unisequa.actions.starting.rehearsing import Startable
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import read_span
from unisequa.core.calendars.today import now_on
from unisequa.core.calendars.words import count_words, day_words, slot_words, span_words
from unisequa.core.people.laying import Effort, laid
from unisequa.core.people.load import week_words
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import DAY_MINUTES, State
from unisequa.store.queries.load import asked_of
from unisequa.store.queries.people import all_people, leave_of
from unisequa.store.store import Session

MOST_OFFERED = 2
KINDS = {
    "nobody": "without anybody", "away": "somebody away", "full": "too much in a week", "twice": "asked for twice",
    "deadline": "after a deadline", "anchor": "after an anchor", "window": "after a phase's window",
    "past": "in the past", "awaits": "waits for what is not there", "drift": "later than the template",
    "backward": "pressed by what follows", "rolled": "rolled from a day off", "undated": "without a date",
}  # fmt: skip
"""What deserves a look, the most pressing first, in words behind a number."""


@dataclass(frozen=True, slots=True)
class Offer:
    """A mend: what it does (``put``, ``give`` or ``without``), to what value, and its words."""

    what: str
    value: str
    words: str


@dataclass(frozen=True, slots=True)
class Noticed:
    """Something that deserves a look. ``task`` is the one it is about, if it is about one."""

    kind: str
    task: str | None
    text: str
    offers: tuple[Offer, ...] = ()


@dataclass(frozen=True, slots=True)
class Looked:
    """One run as it would be, as it is looked at: what is started, what was chosen, the plan, and who fills roles."""

    on: Startable
    choices: Choices
    plan: Plan
    members: Mapping[str, Filled]

    def doer(self, key: str | None, role: str | None) -> tuple[int | None, str]:
        """Who does a task: their id, or none for a team and somebody outside, and what they are called."""
        if key is not None and key in self.choices.given:
            return self.choices.given[key], ""
        member = self.members.get(role or "", Filled())
        return (member.person.id if member.person else None), member.name


def noticed(session: Session, runs: Sequence[Looked], today: dt.date) -> list[list[Noticed]]:
    """What deserves a look in each of some runs that are started together, the most pressing first."""
    people = _People(session, runs, today)
    order = {kind: i for i, kind in enumerate(KINDS)}
    told: list[list[Noticed]] = []
    titles: dict[str, str] = {}
    for run in runs:
        found = [*_nobody(run), *people.away(run), *people.full(run)]
        for i, task in enumerate(run.plan.tasks):
            same = " ".join(task.title.split()).casefold()
            if same in titles and not run.plan.is_parent(i):
                text = f"{task.title}: {titles[same]} asks for it as well"
                found.append(Noticed("twice", task.key, text, (Offer("without", "yes", "leave this one out"),)))
        titles |= {" ".join(t.title.split()).casefold(): run.on.template.name for t in run.plan.tasks}
        found += [Noticed(w.kind, w.task, w.text, _mends(run, w.kind, w.task, today)) for w in run.plan.warnings]
        told.append(sorted(found, key=lambda one: order.get(one.kind, len(order))))
    return told


def _nobody(run: Looked) -> list[Noticed]:
    """The roles with tasks that nobody fills."""
    count: dict[str, int] = {}
    for task in run.plan.tasks:
        if task.role and task.key not in run.choices.given:
            count[task.role] = count.get(task.role, 0) + 1
    empty = [role for role in run.on.template.roles if role.key in count and not run.doer(None, role.key)[1]]
    return [Noticed("nobody", None, f"{role.label} ({count_words(count[role.key], 'task')})") for role in empty]


def _mends(run: Looked, kind: str, key: str | None, today: dt.date) -> tuple[Offer, ...]:
    if key is None or kind in {"rolled", "undated"}:
        return ()
    offers = []
    if kind == "past":
        offers.append(_begun_today(run, key, today))
    return (*offers, Offer("without", "yes", "leave it out"))


def _begun_today(run: Looked, key: str, today: dt.date) -> Offer:
    """What is past begun today, or when work is next, in a job of hours now."""
    plan = run.plan
    calendar = plan.calendars[plan.tasks[plan.position(key)].calendar]
    at = calendar.roll_forward(now_on(plan.grid, today))
    if plan.grid.per_day > 1:
        return Offer("put", plan.grid.iso(at), f"begin {slot_words(at, plan.grid)}")
    begin = dt.date.fromordinal(at)
    return Offer("put", begin.isoformat(), "begin today" if begin == today else f"begin {day_words(begin)}")


class _People:
    """Leave and load of those who would do something, asked for once."""

    def __init__(self, session: Session, runs: Sequence[Looked], today: dt.date) -> None:
        self.runs, self.today = runs, today.toordinal()
        self.calendar = runs[0].plan.calendars.by_day[None] if runs else WorkingCalendar()
        self.mine = {
            (n, task.key): person
            for n, run in enumerate(runs)
            for i, task in enumerate(run.plan.tasks)
            if not run.plan.is_parent(i) and (person := run.doer(task.key, task.role)[0]) is not None
        }
        everybody = all_people(session) if self.mine else []
        self.names = {one.id: one.name for one in everybody}
        asked = set(self.mine.values())
        self.mates = {
            one.id: [
                other.id for other in everybody
                if other.id != one.id and other.active
                and ({t.id for t in other.teams} & {t.id for t in one.teams}
                     or (one.position_id is not None and other.position_id == one.position_id))
            ]
            for one in everybody if one.id in asked
        }  # fmt: skip
        self.staff = staff(session)
        wanted = asked | {mate for mates in self.mates.values() for mate in mates}
        self.leave: dict[int, list[tuple[int, int]]] = {}
        for gone in leave_of(session, wanted):
            self.leave.setdefault(gone.person_id, []).append((gone.first_on.toordinal(), gone.last_on.toordinal()))
        self.days: dict[tuple[int, int], int] = {}
        reach = [reach for run in runs if (reach := run.plan.reach())]
        if not reach or not wanted:
            return
        first, last = (dt.date.fromordinal(day) for day in (min(a for a, _ in reach), max(b for _, b in reach)))
        for row in asked_of(session, wanted, first, last):
            span = row.start_on.toordinal(), row.finish_on.toordinal()
            self._lay(row.person_id, row.effort, span, row.days, cast(State, row.state))
        for n, run in enumerate(runs):
            steps = {step.key: step.effort for step in run.on.template.steps if step.effort}
            for i, task in enumerate(run.plan.tasks):
                days, person = run.plan.days(i), self.mine.get((n, task.key))
                if person is not None and days is not None and (effort := steps.get(task.key)):
                    takes = task.duration if run.plan.grid.per_day == 1 else days[1] - days[0] + 1
                    self._lay(person, effort, days, takes, "waiting")

    def _lay(self, person: int, effort: str, span: tuple[int, int], duration: int, state: State) -> None:
        minutes = 0
        with suppress(ValueError):
            minutes = read_span(effort, DAY_MINUTES)
        calendar = self.calendar
        work = Effort(minutes, *span, duration, state)
        for day, part in laid(work, self.today, calendar, lambda day: self._hours(person, day)).items():
            self.days[person, day] = self.days.get((person, day), 0) + part

    def _hours(self, person: int, day: int) -> int:
        return self.staff.people[person].hours(day)

    def _gone(self, person: int, first: int, last: int) -> tuple[int, int] | None:
        """The leave of somebody that touches some days."""
        return next((span for span in self.leave.get(person, ()) if span[0] <= last and first <= span[1]), None)

    def _week(self, person: int, monday: int) -> tuple[int, int]:
        """Minutes asked of somebody in a week, and those they have."""
        week = range(monday, monday + 7)
        return sum(self.days.get((person, day), 0) for day in week), sum(self._hours(person, day) for day in week)

    def _others(self, person: int, first: int, last: int) -> list[Offer]:
        """Those beside somebody who are there and have most room."""
        monday = first - (first + 6) % 7
        there = [mate for mate in self.mates.get(person, ()) if not self._gone(mate, first, last)]
        room = {mate: (has - asked) for mate in there for asked, has in (self._week(mate, monday),)}
        best = sorted((mate for mate in there if room[mate] > 0), key=lambda mate: (-room[mate], self.names[mate]))
        return [
            Offer("give", str(mate), f"{self.names[mate]}, {room[mate] // 60} h free") for mate in best[:MOST_OFFERED]
        ]

    def away(self, run: Looked) -> list[Noticed]:
        """The tasks on days on which who is to do them is away."""
        found, n = [], self.runs.index(run)
        for i, task in enumerate(run.plan.tasks):
            days, person = run.plan.days(i), self.mine.get((n, task.key))
            gone = self._gone(person, *days) if person is not None and days is not None else None
            if person is None or days is None or gone is None:
                continue
            calendar = run.plan.calendars.by_day[task.calendar]
            back = dt.date.fromordinal(calendar.roll_forward(gone[1] + 1))
            offers = [*self._others(person, *days), Offer("put", back.isoformat(), f"begin {day_words(back)}")]
            takes = task.duration if run.plan.grid.per_day == 1 else 1
            if task.duration and (before := calendar.retreat(gone[0], takes)) >= self.today:
                early = dt.date.fromordinal(before)
                offers.append(Offer("put", early.isoformat(), f"begin {day_words(early)}, before it"))
            text = f"{task.title}: {self.names[person]} is away {span_words(*gone)}"
            found.append(Noticed("away", task.key, text, (*offers, Offer("without", "yes", "leave it out"))))
        return found

    def full(self, run: Looked) -> list[Noticed]:
        """The weeks in which more is asked of somebody than they have, said at the task that asks most of it."""
        n = self.runs.index(run)
        weeks: dict[tuple[int, int], list[tuple[int, int]]] = {}
        steps = {step.key: step.effort for step in run.on.template.steps if step.effort}
        for i, task in enumerate(run.plan.tasks):
            days, person = run.plan.days(i), self.mine.get((n, task.key))
            if person is None or days is None or task.key not in steps:
                continue
            for monday in range(days[0] - (days[0] + 6) % 7, days[1] + 1, 7):
                weeks.setdefault((person, monday), []).append((read_span(steps[task.key] or "0m", DAY_MINUTES), i))
        found = []
        for (person, monday), tasks in sorted(weeks.items(), key=lambda one: one[0][1]):
            asked, has = self._week(person, monday)
            if asked <= has or not has:
                continue
            task = run.plan.tasks[max(tasks)[1]]
            text = f"{self.names[person]}: {_hours(asked)} of {_hours(has)} h in the week of {week_words(monday)}"
            found.append(Noticed("full", task.key, text, tuple(self._others(person, monday, monday + 6))))
        return found


def _hours(minutes: int) -> str:
    return f"{minutes / 60:g}" if minutes % 60 == 0 else f"{minutes / 60:.1f}"


def summed_up(found: Collection[Noticed]) -> list[tuple[str, int]]:
    """How many of each kind, the most pressing first: ``("in the past", 12)``."""
    counts = {kind: sum(one.kind == kind for one in found) for kind in KINDS}
    return [(KINDS[kind], count) for kind, count in counts.items() if count]
