"""What deserves mending in a template before it is released, each finding with its place.

The findings that matter bar a release; the others are told. Each kind is a rule of the trade (common
practice, no source): a step has a role and a date, a list reads in the order in which it is done.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Set
from dataclasses import dataclass

from unisequa.core.calendars.grid import read_span
from unisequa.core.calendars.words import count_words
from unisequa.core.design.outline import Outline
from unisequa.core.design.rows import rows
from unisequa.core.documents.checks import faults_in
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import Fault

HOURS_A_DAY = 8
"""What a working day is taken to have where no calendar says otherwise."""


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to look at.

    Parameters
    ----------
    kind : str
        ``fault``, ``empty``, ``role``, ``date``, ``condition``, ``unfilled``, ``order`` or ``effort``.
    text : str
        What it is and what to do.
    part, key : str
        Where: ``steps``, ``roles``, ``anchors`` … and the entry's key; ``about`` for the template itself.
    field : str
        The field at fault, as the page names it.
    bars : bool
        Whether it bars a release.
    """

    kind: str
    text: str
    part: str = "about"
    key: str = ""
    field: str = ""
    bars: bool = False


_MANY = {
    "role": "have no role",
    "date": "have no offset and no link, so they stand at the first anchor",
    "effort": "take more work than there are hours in their days",
}
FEW = 5


@dataclass(frozen=True, slots=True)
class Listed:
    """A finding as it is listed; ``keys`` are the steps that one line stands for, where there are many alike."""

    finding: Finding
    text: str
    keys: tuple[str, ...] = ()


def listed(every: Iterable[Finding]) -> list[Listed]:
    """Findings as they are listed: more than a few of one kind that is mended for all at once as one line."""
    alike: dict[str, list[Finding]] = {}
    every = list(every)
    for one in every:
        alike.setdefault(one.kind, []).append(one)
    lines = []
    for one in every:
        same = alike[one.kind]
        if one.kind not in _MANY or len(same) <= FEW:
            lines.append(Listed(one, one.text))
        elif one is same[0]:
            text = f"{count_words(len(same), 'step')} {_MANY[one.kind]}: choose them all"
            lines.append(Listed(one, text, tuple(other.key for other in same)))
    return lines


def findings(template: Template, seen: Outline, people: Set[str] | None = None) -> list[Finding]:
    """All there is to mend, what bars a release first.

    Parameters
    ----------
    people : set of str, optional
        The addresses of those who can fill a role; without it nobody's is checked.
    """
    every = [_fault(template, fault) for fault in faults_in(template)]
    every += _empty(template)
    if seen.fault and not every:
        every.append(Finding("fault", f"The steps cannot be laid out: {seen.fault}", bars=True))
    every += _bare_steps(template, seen)
    every += _across_conditions(template)
    every += _unfilled(template, people)
    every += _out_of_order(template, seen)
    every += _too_much(template)
    return every


_ITEM = re.compile(r"^(steps|anchors|roles|facts|phases|includes|day_labels|links)\[(\d+)\]\.?(.*)$")


def _fault(template: Template, fault: Fault) -> Finding:
    place = _ITEM.match(fault.path)
    if not place:
        return Finding("fault", _sentence(f"{fault.path} {fault.message}"), field=fault.path, bars=True)
    item = getattr(template, place[1])[int(place[2])]
    if place[1] == "steps":
        where = "" if place[3] == "title" else f"{place[3]}: "
        name = {"sign_off.until": "sign_off_until"}.get(place[3], place[3])
        return Finding("fault", f"{item.title}: {where}{fault.message}", "steps", item.key, name, True)
    if place[1] == "links":
        return Finding("fault", _sentence(fault.message), "steps", item.to, "follows", True)
    name = getattr(item, "label", place[1])
    return Finding("fault", f"{name}: {fault.message}", place[1], getattr(item, "key", ""), place[3], True)


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


def _empty(template: Template) -> Iterator[Finding]:
    if not template.steps and not template.includes:
        yield Finding("empty", "There are no steps yet; add the first one", "steps", bars=True)
    if not template.anchors:
        yield Finding("empty", "There is no anchor to measure from; add one", "anchors", bars=True)


def _bare_steps(template: Template, seen: Outline) -> Iterator[Finding]:
    parents = {step.parent for step in template.steps}
    linked = {link.to for link in template.links} | {link.from_ for link in template.links}
    by_key = {step.key: step for step in template.steps}
    for step in template.steps:
        if step.key in parents:
            continue
        if step.role is None and step.days:
            yield Finding("role", f"{step.title} has no role", "steps", step.key, "role")
        if step.when is None and step.key not in linked and not _held_above(by_key, step, linked):
            text = f"{step.title} has no offset and no link, so it stands at the first anchor"
            yield Finding("date", text, "steps", step.key, "when")


def _held_above(parents: Mapping[str, Step], step: Step, linked: Set[str]) -> bool:
    above = parents.get(step.parent or "")
    for _ in range(3):
        if above is None:
            return False
        if above.when is not None or above.key in linked:
            return True
        above = parents.get(above.parent or "")
    return False


def _across_conditions(template: Template) -> Iterator[Finding]:
    steps = {step.key: step for step in template.steps}
    for link in template.links:
        source, target = steps.get(link.from_), steps.get(link.to)
        if source and target and source.only_if and source.only_if != target.only_if:
            text = (
                f"{target.title} follows {source.title}, which is not always there; "
                "without it, it follows what that follows"
            )
            yield Finding("condition", text, "steps", target.key, "follows")


def _unfilled(template: Template, people: Set[str] | None) -> Iterator[Finding]:
    used = {role for step in template.steps for role in (step.role, step.sign_off and step.sign_off.role) if role}
    used |= {message.to for step in template.steps for message in step.messages}
    used |= {role for include in template.includes for role in include.roles.values()}
    for role in template.roles:
        by, person = role.fill.by, role.fill.person
        if role.key not in used:
            yield Finding("unfilled", f"No step is given to {role.label}", "roles", role.key, "label")
        if by == "person" and people is not None and person not in people:
            text = f"{role.label} is filled by {person or 'nobody'}, who is not among the people here"
            yield Finding("unfilled", text, "roles", role.key, "person", True)
        if (by == "team" and not role.fill.team) or (by == "position" and not role.fill.position):
            text = f"{role.label} is filled by a {by}, but no {by} is named"
            yield Finding("unfilled", text, "roles", role.key, by)


def _out_of_order(template: Template, seen: Outline) -> Iterator[Finding]:
    """A row that begins before the one above it, among those that stand together; one finding a phase."""
    labels = {phase.key: phase.label for phase in template.phases}
    last: dict[tuple[str | None, str | None], tuple[int, str]] = {}
    told: dict[str | None, list[tuple[Step, str]]] = {}
    for row in rows(template):
        span = seen.spans.get(row.step.key)
        if span is None:
            continue
        group = (row.phase, row.step.parent)
        before = last.get(group)
        if before and span[0] < before[0]:
            told.setdefault(row.phase, []).append((row.step, before[1]))
        last[group] = (span[0], row.step.title)
    for phase, pairs in told.items():
        step, above = pairs[0]
        more = f" ({len(pairs) - 1} more like it)" if len(pairs) > 1 else ""
        where = f" in {labels[phase]}" if phase in labels else ""
        text = f"{step.title} stands below {above} but begins before it{more}; sort{where} by date"
        yield Finding("order", text, "steps", step.key, "sort")


def _too_much(template: Template) -> Iterator[Finding]:
    parents = {step.parent for step in template.steps}
    for step in template.steps:
        if not step.effort or step.key in parents:
            continue
        day = HOURS_A_DAY * 60
        effort = read_span(step.effort, day)
        lasting = read_span(step.duration, day) if isinstance(step.duration, str) else step.days * day
        if template.grid == "minute" and step.duration is None:
            lasting = 60
        if effort > lasting:
            room = f"{count_words(lasting // 60, 'hour')} in {count_words(step.days, 'working day')}"
            if template.grid == "minute":
                room = f"{lasting} minutes"
            yield Finding(
                "effort", f"{step.title} takes {step.effort} of work, but there are {room}", "steps", step.key, "effort"
            )
