"""What would even out an overload: shifts, each tried before it is offered.

============  =======================================================================
later         a task starts later, and no run ends later by it
earlier       a task starts earlier
handed over   a task is given to somebody of the same role or team
longer        a task takes longer, so that less of it falls on a day
end later     a task starts later, and its run ends later
============  =======================================================================

Never a task that is begun, fixed or over. One is offered where it takes minutes from the overload and nobody is over
on any day by more than before. Cheapest first: working days by which runs end later, deadlines and anchors newly
missed, tasks that change, other people concerned, working days moved in all, key. Of a kind and task only the one that
solves most.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

from unisequa.core.calendars.words import count_words, difference_words
from unisequa.core.errors import ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.people.doers import Doer, Overload, Person, Team
from unisequa.core.people.levelling import Days, RunOfWork, add_to, asked_of
from unisequa.core.plan.plan import days_of, read
from unisequa.core.plan.telling import short
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Duration, Edit, Give, Move
from unisequa.core.shift.result import Cascade, Mode
from unisequa.core.terms import FINISHED

Kind = Literal["later", "earlier", "handed over", "longer", "end later"]

FAR_LATER, FAR_EARLIER, FAR_LONGER = 30, 20, 10
"""Working days behind the overload, before the task, and longer than it is, up to which something is tried."""
MOST_STEPS = 6
"""Shifts that *all of it* makes at most."""
MOST_TASKS = 24
"""Tasks that are tried: those with most minutes on the days of the overload."""
MOST_TRIED = 600
"""Shifts of tasks whose followers are theirs too that are tried at most."""
MOST_OTHERS = 12
"""People to whom one is tried to be handed over: those with most room on its days."""


class Cost(NamedTuple):
    """What a proposal costs, in the order in which they are compared."""

    end: int
    missed: int
    tasks: int
    people: int
    days: int


@dataclass(frozen=True, slots=True)
class Proposal:
    """A shift of one run; ``solves`` are the minutes that it takes from the overload."""

    run: int
    key: str
    kind: Kind
    text: str
    edits: tuple[Edit, ...]
    mode: Mode
    solves: int
    cost: Cost
    result: Cascade


class Evening:
    """Proposals against what is asked of everybody.

    Parameters
    ----------
    runs : sequence of RunOfWork
        All there are; those that may not be changed are only counted.
    people : mapping of str to Person
        Everybody to whom something could be handed over, by name.
    teams : sequence of Team
    may_change : callable, optional
        Whether a run, by its place, may be shifted.
    asked : mapping of str to Days, optional
        What live runs ask of everybody, where there are more than are given; worked out of those without.
    """

    def __init__(
        self,
        runs: Sequence[RunOfWork],
        people: Mapping[str, Person],
        today: int,
        teams: Sequence[Team] = (),
        may_change: Callable[[int], bool] = lambda _: True,
        asked: Mapping[str, Days] | None = None,
    ) -> None:
        self.runs, self.people, self.today, self.teams, self.may_change = runs, people, today, teams, may_change
        self.asked = asked_of(runs, today) if asked is None else asked
        self.tried = 0

    def proposals(self, overload: Overload) -> list[Proposal]:
        """What would take minutes from an overload, cheapest first."""
        best: dict[tuple[int, str, Kind], Proposal] = {}
        self.tried = 0
        weights = {(n, i): self._own(overload, n, i) for n, i in self.tasks_in(overload)}
        heaviest = sorted(weights, key=lambda at: (-weights[at], at))[:MOST_TASKS]
        for n, i in sorted(heaviest):
            for found in self._tried(overload, n, i):
                key = n, found.key, found.kind
                if key not in best or (-found.solves, found.cost) < (-best[key].solves, best[key].cost):
                    best[key] = found
        return sorted(best.values(), key=lambda one: (one.cost, one.key, one.run, one.kind))

    def tasks_in(self, overload: Overload) -> Iterator[tuple[int, int]]:
        """The tasks of somebody that have minutes on the days of an overload and may be moved."""
        for n, run in enumerate(self.runs):
            if run.prepared or not self.may_change(n):
                continue
            for i in run.open():
                task = run.plan.tasks[i]
                doer = run.doers.get(task.key)
                if doer is None or doer.name != overload.who or task.stands:
                    continue
                if any(overload.first <= day <= overload.last for day in run.laid(i, self.today)):
                    yield n, i

    def all_of_it(self, overload: Overload) -> list[Proposal]:
        """Proposals one after the other, each worked out with those before it carried out: of those of least later end
        the best by minutes solved per tasks and days."""
        made: list[Proposal] = []
        evening = self
        left = overload
        while left.over > 0 and len(made) < MOST_STEPS:
            found = evening.proposals(left)
            if not found:
                break
            least = min(one.cost.end for one in found)
            best = max(
                (one for one in found if one.cost.end == least),
                key=lambda one: one.solves / (one.cost.tasks + one.cost.days / 5),
            )
            made.append(best)
            evening = evening.with_carried_out(best)
            left = evening.what_is_left(overload)
        return made

    def with_carried_out(self, proposal: Proposal) -> Evening:
        """The same once a proposal is carried out."""
        runs = list(self.runs)
        run = runs[proposal.run]
        doers = dict(run.doers)
        for edit in proposal.edits:
            if isinstance(edit, Give) and edit.person in self.people:
                doers[edit.key] = self.people[edit.person]
        after = runs[proposal.run] = replace(run, plan=proposal.result.after(), doers=doers)
        asked = {who: dict(days) for who, days in self.asked.items()}
        for i in run.open():
            add_to(asked, run, i, run.laid(i, self.today), -1)
        for i in after.open():
            add_to(asked, after, i, after.laid(i, self.today))
        return Evening(runs, self.people, self.today, self.teams, self.may_change, asked)

    def what_is_left(self, overload: Overload) -> Overload:
        """What is still too much on the days of an overload."""
        days, hours = self.asked.get(overload.who, {}), self.people[overload.who].hours
        over = [day for day in range(overload.first, overload.last + 1) if days.get(day, 0) > hours(day)]
        asked, has = sum(days[day] for day in over), sum(hours(day) for day in over)
        return replace(overload, asked=asked, has=has)

    def _tried(self, overload: Overload, n: int, i: int) -> Iterator[Proposal]:
        run = self.runs[n]
        plan, task = run.plan, run.plan.tasks[i]
        calendar, grid, start = plan.network.activities[i].calendar, plan.grid, plan.schedule.start[i]
        if start == UNDATED:
            return
        per_day = calendar.per_day
        alone = self._is_alone(overload.who, run, i)
        left = self.what_is_left(overload).over
        most = min(self._own(overload, n, i), left) if alone else left
        until = grid.day_start(overload.last + 1)
        behind = max(1, -(-calendar.count(start, until) // per_day)) + FAR_LATER
        for days in range(1, behind + 1):
            at = calendar.slot(calendar.index(start) + days * per_day)
            if not self._is_worth(overload, n, i, at, task.duration, alone=alone):
                continue
            found = self._of(overload, n, i, Move(task.key, at), "later")
            if found is not None:
                yield found
                if found.solves >= most and (found.kind == "later" or at >= until):
                    break
        for days in range(1, FAR_EARLIER + 1):
            at = calendar.slot(calendar.index(start) - days * per_day)
            if grid.day(at) < self.today:
                break
            if not self._fits(overload, n, i, at, task.duration):
                continue
            found = self._of(overload, n, i, Move(task.key, at), "earlier")
            if found is not None and (change := found.result.moved.get(i)) and change.after[0] == at:
                yield found
                if found.solves >= most:
                    break
        for person in self._others(task.role, overload.who, run.laid(i, self.today)):
            if not self._fits(overload, n, i, start, task.duration, person):
                continue
            found = self._of(overload, n, i, Give(task.key, person=person.name), "handed over", person)
            if found is not None:
                yield found
        for days in range(1, FAR_LONGER + 1):
            if not self._is_worth(overload, n, i, start, task.duration + days * per_day, alone=alone):
                continue
            edit = Duration(task.key, task.duration + days * per_day)
            found = self._of(overload, n, i, edit, "longer")
            if found is not None:
                yield found

    def _own(self, overload: Overload, n: int, i: int) -> int:
        """The minutes of a task on the days of an overload."""
        laid = self.runs[n].laid(i, self.today)
        return sum(minutes for day, minutes in laid.items() if overload.first <= day <= overload.last)

    def _is_alone(self, who: str, run: RunOfWork, i: int) -> bool:
        """Whether nobody is asked for less because what is behind a task moves with it: none of that is theirs."""
        network, seen, queue = run.plan.network, {i}, [i]
        for at in queue:
            for behind in network.targets(at, seen=seen):
                queue.append(behind)
                doer = run.doers.get(run.plan.tasks[behind].key)
                if doer is not None and who in {
                    one.name for one in (doer.members if isinstance(doer, Team) else (doer,))
                }:
                    return False
        return True

    def _is_worth(self, overload: Overload, n: int, i: int, start: int, duration: int, *, alone: bool) -> bool:
        """Whether a shift is worth trying: where what follows could make room, all are, as long as there are not too
        many."""
        if alone:
            return self._fits(overload, n, i, start, duration)
        self.tried += 1
        return self.tried <= MOST_TRIED

    def _fits(self, overload: Overload, n: int, i: int, start: int, duration: int, to: Person | None = None) -> bool:
        """Whether a task alone, were it to stand so, took something from the overload and put too much nowhere: what is
        behind it need not be looked at where that is not so."""
        run = self.runs[n]
        activity = run.plan.network.activities[i]
        calendar = activity.calendar
        finish = calendar.advance(calendar.roll_forward(start), duration)
        days = days_of((calendar.roll_forward(start), run.plan.grid.inclusive(finish)), True, run.plan.grid)
        assert days is not None
        doer = to or run.doers[run.plan.tasks[i].key]
        asked: dict[str, Days] = {}
        add_to(asked, run, i, run.laid(i, self.today), -1)
        moved = replace(run, doers={**run.doers, run.plan.tasks[i].key: doer}) if to else run
        add_to(asked, moved, i, run.laid_on(i, days, duration, self.today, doer))
        return not self._worse(asked) and self._solved(overload, asked) > 0

    def _solved(self, overload: Overload, asked: Mapping[str, Days]) -> int:
        """The minutes that changes take from an overload."""
        was, hours = self.asked.get(overload.who, {}), self.people[overload.who].hours
        return sum(
            max(0, was.get(day, 0) - hours(day)) - max(0, was.get(day, 0) + more - hours(day))
            for day, more in asked.get(overload.who, {}).items()
            if overload.first <= day <= overload.last
        )

    def _others(self, role: str | None, who: str, days: Mapping[int, int]) -> list[Person]:
        """Those of the same role or team, who has most room on some days first."""

        def room(person: Person) -> int:
            mine = self.asked.get(person.name, {})
            return sum(max(0, person.hours(day) - mine.get(day, 0)) for day in days)

        mates = {one.name for team in self.teams if any(m.name == who for m in team.members) for one in team.members}
        roles = self.people[who].roles if who in self.people else frozenset()
        found = [
            person
            for name, person in sorted(self.people.items())
            if name != who
            and person.minutes
            and (name in mates or (role is not None and role in person.roles) or roles & person.roles)
        ]
        return sorted(found, key=lambda one: (-room(one), one.name))[:MOST_OTHERS]

    def _of(
        self, overload: Overload, n: int, i: int, edit: Edit, kind: Kind, to: Person | None = None
    ) -> Proposal | None:
        """A proposal, if it is any good."""
        run = self.runs[n]
        plan = run.plan
        try:
            result = cascade(plan, [edit], "push")
        except ShiftError:
            return None
        changed = {**result.moved, i: result.moved.get(i)}
        asked: dict[str, Days] = {}
        others: set[str] = set()
        days_moved = 0
        moved_run = replace(run, doers={**run.doers, plan.tasks[i].key: to}) if to else run
        for j, change in changed.items():
            if plan.is_parent(j):
                continue
            doer = run.doers.get(plan.tasks[j].key)
            if change is not None:
                days_moved += -(-abs(change.delta) // plan.network.activities[j].calendar.per_day)
            if doer is not None and doer.name != overload.who:
                others.add(doer.name)
            before = run.laid(j, self.today)
            after = self._laid_after(moved_run, result, j)
            add_to(asked, run, j, before, -1)
            add_to(asked, moved_run, j, after)
        if to is not None:
            others.add(to.name)
        if self._worse(asked):
            return None
        solves = self._solved(overload, asked)
        if solves <= 0:
            return None
        ends = -(-plan.calendars[None].count(*result.finish) // plan.calendars[None].per_day)
        end = max(0, ends) if UNDATED not in result.finish else 0
        missed = sum(conflict.kind in {"deadline", "anchor"} for conflict in result.conflicts)
        leaves = sum(not plan.is_parent(j) for j in changed)
        if kind == "later" and (end or missed):
            kind = "end later"
        text = _text(run, i, edit, kind, result, end)
        cost = Cost(end, missed, leaves, len(others), days_moved)
        return Proposal(n, plan.tasks[i].key, kind, text, (edit,), "push", solves, cost, result)

    def _laid_after(self, run: RunOfWork, result: Cascade, j: int) -> Mapping[int, int]:
        """The minutes of a task by day once a shift is applied."""
        task, plan = result.prepared.task(j), run.plan
        dates = read(task, *result.span(j), plan.grid)
        days, asked = days_of(dates, True, plan.grid), run.asked.get(task.key)
        doer: Doer | None = run.doers.get(task.key)
        if days is None or asked is None or doer is None or task.state in FINISHED:
            return {}
        return run.laid_on(j, days, task.duration, self.today, doer)

    def _worse(self, asked: Mapping[str, Days]) -> bool:
        """Whether anybody is over on a day by more than before."""
        for who, days in asked.items():
            was, hours = self.asked.get(who, {}), self.people[who].hours
            for day, more in days.items():
                before = was.get(day, 0)
                if more > 0 and before + more > hours(day):
                    return True
        return False


def _text(run: RunOfWork, i: int, edit: Edit, kind: Kind, result: Cascade, end: int) -> str:
    plan = run.plan
    task, grid = plan.tasks[i], plan.grid
    title = short(task.title)
    if isinstance(edit, Give):
        return f"{title}, to {edit.person}"
    change = result.moved.get(i)
    day = plan.network.activities[i].calendar.per_day
    if kind == "longer" and isinstance(edit, Duration):
        n = edit.slots // day
        return f"{title}, over {count_words(n, 'working day')} instead of {task.duration // day}"
    if change is None:
        return title
    days = result.days(change)[1]
    by = difference_words(change.delta_start, grid, day).lstrip("+−")
    text = f"{title}, {by} {'earlier' if kind == 'earlier' else 'later'}, from {plan.dates_in_words().of_days[days[0]]}"
    return f"{text}; the run ends {end} d later" if end else text
