"""What a shift runs into: what a person should know before applying it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from unisequa.core.network.activities import Dependency
from unisequa.core.network.knots import Ask, Fronts
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, misses, number_from, span_at
from unisequa.core.plan.plan import one_task, read
from unisequa.core.plan.targets import anchor_limit
from unisequa.core.plan.telling import short
from unisequa.core.shift.changes import Change, Conflict, Held
from unisequa.core.shift.edits.following import awaits_more, waits_words
from unisequa.core.shift.prepared import Prepared

_ORDER = (
    "deadline", "anchor", "window", "fixed", "link", "before", "leave", "day off", "not before", "past", "target",
)  # fmt: skip


def conflicts(
    prepared: Prepared, changes: Sequence[Change], held: Sequence[Held], finish: tuple[int, int]
) -> list[Conflict]:
    """Everything that the shift itself brings about, the gravest first."""
    run_into = list(_Conflicts(prepared, changes).all(held, finish))
    return sorted(run_into, key=lambda conflict: _ORDER.index(conflict.kind))


class _Conflicts:
    def __init__(self, prepared: Prepared, changes: Sequence[Change]) -> None:
        self.p, self.plan, self.grid = prepared, prepared.plan, prepared.plan.grid
        self.said = prepared.plan.dates_in_words()
        self.changes = {prepared.plan.positions[change.key]: change for change in changes}

    def all(self, held: Sequence[Held], finish: tuple[int, int]) -> Iterator[Conflict]:
        end, was = self.p.end, self.plan.end
        if end is not None and finish[1] > end and (was is None or finish[0] <= was):
            ends, until = self.said.both(self.grid.inclusive(finish[1]), self.grid.inclusive(end))
            yield Conflict("deadline", None, f"The run would end {ends}, after its deadline {until}")
        yield from self._windows()
        for kept in sorted(self.p.kept_fixed):
            task = self.plan.tasks[kept]
            day = self.read(kept, self.span(kept))[0]
            text = f"{short(task.title)} is fixed on {self.words(day)} and stays there"
            yield Conflict("fixed", task.key, text)
        for one in held:
            task = self.plan.tasks[one.position]
            wanted, holds = self.read(one.position, one.wished)[0], self.read(one.position, one.got)[0]
            source = short(self.plan.tasks[one.via].title)
            wants, can = self.said.both(wanted, holds)
            text = f"{short(task.title)} cannot start {wants}: it follows {source}; {can} is the earliest"
            yield Conflict("link", task.key, text)
        for position in sorted({*self.changes, *self.p.tasks, *self.p.looked_at}):
            yield from self._limits(position)
        for position, kind, text in self._of_tasks():
            yield Conflict(kind, self.plan.tasks[position].key, text)
        yield from self._broken()

    def words(self, day: int) -> str:
        return self.said[day]

    def span(self, position: int) -> tuple[int, int]:
        change = self.changes.get(position)
        return change.after if change else self.p.stands(position)

    def was(self, position: int) -> tuple[int, int]:
        return self.plan.schedule.start[position], self.plan.schedule.finish[position]

    def read(self, position: int, span: tuple[int, int]) -> tuple[int, int]:
        dates = read(self.p.task(position), *span, self.grid)
        assert dates
        return dates

    def starts(self, position: int, span: tuple[int, int]) -> str:
        """The words for the date at which a task begins."""
        return self.words(self.read(position, span)[0])

    def ends(self, position: int, span: tuple[int, int]) -> str:
        """The same of its last one."""
        return self.words(self.read(position, span)[1])

    def _windows(self) -> Iterator[Conflict]:
        """Windows that now run past the run's end."""
        if self.p.end is None or self.p.phases == self.plan.phases:
            return
        last = self.grid.day(self.p.end - 1)
        for phase in self.p.phases:
            if phase.window is not None and phase.window[1] > last:
                ends, end = self.said.of_days.both(phase.window[1], last)
                until = f"{ends}, after the run's end {end}"
                yield Conflict("window", None, f"The window of {short(phase.label)} would run to {until}")

    def _limits(self, i: int) -> Iterator[Conflict]:
        """Deadline, window and anchor that a task misses now and did not before."""
        p, plan, old = self.p, self.plan, self.plan.tasks[i]
        task, (start, finish), before = p.task(i), self.span(i), self.was(i)
        if plan.is_parent(i) or task.state in {"done", "dropped"} or start == UNDATED:
            return
        due, was_due = task.due_by, old.due_by
        if due is not None and finish > due and (was_due is None or before[1] <= was_due):
            title = short(task.title)
            ends, until = self.said.both(self.read(i, (start, finish))[1], self.grid.inclusive(due))
            if task.deadline is not None:
                yield Conflict("deadline", task.key, f"{title} would end {ends}, after its deadline {until}")
            else:
                yield Conflict("window", task.key, f"{title} would end {ends}, after its phase's window, until {until}")
        limit = anchor_limit(task, p.anchors, p.calendars)
        if limit is not None and self._passes(limit, (start, finish)):
            former = anchor_limit(old, plan.anchors, plan.calendars)
            if former is None or before[0] == UNDATED or not self._passes(former, before):
                assert task.when is not None
                anchor = p.anchors[task.when.anchor]
                assert anchor is not None
                verb = "end" if limit[0] == "F" else "start"
                at, on = self.said.both(self.read(i, (start, finish))[verb == "end"], anchor)
                label = f"{short(plan.labels[task.when.anchor])} on {on}"
                yield Conflict("anchor", task.key, f"{short(task.title)} would {verb} {at}, after {label}")

    @staticmethod
    def _passes(limit: tuple[str, int], span: tuple[int, int]) -> bool:
        return span[limit[0] == "F"] > limit[1]

    def _broken(self) -> Iterator[Conflict]:
        """Links that a task no longer keeps because of this shift: it stands by itself, or moves with the whole run."""
        p, network = self.p, self.p.network
        now, then = network.fronts(self.span), self.plan.network.fronts(self.was)
        touched = {*self.changes, *p.looked_at, *p.tasks}
        for i in sorted(touched.union(network.targets(*touched))):
            task = p.task(i)
            if network.children.get(i) is not None or not (task.stands or i in p.exact) or task.state == "dropped":
                continue
            for link, ask in network.held_by(i, now):
                if not self._misses(network, i, link, ask, self.span(i)) or self._missed(then, i, ask, link):
                    continue
                source = short(self.plan.tasks[ask.source].title)
                how = {"fixed": "is fixed on", "begun": "was begun on", "done": "was done by", "": "would start"}
                stands, follows = self.read(i, self.span(i)), self.read(ask.source, self.span(ask.source))
                at, ends = self.said.both(stands[task.stands == "done"], follows[ask.end == "F"])
                verb = "end" if ask.end == "F" else "start"
                done = p.task(ask.source).state == "done"
                said = f"{verb}ed" if done else f"would {verb}"
                text = f"{short(task.title)} {how[task.stands]} {at}, but {source}, which it follows, {said} {ends}"
                kind = {"fixed": "fixed", "begun": "before", "done": "before"}.get(task.stands, "link")
                yield Conflict(kind, task.key, text)

    def _misses(self, network: Network, i: int, link: Dependency, ask: Ask, span: tuple[int, int]) -> bool:
        """Whether a task stands before where a link would have it."""
        if span[0] == UNDATED:
            return False
        activity = self.p.activity(i) if network is self.p.network else network.activities[i]
        return misses(activity, link.type[1], ask.bound(activity), span)

    def _missed(self, then: Fronts, i: int, ask: Ask, link: Dependency) -> bool:
        """Whether it did so before the shift, standing by itself as it does now."""
        if not self.plan.tasks[i].stands and i not in self.p.exact:
            return False
        network = self.plan.network
        return any(
            old.source == ask.source
            and before.type[1] == link.type[1]
            and self._misses(network, i, before, old, self.was(i))
            for before, old in network.held_by(i, then)
        )

    def _of_tasks(self) -> Iterator[tuple[int, str, str]]:
        p, today = self.p, self.plan.today
        for i, change in self.changes.items():
            if p.network.children.get(i) is not None:
                continue
            task, after = p.task(i), change.after
            if task.state in {"done", "dropped"}:
                continue
            before = change.before[1] if change.before else UNDATED
            if today is not None and task.state == "waiting" and self.read(i, after)[0] < today:
                yield i, "past", f"{short(task.title)} would start {self.starts(i, after)}, before today"
            limit = p.activity(i).not_before
            if limit is not None and i in p.by_hand and after[0] < limit:
                free = span_at(p.activity(i), number_from(p.activity(i), "S", limit))
                starts, until = self.said.both(self.read(i, after)[0], self.read(i, free)[0])
                yield i, "not before", f"{short(task.title)} would start {starts}, though not before {until}"
            if self.plan.away and (text := self._leave(i, after)):
                yield i, "leave", f"{short(task.title)} would fall on {text}"
            if task.due_by is not None and after[1] > task.due_by:
                continue
            due = task.target[1] if task.target and task.edge == "finish" else None
            was_due = self.plan.tasks[i].target
            kept = was_due is None or before <= was_due[1]
            moved_by_hand = change.cause == "edited" or i in p.exact
            if not moved_by_hand and due is not None and after[1] > due and kept:
                ends, target = self.said.both(self.read(i, after)[1], self.read(i, task.target or after)[1])
                yield i, "target", f"{short(task.title)} would end {ends}; the template has it due {target}"
        for i in sorted(p.looked_at & p.limited):
            task, start = p.task(i), p.stands(i)[0]
            if task.stands == "fixed" and awaits_more(task, start):
                at = self.starts(i, p.stands(i))
                yield i, "fixed", f"{short(task.title)} is fixed on {at}, but {waits_words(task, self.grid)}"
        if p.calendars is not self.plan.calendars:
            for i, task in enumerate(self.plan.tasks):
                if task.stands == "fixed" and i not in self.changes:
                    yield from self._closed(i)

    def _closed(self, i: int) -> Iterator[tuple[int, str, str]]:
        start, finish = self.p.stands(i)
        name = self.plan.tasks[i].calendar
        old, new = self.plan.calendars[name], self.p.calendars[name]
        lost = old.count(start, finish) - new.count(start, finish)
        if lost > 0:
            task, day = self.plan.tasks[i], self.words(self.read(i, (start, finish))[0])
            yield i, "day off", f"{short(task.title)} is fixed on {day}, which is now a day off"

    def _leave(self, i: int, span: tuple[int, int]) -> str:
        """Whose leave a task comes to fall on."""
        task, grid = self.p.task(i), self.grid
        whose = one_task(task.key) if one_task(task.key) in self.plan.away else task.role or ""
        spans = self.plan.away.get(whose, ())
        first, last = grid.day(span[0]), grid.day(max(span[0], span[1] - 1))
        for a, b in spans:
            if first <= b and a <= last:
                who = self.plan.crew.get(whose) or task.role
                day = max(a, first)
                return f"{self.said.of_days[day]}, when {who} is away"
        return ""
