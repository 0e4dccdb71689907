"""From a template and an occasion (anchor dates, facts, crew) to a plan."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from unisequa.core.document import Anchor, CalendarDocument, Fact, Link, Measure, Role, Step, Template, When
from unisequa.core.errors import DateRangeError, DocumentError, Fault, did_you_mean
from unisequa.core.offsets import target_day, unrolled_day
from unisequa.core.placeholders import fill_in, holds
from unisequa.core.plan import Calendars, LinkOf, Plan, Task, Warning, planned
from unisequa.core.words import day_words, offset_words

LONGEST_FACT = 500


@dataclass(frozen=True, slots=True)
class Occasion:
    """What is known about one occasion of the job.

    Parameters
    ----------
    anchors : mapping of str to date
    facts : mapping of str to str, number, date or bool
    crew : mapping of str to str
        Role → the person's name.
    calendars : tuple of CalendarDocument
        The first is the run's own; steps and roles name the others.
    today : date, optional
    """

    anchors: Mapping[str, dt.date] = field(default_factory=dict)
    facts: Mapping[str, object] = field(default_factory=dict)
    crew: Mapping[str, str] = field(default_factory=dict)
    subject: str = ""
    calendars: tuple[CalendarDocument, ...] = ()
    today: dt.date | None = None


def assemble(template: Template, occasion: Occasion) -> Plan:
    """Work a template out for an occasion.

    Raises
    ------
    DocumentError
        With every fault: anchors or facts that are missing or not there, parts that are not computed yet.
    """
    faults = [*not_computed(template), *_anchor_faults(template, occasion)]
    facts, fact_faults = read_facts(template, occasion.facts)
    faults += fact_faults
    calendars = Calendars(occasion.calendars)
    faults += _calendar_faults(template, calendars)
    if faults:
        raise DocumentError(faults)
    try:
        return _Assembly(template, occasion, calendars, facts).plan()
    except DateRangeError as error:
        raise DocumentError([Fault("anchors", f"{error}; give a date nearer to today")]) from error


def run_name(template: Template, occasion: Occasion) -> str:
    """The name that the template's naming pattern proposes; the template's own without one."""
    facts, _ = read_facts(template, occasion.facts)
    anchors = {a.key: occasion.anchors.get(a.key) for a in template.anchors}
    try:
        name = fill_in(template.naming, _values(template, occasion, facts, anchors)).strip()
    except ValueError:
        name = ""
    return (name or template.name)[:200]


def not_computed(template: Template) -> Iterator[Fault]:
    """Parts that are read and kept but whose dates cannot be computed yet."""
    later = "cannot be computed yet; take it out to plan this template"
    if template.grid == "minute":
        yield Fault("grid", f"a job of hours and minutes {later}")
    if template.direction == "backward":
        yield Fault("direction", f"placing steps as late as possible {later}")
    for i, _ in enumerate(template.includes):
        yield Fault(f"includes[{i}]", f"another template within this one {later}")
    for i, step in enumerate(template.steps):
        if step.parent:
            yield Fault(f"steps[{i}].parent", f"a sub-step {later}")


def read_facts(template: Template, given: Mapping[str, object]) -> tuple[dict[str, object], list[Fault]]:
    """The facts in the kinds that the template asks for, None where not given; and what is wrong with them."""
    facts: dict[str, object] = {}
    faults = []
    known = {fact.key: fact for fact in template.facts}
    for key in given:
        if key not in known:
            faults.append(Fault(f"facts.{key}", f'the template asks for no "{key}"{did_you_mean(key, known)}'))
    for fact in template.facts:
        value = given.get(fact.key)
        text = value.strip() if isinstance(value, str) else value
        if text in (None, ""):
            facts[fact.key] = None
            if fact.required:
                faults.append(Fault(f"facts.{fact.key}", f'"{fact.label}" is required; fill it in'))
            continue
        try:
            facts[fact.key] = _fact(fact, text)
        except ValueError as error:
            facts[fact.key] = None
            faults.append(Fault(f"facts.{fact.key}", f'"{fact.label}" {error}'))
    return facts, faults


def _fact(fact: Fact, value: object) -> object:
    text = str(value)
    if fact.kind == "number":
        if isinstance(value, bool):
            raise ValueError("must be a number")
        try:
            number = float(text.replace(",", "").replace(" ", ""))
        except ValueError:
            raise ValueError(f'must be a number, not "{text}"') from None
        if not abs(number) < 1e15:
            raise ValueError("is not a number that can be used here")
        return int(number) if number == int(number) else number
    if fact.kind == "date":
        try:
            return value if isinstance(value, dt.date) else dt.date.fromisoformat(text)
        except ValueError:
            raise ValueError(f'must be a date such as 2026-08-31, not "{text}"') from None
    if fact.kind == "yes-no":
        if isinstance(value, bool):
            return value
        if text.lower() in {"yes", "true", "1", "on"}:
            return True
        if text.lower() in {"no", "false", "0", "off"}:
            return False
        raise ValueError(f'must be yes or no, not "{text}"')
    if fact.kind == "choice" and text not in fact.choices:
        raise ValueError(f'must be one of {", ".join(fact.choices)}, not "{text}"')
    if len(text) > LONGEST_FACT:
        raise ValueError(f"is longer than {LONGEST_FACT} characters")
    return text


def _anchor_faults(template: Template, occasion: Occasion) -> Iterator[Fault]:
    known = {anchor.key: anchor for anchor in template.anchors}
    for key in occasion.anchors:
        if key not in known:
            yield Fault(f"anchors.{key}", f'the template has no anchor "{key}"{did_you_mean(key, known)}')
    for anchor in template.anchors:
        if anchor.required and anchor.from_ is None and anchor.key not in occasion.anchors:
            yield Fault(f"anchors.{anchor.key}", f'"{anchor.label}" is required; give its date')


def _calendar_faults(template: Template, calendars: Calendars) -> Iterator[Fault]:
    named: list[tuple[str, Role | Step]] = [(f"steps[{i}]", step) for i, step in enumerate(template.steps)]
    named += [(f"roles[{i}]", role) for i, role in enumerate(template.roles)]
    for path, holder in named:
        if holder.calendar is not None and holder.calendar not in calendars:
            known = [document.name for document in calendars.documents]
            message = f'no calendar "{holder.calendar}" was given{did_you_mean(holder.calendar, known)}'
            yield Fault(f"{path}.calendar", message)


def _values(
    template: Template, occasion: Occasion, facts: Mapping[str, object], anchors: Mapping[str, dt.date | None]
) -> dict[str, Any]:
    crew = {role.key: occasion.crew.get(role.key) or role.label for role in template.roles}
    return {**crew, **anchors, **facts, "subject": occasion.subject}


class _Assembly:
    """One working-out: the template, what is known, and the warnings met on the way."""

    def __init__(
        self, template: Template, occasion: Occasion, calendars: Calendars, facts: Mapping[str, object]
    ) -> None:
        self.template, self.occasion, self.calendars = template, occasion, calendars
        self.role_calendars = {role.key: role.calendar for role in template.roles}
        self.labels = {anchor.key: anchor.label for anchor in template.anchors}
        self.anchors = self._anchor_days()
        dates = {key: None if day is None else dt.date.fromordinal(day) for key, day in self.anchors.items()}
        self.values = _values(template, occasion, facts, dates)
        self.warnings: list[Warning] = []

    def _anchor_days(self) -> dict[str, int | None]:
        days: dict[str, int | None] = {key: day.toordinal() for key, day in self.occasion.anchors.items()}
        by_key = {anchor.key: anchor for anchor in self.template.anchors}

        def resolve(anchor: Anchor) -> int | None:
            if anchor.key not in days:
                days[anchor.key] = None  # not known; derived ones are filled in below
                if anchor.from_ is not None:
                    base = resolve(by_key[anchor.from_.anchor])
                    days[anchor.key] = None if base is None else self._day(base, anchor.from_, None)
            return days[anchor.key]

        for anchor in self.template.anchors:
            resolve(anchor)
        return days

    def _day(self, anchor: int, measure: Measure, calendar: str | None) -> int:
        offset = measure.offset
        assert isinstance(offset, int) and measure.unit in ("working days", "days", "weeks", "months")
        return target_day(anchor, offset, measure.unit, measure.roll, self.calendars[calendar])

    def _measured(self, measure: Measure | None, calendar: str | None) -> int | None:
        if measure is None:
            return None
        anchor = self.anchors[measure.anchor]
        return None if anchor is None else self._day(anchor, measure, calendar)

    def plan(self) -> Plan:
        steps, links = self._applying()
        followed = {link.to for link in links}
        tasks = tuple(self._task(i, step, followed) for i, step in steps)
        opening = self._opening()
        today = self.occasion.today.toordinal() if self.occasion.today else None
        plan = planned(
            run_name(self.template, self.occasion),
            tasks,
            tuple(LinkOf(k.from_, k.to, k.type, int(k.lag), k.unit) for k in links),
            self.calendars,
            self.anchors,
            self.labels,
            opening=opening,
            today=today,
        )
        self._look_over(plan)
        return replace(plan, warnings=tuple(self.warnings))

    def _opening(self) -> int | None:
        if self.template.anchors:
            return self.anchors[self.template.anchors[0].key]
        return (self.occasion.today or dt.date.today()).toordinal()

    def _task(self, i: int, step: Step, followed: set[str]) -> Task:
        calendar = step.calendar or (self.role_calendars.get(step.role) if step.role else None)
        opens = step.when is None and step.key not in followed
        deadline = self._measured(step.deadline, calendar)
        edge = step.when.edge if step.when else "start" if opens else "finish"
        try:
            title = fill_in(step.title, self.values)
        except ValueError as error:
            raise DocumentError([Fault(f"steps[{i}].title", str(error))]) from None
        task = Task(
            key=step.key,
            title=" ".join(title.split())[:400] or step.key,
            duration=step.days,
            edge=edge,
            when=step.when,
            not_before=self._measured(step.not_before, calendar),
            deadline=None if deadline is None else deadline + 1,
            calendar=calendar,
            phase=step.phase,
            role=step.role,
            opens=opens,
        )
        if step.when is None:
            return task
        target = self._target(step.when, task)
        return replace(task, target=target) if target else task

    def _target(self, when: When, task: Task) -> tuple[int, int] | None:
        day = self._measured(when, task.calendar)
        if day is None:
            return None
        placed = replace(task, target=(day, day + 1))  # enough for the calendar to count an unrolled day off
        calendar = self.calendars.of(placed)
        if not task.duration:
            boundary = day + 1 if when.edge == "finish" else day
            target = boundary, boundary
        elif when.edge == "finish":
            target = calendar.retreat(day + 1, task.duration), day + 1
        else:
            target = day, calendar.advance(day, task.duration)
        anchor, offset = self.anchors[when.anchor], when.offset
        assert anchor is not None and isinstance(offset, int)
        raw = unrolled_day(anchor, offset, when.unit, calendar)  # type: ignore[arg-type]
        if raw != day:
            why = self.calendars[task.calendar].name_of(raw) or "a day off"
            where = offset_words(when, self.labels[when.anchor])
            text = f"{task.title}: {where} is {day_words(raw)}, {why}; rolled to {day_words(day)}"
            self.warnings.append(Warning("rolled", task.key, text))
        return target

    def _applying(self) -> tuple[list[tuple[int, Step]], list[Link]]:
        """The steps that apply, and the links; what followed a step that does not apply follows what it followed."""
        steps, left_out = [], set()
        for i, step in enumerate(self.template.steps):
            try:
                applies = step.only_if is None or holds(step.only_if, self.values)
            except ValueError as error:
                raise DocumentError([Fault(f"steps[{i}].only_if", str(error))]) from None
            if applies:
                steps.append((i, step))
            else:
                left_out.add(step.key)
        return steps, bridged(self.template.links, left_out)

    def _look_over(self, plan: Plan) -> None:
        for i, task in enumerate(plan.tasks):
            days, target = plan.days(i), plan.target_days(i)
            if days is None:
                names = [self.labels[task.when.anchor]] if task.when else []
                text = (
                    f"{task.title} has no date until {names[0]} is known" if names else f"{task.title} has no date yet"
                )
                self.warnings.append(Warning("undated", task.key, text))
                continue
            if plan.today is not None and days[0] < plan.today:
                self.warnings.append(
                    Warning("past", task.key, f"{task.title} starts {day_words(days[0])}, in the past")
                )
            drift = plan.drift(i) or 0
            if target and drift > 0:
                text = (
                    f"{task.title} cannot hold {day_words(target[1])}: what it follows puts it on {day_words(days[1])}"
                )
                self.warnings.append(Warning("drift", task.key, text))
            if task.deadline is not None and plan.schedule.finish[i] > task.deadline:
                text = f"{task.title} ends {day_words(days[1])}, after its deadline {day_words(task.deadline - 1)}"
                self.warnings.append(Warning("deadline", task.key, text))


def bridged(links: Iterable[Link], left_out: set[str]) -> list[Link]:
    """Links without those of steps left out, whose followers now follow what those followed.

    A step left out is passed as a milestone would be: lags in the same unit add up, otherwise the
    longer one holds.
    """
    kept = list(links)
    for key in sorted(left_out):
        into = [link for link in kept if link.to == key]
        out = [link for link in kept if link.from_ == key]
        kept = [link for link in kept if key not in (link.from_, link.to)]
        have = {(link.from_, link.to) for link in kept}
        for a in into:
            for b in out:
                if (a.from_, b.to) not in have:
                    kept.append(_joined(a, b))
                    have.add((a.from_, b.to))
    return kept


def _joined(a: Link, b: Link) -> Link:
    lag_a, lag_b = int(a.lag), int(b.lag)
    if a.unit == b.unit or not lag_a or not lag_b:
        lag, unit = lag_a + lag_b, b.unit if lag_b else a.unit
    else:
        lag, unit = max((lag_a, a.unit), (lag_b, b.unit))
    return Link.model_validate({"from": a.from_, "to": b.to, "type": a.type[0] + b.type[1], "lag": lag, "unit": unit})
