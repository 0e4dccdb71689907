"""What a shift runs into: what a person should know before applying it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from unisequa.core.calendars.words import day_words, slot_words
from unisequa.core.network.activities import Dependency
from unisequa.core.network.places import UNDATED, number_asked, number_from, span_at
from unisequa.core.plan.plan import read
from unisequa.core.plan.reasons import short
from unisequa.core.shift.changes import Change, Conflict, Held
from unisequa.core.shift.prepared import Prepared

_ORDER = ("deadline", "fixed", "link", "leave", "day off", "not before", "past", "target")


def conflicts(
    prepared: Prepared, changes: Sequence[Change], held: Sequence[Held], finish: tuple[int, int]
) -> list[Conflict]:
    """Everything that the shift itself brings about, the gravest first."""
    run_into = list(_Conflicts(prepared, changes).all(held, finish))
    return sorted(run_into, key=lambda conflict: _ORDER.index(conflict.kind))


class _Conflicts:
    def __init__(self, prepared: Prepared, changes: Sequence[Change]) -> None:
        self.p, self.plan, self.grid = prepared, prepared.plan, prepared.plan.grid
        self.changes = changes
        self.after = {prepared.plan.positions[change.key]: change.after for change in changes}

    def all(self, held: Sequence[Held], finish: tuple[int, int]) -> Iterator[Conflict]:
        end = self.plan.end
        if end is not None and finish[1] > end >= finish[0]:
            ends, until = self.words(self.grid.inclusive(finish[1])), self.words(self.grid.inclusive(end))
            yield Conflict("deadline", None, f"The run would end {ends}, after its deadline {until}")
        for kept in sorted(self.p.kept_fixed):
            task = self.plan.tasks[kept]
            day = self.read(kept, self.span(kept))[0]
            text = f"{short(task.title)} is fixed on {self.words(day)} and stays there"
            yield Conflict("fixed", task.key, text)
        for one in held:
            task = self.plan.tasks[one.position]
            wanted, holds = self.read(one.position, one.wished)[0], self.read(one.position, one.got)[0]
            source = short(self.plan.tasks[one.via].title)
            text = f"{short(task.title)} cannot start {self.words(wanted)}: it follows {source}; "
            yield Conflict("link", task.key, text + f"{self.words(holds)} is the earliest")
        for position, kind, text in self._of_tasks():
            yield Conflict(kind, self.plan.tasks[position].key, text)
        for link in self._broken():
            task, source = self.p.task(link.target), short(self.plan.tasks[link.source].title)
            at = self.words(self.read(link.target, self.span(link.target))[0])
            stands = {"fixed": "is fixed on", "begun": "was begun on", "done": "was done by"}[task.stands]
            ends = self.words(self.read(link.source, self.span(link.source))[link.type[0] == "F"])
            verb = "end" if link.type[0] == "F" else "start"
            text = f"{short(task.title)} {stands} {at}, but {source}, which it follows, would {verb} {ends}"
            yield Conflict("fixed" if task.stands == "fixed" else "link", task.key, text)

    def words(self, day: int) -> str:
        return slot_words(day, self.grid)

    def span(self, position: int) -> tuple[int, int]:
        return self.after.get(position, self.p.stands(position))

    def read(self, position: int, span: tuple[int, int]) -> tuple[int, int]:
        dates = read(self.p.task(position), *span, self.grid)
        assert dates
        return dates

    def _broken(self) -> Iterator[Dependency]:
        """Links that a task which stands by itself no longer keeps because of this shift."""
        network, seen = self.p.network, set()
        touched = {*self.after, *self.p.looked_at}
        for i in sorted(touched):
            for link in (*network.incoming[i], *network.outgoing[i]):
                target = self.p.task(link.target)
                begun = target.stands == "begun" and link.type[1] == "S"
                if link in seen or target.stands not in {"fixed", "begun"} or begun:
                    continue
                seen.add(link)
                source, activity = self.span(link.source), self.p.activity(link.target)
                start = self.span(link.target)[0]
                if source[0] == UNDATED or start == UNDATED:
                    continue
                bound = number_asked(link, source, activity)
                if bound > number_from(activity, "S", start) and not self._was_broken(link):
                    yield link

    def _was_broken(self, link: Dependency) -> bool:
        if link.source >= len(self.plan.tasks) or link not in self.plan.network.incoming[link.target]:
            return False
        activity = self.plan.network.activities[link.target]
        source, start = self.p.stands(link.source), self.p.stands(link.target)[0]
        if source[0] == UNDATED or start == UNDATED:
            return False
        return number_asked(link, source, activity) > number_from(activity, "S", start)

    def _of_tasks(self) -> Iterator[tuple[int, str, str]]:
        p, grid, today = self.p, self.grid, self.plan.today
        for change in self.changes:
            i = self.plan.positions[change.key]
            if p.network.children.get(i) is not None:
                continue
            task, title = p.task(i), short(p.task(i).title)
            if task.state in {"done", "dropped"}:
                continue
            first, last = self.read(i, change.after)
            before = change.before[1] if change.before else UNDATED
            starts, ends = self.words(first), self.words(last)
            if today is not None and first < today and task.state == "waiting":
                yield i, "past", f"{title} would start {starts}, before today"
            limit = p.activity(i).not_before
            if limit is not None and i in p.by_hand and change.after[0] < limit:
                until = self.words(self.read(i, span_at(p.activity(i), number_from(p.activity(i), "S", limit)))[0])
                yield i, "not before", f"{title} would start {starts}, though not before {until}"
            if text := self._leave(i, change.after):
                yield i, "leave", f"{title} would fall on {text}"
            if task.deadline is not None and change.after[1] > task.deadline >= before:
                until = self.words(grid.inclusive(task.deadline))
                yield i, "deadline", f"{title} would end {ends}, after its deadline {until}"
                continue
            due = task.target[1] if task.target and task.edge == "finish" else None
            was_due = self.plan.tasks[i].target
            kept = was_due is None or before <= was_due[1]
            if change.cause != "edited" and due is not None and change.after[1] > due and kept:
                target = self.words(self.read(i, task.target or change.after)[1])
                yield i, "target", f"{title} would end {ends}; the template has it due {target}"
        if p.calendars is not self.plan.calendars:
            for i, task in enumerate(self.plan.tasks):
                if task.stands == "fixed" and i not in self.after:
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
        spans = self.plan.away.get(task.role or "", ())
        first, last = grid.day(span[0]), grid.day(max(span[0], span[1] - 1))
        for a, b in spans:
            if first <= b and a <= last:
                who = self.plan.crew.get(task.role or "") or task.role
                day = max(a, first)
                return f"{day_words(day)}, when {who} is away"
        return ""
