"""The hours asked of people against the hours they have, week by week.

A task's effort is spread evenly over the days of it that its calendar works (common practice, no source). A person
has the working hours of the run's calendar, less the days they are away.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from unisequa.core.calendars.words import day_words, span_words
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import Warning
from unisequa.core.terms import DAY_MINUTES


@dataclass(frozen=True, slots=True)
class Load:
    """What one person is asked for in one week; minutes, the week by its Monday."""

    who: str
    monday: int
    asked: int
    has: int

    @property
    def over(self) -> bool:
        """Whether it is more than they have."""
        return self.asked > self.has


def loads(plan: Plan, effort: Mapping[str, int], who: Callable[[str | None], str]) -> list[Load]:
    """Every person's load in every week in which something is asked of them, by name and week.

    Parameters
    ----------
    effort : mapping of str to int
        Task key → minutes of work.
    who : callable
        Gives the person in a role, or the role's own name while nobody fills it; nothing without a role.
    """
    asked: dict[tuple[str, int], float] = {}
    away: dict[str, set[int]] = {}
    for role, spans in plan.away.items():
        for first, last in spans:
            away.setdefault(who(role), set()).update(range(first, last + 1))
    for i, task in enumerate(plan.tasks):
        name, minutes, days = who(task.role), effort.get(task.key, 0), plan.days(i)
        if not name or not minutes or days is None or plan.is_parent(i) or task.state == "dropped":
            continue
        calendar = plan.calendars[task.calendar]
        worked = [day for day in range(days[0], days[1] + 1) if calendar.is_working_day(day)] or [days[0]]
        for day in worked:
            week = (name, day - (day + 6) % 7)
            asked[week] = asked.get(week, 0.0) + minutes / len(worked)
    default = plan.calendars[None]
    each = []
    for (name, monday), minutes_asked in sorted(asked.items()):
        days_there = [
            day for day in range(monday, monday + 7) if default.is_working_day(day) and day not in away.get(name, set())
        ]
        each.append(Load(name, monday, round(minutes_asked), len(days_there) * DAY_MINUTES))
    return each


def absences(plan: Plan, who: Callable[[str | None], str]) -> list[Warning]:
    """The tasks that lie on days on which who is to do them is away."""
    away = []
    for i, task in enumerate(plan.tasks):
        days = plan.days(i)
        if days is None or plan.is_parent(i):
            continue
        for first, last in plan.away.get(task.role or "", ()):
            if first <= days[1] and days[0] <= last:
                text = f"{task.title}: {who(task.role)} is away {span_words(first, last)}"
                away.append(Warning("away", task.key, text))
                break
    return away


def week_words(monday: int) -> str:
    """A week by its Monday: ``5 Aug``."""
    return day_words(dt.date.fromordinal(monday)).partition(" ")[2]
