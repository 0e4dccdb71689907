"""Edits of a template: each takes the document and gives a new one, or refuses and leaves it as it is."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from unisequa.core.building import bridged
from unisequa.core.checks import faults_in
from unisequa.core.document import Anchor, Link, Model, Phase, Role, Step, Template, faults_of
from unisequa.core.errors import UnisequaError
from unisequa.core.grid import MINUTES, read_span, span_text
from unisequa.core.task import LinkOf
from unisequa.core.typed import TypedError, typed_follows
from unisequa.core.words import count_words, names_words


class EditError(UnisequaError):
    """An edit is refused; ``field`` names the input it is to be shown beside."""

    def __init__(self, field: str, message: str) -> None:
        self.field = field
        super().__init__(message)


def slug(text: str, taken: Iterable[str] = (), *, fallback: str = "item") -> str:
    """A key made from a title, unlike every one that is taken.

    >>> slug("Crates booked!", ["crates-booked"])
    'crates-booked-2'
    """
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60].strip("-")
    base = base if base[:1].isalpha() else f"{fallback}-{base}".strip("-")
    names, key, n = set(taken), base, 1
    while key in names:
        n += 1
        key = f"{base}-{n}"
    return key


def changed(template: Template, **changes: Any) -> Template:
    """The template with some top-level fields replaced, checked whole.

    Raises
    ------
    EditError
        For the first new fault, its field being the fault's path.
    """
    try:
        edited = template.model_copy(update=changes)
        edited = Template.model_validate(edited.model_dump(by_alias=True))
    except ValidationError as error:
        fault = faults_of(error)[0]
        raise EditError(fault.path, fault.message) from None
    for fault in faults_in(edited):
        raise EditError(fault.path, fault.message)
    return edited


def _index(items: Sequence[Any], key: str, noun: str) -> int:
    for i, item in enumerate(items):
        if item.key == key:
            return i
    raise EditError("key", f'the {noun} "{key}" is not there any more; somebody may have taken it out')


def _made(model: type[Model], field: str, values: Mapping[str, Any]) -> Any:
    try:
        return model.model_validate(values)
    except ValidationError as error:
        fault = faults_of(error)[0]
        raise EditError(fault.path or field, fault.message) from None


def _replaced(items: Sequence[Any], i: int, item: Any) -> tuple[Any, ...]:
    return (*items[:i], item, *items[i + 1 :])


def add_step(
    template: Template, title: str, *, phase: str | None = None, after: str | None = None
) -> tuple[Template, str]:
    """A new step behind step ``after``, or at the end of its phase; gives its key too."""
    key = slug(title, [step.key for step in template.steps], fallback="step")
    step = _made(Step, "title", {"key": key, "title": title, "phase": phase})
    if after is not None:
        at = _index(template.steps, after, "step") + 1
        step = step.model_copy(update={"phase": template.steps[at - 1].phase if phase is None else phase})
    else:
        same = [i for i, other in enumerate(template.steps) if other.phase == phase]
        at = same[-1] + 1 if same else len(template.steps)
    return changed(template, steps=(*template.steps[:at], step, *template.steps[at:])), key


def change_step(template: Template, key: str, **values: Any) -> Template:
    """A step with some fields replaced; values as they stand in the document."""
    i = _index(template.steps, key, "step")
    written = {**template.steps[i].model_dump(mode="json", by_alias=True), **values}
    step = _made(Step, next(iter(values), "title"), written)
    try:
        return changed(template, steps=_replaced(template.steps, i, step))
    except EditError as error:
        raise EditError(error.field.removeprefix(f"steps[{i}]."), str(error)) from None


def remove_step(template: Template, key: str, *, bridge: bool = False) -> Template:
    """Take a step out.

    Parameters
    ----------
    bridge : bool
        Let what followed it follow what it followed; without it a step that others follow is kept.
    """
    i = _index(template.steps, key, "step")
    titles = {step.key: step.title for step in template.steps}
    followers = [titles[link.to] for link in template.links if link.from_ == key and link.to in titles]
    below = [step.title for step in template.steps if step.parent == key]
    if below:
        raise EditError("remove", f"{titles[key]} has sub-steps ({names_words(below[:4])}); move them out first")
    if followers and not bridge:
        who = names_words(followers[:4])
        verb = "follows" if len(followers) == 1 else "follow"
        raise EditError("remove", f"{count_words(len(followers), 'step')} {verb} {titles[key]}: {who}")
    if bridge:
        links: Iterable[Link] = _bridged(template, key)
    else:
        links = (link for link in template.links if key not in (link.from_, link.to))
    return changed(template, steps=template.steps[:i] + template.steps[i + 1 :], links=tuple(links))


def _bridged(template: Template, key: str) -> list[Link]:
    """The links without a step, what followed it following what it followed; lags of hours stay text."""
    day = MINUTES if template.grid == "minute" else 1

    def slots(lag: int | str) -> int:
        return read_span(lag, day) if isinstance(lag, str) else lag * day

    kept = {LinkOf(k.from_, k.to, k.type, slots(k.lag), k.unit): k for k in template.links}
    found = []
    for link in bridged(kept, {key}):
        lag = span_text(link.lag, day) if template.grid == "minute" else link.lag
        written = {"from": link.source, "to": link.target, "type": link.type, "lag": lag, "unit": link.unit}
        found.append(kept.get(link) or Link.model_validate(written))
    return found


def move_step(template: Template, key: str, *, by: int) -> Template:
    """Move a step up or down among the rows people see; across a phase's border it joins that phase."""
    rows = in_phases(template)
    at = _index(rows, key, "step")
    step, to = rows[at], at + (1 if by > 0 else -1)
    phases = [None, *(phase.key for phase in template.phases)]
    if not 0 <= to < len(rows) or rows[to].phase != step.phase:
        border = phases.index(step.phase) + (1 if by > 0 else -1)
        if not 0 <= border < len(phases):
            return template
        moved = step.model_copy(update={"phase": phases[border]})
        rest = [row for row in rows if row.key != key]
        same = [i for i, row in enumerate(rest) if row.phase == moved.phase]
        place = (same[0] if by > 0 else same[-1] + 1) if same else at
        return changed(template, steps=(*rest[:place], moved, *rest[place:]))
    rows[at], rows[to] = rows[to], rows[at]
    return changed(template, steps=tuple(rows))


def in_phases(template: Template) -> list[Step]:
    """The steps as people see them: those without a phase first, then phase by phase."""
    order = {phase.key: i for i, phase in enumerate(template.phases, 1)}
    return sorted(template.steps, key=lambda step: order.get(step.phase or "", 0))


def set_follows(template: Template, key: str, text: str) -> Template:
    """Replace the links into a step by what was typed."""
    _index(template.steps, key, "step")
    try:
        wanted = typed_follows(text, in_phases(template))
    except TypedError as error:
        raise EditError("follows", str(error)) from None
    titles = {step.key: step.title for step in template.steps}
    for entry in wanted:
        if entry.key == key:
            raise EditError("follows", f"{titles[key]} cannot follow itself")
        if circle := _circle(template, key, entry.key):
            way = " → ".join(titles[k] for k in circle)
            raise EditError("follows", f"that would make a circle: {way}")
    kept = [link for link in template.links if link.to != key]
    new = [
        Link.model_validate({"from": w.key, "to": key, "type": w.type, "lag": w.lag, "unit": w.unit}) for w in wanted
    ]
    return changed(template, links=(*kept, *new))


def _circle(template: Template, key: str, source: str) -> list[str]:
    """The way from ``key`` along the links to ``source`` and back to ``key``, if there is one."""
    after: dict[str, list[str]] = {}
    for link in template.links:
        after.setdefault(link.from_, []).append(link.to)
    came: dict[str, str | None] = {key: None}
    queue = [key]
    for here in queue:
        if here == source:
            way: list[str] = []
            step: str | None = here
            while step is not None:
                way.append(step)
                step = came[step]
            return [*reversed(way), key]
        for there in after.get(here, []):
            if there not in came:
                came[there] = here
                queue.append(there)
    return []


_LISTS: dict[str, tuple[type[Model], str]] = {
    "phases": (Phase, "phase"),
    "roles": (Role, "role"),
    "anchors": (Anchor, "anchor"),
}


def add_named(template: Template, part: str, label: str) -> Template:
    """A new phase, role or anchor (``part`` is phases, roles or anchors) with a key made from its label."""
    model, noun = _LISTS[part]
    taken = {item.key for name in ("roles", "anchors", "facts") for item in getattr(template, name)} | {"subject"}
    if part == "phases":
        taken = {phase.key for phase in template.phases}
    key = slug(label, taken, fallback=noun).replace("-", "_")
    item = _made(model, "label", {"key": key, "label": label})
    return changed(template, **{part: (*getattr(template, part), item)})


def change_named(template: Template, part: str, key: str, **values: Any) -> Template:
    """A phase, role or anchor with some fields replaced."""
    model, noun = _LISTS[part]
    items = getattr(template, part)
    i = _index(items, key, noun)
    item = _made(model, "label", {**items[i].model_dump(mode="json", by_alias=True), **values})
    return changed(template, **{part: _replaced(items, i, item)})


def move_named(template: Template, part: str, key: str, *, by: int) -> Template:
    """Move a phase, role or anchor one place up or down."""
    items = list(getattr(template, part))
    i = _index(items, key, _LISTS[part][1])
    to = i + (1 if by > 0 else -1)
    if 0 <= to < len(items):
        items[i], items[to] = items[to], items[i]
    return changed(template, **{part: tuple(items)})


def remove_named(template: Template, part: str, key: str) -> Template:
    """Take a phase, role or anchor out; refused while a step uses it."""
    noun = _LISTS[part][1]
    items = getattr(template, part)
    i = _index(items, key, noun)
    users = [step.title for step in template.steps if _uses(step, part, key)]
    users += [
        anchor.label for anchor in template.anchors if part == "anchors" and anchor.from_ and anchor.from_.anchor == key
    ]
    if users:
        more = f" and {len(users) - 3} more" if len(users) > 3 else ""
        verb = "uses" if len(users) == 1 else "use"
        message = f"{', '.join(users[:3])}{more} {verb} the {noun} {items[i].label}; give them another first"
        raise EditError(f"{part}-{key}", message)
    return changed(template, **{part: items[:i] + items[i + 1 :]})


def _uses(step: Step, part: str, key: str) -> bool:
    if part == "phases":
        return step.phase == key
    if part == "roles":
        return step.role == key or (step.sign_off is not None and step.sign_off.role == key)
    return any(measure is not None and measure.anchor == key for measure in (step.when, step.not_before, step.deadline))
