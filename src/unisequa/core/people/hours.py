"""Hours of people as the room that levelling places tasks in.

A task takes the earliest days on which it starts on a day its doer has hours, and every day has room for its part. It
lasts as long as planned; longer only where its doer could not do it in that time with nothing else to do: to the first
worked day by which their hours sum up to its effort. In pieces it takes the earliest of its days with room for one. A
team's task goes to the member who ends first; ties: who starts first, who has most free minutes, the order in the team.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import NamedTuple

from unisequa.core.network.activities import Activity
from unisequa.core.network.network import Network
from unisequa.core.network.places import NEVER, number_from
from unisequa.core.people.doers import Doer, Person, Team, shared
from unisequa.core.people.laying import Effort, laid, pieces
from unisequa.core.people.serial import Place, Span

REACH = 731
"""Days from today on in which a place is looked for: two years."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a task asks of its doer."""

    doer: Doer
    effort: Effort


class Taken(NamedTuple):
    """Who does it, and the minutes of it by day."""

    who: str
    days: Mapping[int, int]


class _Diary:
    """A person's minutes from today on: what they have, its running sum, and what is free of it."""

    def __init__(self, person: Person, today: int, reach: int) -> None:
        self.person = person
        self.has = [person.hours(day) for day in range(today, today + reach)]
        self.sums = [0, *accumulate(self.has)]
        self.free = list(self.has)


class HoursRoom:
    """The hours of people from today on.

    Parameters
    ----------
    networks : sequence of Network
        By job.
    wanted : sequence of mapping
        By job: position → what is asked of whom; what takes nobody's time is not in it.
    """

    def __init__(self, networks: Sequence[Network], wanted: Sequence[Mapping[int, Wanted]], today: int) -> None:
        self.networks, self.wanted, self.today = networks, wanted, today
        self._diaries: dict[str, _Diary] = {}
        for asked in wanted:
            for one in asked.values():
                for person in _members(one.doer):
                    if person.name not in self._diaries:
                        self._diaries[person.name] = _Diary(person, today, REACH)

    def clear(self) -> None:
        for diary in self._diaries.values():
            diary.free = list(diary.has)

    def needs(self, job: int, i: int) -> bool:
        return i in self.wanted[job]

    def stand(self, job: int, i: int, span: Span) -> None:
        wanted = self.wanted[job].get(i)
        if wanted is None:
            return
        calendar = self.networks[job].activities[i].calendar
        days = laid(wanted.effort, self.today, calendar, wanted.doer.hours)
        parts = shared(days, wanted.doer) if isinstance(wanted.doer, Team) else {wanted.doer.name: days}
        for who, its in parts.items():
            self._take(self._diaries[who], its)

    def take(self, job: int, i: int, place: Place) -> None:
        self._take(self._diaries[place.taken.who], place.taken.days)

    def _take(self, diary: _Diary, days: Mapping[int, int]) -> None:
        free, today = diary.free, self.today
        for day, minutes in days.items():
            if 0 <= day - today < REACH:
                free[day - today] -= minutes

    def earliest(self, job: int, i: int, number: int, finish: int) -> Place | None:
        wanted, activity = self.wanted[job][i], self.networks[job].activities[i]
        found: list[tuple[int, int, int, int, Place]] = []
        for n, person in enumerate(_members(wanted.doer)):
            diary = self._diaries[person.name]
            place = _Fitting(diary, activity, wanted.effort, self.today).earliest(number, finish)
            if place is not None:
                grid = activity.calendar.grid
                days = range(grid.day(place.start) - self.today, grid.day(place.finish - 1) - self.today + 1)
                free = sum(max(0, diary.free[day]) for day in days)
                found.append((place.finish, place.start, -free, n, place))
        return min(found)[-1] if found else None

    def latest(self, job: int, i: int, number: int, finish: int) -> Place | None:
        wanted, activity = self.wanted[job][i], self.networks[job].activities[i]
        found: list[tuple[int, int, Place]] = []
        for n, person in enumerate(_members(wanted.doer)):
            fitting = _Fitting(self._diaries[person.name], activity, wanted.effort, self.today)
            if place := fitting.latest(number, finish):
                found.append((place.start, -n, place))
        return max(found)[-1] if found else None


def _members(doer: Doer) -> Sequence[Person]:
    return doer.members if isinstance(doer, Team) else (doer,)


class _Fitting:
    """One task among the days of one person; days are counted from today."""

    def __init__(self, diary: _Diary, activity: Activity, effort: Effort, today: int) -> None:
        self.diary, self.activity, self.today = diary, activity, today
        self.minutes, self.chunk = effort.minutes, effort.chunk
        self.calendar = activity.calendar
        self.grid = activity.calendar.grid

    def earliest(self, k: int, until: int) -> Place | None:
        has, per_day = self.diary.has, self.grid.per_day
        activity, calendar = self.activity, self.calendar
        k = max(k, calendar.index(self.grid.day_start(self.today)))
        if until != NEVER and per_day > 1:
            k = max(k, number_from(activity, "F", until))
        while True:
            start = calendar.slot(k)
            first = self.grid.day(start) - self.today
            if first >= REACH:
                return None
            if not has[first]:
                k = self._next_day(first, k)
                continue
            finish, last = self._finish(k, first)
            if last >= REACH:
                return None
            if finish < until:
                k += 1
                continue
            clash = self._clash(first, last)
            if clash is None:
                return Place(start, finish, Taken(self.diary.person.name, self._days(first, last)))
            k = self._next_day(clash, k) if self._whole(clash, first, last) else self._next_day(first, k)

    def latest(self, k: int, until: int) -> Place | None:
        has, calendar = self.diary.has, self.calendar
        while True:
            start = calendar.slot(k)
            first = self.grid.day(start) - self.today
            if first < 0:
                return None
            if first < REACH and has[first]:
                finish, last = self._finish(k, first)
                if finish <= until and last < REACH and self._clash(first, last) is None:
                    return Place(start, finish, Taken(self.diary.person.name, self._days(first, last)))
            k = min(k, calendar.index(self.grid.day_start(self.today + first))) - 1

    def _next_day(self, day: int, k: int) -> int:
        """The number of the first slot behind a day, and behind ``k``."""
        return max(k + 1, self.calendar.index(self.grid.day_start(self.today + day + 1)))

    def _finish(self, k: int, first: int) -> tuple[int, int]:
        """Its finish and the last of its days, were it to start there."""
        calendar, sums = self.calendar, self.diary.sums
        finish = calendar.slot(k + self.activity.duration - 1) + 1
        last = self.grid.day(finish - 1) - self.today
        if last < REACH and sums[last + 1] - sums[first] < self.minutes:
            enough = bisect_left(sums, sums[first] + self.minutes) - 1
            if enough >= REACH:
                return finish, REACH
            worked = self.grid.day(calendar.slot(calendar.index(self.grid.day_start(self.today + enough))))
            finish = calendar.slot(calendar.index(self.grid.day_start(worked + 1)) - 1) + 1
            last = worked - self.today
        return finish, last

    def _clash(self, first: int, last: int) -> int | None:
        """A day without room for its part; None where it fits."""
        free = self.diary.free
        if first == last:
            return first if free[first] < self.minutes else None
        if self.chunk:
            return first if self._pieces(first, last) is None else None
        has, minutes = self.diary.has, self.minutes
        total = self.diary.sums[last + 1] - self.diary.sums[first]
        so_far = done = 0
        for day in range(first, last + 1):
            its = has[day]
            if its:
                so_far += its
                part = minutes * so_far // total - done
                done += part
                if part > free[day]:
                    return day
        return None

    def _whole(self, clash: int, first: int, last: int) -> bool:
        """Whether no place that includes a day can be any good: nothing of it is free, and it would have a part."""
        if clash == first or self.chunk or self.diary.free[clash] > 0:
            return False
        return self.minutes * self.diary.has[clash] >= (self.diary.sums[last + 1] - self.diary.sums[first]) * 4

    def _pieces(self, first: int, last: int) -> dict[int, int] | None:
        has, free = self.diary.has, self.diary.free
        worked = [day for day in range(first, last + 1) if has[day]]
        n = pieces(self.minutes, len(worked), self.chunk)
        sizes = [self.minutes * (k + 1) // n - self.minutes * k // n for k in range(n)]
        found: dict[int, int] = {}
        for day in worked:
            if len(found) < n and free[day] >= sizes[len(found)]:
                found[day] = sizes[len(found)]
        return found if len(found) == n else None

    def _days(self, first: int, last: int) -> Mapping[int, int]:
        if first == last:
            return {self.today + first: self.minutes}
        if self.chunk:
            return {self.today + day: part for day, part in (self._pieces(first, last) or {}).items()}
        has, minutes = self.diary.has, self.minutes
        total = self.diary.sums[last + 1] - self.diary.sums[first]
        days: dict[int, int] = {}
        so_far = done = 0
        for day in range(first, last + 1):
            if has[day]:
                so_far += has[day]
                part = minutes * so_far // total - done
                done += part
                if part:
                    days[self.today + day] = part
        return days
