"""What would it take? The edits that bring a task to the date somebody wants, cheapest first.

The opposite question of :mod:`unisequa.core.plan.reasons`. What keeps the task from being there in time is found by
:mod:`unisequa.core.shift.reach`; tried are

- having the task itself due then, where nothing it follows keeps it from that,
- each edit that alone is enough: a task shortened, started earlier or freed, a link taken out, an anchor moved,
- where none is, several together: on the most pressed way the edit that helps most, until the date is reached; what
  turns out not to be needed is left out again.

Each is put into the form in which it can be applied: with the few tasks behind it brought forward by name (*push*), or
where those are many with all that is downstream (*tighten*). It is carried out before it is proposed: it reaches the
date, and it puts nothing before today. Cheapest is what changes the fewest tasks, then what changes them by the fewest
working days.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

from unisequa.core.calendars.words import DateWords, count_words, difference_words, names_words, slots_words
from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.network.places import UNDATED, span_at
from unisequa.core.plan.plan import Plan, read
from unisequa.core.plan.telling import short
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Due, Duration, Edit, Free, Move, MoveAnchor, RemoveLink
from unisequa.core.shift.reach import Changes, Places, Pressed, Reach
from unisequa.core.shift.result import Cascade, Mode
from unisequa.core.terms import FINISHED

_MOST_BY_NAME = 12
"""How many tasks an edit may bring forward by name; more follow by *tighten*."""
_MOST_TOGETHER = 40
_LARGE = 3000
_MOST_SHORTENED, _MOST_CUT = 4, 2
"""How many tasks to shorten and links to take out are tried each, those that change least first."""


@dataclass(frozen=True, slots=True)
class Way:
    """Edits that together bring the task to its date, in the mode they need.

    Parameters
    ----------
    edits : tuple of Edit
    mode : "push" or "tighten"
    finish : int
        Where the task then finishes, as people read it.
    moved : int
        How many tasks change.
    cost : float
        ``moved``, and behind the point the working days they move by in all, in hundred-thousandths.
    text : str
        The edits in words.
    """

    edits: tuple[Edit, ...]
    mode: Mode
    finish: int
    moved: int
    cost: float
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
    task, dates = plan.tasks[i], plan.read(i)
    if dates is None:
        raise ShiftError(f"{task.title} has no date yet; give it one first", task=key)
    if task.state in FINISHED:
        raise ShiftError(f"{task.title} is {task.state} and never moves; reopen it first", task=key)
    if dates[1] <= day or (plan.today is not None and day < plan.today):
        return []
    return _Search(plan, i, day).ways(most)


class _Search:
    def __init__(self, plan: Plan, goal: int, want: int) -> None:
        self.plan, self.goal, self.want, self.grid = plan, goal, want, plan.grid
        self.reach = Reach(plan, goal, plan.grid.exclusive(want))
        self.day = {i: plan.network.activities[i].calendar.per_day for i in self.reach.order}

    def ways(self, most: int) -> list[Way]:
        """Everything that reaches the date, cheapest first."""
        made: list[Way] = list(self._itself())
        nothing = Changes()
        places = self.reach.early(nothing)
        if places.reached:
            made += self._applied((), places)
        else:
            pressed = places.pressed()
            for changes in self._tried(pressed):
                if (enough := self._least(changes)) is not None:
                    made += self._applied(self._edits(enough.changes), enough)
            made += self._anchors(pressed)
            if not any(way.edits for way in made):
                made += self._together(self._starts)
                made += self._together(self._shorter)
        unlike = {way.edits: way for way in made}
        return sorted(unlike.values(), key=lambda way: (way.cost, way.text))[:most]

    # The task itself.

    def _itself(self) -> Iterator[Way]:
        """The task due on the day, where that is open to it."""
        task = self.plan.tasks[self.goal]
        if self.plan.is_parent(self.goal) or task.stands == "fixed":
            return
        edits = (Due(task.key, self.want),)
        if task.stands == "begun" and not task.duration:
            return
        yield from self._way(edits, "push", f"have {short(task.title)} due {self._say(self.want)}")

    # One edit that is enough.

    def _tried(self, pressed: Pressed) -> list[Changes]:
        """Those that may alone be enough, what changes least first: some of each kind."""
        tried: list[Changes] = []
        few = len(self.reach.order) > _LARGE
        left = {"durations": _MOST_SHORTENED // (2 if few else 1), "cut": _MOST_CUT}
        for _, changes in sorted(self._alone(pressed), key=lambda one: one[0]):
            kind = "durations" if changes.durations else "cut" if changes.cut else ""
            left[kind] = left.get(kind, 2) - 1
            if left[kind] >= 0:
                tried.append(changes)
        return tried

    def _alone(self, pressed: Pressed) -> Iterator[tuple[float, Changes]]:
        """Edits through which every pressed way goes, with about how much they change."""
        plan = self.plan
        for i, need in pressed.need.items():
            task = plan.tasks[i]
            if not pressed.all_through(i) or task.state in FINISHED:
                continue
            days = need / self.day[i]
            if task.duration - need >= 1 and task.state != "in review":
                yield days, Changes(durations={i: task.duration - need})
            if task.stands == "fixed":
                yield 3, Changes(freed=frozenset({i}))
            open_ = self.reach.movable(i) and pressed.late[i] >= self.reach.today(i)
            if open_ and i in pressed.origins and pressed.behind[i] == pressed.total:  # all begin with its own floor
                yield days, Changes(floors={i: pressed.late[i]})
        rank = plan.network.rank
        drawn = {(plan.positions.get(k.source, -1), plan.positions.get(k.target, -1)) for k in plan.links}
        for source, target in pressed.links:
            if (source, target) in drawn and pressed.all_along(source, target):
                yield 3 - rank[target] / (len(rank) + 1), Changes(cut=frozenset({(source, target)}))  # the last first

    def _least(self, changes: Changes) -> Places | None:
        """The changes with the least amount that is enough; None where no amount is."""
        if not changes.durations:
            places = self.reach.early(changes)
            return places if places.reached else None
        ((i, slots),) = changes.durations.items()
        known: dict[int, Places] = {}

        def enough(slots: int) -> bool:
            known[slots] = self.reach.early(Changes(durations={i: slots}))
            return known[slots].reached

        long = self.plan.tasks[i].duration
        if enough(slots):
            step, low = 1, slots
            while low + step < long and enough(low + step):
                low, step = low + step, 2 * step
            high = min(low + step, long)  # too long, or the duration it has
        else:
            step, high, low = 1, slots, 0
            while high > 1:
                shorter = max(1, high - step)
                if enough(shorter):
                    low = shorter
                    break
                high, step = shorter, 2 * step
            if not low:
                return None
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if enough(middle) else (low, middle)
        return known[low]

    def _anchors(self, pressed: Pressed) -> Iterator[Way]:
        """An anchor moved, where all that presses is measured from it."""
        plan, calendar = self.plan, self.plan.calendars[None]
        bases = {self._anchor(i) for i in pressed.origins}
        if len(bases) != 1:
            return
        (anchor,) = bases
        day = None if anchor is None else plan.anchors.get(anchor)
        if anchor is None or day is None or anchor in plan.derived:
            return
        worst = max(-(-need // self.day[i]) for i, need in pressed.need.items() if i in pressed.origins)
        for days in range(worst, worst + 3):
            earlier = calendar.retreat(day, days * calendar.per_day)
            if earlier == day or (plan.today is not None and earlier < plan.today):
                return
            difference = difference_words(calendar.count(day, earlier), self.grid, calendar.per_day)
            text = f"move {short(plan.labels[anchor])} to {self._say(earlier)} ({difference})"
            made = list(self._way((MoveAnchor(anchor, earlier),), "tighten", text))
            if made:
                yield from made
                return

    def _anchor(self, i: int) -> str | None:
        """The anchor that a task is measured from in the end."""
        task, plan = self.plan.tasks[i], self.plan
        if task.stands or task.when is None:
            return None
        anchor = task.when.anchor
        for _ in plan.derived:
            anchor = plan.derived[anchor].anchor if anchor in plan.derived else anchor
        return anchor

    # Several together.

    def _together(self, choose: Callable[[Pressed], Changes | None]) -> Iterator[Way]:
        """Edits chosen one after the other until the date is reached, without those that are not needed."""
        changes = Changes()
        for _ in range(_MOST_TOGETHER):
            places = self.reach.early(changes)
            if places.reached:
                changes = self._pruned(changes)
                yield from self._applied(self._edits(changes), self.reach.early(changes))
                return
            more = choose(places.pressed())
            if more is None:
                return
            changes = _both(changes, more)

    def _starts(self, pressed: Pressed) -> Changes | None:
        """The most pressed origin started earlier or freed; where there is none, a task shortened."""
        for i in sorted(pressed.origins, key=lambda i: -pressed.need[i]):
            if self.reach.movable(i) and pressed.late[i] >= self.reach.today(i):
                return Changes(floors={i: pressed.late[i]})
            if self.plan.tasks[i].stands == "fixed":
                return Changes(freed=frozenset({i}))
        return self._shorter(pressed, then=False)

    def _shorter(self, pressed: Pressed, *, then: bool = True) -> Changes | None:
        """The task shortened that helps most on the most pressed way; where none can be, an origin moved."""
        plan, best = self.plan, None
        for i, need in pressed.need.items():
            task = plan.tasks[i]
            less = min(need, task.duration - 1)
            if less > 0 and task.state not in {*FINISHED, "in review"}:
                share = pressed.all_through(i)
                gain = (less / self.day[i], share)
                if best is None or gain > best[0]:
                    best = gain, i, task.duration - less
        if best is not None:
            return Changes(durations={best[1]: best[2]})
        return self._starts(pressed) if then else None

    def _pruned(self, changes: Changes) -> Changes:
        """The changes without those that are not needed."""
        for i in list(changes.durations):
            fewer = replace(changes, durations={j: n for j, n in changes.durations.items() if j != i})
            changes = fewer if self.reach.early(fewer).reached else changes
        for i in list(changes.floors):
            fewer = replace(changes, floors={j: n for j, n in changes.floors.items() if j != i})
            changes = fewer if self.reach.early(fewer).reached else changes
        for i in changes.freed:
            fewer = replace(changes, freed=changes.freed - {i})
            changes = fewer if self.reach.early(fewer).reached else changes
        return changes

    # Into edits that can be applied.

    def _edits(self, changes: Changes) -> tuple[Edit, ...]:
        tasks = self.plan.tasks
        edits: list[Edit] = [Duration(tasks[i].key, changes.durations[i]) for i in sorted(changes.durations)]
        edits += [Move(tasks[i].key, self._start_day(i, k)) for i, k in changes.floors.items()]
        edits += [Free(tasks[i].key) for i in sorted(changes.freed)]
        edits += [RemoveLink(tasks[a].key, tasks[b].key) for a, b in sorted(changes.cut)]
        return tuple(edits)

    def _start_day(self, i: int, number: int) -> int:
        """The date on which a task starts with a worked slot, as people read it."""
        activity = self.plan.network.activities[i]
        dates = read(self.plan.tasks[i], *span_at(activity, number), self.grid)
        assert dates
        return dates[0]

    def _applied(self, edits: tuple[Edit, ...], places: Places) -> Iterator[Way]:
        """Edits with what follows from them by name, or else by *tighten*."""
        names = self._by_name(places.changes, places)
        text = " and ".join(self._words(edit) for edit in edits)
        if names is not None:
            moves = tuple(Move(self.plan.tasks[i].key, self._start_day(i, k)) for i, k in names.items())
            made = list(self._way((*edits, *moves), "push", self._with_names(text, list(names))))
            if made:
                yield from made
                return
        if edits:
            yield from self._way(edits, "tighten", f"{text}, and all behind it as early as it can be")

    def _by_name(self, changes: Changes, places: Places) -> dict[int, int] | None:
        """The tasks that must come forward beside those edited, with where they may be at the latest."""
        plan, reach, late = self.plan, self.reach, self.reach.late(changes)
        names: dict[int, int] = {}
        for i in reach.order:
            if i not in late or i not in places.numbers or i in changes.floors or plan.schedule.start[i] == UNDATED:
                continue
            if plan.tasks[i].stands and i not in changes.freed:
                continue
            stands = plan.network.activities[i].calendar.index(plan.schedule.start[i])
            behind = not plan.tasks[i].duration and plan.tasks[i].edge == "finish"
            if stands > late[i] or (behind and stands > late[i]):
                names[i] = late[i]
                if len(names) > _MOST_BY_NAME:
                    return None
        return names

    def _with_names(self, text: str, names: Iterable[int]) -> str:
        titles = [short(self.plan.tasks[i].title) for i in names]
        if not titles:
            return text
        listed = names_words(titles if len(titles) < 4 else [*titles[:2], f"{count_words(len(titles) - 2, 'other')}"])
        return f"{text}, bringing {listed} forward" if text else f"bring {listed} forward"

    def _way(self, edits: tuple[Edit, ...], mode: Mode, text: str) -> Iterator[Way]:
        """The way, if carried out it reaches the date and asks for nothing before today."""
        try:
            result = cascade(self.plan, edits, mode)
        except ShiftError:
            return
        finish = result.read_after(self.goal)
        if finish is None or finish[1] > self.want or not self._ahead(result):
            return
        total = 0.0
        for change in result.changes:
            i = self.plan.positions[change.key]
            if not self.plan.is_parent(i):
                per_day = self.plan.network.activities[i].calendar.per_day
                total += max(abs(change.delta), abs(change.delta_start)) / per_day
        moved = sum(not self.plan.is_parent(self.plan.positions[change.key]) for change in result.changes)
        cost = round(moved + min(total, 99_999) / 100_000, 6)
        yield Way(edits, mode, finish[1], moved, cost, text)

    def _ahead(self, result: Cascade) -> bool:
        """Whether nothing that is to be begun is put before today."""
        plan, today = self.plan, self.plan.today
        if today is None:
            return True
        for change in result.changes:
            i = plan.positions[change.key]
            if plan.is_parent(i) or plan.tasks[i].stands == "begun":
                continue
            if result.read(change)[1][0] < today:
                return False
        return True

    # In words.

    def _say(self, day: int) -> str:
        today = self.plan.today if self.plan.today is not None else self.want
        return DateWords(self.grid, self.grid.day(today))[day]

    def _words(self, edit: Edit) -> str:
        plan, grid = self.plan, self.grid
        if isinstance(edit, RemoveLink):
            source, target = (short(plan.tasks[plan.positions[key]].title) for key in (edit.source, edit.target))
            return f"let {target} no longer wait for {source}"
        assert isinstance(edit, Duration | Move | Free)
        i = plan.positions[edit.key]
        task, per_day = plan.tasks[i], self.day[i]
        if isinstance(edit, Free):
            return f"free the fixed date of {short(task.title)}"
        if isinstance(edit, Duration):
            length, old = slots_words(edit.slots, grid, per_day), slots_words(task.duration, grid, per_day)
            return f"do {short(task.title)} in {length} instead of {old}"
        dates = plan.read(i)
        assert dates
        calendar = plan.network.activities[i].calendar
        difference = difference_words(calendar.count(dates[0], edit.day), grid, per_day)
        return f"start {short(task.title)} on {self._say(edit.day)} ({difference})"


def _both(a: Changes, b: Changes) -> Changes:
    return Changes({**a.durations, **b.durations}, {**a.floors, **b.floors}, a.freed | b.freed, a.cut | b.cut)
