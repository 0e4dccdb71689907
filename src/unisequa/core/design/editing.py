"""Edits of a template: each takes the document and gives a new one, or refuses and leaves it as it is."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from unisequa.core.calendars.grid import MINUTES, read_span, span_text
from unisequa.core.documents.checks import DEEPEST, conditions_of, faults_in, may_wait
from unisequa.core.documents.reading import faults_of
from unisequa.core.documents.template import Anchor, DayLabel, Fact, Include, Link, Model, Phase, Role, Step, Template
from unisequa.core.errors import EditError
from unisequa.core.plan.bridging import bridged
from unisequa.core.plan.task import LinkOf


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
    """The template with some top-level fields replaced, checked whole; only texts may wait for what they name.

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
        if not may_wait(fault):
            raise EditError(fault.path, fault.message)
    return edited


def index_of(items: Sequence[Any], key: str, noun: str) -> int:
    for i, item in enumerate(items):
        if item.key == key:
            return i
    raise EditError("key", f'the {noun} "{key}" is not there any more; somebody may have taken it out')


def made(model: type[Model], field: str, values: Mapping[str, Any]) -> Any:
    try:
        return model.model_validate(values)
    except ValidationError as error:
        fault = faults_of(error)[0]
        raise EditError(fault.path or field, fault.message) from None


def _replaced(items: Sequence[Any], i: int, item: Any) -> tuple[Any, ...]:
    return (*items[:i], item, *items[i + 1 :])


def change_step(template: Template, key: str, **values: Any) -> Template:
    """A step with some fields replaced; values as they stand in the document."""
    return change_steps(template, [key], **values)


def change_steps(template: Template, keys: Iterable[str], **values: Any) -> Template:
    """Several steps with the same fields replaced; all of them or none."""
    return change_each(template, dict.fromkeys(keys, values))


def change_each(template: Template, values: Mapping[str, Mapping[str, Any]]) -> Template:
    """Several steps, by key, each with fields of its own replaced; all of them or none."""
    steps = list(template.steps)
    for key, fields in values.items():
        i = index_of(steps, key, "step")
        written = {**steps[i].model_dump(mode="json", by_alias=True), **fields}
        steps[i] = made(Step, next(iter(fields), "title"), written)
    try:
        return changed(template, steps=tuple(steps))
    except EditError as error:
        field = re.sub(r"^steps\[\d+\]\.", "", error.field)
        raise EditError(field, str(error)) from None


def remove_steps(template: Template, keys: Iterable[str], *, bridge: bool = True) -> Template:
    """Take steps out, with their sub-steps.

    Parameters
    ----------
    bridge : bool
        Let what followed them follow what they followed.
    """
    gone = set(keys)
    for key in gone:
        index_of(template.steps, key, "step")
    for _ in range(DEEPEST):
        gone |= {step.key for step in template.steps if step.parent in gone}
    if bridge:
        links: Iterable[Link] = _bridged(template, gone)
    else:
        links = (link for link in template.links if link.from_ not in gone and link.to not in gone)
    steps = tuple(step for step in template.steps if step.key not in gone)
    return changed(template, steps=steps, links=tuple(links))


def _bridged(template: Template, gone: set[str]) -> list[Link]:
    """The links without some steps, what followed them following what they followed; lags of hours stay text."""
    day = MINUTES if template.grid == "minute" else 1

    def slots(lag: int | str) -> int:
        return read_span(lag, day) if isinstance(lag, str) else lag * day

    kept = {LinkOf(k.from_, k.to, k.type, slots(k.lag), k.unit): k for k in template.links}
    bridges: dict[tuple[str, str, str], Link] = {}
    for link in bridged(kept, gone):
        lag = span_text(link.lag, day) if template.grid == "minute" else link.lag
        written = {"from": link.source, "to": link.target, "type": link.type, "lag": lag, "unit": link.unit}
        bridges.setdefault((link.source, link.target, link.type), kept.get(link) or Link.model_validate(written))
    return list(bridges.values())


PARTS: dict[str, tuple[type[Model], str]] = {
    "phases": (Phase, "phase"),
    "roles": (Role, "role"),
    "anchors": (Anchor, "anchor"),
    "facts": (Fact, "fact"),
    "includes": (Include, "included template"),
}
"""The named lists of a template beside its steps."""


def add_named(template: Template, part: str, label: str, **values: Any) -> tuple[Template, str]:
    """A new entry of a named list with a key made from its label; gives the key too."""
    model, noun = PARTS[part]
    if part in {"phases", "includes"}:
        taken = {item.key for item in getattr(template, part)}
    else:
        taken = {item.key for name in ("roles", "anchors", "facts") for item in getattr(template, name)} | {"subject"}
    names = taken | {key.replace("_", "-") for key in taken}
    word = label.split(maxsplit=1)[0] if part == "includes" and label.strip() else label
    key = slug(word, names, fallback=noun.split()[-1])
    if part != "phases":
        key = key.replace("-", "_")  # so that placeholders can name it
    named = {"template": label} if part == "includes" else {"label": label}
    item = made(model, "label", {"key": key, **named, **values})
    return changed(template, **{part: (*getattr(template, part), item)}), key


def change_named(template: Template, part: str, key: str, **values: Any) -> Template:
    """An entry of a named list with some fields replaced."""
    model, noun = PARTS[part]
    items = getattr(template, part)
    i = index_of(items, key, noun)
    item = made(model, next(iter(values), "label"), {**items[i].model_dump(mode="json", by_alias=True), **values})
    return changed(template, **{part: _replaced(items, i, item)})


def move_named(template: Template, part: str, key: str, *, after: str | None) -> Template:
    """Put an entry of a named list behind another, or first."""
    items = list(getattr(template, part))
    item = items.pop(index_of(items, key, PARTS[part][1]))
    items.insert(0 if after is None else index_of(items, after, PARTS[part][1]) + 1, item)
    return changed(template, **{part: tuple(items)})


def nudge_named(template: Template, part: str, key: str, *, by: int) -> Template:
    """Move an entry of a named list one place up or down."""
    items = list(getattr(template, part))
    i = index_of(items, key, PARTS[part][1])
    to = i + (1 if by > 0 else -1)
    if 0 <= to < len(items):
        items[i], items[to] = items[to], items[i]
    return changed(template, **{part: tuple(items)})


def remove_named(template: Template, part: str, key: str) -> Template:
    """Take an entry of a named list out; refused while something uses it."""
    noun = PARTS[part][1]
    items = getattr(template, part)
    i = index_of(items, key, noun)
    label = getattr(items[i], "label", key)
    users = list(_users(template, part, key))
    if users:
        more = f" and {len(users) - 3} more" if len(users) > 3 else ""
        verb = "uses" if len(users) == 1 else "use"
        message = f"{', '.join(users[:3])}{more} {verb} the {noun} {label}; give them another first"
        raise EditError(f"{part}-{key}", message)
    changes: dict[str, Any] = {part: items[:i] + items[i + 1 :]}
    if part == "includes":
        changes["links"] = tuple(k for k in template.links if key not in {k.from_.split(".")[0], k.to.split(".")[0]})
    return changed(template, **changes)


def _users(template: Template, part: str, key: str) -> Iterable[str]:
    """The titles and labels of what names an entry."""
    for step in template.steps:
        measures = (step.when, step.not_before, step.deadline, *step.waits_for)
        if (
            (part == "phases" and step.phase == key)
            or (part == "roles" and key in {step.role, step.sign_off and step.sign_off.role})
            or (part == "roles" and any(message.to == key for message in step.messages))
            or (part == "anchors" and any(m is not None and m.anchor == key for m in measures))
            or (part == "facts" and key in conditions_of(step))
        ):
            yield step.title
    if part == "anchors":
        yield from (a.label for a in template.anchors if a.from_ and a.from_.anchor == key)
        yield from (label.label for label in template.day_labels if label.anchor == key)
    if part in {"anchors", "roles"}:
        yield from (i.template for i in template.includes if key in getattr(i, part).values())


def set_day_label(template: Template, index: int | None, **values: Any) -> Template:
    """The day label at a place with some fields replaced, or a new one; taken out when its label is empty."""
    labels = list(template.day_labels)
    if index is not None and not 0 <= index < len(labels):
        raise EditError("label", "this day label is not there any more; somebody may have taken it out")
    if not str(values.get("label", "x")).strip():
        if index is not None:
            del labels[index]
        return changed(template, day_labels=tuple(labels))
    if index is None:
        labels.append(made(DayLabel, "label", values))
    else:
        labels[index] = made(DayLabel, "label", {**labels[index].model_dump(mode="json"), **values})
    return changed(template, day_labels=tuple(labels))
