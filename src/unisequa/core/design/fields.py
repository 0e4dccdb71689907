"""A step's fields as people type and read them: in the sheet, in the panel, in a table.

Every field has a text, and setting a field to its own text changes nothing.

==============  =====================================================================
field           text
==============  =====================================================================
when            an offset: ``-5 wd``, ``start +2 w``, ``+3 d Closing day``
not_before,     the same, without ``start``
deadline
follows         ``till, bank +2 wd, walls SS``
duration        working days, ``0`` for a milestone, ``2 w``; on the minute grid ``1h 30m``
role, sign_off  the role's name; a new name makes a new role
sign_off_after  working days after which it is signed off by itself
waits_for       steps of other templates, one a line, as :mod:`unisequa.core.design.waits` reads them
phase           the phase's name
may_skip        ``yes`` or nothing
links_out       one a line: ``Form https://example.org/f``
==============  =====================================================================
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from typing import Any

from unisequa.core.design.editing import add_named, change_each, change_steps, index_of
from unisequa.core.design.linking import read_follows, set_follows, with_follows
from unisequa.core.design.rows import Place, in_phases, move, place_behind, rows, tops
from unisequa.core.design.typed import follows_words, typed_when, when_words
from unisequa.core.design.waits import typed_waits, waits_text
from unisequa.core.documents.template import Link, OutLink, Step, Template
from unisequa.core.errors import EditError, TypedError, did_you_mean
from unisequa.core.terms import MOST_DAYS

KINDS = {
    "todo": "To do", "meeting": "Meeting", "call": "Call", "message": "Message", "document": "Document to sign",
    "sign-off": "Sign-off",
}  # fmt: skip
GATES = {"bar": "bar", "warn": "warn"}
PRIORITIES = {"low": "Low", "normal": "Normal", "high": "High"}
FIELDS = (
    "title", "phase", "parent", "role", "when", "duration", "follows", "waits_for", "effort", "kind", "priority",
    "gate", "sign_off", "sign_off_after", "sign_off_until", "may_skip", "only_if", "not_before", "deadline", "calendar",
    "instructions", "links_out", "edge", "roll",
)  # fmt: skip
_OF_SIGN_OFF = {"sign_off_after": "by_itself", "sign_off_until": "until"}
_CHOICES = {"kind": KINDS, "gate": GATES, "priority": PRIORITIES}


def field_text(template: Template, step: Step, name: str) -> str:
    """A field as it is typed."""
    if name in {"when", "not_before", "deadline"}:
        measure = getattr(step, name)
        return when_words(measure, template.anchors) if measure is not None else ""
    if name in {"edge", "roll"}:
        return str(getattr(step.when, name)) if step.when else {"edge": "finish", "roll": "following"}[name]
    if name == "follows":
        return follows_words([link for link in template.links if link.to == step.key])
    if name in {"role", "sign_off"}:
        key = step.role if name == "role" else step.sign_off and step.sign_off.role
        return next((role.label for role in template.roles if role.key == key), "")
    if name in _OF_SIGN_OFF:
        rule = getattr(step.sign_off, _OF_SIGN_OFF[name]) if step.sign_off else None
        return "" if rule is None else str(rule)
    if name == "waits_for":
        return waits_text(step.waits_for, template)
    if name == "phase":
        return next((phase.label for phase in template.phases if phase.key == step.phase), "")
    if name == "duration":
        return duration_text(template, step)
    if name == "may_skip":
        return "yes" if step.may_skip else ""
    if name == "links_out":
        return "\n".join(f"{link.label} {link.url}" for link in step.links_out)
    return str(getattr(step, name) or "")


def duration_text(template: Template, step: Step) -> str:
    """How long a step lasts, as it is typed."""
    if step.duration is None:
        return "1h" if template.grid == "minute" else "1"
    return str(step.duration)


def set_field(template: Template, keys: Sequence[str], name: str, text: str) -> Template:
    """A field of one or many steps set to what was typed; all of them or none.

    Raises
    ------
    EditError
        Beside the field, saying what would be understood.
    """
    steps = [template.steps[index_of(template.steps, key, "step")] for key in keys]
    word = " ".join(text.split())
    if name == "follows":
        for key in keys:
            template = set_follows(template, key, text)
        return template
    if name == "phase":
        return _to_phase(template, keys, word)
    if name == "parent":
        return _to_parent(template, keys, word)
    if name in {"role", "sign_off"}:
        template, role = role_named(template, word)
        if name == "role":
            return change_steps(template, keys, role=role)
        return change_each(template, {step.key: {"sign_off": _signed(step, role)} for step in steps})
    if name not in {"when", "edge", "roll", *_OF_SIGN_OFF}:  # the same for all, whatever else they have
        return change_steps(template, keys, **typed_values(template, steps[0], name, text))
    return change_each(template, {step.key: typed_values(template, step, name, text) for step in steps})


def set_column(
    template: Template, keys: Sequence[str], name: str, texts: Sequence[str], places: Sequence[str] = ()
) -> Template:
    """One field of many steps, each set to its own text, as a column is pasted; all of them or none.

    Raises
    ------
    EditError
        Naming the step whose text is not understood, or its place where ``places`` has one for each.
    """
    steps = [template.steps[index_of(template.steps, key, "step")] for key in keys]
    order = in_phases(template)
    values: dict[str, dict[str, Any]] = {}
    links: dict[str, list[Link]] = {}
    phases: dict[str, list[str]] = {}
    for i, (step, text) in enumerate(zip(steps, texts, strict=True)):
        word = " ".join(text.split())
        try:
            if name == "follows":
                links[step.key] = read_follows(template, order, step.key, text)
            elif name == "phase":
                phases.setdefault(word, []).append(step.key)
            elif name == "parent":
                template = _to_parent(template, [step.key], word)
            elif name in {"role", "sign_off"}:
                template, role = role_named(template, word)
                values[step.key] = {name: role if name == "role" else _signed(step, role)}
            else:
                values[step.key] = typed_values(template, step, name, text)
        except EditError as error:
            raise EditError(error.field, f"{places[i] if places else step.title}: {error}") from None
    for word, members in phases.items():
        template = _to_phase(template, members, word)
    if links:
        template = with_follows(template, links)
    return change_each(template, values) if values else template


def typed_values(template: Template, step: Step, name: str, text: str) -> dict[str, Any]:
    """What a field's text comes to, as the step's document has it: of fields that concern the step alone.

    Raises
    ------
    EditError
    """
    word = " ".join(text.split())
    if name in {"when", "not_before", "deadline", "edge", "roll"}:
        try:
            return {"when" if name in {"edge", "roll"} else name: _measure(template, step, name, word)}
        except TypedError as error:
            raise EditError(name, str(error)) from None
    if name == "duration":
        return {"duration": _duration(template, word)}
    if name in _OF_SIGN_OFF:
        return {"sign_off": _rule(step, name, word)}
    if name == "waits_for":
        try:
            return {name: [wait.written() for wait in typed_waits(text, template)]}
        except TypedError as error:
            raise EditError(name, str(error)) from None
    return {name: _plain(name, word, text)}


def _signed(step: Step, role: str | None) -> dict[str, Any] | None:
    """Who signs off, with the rules there are for it."""
    rules = step.sign_off.written() if step.sign_off else {}
    return {**rules, "role": role} if role else None


def _rule(step: Step, name: str, word: str) -> dict[str, Any] | None:
    """The sign-off with one of its rules as it was typed."""
    if step.sign_off is None:
        if word:
            raise EditError(name, "nobody signs this step off yet; say who first")
        return None
    value: Any = word or None
    if name == "sign_off_after" and word:
        found = _DAYS.match(word)
        if not found or found[2] in {"d", "day", "days"}:
            raise EditError(name, f'"{word}" is no number of working days; type 0, 1, 2 … or nothing')
        value = int(found[1]) * (5 if found[3] else 1)
    rules = {**step.sign_off.written(), _OF_SIGN_OFF[name]: value}
    return {key: rule for key, rule in rules.items() if rule is not None}


def _plain(name: str, word: str, text: str) -> Any:
    if name in _CHOICES:
        choices = _CHOICES[name]
        for key, label in choices.items():
            if word.casefold() in {key, label.casefold()}:
                return key
        raise EditError(name, f'"{word}" is none of {", ".join(choices)}')
    if name == "may_skip":
        if word.casefold() not in {"", "no", "yes", "true", "false", "1", "0"}:
            raise EditError(name, f'"{word}" is neither yes nor no')
        return word.casefold() in {"yes", "true", "1"}
    if name in {"effort", "only_if", "calendar"}:
        return re.sub(r"(\d)\s*(?:hours?|hrs?)\b", r"\1h", word) or None if name == "effort" else word or None
    if name == "title":
        return word
    if name == "instructions":
        return text.replace("\r\n", "\n")
    if name == "links_out":
        return [_out_link(line) for line in text.splitlines() if line.strip()]
    raise EditError("title", f'a step has no field "{name}"')


def _out_link(line: str) -> dict[str, Any]:
    label, _, url = line.strip().rpartition(" ")
    if not re.match(r"^(https?://|mailto:)\S+$", url):
        raise EditError(
            "links_out", f'"{line.strip()}" has no address at its end; write: Form https://example.org/form'
        )
    return OutLink(label=label.strip() or url[:200], url=url).written()


def role_named(template: Template, word: str) -> tuple[Template, str | None]:
    """The role of that name, made where there is none; a name much like another's must be told with ``+``."""
    name = word.removeprefix("+").strip()
    if not name:
        return template, None
    for role in template.roles:
        if name.casefold() in {role.key, role.label.casefold()}:
            return template, role.key
    near = difflib.get_close_matches(name.casefold(), [role.label.casefold() for role in template.roles], 1, 0.75)
    if near and not word.startswith("+"):
        label = next(role.label for role in template.roles if role.label.casefold() == near[0])
        raise EditError("role", f'no role "{name}"; did you mean {label}? For a new role type +{name}')
    edited, key = add_named(template, "roles", name)
    return edited, key


def _to_phase(template: Template, keys: Sequence[str], word: str) -> Template:
    phase = None
    if word:
        phase = next((p.key for p in template.phases if word.casefold() in {p.key, p.label.casefold()}), None)
        if phase is None:
            template, phase = add_named(template, "phases", word)
    here = {row.step.key: row.phase for row in rows(template)}
    wanted = [key for key in tops(template, keys) if here[key] != phase]
    there = [key for key, found in here.items() if found == phase]
    return move(template, wanted, Place(there[-1] if there else None, phase)) if wanted else template


def _to_parent(template: Template, keys: Sequence[str], word: str) -> Template:
    for key in keys:
        if not word:
            place = place_behind(template, key, 0)
        else:
            parent = next((s for s in template.steps if word.casefold() in {s.key, s.title.casefold()}), None)
            if parent is None:
                raise EditError("parent", f'no step "{word}"{did_you_mean(word, [s.key for s in template.steps])}')
            inside = [row for row in rows(template) if row.step.parent == parent.key]
            place = Place(inside[-1].step.key if inside else parent.key, parent.phase, parent.key)
        template = move(template, [key], place)
    return template


def _measure(template: Template, step: Step, name: str, word: str) -> dict[str, Any] | None:
    """The measure that was typed, as it is written."""
    if name in {"edge", "roll"}:
        if step.when is None:
            raise TypedError("this step is not measured from an anchor; type its offset first")
        return {**step.when.model_dump(mode="json"), name: word}
    when = typed_when(word, template.anchors, step.when if name == "when" else None, hours=template.grid == "minute")
    written = when.model_dump(mode="json") if when else None
    if written and name != "when" and written.pop("edge") == "start":
        raise TypedError(f"{name.replace('_', ' ')} is a date of its own; leave out start")
    return written


_DAYS = re.compile(r"^(\d{1,5})\s*(?:(wd|d|days?|working days?)|(w|wk|weeks?))?$", re.IGNORECASE)


def _duration(template: Template, word: str) -> int | str | None:
    if template.grid == "minute":
        return word or None
    if word.casefold() in {"milestone", "ms"}:
        return 0
    found = _DAYS.match(word)
    if not found:
        raise EditError("duration", f'"{word}" is no number of working days; type 0 for a milestone, 1, 2 … or 2 w')
    days = int(found[1]) * (5 if found[3] else 1)
    if days > MOST_DAYS:
        raise EditError("duration", f'"{word}" is longer than a hundred years')
    return days
