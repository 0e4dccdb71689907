"""Facts asked at a start: read, checked, and with their defaults."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping

from unisequa.core.documents.template import Fact, Template
from unisequa.core.errors import Fault, did_you_mean

LONGEST_FACT = 500


def read_facts(template: Template, given: Mapping[str, object]) -> tuple[dict[str, object], list[Fault]]:
    """The facts in the kinds that the template asks for, None where not given; and what is wrong with them."""
    return _facts_of({fact.key: fact for fact in template.facts}, given)


def _facts_of(known: Mapping[str, Fact], given: Mapping[str, object]) -> tuple[dict[str, object], list[Fault]]:
    facts: dict[str, object] = {}
    faults = []
    for key in given:
        if key not in known:
            faults.append(Fault(f"facts.{key}", f'the template asks for no "{key}"{did_you_mean(key, known)}'))
    for key, fact in known.items():
        value = given.get(key)
        text = value.strip() if isinstance(value, str) else value
        facts[key] = None
        if text in (None, ""):
            if fact.required:
                faults.append(Fault(f"facts.{key}", f'"{fact.label}" is required; fill it in'))
            continue
        try:
            facts[key] = _fact(fact, text)
        except ValueError as error:
            faults.append(Fault(f"facts.{key}", f'"{fact.label}" {error}'))
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
        if number < 0:
            raise ValueError(f"must be 0 or more, not {text}")
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
