"""From a template and an occasion (anchor dates, facts, crew) to a plan."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

from unisequa.core.calendars.grid import Grid, read_span
from unisequa.core.calendars.today import now_on
from unisequa.core.calendars.words import slot_words
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.includes import Library, Placed, Scope, Whole, whole
from unisequa.core.documents.measures import measured, offset_words, unrolled
from unisequa.core.documents.placeholders import fill_in, holds
from unisequa.core.documents.template import Measure, Template, Wait, When
from unisequa.core.errors import CircleError, DateRangeError, DocumentError, Fault, did_you_mean
from unisequa.core.plan.bridging import spread, tied, without_loose
from unisequa.core.plan.building import gated
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.facts import _facts_of, read_facts
from unisequa.core.plan.milestones import with_edges
from unisequa.core.plan.noticed import warnings_of
from unisequa.core.plan.phases import PhaseOf, phase_keys
from unisequa.core.plan.plan import Plan, planned
from unisequa.core.plan.targets import derived_dates, in_phases, limits_of, placed_at
from unisequa.core.plan.task import Awaited, LinkOf, Task, Warning
from unisequa.core.terms import DAY_MINUTES, MOST_DAYS, Edge

Elsewhere = Callable[[Wait, dt.date | None], Awaited]


@dataclass(frozen=True, slots=True)
class Occasion:
    """What is known about one occasion of the job.

    Parameters
    ----------
    anchors : mapping of str to date
        On the minute grid also dates with a time of day.
    facts : mapping of str to str, number, date or bool
    crew : mapping of str to str
        Role → the person's name.
    calendars : tuple of CalendarDocument
        The first is the run's own; steps and roles name the others.
    today : date, optional
    deadline : date, optional
        By when the whole run should have finished.
    away : mapping of str to tuple of (date, date)
        Role → when its people are on leave, both days included.
    without : collection of str
        Steps left out this time, by their whole keys; what follows them follows what they followed.
    sketch : bool
        A first look: anchors and facts that are required may be missing still; texts stand under their names.
    elsewhere : callable, optional
        Gives for a wait and the date of its anchor what is awaited, in the other job's run of that date.
    """

    anchors: Mapping[str, dt.date] = field(default_factory=dict)
    facts: Mapping[str, object] = field(default_factory=dict)
    crew: Mapping[str, str] = field(default_factory=dict)
    subject: str = ""
    calendars: tuple[CalendarDocument, ...] = ()
    today: dt.date | None = None
    deadline: dt.date | None = None
    away: Mapping[str, tuple[tuple[dt.date, dt.date], ...]] = field(default_factory=dict)
    without: Collection[str] = ()
    sketch: bool = False
    elsewhere: Elsewhere | None = None


def assemble(template: Template, occasion: Occasion, library: Library | None = None) -> Plan:
    """Work a template out for an occasion.

    Raises
    ------
    DocumentError
        With every fault: anchors or facts that are missing or not there, a template that is not given, links
        that run in a circle.
    """
    parts = whole(template, library)
    grid = template.slots_of_time()
    calendars = Calendars(occasion.calendars, grid)
    faults = [*_anchor_faults(parts, occasion), *_calendar_faults(parts, calendars)]
    facts, fact_faults = _facts_of(parts.facts, occasion.facts)
    if occasion.sketch:
        fact_faults = [fault for fault in fact_faults if fault.path.partition(".")[2] in occasion.facts]
        missing = [key for key, one in parts.facts.items() if facts[key] is None and one.kind == "text"]
        facts |= {key: f"[{parts.facts[key].label}]" for key in missing}
    faults += fact_faults
    if faults:
        raise DocumentError(faults)
    assembly = _Assembly(template, parts, occasion, calendars, facts)
    del template, parts  # a large template whose caller has let go of it is let go of as soon as its tasks are made
    try:
        return assembly.plan()
    except CircleError as error:
        raise DocumentError([Fault("links", f"{error}; take one of these links out")]) from error
    except DateRangeError as error:
        raise DocumentError([Fault("anchors", f"{error}; give a date nearer to today")]) from error


def run_name(template: Template, occasion: Occasion) -> str:
    """The name that the template's naming pattern proposes; the template's own without one."""
    facts, _ = read_facts(template, occasion.facts)
    anchors = {a.key: occasion.anchors.get(a.key) for a in template.anchors}
    crew = {role.key: occasion.crew.get(role.key) or role.label for role in template.roles}
    return named(template, {**crew, **anchors, **facts, "subject": occasion.subject})


def named(template: Template, values: Mapping[str, object]) -> str:
    """What a template's naming pattern makes of crew, anchors, facts and subject; else its own name."""
    try:
        name = fill_in(template.naming, values).strip()
    except ValueError:
        name = ""
    return (name or template.name)[:200]


def _anchor_faults(parts: Whole, occasion: Occasion) -> Iterator[Fault]:
    for key in occasion.anchors:
        if key not in parts.anchors:
            yield Fault(f"anchors.{key}", f'the template has no anchor "{key}"{did_you_mean(key, parts.anchors)}')
    for key, (anchor, _) in parts.anchors.items():
        if anchor.required and anchor.from_ is None and key not in occasion.anchors and not occasion.sketch:
            yield Fault(f"anchors.{key}", f'"{anchor.label}" is required; give its date')


def _calendar_faults(parts: Whole, calendars: Calendars) -> Iterator[Fault]:
    named = [(placed.path, placed.step.calendar) for placed in parts.steps]
    named += [(f"roles[{i}]", role.calendar) for i, role in enumerate(parts.roles.values())]
    for path, name in named:
        if name is not None and name not in calendars:
            known = [document.name for document in calendars.documents]
            yield Fault(f"{path}.calendar", f'no calendar "{name}" was given{did_you_mean(name, known)}')


@dataclass(slots=True)
class _Family:
    """Who is whose parent among the steps that apply, by full key."""

    parents: dict[str, str]
    children: dict[str, list[str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for child, parent in self.parents.items():
            self.children.setdefault(parent, []).append(child)

    def leaves(self, key: str) -> Iterator[str]:
        """The steps that a parent stands for, at whatever level; a step itself otherwise."""
        if key not in self.children:
            yield key
            return
        for child in self.children[key]:
            yield from self.leaves(child)

    def above(self, key: str) -> Iterator[str]:
        """A step's parents, from the inside out."""
        while key in self.parents:
            key = self.parents[key]
            yield key


class _Assembly:
    """One working-out: the template, what is known, and the warnings met on the way."""

    def __init__(
        self,
        template: Template,
        parts: Whole,
        occasion: Occasion,
        calendars: Calendars,
        facts: Mapping[str, object],
    ) -> None:
        self.template, self.parts, self.occasion, self.calendars = template, parts, occasion, calendars
        self.facts = facts
        self.grid: Grid = calendars.grid
        self.labels = {key: anchor.label for key, (anchor, _) in parts.anchors.items()}
        self.derived: dict[str, Measure] = {}
        self.anchors = self._anchor_dates()
        self.crew = {key: occasion.crew.get(key) or role.label for key, role in parts.roles.items()}
        self.warnings: list[Warning] = []
        self._values: dict[str, dict[str, Any]] = {}
        self._roles: dict[tuple[str, str], str] = {}

    def _anchor_dates(self) -> dict[str, int | None]:
        given = self.occasion.anchors
        for key, (anchor, scope) in self.parts.anchors.items():
            if anchor.from_ is not None and key not in given:
                self.derived[key] = scope.measure(anchor.from_)
        default = self.calendars[None]
        dates = {key: default.instant(given[key]) if key in given else None for key in self.parts.anchors}
        return derived_dates(dates, self.derived, self.calendars)

    def values(self, scope: Scope) -> dict[str, Any]:
        """What placeholders and conditions of a scope may name."""
        values = self._values.get(scope.prefix)
        if values is None:
            moments = {key: None if at is None else self.grid.moment(at) for key, at in self.anchors.items()}
            values = {**self.crew, **moments, **self.facts, "subject": self.occasion.subject}
            for names, known in ((scope.roles, self.crew), (scope.anchors, moments), (scope.facts, self.facts)):
                values |= {theirs: known.get(ours) for theirs, ours in names.items()}
            self._values[scope.prefix] = values
        return values

    def plan(self) -> Plan:
        steps, family, links, ties = self._applying()
        today, ends = self.occasion.today, self._ends()
        end = self._end(ends)
        self.template = self.template.model_copy(update={"steps": (), "links": ()})
        self.parts.steps.clear()
        self.parts.links.clear()
        tasks = self._tasks(steps, family, links, ties)
        del family
        tasks, phases = in_phases(tasks, self._phases(), self.anchors, self.calendars, end, self.template.direction)
        no_anchor = now_on(self.grid, today or dt.date.today()) if not self.template.anchors else None
        plan = planned(
            run_name(self.template, self.occasion),
            tasks,
            links,
            self.calendars,
            self.anchors,
            self.labels,
            opening=no_anchor,
            today=now_on(self.grid, today) if today else None,
            end=end,
            direction=self.template.direction,
            ties=ties,
            phases=phases,
        )
        plan = replace(
            plan,
            derived=self.derived,
            crew=dict(self.occasion.crew),
            away={
                role: tuple((a.toordinal(), b.toordinal()) for a, b in spans)
                for role, spans in self.occasion.away.items()
            },
            day_labels=tuple(self._day_labels()),
            ends=ends,
            follow=self.template.follow,
        )
        noticed = warnings_of(plan, abroad=self.occasion.elsewhere is not None)
        return replace(plan, warnings=(*self.warnings, *noticed, *plan.warnings))

    def _ends(self) -> str | None:
        """The anchor by whose day all should be over, if it is known."""
        ends = self.template.ends
        return ends if ends is not None and self.anchors.get(ends) is not None else None

    def _end(self, ends: str | None) -> int | None:
        """The run's deadline as a boundary: the end of the day of the anchor that ends it, or else the given one."""
        at, deadline = None if ends is None else self.anchors[ends], self.occasion.deadline
        if at is not None:
            return self.grid.day_start(self.grid.day(at) + 1)
        return None if deadline is None else self.grid.end_of(deadline)

    def _phases(self) -> tuple[PhaseOf, ...]:
        made = []
        for key, phase in self.parts.phases.items():
            scope, ends = self.parts.jobs[key]
            after = phase.opens == "after the one before"
            made.append(PhaseOf(key, phase.label, phase.span, after, scope.first_anchor, ends, job=scope.prefix))
        return tuple(made)

    def _applying(self) -> tuple[list[Placed], _Family, tuple[LinkOf, ...], tuple[str, ...]]:
        """The steps that apply, and the links; what followed a step that does not apply follows what it followed."""
        known = {placed.key: placed for placed in self.parts.steps}
        parents = {p.key: p.scope.prefix + p.step.parent for p in self.parts.steps if p.step.parent is not None}
        family = _Family(parents)
        out: set[str] = set()
        for placed in self.parts.steps:
            try:
                applies = placed.step.only_if is None or holds(placed.step.only_if, self.values(placed.scope))
            except ValueError as error:
                raise DocumentError([Fault(f"{placed.path}.only_if", str(error))]) from None
            if not applies or placed.key in self.occasion.without:
                out.add(placed.key)
        if out:
            out |= {key for key in known if any(parent in out for parent in family.above(key))}
        emptied = True
        while emptied:  # a parent all of whose sub-steps are left out is left out with them
            empty = {p for p, inner in family.children.items() if p not in out and all(c in out for c in inner)}
            emptied = bool(empty)
            out |= empty
        links, ties = self._past(known, family, out)
        steps = [placed for placed in self.parts.steps if placed.key not in out]
        return steps, _Family({c: p for c, p in parents.items() if c not in out}), links, ties

    def _past(
        self, known: Mapping[str, Placed], family: _Family, out: set[str]
    ) -> tuple[tuple[LinkOf, ...], tuple[str, ...]]:
        """The links past the steps left out, and the ties that keep them few."""
        groups = self.parts.groups
        links, made = spread(self._links(known), groups, of="source")
        links, more = spread(links, groups)
        inner = {key: leaves for key in out if (leaves := list(family.leaves(key))) != [key]}
        links, within = spread(links, inner)
        links += [LinkOf(leaf, key, "FF") for key, leaves in inner.items() for leaf in leaves]
        past, kept = tied(links, out)
        return without_loose(past, (*made, *more, *within, *kept))

    def _links(self, known: Mapping[str, Placed]) -> Iterator[LinkOf]:
        groups = self.parts.groups
        names = {key: key for key in known}  # one text for each key, not one for each link
        for source, target, link, _ in self.parts.links:
            members = groups.get(target)
            each = members if members and link.lag and self.grid.per_day > 1 else [target]  # their days may differ
            for key in each:
                lag = link.lag if isinstance(link.lag, int) else 0
                if link.lag and (self.grid.per_day > 1 or isinstance(link.lag, str)):
                    placed = known[members[0] if members and key == target else key]
                    lag = link.slots(self.calendars[self._calendar(placed)])
                yield LinkOf(names.get(source, source), names.get(key, key), link.type, lag, link.unit)

    def _calendar(self, placed: Placed) -> str | None:
        step = placed.step
        if step.calendar or step.role is None:
            return step.calendar
        return self.parts.roles[self._role(step.role, placed.scope)].calendar

    def _role(self, role: str, scope: Scope) -> str:
        """The full key of what a scope calls a role; one text for all its steps."""
        key = self._roles.get((scope.prefix, role))
        if key is None:
            key = self._roles[scope.prefix, role] = scope.roles.get(role, scope.prefix + role)
        return key

    def _tasks(
        self, steps: list[Placed], family: _Family, links: tuple[LinkOf, ...], ties: Iterable[str]
    ) -> tuple[Task, ...]:
        """The steps as tasks; each step is let go of as its task is made."""
        backward = self.template.direction == "backward"
        linked = {link.source if backward else link.target for link in links}
        parents = {placed.key: placed for placed in steps if placed.key in family.children}
        tasks = []
        steps.reverse()
        while steps:
            placed = steps.pop()
            line, bound = [placed], placed.key in linked
            if placed.key in family.parents:
                line += [parents[key] for key in family.above(placed.key)]
                bound = any(p.key in linked for p in line)
            tasks.append(self._task(line, placed.key in parents, bound))
        behind = gated(tasks, self._phases())
        if behind:  # what the end of a phase holds is dated by that, or in a plan that runs backward what holds it
            spanned = {phase.key for phase in self._phases() if phase.span}
            keys, ends = phase_keys(tasks), set(behind.values())
            held = {key for key, phase in keys.items() if phase in ends} if backward else behind.keys()
            alone = {t.key for t in tasks if t.opens and t.key in held and keys[t.key] not in spanned}
            tasks = [replace(t, when=None, target=None, opens=False) if t.key in alone else t for t in tasks]
        return with_edges(tasks, links, behind, ties)

    def _task(self, line: list[Placed], parent: bool, bound: bool) -> Task:
        """A step, given with its parents from the inside out, as a task.

        ``bound`` says whether links date it: it has predecessors, or in a plan that runs backward successors.
        """
        placed, step, scope = line[0], line[0].step, line[0].scope
        name = self._calendar(placed)
        calendar = self.calendars[name]
        when, opens = (None, False) if parent else self._when(line, bound)
        edge = when.edge if when else "start" if opens else "finish"
        limits, deadlines = ((), ()) if parent else self._limits(line)
        not_before, deadline = limits_of(limits, deadlines, name, self.anchors, self.calendars)
        duration = 0 if parent else step.slots(calendar)
        if duration > MOST_DAYS * self.grid.per_day:
            raise DocumentError([Fault(f"{placed.path}.duration", "is longer than a hundred years")])
        task = Task(
            key=placed.key,
            title=self._title(placed),
            duration=duration,
            edge=edge,
            when=when,
            target=None if when is None else placed_at(when, duration, name, self.anchors, self.calendars),
            not_before=not_before,
            deadline=deadline,
            limits_from=limits,
            deadlines_from=deadlines,
            calendar=name,
            phase=None if step.phase is None else scope.prefix + step.phase,
            role=None if step.role is None else self._role(step.role, scope),
            opens=opens and not parent,
            parent=line[1].key if len(line) > 1 else None,
            waits=() if parent or not any(p.step.waits_for for p in line) else tuple(self._waits(line)),
            ready=step.ready,
            effort=None if parent else _minutes(step.effort),
            chunk=None if parent else _minutes(step.chunk),
        )
        if when is not None:
            self._rolled(task)
        return task

    def _limits(self, line: list[Placed]) -> tuple[tuple[Measure, ...], tuple[Measure, ...]]:
        """By what "not before" and deadline of a step are measured, its parents' among them."""
        step = line[0].step
        if len(line) == 1 and step.not_before is None and step.deadline is None:
            return (), ()  # as most have
        floors: list[tuple[Placed, Measure]] = [(p, p.step.not_before) for p in line if p.step.not_before is not None]
        if step.when is not None:
            floors += [(p, p.step.when) for p in line[1:] if p.step.when is not None and p.step.when.edge == "start"]
        limits = tuple([_plain(p.scope.measure(measure)) for p, measure in floors])
        return limits, tuple([p.scope.measure(p.step.deadline) for p in line if p.step.deadline is not None])

    def _waits(self, line: list[Placed]) -> Iterator[Awaited]:
        """What a step and its parents wait for in other runs."""
        for placed in line:
            for wait in placed.step.waits_for:
                at = self.anchors.get(placed.scope.anchors.get(wait.anchor, wait.anchor))
                if self.occasion.elsewhere is None:
                    yield Awaited(wait.step, wait.template, found=False)
                else:
                    yield self.occasion.elsewhere(wait, None if at is None else self.grid.moment(at))

    def _title(self, placed: Placed) -> str:
        title = placed.step.title
        try:
            title = fill_in(title, self.values(placed.scope)) if "{" in title else title
        except ValueError as error:
            raise DocumentError([Fault(f"{placed.path}.title", str(error))]) from None
        return " ".join(title.split())[:400] or placed.key

    def _when(self, line: list[Placed], bound: bool) -> tuple[When | None, bool]:
        """Where the template puts a step, and whether that is only because nothing else does.

        Its own ``when``; else one of its parents' that says when to start, or that nothing but it dates the step;
        else, where no link dates it, the first anchor: its start, or in a plan that runs backward its due date.
        """
        for n, placed in enumerate(line):
            when = placed.step.when
            if when is not None and (n == 0 or when.edge == "start" or not bound):
                return placed.scope.measure(when), False
        first = line[0].scope.first_anchor
        if bound:
            return None, False
        if first is None:
            return None, True
        return _opening(first, "finish" if self.template.direction == "backward" else "start"), True

    def _rolled(self, task: Task) -> None:
        when = task.when
        if when is None or task.target is None or task.opens:
            return
        anchor = self.anchors[when.anchor]
        assert anchor is not None
        calendar = self.calendars[task.calendar]
        raw, day = unrolled(anchor, when, calendar), measured(anchor, when, calendar, when.edge)
        if raw != day:
            why = calendar.name_of(self.grid.day(raw)) or ("a day off" if self.grid.per_day == 1 else "not worked")
            where = offset_words(when, self.labels[when.anchor])
            text = (
                f"{task.title}: {where} is {slot_words(raw, self.grid)}, {why}; rolled to {slot_words(day, self.grid)}"
            )
            self.warnings.append(Warning("rolled", task.key, text))

    def _day_labels(self) -> Iterator[tuple[int, str]]:
        for label, scope in self.parts.day_labels:
            measure = scope.measure(Measure(anchor=label.anchor, offset=label.offset, unit=label.unit))
            anchor = self.anchors[measure.anchor]
            if anchor is not None:
                yield measured(anchor, measure, self.calendars[None]), label.label


@lru_cache(maxsize=256)
def _opening(anchor: str, edge: Edge) -> When:
    """Where a step stands that nothing else dates."""
    return When(anchor=anchor, offset=0, unit="days", edge=edge)


def _plain(measure: Measure) -> Measure:
    """A measure without the edge that a ``when`` has."""
    return Measure(anchor=measure.anchor, offset=measure.offset, unit=measure.unit, roll=measure.roll)


def _minutes(length: str | None) -> int | None:
    """Minutes of work."""
    return None if length is None else read_span(length, DAY_MINUTES)
