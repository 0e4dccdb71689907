"""Fields that concern a step alone: what was typed, as the step's document has it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from unisequa.core.calendars.typed import typed_days, typed_span
from unisequa.core.design.offsets import typed_when
from unisequa.core.documents.template import OutLink, Step, Template
from unisequa.core.errors import EditError, TypedError
from unisequa.core.terms import MOST_DAYS

OF_SIGN_OFF = {"sign_off_after": "by_itself", "sign_off_until": "until"}


def duration_text(template: Template, step: Step) -> str:
    """How long a step lasts, as it is typed."""
    if step.duration is None:
        return "1h" if template.grid == "minute" else "1"
    return str(step.duration)


def signed(step: Step, role: str | None) -> dict[str, Any] | None:
    """Who signs off, with the rules there are for it."""
    rules = step.sign_off.written() if step.sign_off else {}
    return {**rules, "role": role} if role else None


def rule(step: Step, name: str, word: str) -> dict[str, Any] | None:
    """The sign-off with one of its rules as it was typed."""
    if step.sign_off is None:
        if word:
            raise EditError(name, "nobody signs this step off yet; say who first")
        return None
    value: Any = word or None
    if name == "sign_off_after" and word:
        value = typed_days(word, plain=False)
        if value is None:
            raise EditError(name, f'"{word}" is no number of working days; type 0, 1, 2 … or nothing')
    rules = {**step.sign_off.written(), OF_SIGN_OFF[name]: value}
    return {key: rule for key, rule in rules.items() if rule is not None}


def chosen(name: str, choices: Mapping[str, str], word: str) -> str:
    """The choice that a word names."""
    for key, label in choices.items():
        if word.casefold() in {key, label.casefold()}:
            return key
    raise EditError(name, f'"{word}" is none of {", ".join(choices)}')


def yes_or_no(name: str, word: str) -> bool:
    """Whether a word says yes."""
    if word.casefold() not in {"", "no", "yes", "true", "false", "1", "0"}:
        raise EditError(name, f'"{word}" is neither yes nor no')
    return word.casefold() in {"yes", "true", "1"}


def effort(word: str) -> str | None:
    """An effort as it is written; a bare number is hours."""
    return typed_span(f"{word}h" if re.fullmatch(r"\d+(?:[.,]\d+)?", word) else word) if word else None


def out_link(line: str) -> dict[str, Any]:
    label, _, url = line.strip().rpartition(" ")
    if not re.match(r"^(https?://|mailto:)\S+$", url):
        raise EditError(
            "links_out", f'"{line.strip()}" has no address at its end; write: Form https://example.org/form'
        )
    return OutLink(label=label.strip() or url[:200], url=url).written()


def measure(template: Template, step: Step, name: str, word: str) -> dict[str, Any] | None:
    """The measure that was typed, as it is written.

    Raises
    ------
    EditError
    """
    try:
        return _measure(template, step, name, word)
    except TypedError as error:
        raise EditError(name, str(error)) from None


def part_of(step: Step, name: str, of: str, part: str, word: str) -> dict[str, Any] | None:
    """A measure with another end, or roll; nothing stays nothing.

    Raises
    ------
    EditError
    """
    measured = getattr(step, of)
    if measured is None:
        if not word:
            return None
        raise EditError(name, f"{_MEASURES[of]} is not measured from an anchor; type its offset first")
    return {**measured.model_dump(mode="json"), part: word}


_MEASURES = {"when": "this step", "not_before": "its not before", "deadline": "its deadline"}


def _measure(template: Template, step: Step, name: str, word: str) -> dict[str, Any] | None:
    when = typed_when(word, template.anchors, step.when if name == "when" else None, hours=template.grid == "minute")
    written = when.model_dump(mode="json") if when else None
    if written and name != "when" and written.pop("edge") == "start":
        raise TypedError(f"{name.replace('_', ' ')} is a date of its own; leave out start")
    return written


def duration(template: Template, word: str) -> int | str | None:
    if template.grid == "minute":
        return typed_span(word) if word else None
    if word.casefold() in {"milestone", "ms"}:
        return 0
    days = typed_days(word)
    if days is None:
        raise EditError("duration", f'"{word}" is no number of working days; type 0 for a milestone, 1, 2 … or 2 w')
    if days > MOST_DAYS:
        raise EditError("duration", f'"{word}" is longer than a hundred years')
    return days
