"""A template as a sheet: rows of steps, and a field of working days from the anchors."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.core.document import Step, Template
from unisequa.core.editing import in_phases
from unisequa.core.outline import Outline, outline
from unisequa.core.typed import follows_words, when_words
from unisequa.web.sheet.marks import Arrow, Mark, arrows, bar
from unisequa.web.sheet.scale import HEAD, ROW, Head, Plumb, Scale, Stripe, Tick, plumbs

PX = 15.0
WIDEST = 400
MARGIN = 3


@dataclass(frozen=True, slots=True)
class StepLine:
    """A step's row, its cells as they are typed."""

    key: str
    number: int
    title: str
    role: str
    when: str
    duration: str
    follows: str
    depth: int
    conditional: str
    y: int
    mark: Mark | None
    drift: int


@dataclass(frozen=True, slots=True)
class PhaseHead:
    """A phase's row; ``key`` is empty for steps without a phase."""

    phase: str
    label: str
    count: int
    y: int


@dataclass(frozen=True, slots=True)
class TemplateSheet:
    """All that the sheet's template draws; one column is a working day."""

    lines: tuple[PhaseHead | StepLine, ...]
    scale: Scale
    head: Head
    off: tuple[Stripe, ...]
    plumbs: tuple[Plumb, ...]
    arrows: tuple[Arrow, ...]
    height: int
    fault: str
    length: int
    row: int = ROW
    head_height: int = HEAD


def template_sheet(template: Template) -> TemplateSheet:
    """The sheet of a template."""
    seen = outline(template)
    scale = _scale(seen)
    labels = {role.key: role.label for role in template.roles}
    follows: dict[str, list] = {}  # type: ignore[type-arg]
    for link in template.links:
        follows.setdefault(link.to, []).append(link)
    lines: list[PhaseHead | StepLine] = []
    ends: dict[str, tuple[float, float, float]] = {}
    y, number = 0, 0
    steps = in_phases(template)
    depth = _depths(template)
    for key, label in [("", ""), *((phase.key, phase.label) for phase in template.phases)]:
        members = [step for step in steps if (step.phase or "") == key]
        if key:
            lines.append(PhaseHead(key, label, len(members), y))
            y += ROW
        for step in members:
            number += 1
            mark = _mark(seen, scale, step, y)
            into = follows.get(step.key, [])
            lines.append(
                StepLine(
                    step.key,
                    number,
                    step.title,
                    labels.get(step.role or "", ""),
                    when_words(step.when, template.anchors) if step.when else "",
                    str(step.days),
                    follows_words(into),
                    depth[step.key],
                    step.only_if or "",
                    y,
                    mark,
                    seen.drift.get(step.key, 0),
                )
            )
            if mark:
                ends[step.key] = (mark.x, mark.x + mark.width, y)
            y += ROW
    milestones = frozenset(step.key for step in template.steps if step.days == 0)
    pairs = ((link.from_, link.to, link.type) for link in template.links)
    return TemplateSheet(
        tuple(lines),
        scale,
        _head(scale, seen),
        (),
        _plumbs(template, seen, scale),
        arrows(pairs, ends, milestones),
        max(y, ROW),
        seen.fault,
        seen.length,
    )


def _scale(seen: Outline) -> Scale:
    reach = [day for span in seen.spans.values() for day in span] + list(seen.anchors.values())
    if not reach:
        return Scale(-10, 40, PX)
    first, last = min(reach) - MARGIN, max(reach) + MARGIN + 6
    days = max(last - first, 40)
    return Scale(first, days, PX if days <= WIDEST else max(2.0, PX * WIDEST / days))


def _mark(seen: Outline, scale: Scale, step: Step, y: int) -> Mark | None:
    span = seen.spans.get(step.key)
    if span is None:
        return None
    if step.days == 0:
        return Mark("milestone", scale.x(span[0]), y, 0.0, "waiting")
    x, width = bar(scale, *span)
    return Mark("bar", x, y, width, "waiting", slack_to=None)


def _depths(template: Template) -> Mapping[str, int]:
    parents = {step.key: step.parent for step in template.steps}
    depths = {}
    for key, parent in parents.items():
        depth, above = 0, parent
        while above and depth < 3:
            depth, above = depth + 1, parents.get(above)
        depths[key] = depth
    return depths


def _head(scale: Scale, seen: Outline) -> Head:
    """Every fifth working day, counted from the nearest anchor at or before it; before the first, from the first."""
    anchors = sorted(seen.anchors.values())
    numbers, weeks = [], []
    for day in range(int(scale.first), int(scale.first + scale.days)):
        zero = anchors[0] if anchors else 0
        for at in anchors:
            if at - 5 <= day:
                zero = at
        n = day - zero
        if n % 5 == 0:
            numbers.append(Tick(scale.x(day + 0.5) - 3, "0" if n == 0 else f"{n:+d}".replace("-", "−")))
            weeks.append(scale.x(day))
    return Head((), tuple(numbers), (), tuple(weeks))


def _plumbs(template: Template, seen: Outline, scale: Scale) -> tuple[Plumb, ...]:
    wanted = [
        ("anchor", scale.x(seen.anchors[anchor.key] + 0.5), anchor.label)
        for anchor in template.anchors
        if anchor.key in seen.anchors
    ]
    for label in template.day_labels:
        per = {"working days": 1, "days": 1, "weeks": 5, "months": 21}.get(label.unit)
        zero = seen.anchors.get(label.anchor)
        if per and zero is not None and isinstance(label.offset, int) and label.offset:
            wanted.append(("label", scale.x(zero + label.offset * per + 0.5), label.label))
    return plumbs(wanted, scale.width)  # type: ignore[arg-type]
