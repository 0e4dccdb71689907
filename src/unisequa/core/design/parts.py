"""What a template has beside its steps, as people type it: roles, anchors, facts, day labels, what it includes,
and the messages of a step."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from unisequa.core.design.editing import (
    add_named,
    change_named,
    change_steps,
    changed,
    index_of,
    made,
    set_day_label,
    slug,
)
from unisequa.core.design.fields.entries import set_field
from unisequa.core.design.offsets import typed_when, when_words
from unisequa.core.documents.checks import faults_in
from unisequa.core.documents.conditions import Clause, Condition, Joiner, expression
from unisequa.core.documents.placeholders import fill_in
from unisequa.core.documents.template import Anchor, Measure, Message, Role, Step, Template
from unisequa.core.errors import EditError, TypedError
from unisequa.core.terms import number_in

FILLS = {
    "ask": "chosen when starting", "person": "a named person", "subject": "whoever the run is about",
    "manager": "that person's manager", "keeper": "the keeper",
    "position": "whoever holds a position", "team": "anyone of a team",
    "outside": "an outside party",
}  # fmt: skip
FACT_KINDS = {"text": "text", "number": "number", "date": "date", "choice": "one of a list", "yes-no": "yes or no"}
ABOUT = (
    "name", "category", "purpose", "instructions", "naming", "calendar", "direction", "grid", "zone", "ends", "follow",
    "finishes", "stale_after", "tags", "usual_for",
)  # fmt: skip
_MAY_BE_NOTHING = {"calendar", "zone", "ends", "usual_for"}


def set_about(template: Template, name: str, text: str) -> Template:
    """A field of the template itself."""
    if name not in ABOUT:
        raise EditError("name", f'a template has no field "{name}"')
    if name == "grid":
        return _on_grid(template, text.strip())
    if name == "tags":
        words = dict.fromkeys(" ".join(word.split()) for word in re.split(r"[,;\n]", text))
        return changed(template, tags=tuple(word for word in words if word))
    if name == "stale_after":
        days = number_in(text.strip() or "5")
        if not days:
            raise EditError(name, f'"{text.strip()}" is no number of working days; type 1, 2, 3 …')
        return changed(template, stale_after=days)
    value: str | None = text.replace("\r\n", "\n") if name in {"instructions", "purpose"} else " ".join(text.split())
    edited = changed(template, **{name: value or (None if name in _MAY_BE_NOTHING else "")})
    for fault in faults_in(edited):
        if fault.path == name:
            raise EditError(name, fault.message)
    return edited


def _on_grid(template: Template, grid: str) -> Template:
    """The template counted in working days, or in hours and minutes; days written out stay days.

    Back to days there is only a way where nothing is measured in hours.
    """
    if grid == template.grid:
        return template
    if grid == "minute":
        lasting: dict[str, int | str] = {
            s.key: "1d" if s.duration is None else f"{s.duration}d" for s in template.steps
        }
        lags: list[int | str] = [f"{k.lag}d" if k.lag else 0 for k in template.links]
    else:
        lasting = {s.key: _whole_days("duration", s.title, s.duration or "") for s in template.steps}
        lags = [_whole_days("lag", f"the link from {k.from_} to {k.to}", str(k.lag or "0d")) for k in template.links]
    steps = [step.model_copy(update={"duration": lasting[step.key]}) for step in template.steps]
    links = [link.model_copy(update={"lag": lag}) for link, lag in zip(template.links, lags, strict=True)]
    try:
        return changed(template, grid=grid, steps=tuple(steps), links=tuple(links), zone=None)
    except EditError as error:
        raise EditError("grid", f"{error}; change that first") from None


def _whole_days(what: str, of: str, text: int | str) -> int:
    word = str(text).strip()
    if re.fullmatch(r"-?[0-9]{1,9}d?", word):
        return int(word.removesuffix("d"))
    shown = f"{word} of {of}" if word else f"an hour of {of}"
    raise EditError("grid", f"the {what} {shown} is in hours; write it in days, such as 1d, before you count in days")


def set_part(template: Template, part: str, key: str, name: str, text: str) -> Template:
    """A field of a role, anchor, fact, phase, day label or included template, as it was typed."""
    word = " ".join(text.split())
    if part == "day_labels":
        return _day_label(template, key, name, word)
    if part in {"roles", "anchors", "facts", "phases"} and name in {"label", "retired"}:
        return change_named(template, part, key, **{name: word if name == "label" else word == "yes"})
    if part == "phases":
        return _phase(template, key, name, word)
    if part == "roles":
        return _role(template, key, name, word)
    if part == "anchors":
        return _anchor(template, key, name, word)
    if part == "facts":
        return _fact(template, key, name, text)
    if part == "includes":
        return _include(template, key, name, word)
    raise EditError("label", f'there is no field "{name}"')


def _role(template: Template, key: str, name: str, word: str) -> Template:
    fill = template.roles[index_of(template.roles, key, "role")].fill
    if name == "calendar":
        return change_named(template, "roles", key, calendar=word or None)
    if name == "fill":
        person = fill.person or "name@example.org"
        kept = {"person": person, "position": fill.position, "team": fill.team}
        by = {"by": word} | ({word: kept[word]} if word in kept else {})
        return change_named(template, "roles", key, fill=by)
    if name in {"person", "position", "team"}:
        return change_named(template, "roles", key, fill={"by": name, name: word or None})
    raise EditError("label", f'a role has no field "{name}"')


def _phase(template: Template, key: str, name: str, word: str) -> Template:
    if name == "opens":
        return change_named(template, "phases", key, opens=word)
    if name != "span":
        raise EditError("label", f'a phase has no field "{name}"')
    days = re.fullmatch(r"(\d{1,5})\s*(?:(?:wd|d|days?|working days?)|(w|wk|weeks?))?", word, re.IGNORECASE)
    if word and (not days or not int(days[1])):
        raise EditError("span", f'"{word}" is no number of working days; type 5, 2 w, or nothing')
    return change_named(template, "phases", key, span=int(days[1]) * (5 if days[2] else 1) if days else None)


def _anchor(template: Template, key: str, name: str, word: str) -> Template:
    if name == "required":
        return change_named(template, "anchors", key, required=word == "yes")
    if name != "from":
        raise EditError("label", f'an anchor has no field "{name}"')
    return change_named(template, "anchors", key, **{"from": _measure(template, word, but=key)})


def _measure(template: Template, word: str, but: str = "") -> dict[str, Any] | None:
    anchors = [anchor for anchor in template.anchors if anchor.key != but]
    if word and not anchors:
        raise EditError("from", "there is no other anchor to measure it from; add one first")
    try:
        when = typed_when(word, anchors, hours=template.grid == "minute")
    except TypedError as error:
        raise EditError("from", str(error)) from None
    if when is None:
        return None
    return Measure(anchor=when.anchor, offset=when.offset, unit=when.unit).model_dump(mode="json")


def from_words(template: Template, key: str) -> str:
    """How an anchor is derived, as it is typed; always with the name of the anchor it is measured from."""
    anchor = template.anchors[index_of(template.anchors, key, "anchor")]
    return "" if anchor.from_ is None else _named(template, anchor.from_)


def _named(template: Template, measure: Measure) -> str:
    base = next(a for a in template.anchors if a.key == measure.anchor)
    return f"{when_words(measure, [base])} {base.label}"


def label_words(template: Template, index: int) -> str:
    """The day of a day label, as it is typed."""
    label = template.day_labels[index]
    return _named(template, Measure(anchor=label.anchor, offset=label.offset, unit=label.unit))


def _day_label(template: Template, key: str, name: str, word: str) -> Template:
    index = number_in(key) if key == "0" or number_in(key) else None
    if name == "label":
        if index is None:
            raise EditError("label", "type the day first, such as +6 wd")
        return set_day_label(template, index, label=word)
    if name == "new":
        label_and_date = re.match(r"^(.*?)(?:\s*[:=]\s*|\s{2,})(.+)$", word) or re.match(
            r"^([+−-]?\s*\d+\s*(?:wd|d|w|mo)?)\s+(.+)$", word
        )
        if not label_and_date:
            raise EditError(
                "label", f'"{word}" is no day label; type the day, a colon and the label: +6 wd: Books close'
            )
        new = _measure(template, label_and_date[1].strip()) or {}
        new.pop("roll", None)
        return set_day_label(template, None, **new, label=label_and_date[2])
    measure = _measure(template, word)
    if measure is None:
        return set_day_label(template, index, label="")
    measure.pop("roll", None)
    return set_day_label(template, index, **measure)


def _fact(template: Template, key: str, name: str, text: str) -> Template:
    fact = template.facts[index_of(template.facts, key, "fact")]
    word = " ".join(text.split())
    if name == "required":
        return change_named(template, "facts", key, required=word == "yes")
    if name == "kind":
        choices = fact.choices or ("First choice", "Second choice") if word == "choice" else ()
        return change_named(template, "facts", key, kind=word, choices=choices)
    if name == "choices":
        choices = tuple(dict.fromkeys(part.strip() for part in re.split(r"[,;\n]", text) if part.strip()))
        if not choices:
            raise EditError("choices", "a list needs at least one choice; separate them by commas")
        return change_named(template, "facts", key, kind="choice", choices=choices)
    raise EditError("label", f'a fact has no field "{name}"')


def _include(template: Template, key: str, name: str, word: str) -> Template:
    include = template.includes[index_of(template.includes, key, "included template")]
    if name == "phase":
        return change_named(template, "includes", key, phase=word or None)
    kind, _, theirs = name.partition(":")
    if kind in {"anchors", "roles"} and theirs:
        mapped = {k: v for k, v in getattr(include, kind).items() if k != theirs}
        return change_named(template, "includes", key, **{kind: {**mapped, **({theirs: word} if word else {})}})
    raise EditError("label", f'an included template has no field "{name}"')


def anchors_named(text: str) -> tuple[Anchor, ...]:
    """Anchors by their names, separated by commas, the first one required; one called Start where there is no name.

    Raises
    ------
    EditError
        Field ``anchors``.
    """
    anchors: list[Anchor] = []
    taken = {"subject"}
    for label in dict.fromkeys(" ".join(part.split()) for part in text.split(",")):
        if label:
            key = slug(label, taken, fallback="anchor").replace("-", "_")
            taken |= {key, key.replace("_", "-")}
            anchors.append(made(Anchor, "anchors", {"key": key, "label": label, "required": not anchors}))
    return tuple(anchors) or (Anchor(key="start", label="Start"),)


def include(template: Template, inner: Template) -> tuple[Template, str]:
    """Another template within this one: its anchors and roles are those of ours of the same name, and where none of its
    anchors is, its first one is our first."""
    anchors = _of_the_same_name(template.anchors, inner.anchors)
    ours = {anchor.key for anchor in template.anchors}
    if inner.anchors and template.anchors and not anchors and not ours & {anchor.key for anchor in inner.anchors}:
        anchors[inner.anchors[0].key] = template.anchors[0].key
    roles = _of_the_same_name(template.roles, inner.roles)
    return add_named(template, "includes", inner.name, anchors=anchors, roles=roles)


def _of_the_same_name(ours: Sequence[Anchor | Role], theirs: Sequence[Anchor | Role]) -> dict[str, str]:
    """Their keys and ours, where the names are the same and the keys are not."""
    labels = {item.label.casefold(): item.key for item in ours}
    named = ((item.key, labels.get(item.label.casefold(), item.key)) for item in theirs)
    return {key: our for key, our in named if key != our}


def set_condition(
    template: Template, keys: list[str], joiner: Joiner, clauses: list[Clause], name: str = "only_if"
) -> Template:
    """The condition under which steps are there, or are held in review until it holds, put together from clauses;
    none takes it away."""
    try:
        text = expression(Condition(tuple(clauses), joiner), template.facts) if clauses else ""
    except (ValueError, KeyError) as error:
        raise EditError(name, str(error)) from None
    return set_field(template, keys, name, text)


def set_message(template: Template, key: str, index: int | None, **values: Any) -> Template:
    """A message of a step changed, or a new one; taken out when ``values`` is empty."""
    step = template.steps[index_of(template.steps, key, "step")]
    messages = [message.written() | {"to": message.to, "subject": message.subject} for message in step.messages]
    if index is not None and not 0 <= index < len(messages):
        raise EditError("messages", "this message is not there any more; somebody may have taken it out")
    if index is None:
        messages.append({"offset": -2, "subject": "{{ task }} is due {{ due }}", **values})
    elif not values:
        del messages[index]
    else:
        messages[index] |= values
    return change_steps(template, [key], messages=messages)


def without_file(template: Template, key: str, sha256: str) -> Template:
    """A step without one of its files, which goes with none of its messages then."""
    step = template.steps[index_of(template.steps, key, "step")]
    kept = [file.model_dump() for file in step.attachments if file.sha256 != sha256]
    names = {file["name"] for file in kept}
    messages = [
        {
            **message.written(),
            "to": message.to,
            "subject": message.subject,
            "files": [f for f in message.files if f in names],
        }
        for message in step.messages
    ]
    return change_steps(template, [key], attachments=kept, messages=messages)


def message_words(message: Message, template: Template) -> str:
    """When a message leaves and to whom, in a line."""
    role = next((role.label for role in template.roles if role.key == message.to), message.to)
    moment = {"start": "starts", "due": "is due", "done": "is done"}[message.of]
    at = f", at {message.at}" if message.at else ""
    if message.offset == 0:
        return f"to {role}, when it {moment}{at}"
    unit = message.unit if abs(message.offset) > 1 else message.unit.removesuffix("s")
    return f"to {role}, {abs(message.offset)} {unit} {'before' if message.offset < 0 else 'after'} it {moment}{at}"


def sample_name(template: Template, today: Any) -> str:
    """A name that a run might have, by the naming pattern: dates are today's, facts their own labels."""
    try:
        return fill_in(template.naming, _sample_values(template, today)).strip()
    except ValueError as error:
        return f"({error})"


def _sample_values(template: Template, today: Any) -> dict[str, Any]:
    values: dict[str, Any] = {anchor.key: today for anchor in template.anchors}
    values |= {role.key: role.label for role in template.roles}
    for fact in template.facts:
        sample = {"number": 12, "date": today, "yes-no": True}.get(fact.kind, fact.label)
        values[fact.key] = fact.choices[0] if fact.choices else sample
    return {**values, "subject": "the subject"}


def sample_message(template: Template, step: Step, message: Message, today: Any) -> tuple[str, str]:
    """Subject and text of a message as they might read: dates are today's, facts their own labels, roles theirs."""
    values = {**_sample_values(template, today), "task": step.title, "start": today, "due": today, "run": template.name}
    values["person"] = next((role.label for role in template.roles if role.key == message.to), message.to)
    try:
        values["task"] = fill_in(step.title, values)
        return " ".join(fill_in(message.subject, values).split()), fill_in(message.text, values)
    except ValueError as error:
        return message.subject, f"({error})"
