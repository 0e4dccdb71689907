"""What would it take? The edits that bring a task to the date somebody wants, cheapest first.

The opposite question of :mod:`unisequa.core.plan.reasons`. Only what holds the task is looked at: the chain of tasks
and links that drive it, back to an anchor. Each edit is tried on the plan itself, in the mode *tighten*, with
the least that is enough:

=====================  ===========================  =========
edit                   amount                       cost
=====================  ===========================  =========
shorten a task         working days taken from it   1 a day
start a task earlier   working days                 1 a day
move an anchor         working days                 2 a day
break a link                                        3
free a fixed date                                   3
=====================  ===========================  =========

Where no single edit is enough, several are put together, and those that turn out not to be needed are left
out again. The costs are a judgement, common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import difference_words, slot_words, slots_words
from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.network.places import UNDATED, place, span_at
from unisequa.core.plan.plan import Plan, replanned
from unisequa.core.plan.reasons import short
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Duration, Edit, Free, Move, MoveAnchor, RemoveLink
from unisequa.core.terms import FINISHED

MOST_TASKS = 60
"""How much of a driving chain is looked at, from the task backwards."""
_MOST_TOGETHER = 8
_MOST_WORK = 30_000
"""How many tasks may be moved in trying edits; a few seconds' worth."""


@dataclass(frozen=True, slots=True)
class Way:
    """Edits that together bring the task to its date.

    Parameters
    ----------
    edits : tuple of Edit
    finish : int
        Where the task would then finish, as people read it.
    cost : float
    moved : int
        How many tasks would change.
    text : str
        The edits in words.
    """

    edits: tuple[Edit, ...]
    finish: int
    cost: float
    moved: int
    text: str


def ways_to(plan: Plan, key: str, day: int, most: int = 8) -> list[Way]:
    """The ways to have a task finished on ``day`` or before, cheapest first; none where it is already.

    Raises
    ------
    ShiftError
        For a task that is not there, has no date, or is over.
    """
    if key not in plan.positions:
        raise ShiftError(f'no task "{key}"{did_you_mean(key, plan.positions)}', task=key)
    i = plan.positions[key]
    task = plan.tasks[i]
    if plan.schedule.start[i] == UNDATED:
        raise ShiftError(f"{task.title} has no date yet; give it one first", task=key)
    if task.state in FINISHED:
        raise ShiftError(f"{task.title} is {task.state} and never moves; reopen it first", task=key)
    part = _upstream(plan, i)
    search = _Search(part, part.positions[key], day)
    if search.reached(()):
        return []
    reaching = list(search.singles(()))
    if not reaching and (together := search.together()):
        reaching = [together]
    cheapest = sorted(reaching, key=lambda way: (way.cost, way.moved, way.text))[: 2 * most]
    counted = [replace(way, moved=len(cascade(plan, way.edits, "tighten").changes)) for way in cheapest]
    return sorted(counted, key=lambda way: (way.cost, way.moved, way.text))[:most]


def _upstream(plan: Plan, goal: int) -> Plan:
    """The plan without what does not bear on a task, so that trying edits costs no more than it must."""
    upstream: set[int] = set()
    queue = [goal]
    for i in queue:
        if i in upstream:
            continue
        upstream.add(i)
        *_, top = plan.above(i)
        queue += [top, *plan.network.children.get(i, ())]
        queue += [link.source for link in plan.network.incoming[i]]
    tasks = tuple(task for i, task in enumerate(plan.tasks) if i in upstream)
    keys = {task.key for task in tasks}
    schedule = plan.schedule
    dates = {
        task.key: (schedule.start[i], schedule.finish[i])
        for i, task in enumerate(plan.tasks)
        if i in upstream and schedule.start[i] != UNDATED
    }
    links = tuple(link for link in plan.links if link.source in keys and link.target in keys)
    return replanned(plan, dates, tasks=tasks, links=links)


class _Search:
    def __init__(self, plan: Plan, goal: int, want: int) -> None:
        self.plan, self.goal, self.want = plan, goal, want
        self.key = plan.tasks[goal].key
        dates = plan.read(goal)
        assert dates
        self.stands = dates[1]
        self.work = 0

    def outcome(self, edits: tuple[Edit, ...]) -> tuple[int, int]:
        """Where the task would finish, and how many tasks would change."""
        if not edits:
            return self.stands, 0
        if self.work > _MOST_WORK:
            raise ShiftError("this takes too long to find out")
        result = cascade(self.plan, edits, "tighten")
        self.work += len(result.changes) + 20
        after = next((result.read(change)[1][1] for change in result.changes if change.key == self.key), self.stands)
        return after, len(result.changes)

    def reached(self, edits: tuple[Edit, ...]) -> bool:
        try:
            return self.outcome(edits)[0] <= self.want
        except ShiftError:
            return False

    def chain(self, plan: Plan) -> list[int]:
        """The task and what drives it, nearest first; of a parent its sub-steps."""
        chain = dict.fromkeys([self.goal, *plan.leaves(self.goal)])
        for i in chain.copy():
            self._add(plan, i, chain)
        return [i for i in chain if not plan.is_parent(i)][:MOST_TASKS]

    def _add(self, plan: Plan, i: int, chain: dict[int, None]) -> None:
        queue = [i]
        for t in queue:
            for driver in plan.schedule.drivers[t]:
                for leaf in plan.leaves(driver):
                    if leaf not in chain and len(chain) < 2 * MOST_TASKS:
                        chain[leaf] = None
                        queue.append(leaf)

    def singles(self, given: tuple[Edit, ...]) -> Iterator[Way]:
        """Each edit that is enough beside those given."""
        plan = cascade(self.plan, given, "tighten").after() if given else self.plan
        for make, least, most in self._candidates(plan):
            n = self._least(given, make, least, most)
            if n is not None and (way := self._way((*given, make(n)))):
                yield way

    def _candidates(self, plan: Plan) -> Iterator[tuple[Callable[[int], Edit], int, int]]:
        """Edits by their amount, with the least and the most of it; amounts are worked slots."""
        anchors: set[str] = set()
        for i in self.chain(plan):
            task, activity = plan.tasks[i], plan.network.activities[i]
            key, number = task.key, activity.calendar.index(plan.schedule.start[i])
            if task.state in FINISHED:
                continue
            if task.duration > 1 and task.state != "in review":
                yield partial(_shorten, key, task.duration), 1, task.duration - 1
            if task.stands == "fixed":
                yield partial(_once, Free(key)), 1, 1
            for link in plan.network.incoming[i]:
                if link.source in plan.schedule.drivers[i] and not task.stands:
                    source = plan.tasks[link.source].key
                    if any((k.source, k.target) == (source, key) for k in plan.links):
                        yield partial(_once, RemoveLink(source, key)), 1, 1
            held_by_date = task.target is not None and place(activity, task.target[0])[0] == plan.schedule.start[i]
            if not task.stands and (held_by_date or not plan.schedule.drivers[i]):
                room = activity.calendar.count(self.want, self.stands) + activity.calendar.per_day
                yield partial(self._earlier, i, number), 1, max(2, 3 * room)
            if held_by_date and task.when:
                anchors.add(
                    plan.derived[task.when.anchor].anchor if task.when.anchor in plan.derived else task.when.anchor
                )
        for anchor in sorted(anchors):
            day = plan.anchors[anchor]
            calendar = plan.calendars[None]
            if day is not None and anchor not in plan.derived:
                room = calendar.count(self.want, self.stands) + calendar.per_day
                number = calendar.index(day)
                yield partial(_anchor_earlier, anchor, calendar, number), 1, max(2, 3 * room)

    def _earlier(self, i: int, number: int, slots: int) -> Edit:
        activity, grid = self.plan.network.activities[i], self.plan.grid
        start, behind = span_at(activity, number - slots)[0], not activity.duration and activity.edge == "finish"
        return Move(activity.key, grid.inclusive(start) if behind else start)

    def _least(self, given: tuple[Edit, ...], make: Callable[[int], Edit], least: int, most: int) -> int | None:
        """The smallest amount that is enough, by halving."""
        if not self.reached((*given, make(most))):
            return None
        while least < most:  # what turns out too long to find out counts as not enough
            middle = (least + most) // 2
            if self.reached((*given, make(middle))):
                most = middle
            else:
                least = middle + 1
        return least

    def together(self) -> Way | None:
        """Several edits that are enough together: the cheapest full cut of each link of the chain, until it is."""
        edits: tuple[Edit, ...] = ()
        for _ in range(_MOST_TOGETHER):
            try:
                plan = cascade(self.plan, edits, "tighten").after() if edits else self.plan
            except ShiftError:
                return None
            named = {_named(edit) for edit in edits}
            made = [make(most) for make, _, most in self._candidates(plan)]
            free = [edit for edit in made if _named(edit) not in named]
            if not free:
                return None
            edits = (*edits, min(free, key=lambda edit: self._after(edits, edit)))
            finished = list(self.singles(edits[:-1]))
            if finished:
                return min(finished, key=lambda way: way.cost)
            if self.reached(edits):
                return self._way(self._pruned(edits))
        return None

    def _after(self, edits: tuple[Edit, ...], edit: Edit) -> tuple[int, float]:
        try:
            return self.outcome((*edits, edit))[0], self._cost(edit)
        except ShiftError:
            return self.plan.grid.last, 0

    def _pruned(self, edits: tuple[Edit, ...]) -> tuple[Edit, ...]:
        for edit in edits:
            rest = tuple(e for e in edits if e is not edit)
            if rest and self.reached(rest):
                edits = rest
        return edits

    def _way(self, edits: tuple[Edit, ...]) -> Way | None:
        try:
            finish, moved = self.outcome(edits)
        except ShiftError:
            return None
        cost = sum(self._cost(edit) for edit in edits)
        text = " and ".join(self._words(edit) for edit in edits)
        return Way(edits, finish, cost, moved, text)

    def _moved(self, edit: Edit) -> tuple[int, int]:
        """Worked slots by which an edit moves or shortens, and those of a working day."""
        plan = self.plan
        if isinstance(edit, MoveAnchor):
            calendar, day = plan.calendars[None], plan.anchors[edit.anchor]
            return calendar.count(edit.day, day or edit.day), calendar.per_day
        assert isinstance(edit, Duration | Move)
        i = plan.positions[edit.key]
        calendar = plan.network.activities[i].calendar
        if isinstance(edit, Duration):
            return plan.tasks[i].duration - edit.slots, calendar.per_day
        dates = plan.read(i)
        assert dates
        return calendar.count(edit.day, dates[0]), calendar.per_day

    def _cost(self, edit: Edit) -> float:
        if not isinstance(edit, Duration | Move | MoveAnchor):
            return 3
        slots, day = self._moved(edit)
        return slots / day * (2 if isinstance(edit, MoveAnchor) else 1)

    def _words(self, edit: Edit) -> str:
        plan, grid = self.plan, self.plan.grid
        if isinstance(edit, RemoveLink):
            source, target = (short(plan.tasks[plan.positions[key]].title) for key in (edit.source, edit.target))
            return f"let {target} no longer wait for {source}"
        if isinstance(edit, MoveAnchor):
            slots, day = self._moved(edit)
            by = difference_words(-slots, grid, day)
            return f"move {plan.labels[edit.anchor]} to {slot_words(edit.day, grid)} ({by})"
        assert isinstance(edit, Duration | Move | Free)
        task = plan.tasks[plan.positions[edit.key]]
        if isinstance(edit, Free):
            return f"free the fixed date of {short(task.title)}"
        slots, day = self._moved(edit)
        if isinstance(edit, Move):
            return f"start {short(task.title)} on {slot_words(edit.day, grid)} ({difference_words(-slots, grid, day)})"
        length, old = slots_words(edit.slots, grid, day), slots_words(task.duration, grid, day)
        return f"do {short(task.title)} in {length} instead of {old}"


def _shorten(key: str, duration: int, slots: int) -> Edit:
    return Duration(key, duration - slots)


def _anchor_earlier(key: str, calendar: WorkingCalendar, number: int, slots: int) -> Edit:
    return MoveAnchor(key, calendar.slot(number - slots))


def _once(edit: Edit, amount: int) -> Edit:
    """An edit that has no amount."""
    return edit


def _named(edit: Edit) -> tuple[object, ...]:
    """What an edit is about, whatever its amount."""
    if isinstance(edit, RemoveLink):
        return type(edit), edit.source, edit.target
    return type(edit), edit.anchor if isinstance(edit, MoveAnchor) else edit.task
