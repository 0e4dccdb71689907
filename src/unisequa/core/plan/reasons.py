"""Why a date is what it is, in words."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import replace

from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.words import slot_words, slots_words
from unisequa.core.documents.measures import offset_words, unrolled
from unisequa.core.errors import DateRangeError
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.knots import Ask, Backs
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, latest_source, number_from, number_until, place, span_at
from unisequa.core.plan.building import limit_of
from unisequa.core.plan.phases import phase_keys
from unisequa.core.plan.plan import Plan, read
from unisequa.core.plan.telling import Kind, Known, Reason, Say, Telling, bound, phrase, short, there_words


def reasons(plan: Plan, position: int, telling: Telling | None = None) -> list[Reason]:
    """Every floor of a task with the date it asks for, the binding ones marked.

    Dates more than half a year from the plan's today, and all in a list that spans two years, carry their year.
    ``telling`` is to be handed in where the reasons of many tasks are asked for.

    >>> # 2 working days after Period end (Fri 31 Jul) → Tue 4 Aug
    >>> # after Count the till (ends Wed 5 Aug) → Thu 6 Aug, binding
    """
    telling = telling or Telling(plan)
    found = _told(telling, position)
    return _told(telling.yearly(), position) if telling.two_years() else found


def _told(telling: Telling, position: int) -> list[Reason]:
    telling.said.clear()
    return _plainly(telling, position) or _Reasons(telling, position).all()


def driving_chain(plan: Plan, position: int) -> tuple[list[tuple[int, int]], list[str]]:
    """What drives a task, back to where it begins: pairs of a task and what it holds, and the anchors that hold the
    first of them, each once.

    >>> # ([(0, 1), (1, 4)], ["opening"])
    """
    pairs: list[tuple[int, int]] = []
    anchors: dict[str, None] = {}
    seen, queue = {position}, [position]
    for i in queue:
        drivers = [j for j in plan.schedule.drivers[i] if j < len(plan.tasks)]
        for j in drivers:
            pairs.append((j, i))
            if j not in seen:
                seen.add(j)
                queue.append(j)
        when = plan.tasks[i].when
        if not drivers and when is not None and plan.anchors.get(when.anchor) is not None:
            anchors[when.anchor] = None
    return pairs, list(anchors)


def why(plan: Plan, position: int) -> str:
    """The binding reasons in one line, without the word that marks them."""
    binding = [reason.text.removesuffix(", binding") for reason in reasons(plan, position) if reason.binding]
    return " · ".join(binding)


def held_words(
    network: Network, link: Dependency, ask: Ask, known: Callable[[int], Known], say: Say | None = None
) -> str:
    """``after Count the till (ends Wed 5 Aug), with 1 working day between``: what holds a task, and how.

    What bounds the task's end says so; what comes through the end of a phase names that.
    """
    _, _, grid = known(ask.source)
    there = there_words(known(ask.source), ask.end, say or (lambda day: slot_words(day, grid)))
    if (phase := _phase_between(network, link)) is not None:
        return f"after the phase {short(phase)} ({there[1]})"
    amounts = _amounts(ask, network.activities[link.target], grid)
    return phrase(ask.end + link.type[1], f"{there[0]} ({there[1]})", amounts, ask.working < 0 or ask.elapsed < 0)


def _amounts(ask: Ask, target: Activity, grid: Grid) -> str:
    """The lags on the way, or nothing."""
    parts = []
    if ask.working:
        parts.append(slots_words(abs(ask.working), grid, target.calendar.per_day, working=True))
    if ask.elapsed:
        parts.append(slots_words(abs(ask.elapsed), grid, working=False))
    return " and at least ".join(parts)


def _phase_between(network: Network, link: Dependency) -> str | None:
    """The name of the phase at whose end a link begins."""
    if link.source < network.knots.base:
        return None
    knot = network.knots.knot(link.source)
    return knot.label if knot.kind == "phase" else None


def _should_words(ask: Ask, kind: str, known: Known, say: Say, amounts: str) -> str:
    """What a link that no longer holds asked for."""
    task, dates, _ = known
    assert dates
    over = task.state in {"done", "in review"}
    title, at_end = short(task.title), ask.end == "F"
    stands = ("ended" if over else "ends") if at_end else ("started" if over or task.stands == "begun" else "starts")
    verb = {"FS": "should follow", "SS": "should not start before", "FF": "should not end before"}.get(
        kind, "should not end before the start of"
    )
    between = f", with {amounts} between" if amounts and ask.working >= 0 and ask.elapsed >= 0 else ""
    between = between or (f", by up to {amounts} less" if amounts else "")
    return f"{verb} {title}, which {stands if task.duration else 'falls on'} {say(dates[at_end])}{between}"


def _plainly(telling: Telling, position: int) -> list[Reason]:
    """The reasons of a task that links alone date, as most are; none where there is more to say."""
    plan = telling.plan
    task, network = plan.tasks[position], plan.network
    if task.when or task.opens or task.waits or task.not_before is not None or task.stands:
        return []
    if plan.schedule.start[position] < 0 or position in network.children or position in network.knots.before:
        return []
    found: list[Reason] = []
    binds, activity = False, network.activities[position]
    dates = telling.known(position)[1]
    assert dates
    try:
        stands = telling.number(position)
        for link in network.incoming[position]:
            reason = telling.asked(link, activity, stands, dates)
            for one in _Reasons(telling, position).of_link(link) if reason is None else (reason,):
                found.append(one)
                binds = binds or one.binding
        if binds:
            return found
    except DateRangeError:
        pass
    telling.said.clear()
    return []


class _Reasons:
    """The reasons of one task."""

    def __init__(self, telling: Telling, position: int) -> None:
        plan, self.telling = telling.plan, telling
        self.plan, self.position = plan, position
        self.say, self.fronts, self.known = telling.day, telling.fronts, telling.known
        self.task, self.activity = plan.tasks[position], plan.network.activities[position]
        self.grid, self.start = plan.grid, plan.schedule.start[position]
        self._numbers: dict[str, int] = {}

    def all(self) -> list[Reason]:
        plan, position = self.plan, self.position
        _, dates, _ = self.known(position)
        if dates is None:
            return [self._undated()]
        if plan.is_parent(position):
            return [self._parts(dates)]
        stands = self.task.stands
        floors = [self._standing(dates)] if stands else []
        floors += [reason for reason in self._floors(dates) if not (stands and reason.binding)]
        if stands:
            return floors
        if not any(reason.binding for reason in floors) and plan.direction == "backward" and self.task.when is None:
            floors += self._followed()
        if not any(reason.binding for reason in floors):
            kind: Kind = "put" if self.task.put else "kept"
            text = "put there by hand" if self.task.put else "keeps the date it had"
            floors.append(bound(kind, dates[0], True, f"{text} → {self.say(dates[0])}"))
        return floors

    def _floors(self, dates: tuple[int, int]) -> Iterator[Reason]:
        task, grid, say = self.task, self.grid, self.say
        if task.when and task.target:
            yield self._target()
        elif task.opens:
            yield Reason("opening", dates[0], True, f"opens the job → {say(dates[0])}")
        for limit in limit_of(task, grid):
            first, start = self._at(limit)
            yield bound("not before", first, start == self.start, f"not before {say(first)}")
        for awaited in task.waits:
            if awaited.finish is not None:
                first, start = self._at(awaited.finish)
                ends = say(grid.inclusive(awaited.finish))
                place = replace(awaited, title=short(awaited.title)).place
                text = f"after {place} (ends {ends}) → {say(first)}"
                yield bound("awaits", first, start == self.start, text)
        with suppress(DateRangeError):  # a lead back beyond year 1 holds nothing
            yield from self._asked(dates)

    def _asked(self, dates: tuple[int, int]) -> Iterator[Reason]:
        """What links ask of the task; those at a distance that never changes, which are most, are said quickly."""
        network, telling, position = self.plan.network, self.telling, self.position
        if self.task.stands or position in network.knots.before:
            for link, ask in network.held_by(position, self.fronts):
                yield self._link(link, ask)
            return
        for link in network.incoming[position]:
            reason = telling.asked(link, self.activity, telling.number(position), dates)
            yield from self.of_link(link) if reason is None else (reason,)

    def of_link(self, link: Dependency) -> Iterator[Reason]:
        """What one link asks, whatever it is."""
        return (self._link(link, ask) for ask in self.fronts.asks(link))

    def _span(self, position: int) -> tuple[int, int]:
        return self.plan.schedule.start[position], self.plan.schedule.finish[position]

    def _at(self, bound: int) -> tuple[int, int]:
        """The date and the boundary at which the task would start from a boundary on."""
        span = place(self.activity, bound)
        dates = read(self.task, *span, self.grid)
        assert dates
        return dates[0], span[0]

    def _target(self) -> Reason:
        plan, task, grid, say = self.plan, self.task, self.grid, self.say
        assert task.when and task.target
        anchor, target = plan.anchors[task.when.anchor], plan.target_read(self.position)
        assert anchor is not None and target
        binding = place(self.activity, task.target[0])[0] == self.start
        label, forward = short(plan.labels[task.when.anchor]), plan.direction == "forward"
        if task.opens and task.window:
            return self._window(task.window, target[0 if forward else 1], binding)
        at_end = task.edge == "finish"
        day = target[1] if at_end else target[0]
        calendar = plan.calendars[task.calendar]
        raw = unrolled(anchor, task.when, calendar)
        rolled = ""
        if raw != day and task.when.roll != "none":
            off = calendar.name_of(grid.day(raw))
            rolled = f", rolled from {say(raw)}" + (f" ({off})" if off else "")
        if task.opens and forward:
            text = f"opens the job on {label} ({say(anchor)}) → {say(target[0])}"
            return bound("opening", target[0], binding, text + rolled)
        due = "due " if at_end and task.duration else ""
        text = f"{due}{offset_words(task.when, label)} ({say(anchor)}) → {say(day)}"
        return bound("anchor", day, binding, text + rolled)

    def _window(self, window: tuple[int, int], day: int, binding: bool) -> Reason:
        """What only its phase's window dates."""
        plan, grid = self.plan, self.grid
        key = phase_keys([plan.tasks[i] for i in plan.above(self.position)]).get(self.task.key)
        label = short(next((phase.label for phase in plan.phases if phase.key == key), "its phase"))
        days = [grid.day_start(grid.day(window[0])), grid.inclusive(window[1])]
        text = f"in the window of {label} ({self.say(days[0])} – {self.say(days[1])}) → {self.say(day)}"
        return bound("phase", day, binding, text)

    def _link(self, link: Dependency, ask: Ask) -> Reason:
        plan, network, activity = self.plan, self.plan.network, self.activity
        end = link.type[1]
        number, stands = number_from(activity, end, ask.bound(activity)), self._number(end)
        binding, at_end = number == stands, end == "F"
        if binding and not self.task.stands:
            _, dates, _ = self.known(self.position)
        else:
            dates = read(self.task, *span_at(activity, number), self.grid)
        assert dates
        source = plan.tasks[ask.source].key
        kind: Kind = "link" if _phase_between(network, link) is None else "phase"
        if number > stands and self.task.state != "dropped":
            known, amounts = self.known(ask.source), _amounts(ask, activity, self.grid)
            text = _should_words(ask, ask.end + end, known, self.say, amounts)
            unit = slots_words(number - stands, self.grid, activity.calendar.per_day)
            return Reason(kind, dates[at_end], False, f"{text}: broken by {unit}", source)
        words = held_words(network, link, ask, self.known, self.say)
        return bound(kind, dates[at_end], binding, f"{words} → {self.say(dates[at_end])}", source)

    def _number(self, end: str) -> int:
        """The number that an end of the task stands at."""
        number = self._numbers.get(end)
        if number is None:
            number = self._numbers[end] = number_from(self.activity, end, self._span(self.position)[end == "F"])
        return number

    def _followed(self) -> Iterator[Reason]:
        """In a plan that runs backward: what follows, where it needs this task to be no later."""
        plan, network = self.plan, self.plan.network
        for at in plan.above(self.position):
            for link in network.outgoing[at]:
                span = self._span(link.target)
                if span[0] == UNDATED:
                    continue
                with suppress(DateRangeError):
                    until = latest_source(link, span, network.activities[link.target])
                    follower = plan.read(link.target)
                    assert follower
                    what = f"{short(plan.tasks[link.target].title)} (starts {self.say(follower[0])})"
                    yield self._as_late(link, until, what, plan.tasks[link.target].key)
            if at not in network.knots.behind:
                continue
            backs = Backs(network.knots, network.activities, lambda i: self._span(i) if self._span(i)[0] >= 0 else None)
            for knot in reversed(network.order):
                if knot >= network.knots.base:
                    backs.settle(knot)
            for link in network.knots.behind[at]:
                for last in backs.untils(link):
                    yield self._as_late(link, last.last(), "what follows", None)

    def _as_late(self, link: Dependency, until: int, what: str, source: str | None) -> Reason:
        placed = span_at(self.activity, number_until(self.activity, link.type[0], until))
        dates = read(self.task, *placed, self.grid)
        assert dates
        text = f"as late as {what} allows → {self.say(dates[0])}"
        return bound("late", dates[0], placed[0] == self.start, text, source)

    def _standing(self, dates: tuple[int, int]) -> Reason:
        first, last = self.say(dates[0]), self.say(dates[1])
        stands = self.task.stands
        if stands == "fixed":
            return bound("fixed", dates[0], True, f"fixed on {first}")
        if stands == "begun":
            return bound("begun", dates[0], True, f"begun {first}")
        if stands == "done":
            return bound("done", dates[1], True, f"done {last}")
        return bound("dropped", dates[0], True, "dropped; nothing waits for it")

    def _parts(self, dates: tuple[int, int]) -> Reason:
        plan = self.plan
        start, finish = plan.schedule.start, plan.schedule.finish
        dated = [i for i in plan.network.children[self.position] if start[i] != UNDATED]
        first, last = min(dated, key=lambda i: start[i]), max(dated, key=lambda i: finish[i])
        text = f"from the start of {short(plan.tasks[first].title)} to the end of {short(plan.tasks[last].title)}"
        return bound("parts", dates[0], True, text)

    def _undated(self) -> Reason:
        plan, task, position = self.plan, self.task, self.position
        if task.state == "dropped":
            return Reason("dropped", None, True, "dropped; nothing waits for it")
        if plan.is_parent(position):
            dropped = all(plan.tasks[i].state == "dropped" for i in plan.leaves(position))
            text = "all of its sub-steps are dropped" if dropped else "none of its sub-steps has a date yet"
            return Reason("undated", None, True, text)
        if task.when:
            label = short(plan.labels[task.when.anchor])
            return Reason("undated", None, True, f"{offset_words(task.when, label)}, whose date is not known yet")
        source = next(iter(plan.network.sources(position)), None)
        if source is not None:
            title = short(plan.tasks[source].title)
            return Reason("undated", None, True, f"after {title}, which has no date yet")
        return Reason("undated", None, True, "starts with the job, whose first date is not known yet")
