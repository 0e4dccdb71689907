"""Edits of a template's links, and of where its steps stand, as they are drawn or typed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from unisequa.core.calendars.grid import span_text
from unisequa.core.design.editing import changed, index_of
from unisequa.core.design.following import StepNames, typed_follows
from unisequa.core.design.outline import Outline
from unisequa.core.design.rows import block, in_phases
from unisequa.core.documents.checks import circle_with
from unisequa.core.documents.template import Link, Template, When, usual_roll
from unisequa.core.errors import EditError, TypedError
from unisequa.core.terms import LinkType, Unit


def set_follows(template: Template, key: str, text: str) -> Template:
    """Replace the links into a step by what was typed."""
    index_of(template.steps, key, "step")
    return with_follows(template, {key: read_follows(names_of(template), key, text)})


def names_of(template: Template, inside: Mapping[str, str] | None = None, *, alike: bool = False) -> StepNames:
    """How a template's steps are called where others follow them; ``inside`` has the titles of what it includes."""
    return StepNames(in_phases(template), _inner(template), inside or {}, alike)


def read_follows(names: StepNames, key: str, text: str) -> list[Link]:
    """The links into a step that were typed."""
    try:
        wanted = typed_follows(text, names)
    except TypedError as error:
        raise EditError("follows", str(error)) from None
    return [
        Link.model_validate({"from": w.key, "to": key, "type": w.type, "lag": w.lag, "unit": w.unit}) for w in wanted
    ]


def with_follows(template: Template, links: Mapping[str, Sequence[Link]]) -> Template:
    """The links into several steps, by key, replaced at once."""
    kept = tuple(link for link in template.links if link.to not in links)
    new = [link for wanted in links.values() for link in wanted]
    try:
        return changed(template, links=(*kept, *new))
    except EditError as error:
        bare = template.model_copy(update={"links": kept})
        for link in new:
            _check(bare, link.from_, link.to)
        raise EditError("follows", f"the links {error}" if len(links) > 1 else str(error)) from None


def _inner(template: Template) -> list[str]:
    """The keys under which included templates can be followed as wholes, and of their steps that are linked."""
    return [include.key for include in template.includes]


def link(template: Template, source: str, target: str, kind: LinkType = "FS", **values: Any) -> Template:
    """One more link, or the one of this type changed; ``values`` are its lag and unit."""
    for key in (source, target):
        if "." not in key and key not in _inner(template):
            index_of(template.steps, key, "step")
    _check(template, source, target)
    before = [k for k in template.links if (k.from_, k.to, k.type) == (source, target, kind)]
    written = {"lag": before[0].lag, "unit": before[0].unit} if before else {}
    new = Link.model_validate({"from": source, "to": target, "type": kind, **written, **values})
    kept = tuple(k for k in template.links if k not in before)
    return changed(template, links=(*kept, new))


def unlink(template: Template, source: str, target: str, kind: str) -> Template:
    """Take a link out."""
    kept = tuple(k for k in template.links if (k.from_, k.to, k.type) != (source, target, kind))
    if len(kept) == len(template.links):
        raise EditError("follows", "this link is not there any more; somebody may have taken it out")
    return changed(template, links=kept)


def _check(template: Template, source: str, target: str) -> None:
    titles = {step.key: step.title for step in template.steps}
    if source == target:
        raise EditError("follows", f"{titles.get(target, target)} cannot follow itself")
    if circle := circle_with(template, source, target):
        way = " → ".join(titles[key] for key in circle)
        raise EditError("follows", f"that would make a circle: {way}")


_PER_WEEK: dict[Unit, int] = {"weeks": 1, "days": 7}


def drag(template: Template, keys: Iterable[str], slots: int, seen: Outline) -> Template:
    """Steps let go so many working days, or minutes of a job of hours, from where the outline has them.

    An offset in working days grows by as many, one in days or weeks by whole weeks, one in hours and minutes by
    the minutes; any other becomes one in working days, or hours. A step that only its links date is given an
    offset from its start: links still hold it.
    """
    steps = block(template, keys)
    parents = {step.parent for step in template.steps}
    leaves = [step for step in steps if step.key not in parents]
    measured = [step for step in leaves if step.when is not None] or [s for s in leaves if s.key in seen.spans]
    if not measured:
        raise EditError("when", "this step has no place yet; type its offset or what it follows")
    if not any(step.when for step in leaves):
        first = min(seen.spans[step.key][0] for step in measured)
        measured = [step for step in measured if seen.spans[step.key][0] == first]
    steps_now = list(template.steps)
    for step in measured:
        i = index_of(steps_now, step.key, "step")
        steps_now[i] = step.model_copy(update={"when": _moved(template, step.key, step.when, slots, seen)})
    return changed(template, steps=tuple(steps_now))


def _moved(template: Template, key: str, when: When | None, slots: int, seen: Outline) -> When:
    if when is not None and isinstance(when.offset, int) and not seen.minutes:
        if when.unit == "working days":
            return when.by(when.offset + slots)
        if when.unit in _PER_WEEK and slots % 5 == 0:
            return when.by(when.offset + slots // 5 * _PER_WEEK[when.unit])
    anchor = when.anchor if when else _nearest(template, key, seen)
    edge = when.edge if when else "start"
    if anchor is None or key not in seen.spans:
        raise EditError("when", "there is no anchor to measure from; add one first")
    roll = when.roll if when and when.roll != usual_roll(when.offset) else None
    start, finish = seen.spans[key]
    if seen.minutes:
        offset = (start if edge == "start" else finish) - seen.anchors[anchor] + slots
        unit: Unit = "working hours" if when and when.unit in {"working hours", "working minutes"} else "hours"
        span = span_text(offset)
        return When(anchor=anchor, offset=span, unit=unit, edge=edge, roll=roll or usual_roll(span))
    at = start if edge == "start" else finish - 1
    days = at - seen.anchors[anchor] + slots
    return When(anchor=anchor, offset=days, edge=edge, roll=roll or usual_roll(days))


def _nearest(template: Template, key: str, seen: Outline) -> str | None:
    """The anchor that the nearest of what a step follows is measured from, else the first."""
    when = {step.key: step.when for step in template.steps}
    before: dict[str, list[str]] = {}
    for k in template.links:
        before.setdefault(k.to, []).append(k.from_)
    queue, done = [key], {key}
    for here in queue:
        measure = when.get(here)
        if measure is not None and measure.anchor in seen.anchors:
            return measure.anchor
        for source in before.get(here, []):
            if source not in done:
                done.add(source)
                queue.append(source)
    return next((anchor.key for anchor in template.anchors if anchor.key in seen.anchors), None)


def stretch(template: Template, key: str, slots: int, seen: Outline) -> Template:
    """A step that takes so many working days, or minutes of a job of hours, more or fewer; at least one."""
    step = template.steps[index_of(template.steps, key, "step")]
    if any(other.parent == key for other in template.steps):
        raise EditError("duration", f"{step.title} lasts as long as its sub-steps; change one of them")
    lasting: int | str = (
        max(1, step.days + slots) if not seen.minutes else span_text(max(1, _minutes(key, seen) + slots))
    )
    new = step.model_copy(update={"duration": lasting})
    steps: Mapping[str, Any] = {s.key: s for s in template.steps} | {key: new}
    return changed(template, steps=tuple(steps.values()))


def _minutes(key: str, seen: Outline) -> int:
    if key not in seen.spans:
        raise EditError("duration", "this step has no place yet; type how long it lasts")
    return seen.spans[key][1] - seen.spans[key][0]
