"""The fields of a step, one entry each. A new field is named here, and in the document (`documents/template.py`).

==============  =====================================================================
field           text
==============  =====================================================================
when            an offset: ``-5 wd``, ``start +2 w``, ``Closing day +3 d``
not_before,     the same, without ``start``
deadline
follows         ``Count the till, Bank +2 wd, starts with Walls``, by titles, keys or rows
duration        working days, ``0`` for a milestone, ``2 w``; on the minute grid ``1h 30m``
role, sign_off  the role's name; a new name makes a new role
sign_off_after  working days after which it is signed off by itself
waits_for       steps of other templates, one a line, as :mod:`unisequa.core.design.fields.waits` reads them
phase           the phase's name
may_skip        ``yes`` or nothing
links_out       one a line: ``Form https://example.org/f``
==============  =====================================================================
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from unisequa.core.design.editing import index_of
from unisequa.core.design.fields.field import Field, Setting
from unisequa.core.design.fields.named import role_named, to_parent, to_phase
from unisequa.core.design.fields.values import (
    OF_SIGN_OFF,
    chosen,
    duration,
    duration_text,
    effort,
    measure,
    out_link,
    part_of,
    rule,
    signed,
    yes_or_no,
)
from unisequa.core.design.fields.waits import typed_waits, waits_text
from unisequa.core.design.following import follows_words
from unisequa.core.design.linking import names_of, read_follows, with_follows
from unisequa.core.design.offsets import when_words
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import EditError, TypedError

KINDS = {
    "todo": "To do", "meeting": "Meeting", "call": "Call", "message": "Message", "document": "Document to sign",
    "sign-off": "Sign-off",
}  # fmt: skip
GATES = {"bar": "bar", "warn": "warn"}
READY = {"when free": "when free", "on its day": "on its day"}
PRIORITIES = {"low": "Low", "normal": "Normal", "high": "High"}


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _plain(name: str, column: str, *, empty: Any = None, **more: Any) -> Field:
    """A field that is a line of text."""
    return Field(
        name, column, lambda template, step: str(getattr(step, name) or ""),
        lambda setting, step, text: {name: _one_line(text) or empty}, **more,
    )  # fmt: skip


def _choice(name: str, column: str, choices: Mapping[str, str], **more: Any) -> Field:
    """A field that is one of some words."""
    return Field(
        name, column, lambda template, step: str(getattr(step, name)),
        lambda setting, step, text: {name: chosen(name, choices, _one_line(text))}, choices=choices, **more,
    )  # fmt: skip


def _measured(name: str, column: str, **more: Any) -> Field:
    """A field that is a date measured from an anchor."""

    def text_of(template: Template, step: Step) -> str:
        measured = getattr(step, name)
        return when_words(measured, template.anchors) if measured is not None else ""

    return Field(
        name, column, text_of,
        lambda setting, step, text: {name: measure(setting.template, step, name, _one_line(text))}, **more,
    )  # fmt: skip


def _part_of(name: str, column: str, without: str, of: str = "when") -> Field:
    """A part of a measure: which end stands on it, how it is rolled on a day off."""
    part = "edge" if name == "edge" else "roll"

    def text_of(template: Template, step: Step) -> str:
        measured = getattr(step, of)
        return str(getattr(measured, part)) if measured is not None else without

    return Field(
        name, column, text_of, lambda setting, step, text: {of: part_of(step, name, of, part, _one_line(text))},
    )  # fmt: skip


def _rule_of_sign_off(name: str, column: str) -> Field:
    """A rule of the sign-off."""

    def text_of(template: Template, step: Step) -> str:
        kept = getattr(step.sign_off, OF_SIGN_OFF[name]) if step.sign_off else None
        return "" if kept is None else str(kept)

    return Field(name, column, text_of, lambda setting, step, text: {"sign_off": rule(step, name, _one_line(text))})


def _label(template: Template, part: str, key: str | None) -> str:
    return next((item.label for item in getattr(template, part) if item.key == key), "")


def _role(setting: Setting, text: str) -> str | None:
    setting.template, role = role_named(setting.template, _one_line(text))
    return role


def _waits(setting: Setting, step: Step, text: str) -> dict[str, Any]:
    try:
        return {"waits_for": [wait.written() for wait in typed_waits(text, setting.template)]}
    except TypedError as error:
        raise EditError("waits_for", str(error)) from None


def _in_phases(setting: Setting, wanted: Mapping[str, str]) -> Template:
    template, members = setting.template, dict[str, list[str]]()
    for key, word in wanted.items():
        members.setdefault(word, []).append(key)
    for word, keys in members.items():
        template = to_phase(template, keys, word)
    return template


def _in_parent(setting: Setting, step: Step, text: str) -> None:
    setting.template = to_parent(setting.template, [step.key], _one_line(text))


_ALSO = {
    "title": (
        "task", "title", "name", "activity", "step name", "task name", "activity name", "action", "what", "to do",
    ),
    "phase": (
        "group", "stage", "section", "workstream",
    ),
    "role": (
        "who", "owner", "responsible", "assignee", "assigned to", "person", "responsible person", "by whom",
        "resource", "resources", "resource name", "resource names", "done by",
    ),
    "when": (
        "offset", "when", "due date", "date", "finish", "finish date", "end", "end date", "ends", "target date",
        "timing", "by when",
    ),
    "duration": (
        "duration", "working days", "lasts", "length", "takes", "no. of days", "number of days",
    ),
    "follows": (
        "predecessors", "predecessor", "predecessor(s)", "after", "depends on", "dependencies", "dependency",
        "preceded by", "waits on",
    ),
    "instructions": (
        "description", "notes", "note", "how", "comments", "comment", "remarks", "details", "how to",
    ),
}  # fmt: skip
"""Other names that columns have in the tables of people, in small letters."""

FIELDS: tuple[Field, ...] = (
    _plain("title", "Step", empty="", short=("step", "title", "task", "name"),
           also=_ALSO["title"]),
    Field("phase", "Phase", lambda template, step: _label(template, "phases", step.phase),
          lambda setting, step, text: _one_line(text), _in_phases,
          also=_ALSO["phase"], short=("phase",), alone=False),
    Field("parent", "Part of", lambda template, step: step.parent or "", _in_parent,
          lambda setting, values: setting.template, also=("parent",), alone=False),
    Field("role", "Role", lambda template, step: _label(template, "roles", step.role),
          lambda setting, step, text: {"role": _role(setting, text)},
          also=_ALSO["role"], short=("role",), alone=False),
    _measured("when", "Due", words="offset", also=_ALSO["when"], short=("due", "offset", "when")),
    _part_of("roll", "On a day off", "following"),
    _part_of("edge", "", "finish"),
    Field("duration", "Days", duration_text,
          lambda setting, step, text: {"duration": duration(setting.template, _one_line(text))},
          also=_ALSO["duration"], short=("days", "duration", "working days")),
    Field("follows", "Follows",
          lambda template, step: follows_words(
              [link for link in template.links if link.to == step.key], names_of(template)),
          lambda setting, step, text: read_follows(setting.names, step.key, text),
          lambda setting, links: with_follows(setting.template, links),
          also=_ALSO["follows"], short=("follows",), alone=False),
    Field("waits_for", "Waits for", lambda template, step: waits_text(step.waits_for, template), _waits),
    Field("effort", "Effort", lambda template, step: str(step.effort or ""),
          lambda setting, step, text: {"effort": effort(_one_line(text))}, also=("hours",), short=("effort",)),
    _plain("chunk", "In pieces of", words="in pieces of"),
    _choice("kind", "Kind", KINDS, also=("type",), short=("kind",)),
    _choice("priority", "Priority", PRIORITIES, short=("priority",)),
    Field("sign_off", "Signed off by",
          lambda template, step: _label(template, "roles", step.sign_off.role if step.sign_off else None),
          lambda setting, step, text: {"sign_off": signed(step, _role(setting, text))},
          words="sign-off", also=("sign-off",), alone=False),
    _rule_of_sign_off("sign_off_after", "Signed off by itself after"),
    _rule_of_sign_off("sign_off_until", "In review until"),
    Field("may_skip", "May be skipped", lambda template, step: "yes" if step.may_skip else "",
          lambda setting, step, text: {"may_skip": yes_or_no("may_skip", _one_line(text))},
          words="may be skipped", also=("optional",)),
    _choice("gate", "While open", GATES),
    _choice("ready", "Ready", READY, words="ready"),
    _plain("only_if", "Only if", words="condition", also=("condition",)),
    _measured("not_before", "Not before"),
    _part_of("not_before_roll", "Not before, on a day off", "", "not_before"),
    _measured("deadline", "Deadline"),
    _part_of("deadline_roll", "Deadline, on a day off", "", "deadline"),
    _plain("calendar", "Calendar", words="working calendar"),
    Field("instructions", "Instructions", lambda template, step: step.instructions or "",
          lambda setting, step, text: {"instructions": text.replace("\r\n", "\n")},
          also=_ALSO["instructions"], short=("instructions",)),
    Field("links_out", "Links",
          lambda template, step: "\n".join(f"{link.label} {link.url}" for link in step.links_out),
          lambda setting, step, text: {"links_out": [out_link(line) for line in text.splitlines() if line.strip()]},
          words="links to pages", also=("link",)),
)  # fmt: skip
"""In the order of the columns of a table."""

FIELD: Mapping[str, Field] = {entry.name: entry for entry in FIELDS}


def field_text(template: Template, step: Step, name: str) -> str:
    """A field as it is typed."""
    return FIELD[name].text(template, step)


def typed_values(template: Template, step: Step, name: str, text: str) -> dict[str, Any]:
    """What a field's text comes to, as the step's document has it: of fields that concern the step alone.

    Raises
    ------
    EditError
    """
    values: dict[str, Any] = _entry(name).read(Setting(template), step, text)
    return values


def set_field(
    template: Template, keys: Sequence[str], name: str, text: str, inside: Mapping[str, str] | None = None
) -> Template:
    """A field of one or many steps set to what was typed; all of them or none.

    ``inside`` has the titles of the steps of included templates, which others may follow by them.

    Raises
    ------
    EditError
        Beside the field, saying what would be understood.
    """
    entry, setting = _entry(name), Setting(template, inside or {})
    steps = [template.steps[index_of(template.steps, key, "step")] for key in keys]
    return entry.write(setting, {step.key: entry.read(setting, step, text) for step in steps})


def set_column(
    template: Template,
    keys: Sequence[str],
    name: str,
    texts: Sequence[str],
    places: Sequence[str] = (),
    inside: Mapping[str, str] | None = None,
) -> Template:
    """One field of many steps, each set to its own text, as a column is pasted; all of them or none.

    Raises
    ------
    EditError
        Naming the step whose text is not understood, or its place where ``places`` has one for each.
    """
    entry, setting, values = _entry(name), Setting(template, inside or {}), dict[str, Any]()
    for i, (key, text) in enumerate(zip(keys, texts, strict=True)):
        step = template.steps[index_of(template.steps, key, "step")]
        try:
            values[key] = entry.read(setting, step, text)
        except EditError as error:
            raise EditError(error.field, f"{places[i] if places else step.title}: {error}") from None
    return entry.write(setting, values)


def _entry(name: str) -> Field:
    if name not in FIELD:
        raise EditError("title", f'a step has no field "{name}"')
    return FIELD[name]
