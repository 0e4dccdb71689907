"""Placeholders in titles and instructions, and conditions on steps.

Both are expressions of the Jinja language over the facts, the anchors, the roles' people and the
subject, in its sandbox and cut down to what a line of text needs: names, literals, comparisons,
``and or not in``, ``+ - ~``, ``a if b else c`` and the filters below. A name that is not there is an
error when the template is checked.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Set
from functools import lru_cache
from textwrap import shorten
from typing import Any

from jinja2 import StrictUndefined, Template, TemplateError, nodes
from jinja2.meta import find_undeclared_variables
from jinja2.sandbox import ImmutableSandboxedEnvironment

from unisequa.core.calendars.words import MONTHS, day_words
from unisequa.core.errors import did_you_mean

OPEN_DATE = "date open"


def _date(value: dt.date | None) -> str:
    return day_words(value, year=True) if value else OPEN_DATE


def _time(value: dt.date | None) -> str:
    if value is None:
        return OPEN_DATE
    return value.strftime("%H:%M") if isinstance(value, dt.datetime) else ""


def _month(value: dt.date | None) -> str:
    return f"{MONTHS[value.month - 1]} {value.year}" if value else OPEN_DATE


def _quarter(value: dt.date | None) -> str:
    return f"Q{(value.month + 2) // 3} {value.year}" if value else OPEN_DATE


def _year(value: dt.date | None) -> str:
    return str(value.year) if value else OPEN_DATE


def _default(value: object, other: object) -> object:
    return value if value not in (None, "") else other


class _Unknown:
    """A value that is not known: every comparison with it is false, and so is it by itself."""

    def _never(self, other: object) -> bool:
        return False

    __lt__ = __le__ = __gt__ = __ge__ = __eq__ = __contains__ = _never
    __hash__ = object.__hash__

    def __bool__(self) -> bool:
        return False


_UNKNOWN = _Unknown()


_ENVIRONMENT = ImmutableSandboxedEnvironment(
    undefined=StrictUndefined, finalize=lambda value: "" if value is None else _shown(value)
)
_ENVIRONMENT.filters = {
    "date": _date,
    "time": _time,
    "month": _month,
    "quarter": _quarter,
    "year": _year,
    "upper": lambda value: str(value).upper(),
    "lower": lambda value: str(value).lower(),
    "default": _default,
}
_ENVIRONMENT.tests = {"none": lambda value: value is None or value is _UNKNOWN}

_ALLOWED = (
    nodes.Template, nodes.Output, nodes.TemplateData, nodes.Name, nodes.Const, nodes.Filter, nodes.Compare,
    nodes.Operand, nodes.And, nodes.Or, nodes.Not, nodes.CondExpr, nodes.Add, nodes.Sub, nodes.Neg, nodes.Concat,
    nodes.List, nodes.Tuple, nodes.Test,
)  # fmt: skip


def _shown(value: object) -> object:
    if isinstance(value, dt.datetime):
        return f"{_date(value)} {_time(value)}"
    return _date(value) if isinstance(value, dt.date) else value


def _fault(source: str, names: Set[str]) -> str | None:
    try:
        tree = _ENVIRONMENT.parse(source)
        _ENVIRONMENT.compile(source)
    except (TemplateError, RecursionError) as error:
        return f"cannot be read: {getattr(error, 'message', None) or 'it is nested too deeply'}"
    for node in tree.find_all(nodes.Node):
        if not isinstance(node, _ALLOWED):
            what = type(node).__name__.lower()
            return f"may not use a {what}; only names, comparisons, + - ~, if … else and filters are allowed"
        if isinstance(node, nodes.TemplateData) and ("{{" in node.data or "}}" in node.data):
            return "has a {{ or }} without its other half"
    unknown = sorted(find_undeclared_variables(tree) - names)
    if unknown:
        return f'no fact, anchor or role "{unknown[0]}"{did_you_mean(unknown[0], names)}'
    return None


@lru_cache(maxsize=4096)
def text_fault(text: str, names: frozenset[str]) -> str | None:
    """What is wrong with a text's placeholders, or None."""
    return _fault(text, names) if "{" in text or "}" in text else None


@lru_cache(maxsize=4096)
def condition_fault(condition: str, names: frozenset[str]) -> str | None:
    """What is wrong with a condition, or None."""
    if not condition.strip():
        return "is empty; leave it out for a step that always applies"
    if "{" in condition or "}" in condition:
        return "is written without {{ }}: entity == 'Shop'"
    return _fault("{{ (" + condition + ") }}", names)


def names_in(text: str, *, condition: bool = False) -> frozenset[str]:
    """The facts, anchors and roles that a text's placeholders, or a condition, name; none where it cannot be read."""
    try:
        return frozenset(find_undeclared_variables(_ENVIRONMENT.parse(f"{{{{ ({text}) }}}}" if condition else text)))
    except (TemplateError, RecursionError):
        return frozenset()


@lru_cache(maxsize=4096)
def _compiled(text: str) -> Template:
    return _ENVIRONMENT.from_string(text)


def fill_in(text: str, values: Mapping[str, Any]) -> str:
    """The text with its placeholders filled in.

    Raises
    ------
    ValueError
        When an expression cannot be worked out with these values; it says which text, and what is wrong with it.
    """
    if "{" not in text:
        return text
    try:
        return _compiled(text).render(values)
    except (TemplateError, TypeError, AttributeError) as error:
        said = _fault(text, values.keys()) or str(error)
        raise ValueError(f'"{shorten(text, 80, placeholder=" …")}" cannot be filled in: {said}') from error


def holds(condition: str, values: Mapping[str, Any]) -> bool:
    """Whether a condition is true with these values; a comparison with what is not known is false.

    Raises
    ------
    ValueError
        When it cannot be worked out.
    """
    known = {name: _UNKNOWN if value is None else value for name, value in values.items()}
    try:
        return bool(_ENVIRONMENT.compile_expression(condition, undefined_to_none=False)(**known))
    except (TemplateError, TypeError) as error:
        raise ValueError(f"cannot be worked out: {error}") from error
