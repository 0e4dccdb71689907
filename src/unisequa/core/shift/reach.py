"""How early a task could be, and what keeps it from being earlier: the arithmetic beneath *what would it take*.

Only what a task follows is looked at. In *early* places each of those stands as early as its floors allow; in *late*
places as late as a wanted date allows. Where the first lies behind the second a task is *pressed*, and so are the
floors and links that put it there. The date is reached as soon as no floor is pressed; an edit that alone is enough
lies on every pressed way from a floor to the goal, which is found by counting ways.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.knots import Ask, Backs, Fronts
from unisequa.core.network.places import DATED, FAR, latest_source, number_from, number_until, span_at
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED

FAR_BACK = DATED
_PRIME = (1 << 61) - 1


@dataclass(frozen=True, slots=True)
class Changes:
    """What is tried: durations, floors of one's own given by hand, dates freed, links taken out, by positions."""

    durations: Mapping[int, int] = field(default_factory=dict)
    floors: Mapping[int, int] = field(default_factory=dict)
    freed: frozenset[int] = frozenset()
    cut: frozenset[tuple[int, int]] = frozenset()


class Reach:
    """What a task follows, with the floors it would have were all of it to go as early as it can.

    Parameters
    ----------
    goal : int
        The position of the task, which may be a parent.
    until : int
        The boundary by which it should have finished.
    """

    def __init__(self, plan: Plan, goal: int, until: int) -> None:
        self.plan, self.until, network = plan, until, plan.network
        self.network = network
        self.goals = tuple(i for i in plan.leaves(goal) if plan.tasks[i].state not in FINISHED)
        found, queue, seen = set(self.goals), list(self.goals), set[int]()
        for i in queue:
            for source in network.sources(i, seen=seen):
                for j in (source, *network.children.get(source, ())):
                    if j not in found:
                        found.add(j)
                        queue.append(j)
            if i in network.children:
                for j in network.children[i]:
                    if j not in found:
                        found.add(j)
                        queue.append(j)
        self.order = sorted(found, key=network.rank.__getitem__)
        self.inside = found
        self.floors = {i: self._floor(i) for i in self.order if i not in network.children}

    def movable(self, i: int) -> bool:
        """Whether a task's start may still be chosen."""
        return not self.plan.tasks[i].stands

    def _floor(self, i: int) -> int:
        """The number that a task's own floors ask for; where it stands, for one that no floor moves."""
        plan, activity, task = self.plan, self.network.activities[i], self.plan.tasks[i]
        start = plan.schedule.start[i]
        if task.stands or start < 0:
            return FAR_BACK if start < 0 else activity.calendar.index(plan.schedule.finish[i]) - activity.duration
        if task.target is not None:
            k = number_from(activity, "S", task.target[0])
        elif task.opens or not any(True for _ in self.network.sources(i)):
            k = number_from(activity, "S", start)
        else:
            k = FAR_BACK
        return max(k, self.least(i))

    def least(self, i: int) -> int:
        """The number before which a task may not start whatever is edited: not before, other runs, today."""
        _plan, activity = self.plan, self.network.activities[i]
        least = FAR_BACK if activity.not_before is None else number_from(activity, "S", activity.not_before)
        return max(least, self.today(i))

    def today(self, i: int) -> int:
        """The number before which a task may not be put by hand: today, and the end of what it awaits elsewhere."""
        plan, activity = self.plan, self.network.activities[i]
        k = FAR_BACK
        if plan.today is not None:
            behind = not activity.duration and activity.edge == "finish" and plan.grid.per_day == 1
            k = number_from(activity, "S", plan.today + behind)
        awaited = [wait.finish for wait in plan.tasks[i].waits if wait.finish is not None]
        return max([k, *(number_from(activity, "S", finish) for finish in awaited)])

    def activity(self, i: int, changes: Changes) -> Activity:
        """An activity as it is tried."""
        activity = self.network.activities[i]
        duration = changes.durations.get(i)
        return activity if duration is None else replace(activity, duration=duration)

    def early(self, changes: Changes) -> Places:
        """Every task as early as its floors allow."""
        network, plan, schedule = self.network, self.plan, self.plan.schedule
        spans: dict[int, tuple[int, int]] = {}
        numbers: dict[int, int] = {}
        fronts = network.fronts(spans.get)
        for i in self.order:
            if i in network.children:
                inner = [spans[c] for c in network.children[i] if c in spans and plan.tasks[c].state != "dropped"]
                if inner:
                    spans[i] = min(a for a, _ in inner), max(b for _, b in inner)
                continue
            activity = self.activity(i, changes)
            if plan.tasks[i].stands and i not in changes.freed:
                if schedule.start[i] < 0:
                    continue
                spans[i] = schedule.start[i], schedule.finish[i]
                if i in changes.durations:
                    spans[i] = spans[i][0], activity.calendar.advance(spans[i][0], activity.duration)
                numbers[i] = activity.calendar.index(spans[i][1]) - activity.duration
                continue
            k = changes.floors.get(i, self.least(i) if i in changes.freed else self.floors[i])
            for link, ask in self._asks(i, fronts, changes):
                k = max(k, number_from(activity, link.type[1], ask.bound(activity)))
            if k <= FAR_BACK and changes.cut and self._alone(i, changes):
                k = max(k, self._opening(i))
            if k > FAR_BACK:
                numbers[i], spans[i] = k, span_at(activity, k)
        return Places(self, changes, numbers, spans, fronts)

    def _asks(self, i: int, fronts: Fronts, changes: Changes) -> Iterator[tuple[Dependency, Ask]]:
        for link, ask in self.network.held_by(i, fronts):
            if not changes.cut or (ask.source, i) not in changes.cut:
                yield link, ask

    def _alone(self, i: int, changes: Changes) -> bool:
        """Whether a task follows nothing any more, so that it opens the job."""
        return all((source, i) in changes.cut for source in self.network.sources(i))

    def _opening(self, i: int) -> int:
        first = next(iter(self.plan.anchors.values()), None)
        start = self.plan.schedule.start[i] if first is None else first
        return number_from(self.network.activities[i], "S", start)

    def late(self, changes: Changes) -> dict[int, int]:
        """The number of the last slot with which each task lets the goal be there in time."""
        network, late, spans = self.network, dict[int, int](), dict[int, tuple[int, int]]()
        activities = [self.activity(i, changes) for i in range(len(network.activities))] if changes.durations else None
        known = activities or network.activities
        backs = Backs(network.knots, known, spans.get)
        of_parents: dict[int, list[tuple[str, int]]] = {}
        inside = self.inside
        for t in reversed(network.order):
            if t >= network.knots.base:
                backs.settle(t)
                continue
            if t not in inside:
                continue
            activity = known[t]
            asked = [("F", self.until)] if t in self.goals else []
            for link in network.outgoing[t]:
                if (span := spans.get(link.target)) and (t, link.target) not in changes.cut:
                    asked.append((link.type[0], latest_source(link, span, known[link.target])))
            for link in network.knots.behind.get(t, ()):
                asked += [(link.type[0], until.last()) for until in backs.untils(link)]
            if (parent := network.parent_of.get(t)) is not None:
                asked += of_parents.get(parent, [])
            if t in network.children:
                of_parents[t] = asked
                continue
            if asked:
                late[t] = min(number_until(activity, end, bound) for end, bound in asked)
                spans[t] = span_at(activity, late[t])
        return late


class Places:
    """Early places under some changes, and what is pressed by a wanted date."""

    def __init__(
        self,
        reach: Reach,
        changes: Changes,
        numbers: Mapping[int, int],
        spans: Mapping[int, tuple[int, int]],
        fronts: Fronts,
    ) -> None:
        self.reach, self.changes, self.numbers, self.spans, self.fronts = reach, changes, numbers, spans, fronts

    @property
    def reached(self) -> bool:
        """Whether the goal is there in time."""
        return all(self.spans[i][1] <= self.reach.until for i in self.reach.goals if i in self.spans)

    def pressed(self) -> Pressed:
        """What keeps the goal from being there in time."""
        reach, changes = self.reach, self.changes
        late = reach.late(changes)
        need = {i: k - late[i] for i, k in self.numbers.items() if k > late.get(i, FAR)}
        links: list[tuple[int, int]] = []
        origins: list[int] = []
        before = dict.fromkeys(need, 0)
        network = reach.network
        for i in reach.order:
            if i in network.children:
                continue
            if i not in need:
                continue
            stands = reach.plan.tasks[i].stands and i not in changes.freed
            own = changes.floors.get(i, reach.floors[i])
            if stands or own > late[i]:
                origins.append(i)
                before[i] += 1
            if stands:
                continue
            activity = reach.activity(i, changes)
            for link, ask in reach._asks(i, self.fronts, changes):
                if number_from(activity, link.type[1], ask.bound(activity)) > late[i]:
                    for source in reach.plan.leaves(ask.source):
                        if source in need:
                            links.append((source, i))
                            before[i] = (before[i] + before[source]) % _PRIME
        behind = dict.fromkeys(need, 0)
        total = 0
        for i in reach.goals:
            if i in need:
                behind[i] = 1
                total = (total + before[i]) % _PRIME
        for source, target in reversed(links):
            behind[source] = (behind[source] + behind[target]) % _PRIME
        return Pressed(need, late, tuple(origins), tuple(links), before, behind, total)


@dataclass(frozen=True, slots=True)
class Pressed:
    """Tasks, floors and links that put a task where it cannot be.

    ``need`` has the worked slots by which each must come earlier, ``late`` the last numbers; ``before`` and ``behind``
    count the ways from floors to each, and from each to the goal, modulo a large prime, ``total`` all of them.
    """

    need: Mapping[int, int]
    late: Mapping[int, int]
    origins: tuple[int, ...]
    links: tuple[tuple[int, int], ...]
    before: Mapping[int, int]
    behind: Mapping[int, int]
    total: int

    def all_through(self, i: int) -> bool:
        """Whether every pressed way goes through a task."""
        return self.before[i] * self.behind[i] % _PRIME == self.total

    def all_along(self, source: int, target: int) -> bool:
        """Whether every pressed way goes along a link."""
        return self.before[source] * self.behind[target] % _PRIME == self.total
