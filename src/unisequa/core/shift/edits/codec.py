"""Edits as documents and as options of the command line, both made from an edit's fields.

A document is a mapping of plain JSON values (``docs/formats.md``, *Edits*)::

    {"edit": "move", "task": "bank", "start": "2026-12-07"}

The same document is the row in the database, what a form sends, and an entry of ``cascade --edits FILE``; an option
such as ``--move bank=2026-12-07`` is taken apart into one first. Dates are as people read them. Lengths are whole
working days, or on the minute grid text such as ``1d 4h``, where a whole number stands for days too.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import MISSING, Field, fields
from typing import Any, cast

from unisequa.core.calendars.grid import DAYS, Grid, read_span, span_text
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.reading import read_document
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import KINDS, Edit
from unisequa.core.shift.edits.edit import Option

BY_KIND: Mapping[str, type[Edit]] = {kind.kind: kind for kind in KINDS}
OPTIONS: Mapping[str, tuple[type[Edit], Option]] = {o.flag: (kind, o) for kind in KINDS for o in kind.options}

LONGEST = 2000
"""Characters of a text."""

_LINK = re.compile(r"^(?P<from>[^:]+):(?P<to>[^:]+)(?::(?P<type>[^:]*))?(?::(?P<lag>[^:]*))?$")

Document = dict[str, Any]


# Documents.


def written(edit: Edit, grid: Grid) -> Document:
    """An edit as a document, without what only repeats a default."""
    document: Document = {"edit": edit.kind}
    for one in fields_of(type(edit)):
        value = getattr(edit, one.name)
        if value is not None and value != one.default:
            document[_name(one)] = _WRITERS.get(one.metadata["value"], _as_it_is)(value, grid)
    return document


def read(document: object, plan: Plan) -> Edit:
    """An edit from its document.

    Raises
    ------
    DocumentError
        With every fault and the key it lies at.
    """
    if not isinstance(document, Mapping):
        raise DocumentError([Fault("", 'an edit is written as {"edit": "move", "task": …, "start": …}')])
    kind = document.get("edit")
    of_kind = BY_KIND.get(kind) if isinstance(kind, str) else None
    if of_kind is None:
        said = f'no edit "{kind}"{did_you_mean(str(kind), BY_KIND)}' if "edit" in document else "says which edit it is"
        raise DocumentError([Fault("edit", said)])
    known = {_name(one): one for one in fields_of(of_kind)}
    faults = [
        Fault(str(name), f"{of_kind.kind} has no such key{did_you_mean(str(name), known)}")
        for name in document
        if name != "edit" and name not in known
    ]
    values: dict[str, Any] = {}
    for name, one in known.items():
        if name not in document:
            if one.default is MISSING:
                faults.append(Fault(name, "is missing"))
            continue
        try:
            values[one.name] = _READERS[one.metadata["value"]](document[name], one, plan, document)
        except ValueError as error:
            faults.append(Fault(name, str(error)))
    if faults:
        raise DocumentError(faults)
    return of_kind(**values)


def read_all(documents: object, plan: Plan) -> list[Edit]:
    """Edits from a list of their documents.

    Raises
    ------
    DocumentError
        With every fault in all of them, such as ``[2].start``.
    """
    if not isinstance(documents, list | tuple):
        raise DocumentError([Fault("", "edits are written as a list of edits")])
    edits: list[Edit] = []
    faults: list[Fault] = []
    for i, document in enumerate(documents):
        try:
            edits.append(read(document, plan))
        except DocumentError as error:
            faults += [Fault(f"[{i}].{fault.path}".rstrip("."), fault.message) for fault in error.faults]
    if faults:
        raise DocumentError(faults)
    return edits


# Options.


def from_options(options: Mapping[str, Iterable[str]], plan: Plan) -> list[Edit]:
    """Edits from the texts given with each option.

    Raises
    ------
    DocumentError
        With a fault for every text that cannot be read.
    """
    edits: list[Edit] = []
    faults: list[Fault] = []
    for flag, texts in options.items():
        for text in texts:
            try:
                edits.append(read(taken_apart(flag, text), plan))
            except DocumentError as error:
                faults += [Fault(flag, fault.message) for fault in error.faults]
            except ValueError as error:
                faults.append(Fault(flag, str(error)))
    if faults:
        raise DocumentError(faults)
    return edits


def taken_apart(flag: str, text: str) -> Document:
    """The document that an option's text stands for.

    Raises
    ------
    ValueError

    >>> taken_apart("--move", "bank=2026-12-07")
    {'edit': 'move', 'task': 'bank', 'start': '2026-12-07'}
    """
    kind, option = OPTIONS[flag]
    names = [_name(one) for one in fields_of(kind)]
    document: Document = {"edit": kind.kind, **dict(option.given)}
    if option.form == "pair":
        return document | dict(zip(names, pair(text), strict=False))
    if option.form == "whom":
        key, whom = pair(text)
        what, colon, name = whom.partition(":")
        known = colon and what in {"person", "calendar"}
        return document | {names[0]: key, **({what: name} if known else {"calendar": whom})}
    if option.form == "range":
        first, dots, last = text.partition("..")
        return document | {names[0]: first, names[1]: last if dots else first}
    if option.form == "pair of range":
        key, days = pair(text)
        first, dots, last = days.partition("..")
        return document | dict(zip(names, (key, first, last if dots else first), strict=True))
    if option.form == "number or date":
        number = text.strip().replace("−", "-")
        if re.fullmatch(r"[+-]?\d{1,9}", number):
            return document | {names[0]: int(number)}
        return document | {names[1]: text}
    if option.form == "link":
        return document | _link(text, names)
    return document | {names[0]: text}


def option_of(edit: Edit, grid: Grid) -> list[str]:
    """An edit as an option of ``cascade`` and its text; what options cannot say has no option, and is an error.

    Raises
    ------
    ValueError
    """
    document = written(edit, grid)
    kind = type(edit)
    names = [_name(one) for one in fields_of(kind)]
    for option in kind.options:
        if any(document.get(name) != value for name, value in option.given):
            continue
        first, *rest = [str(document.get(name, "")) for name in names]
        if option.form == "pair":
            return [option.flag, f"{first}={rest[0]}"]
        if option.form == "whom":
            person, calendar = document.get("person"), document.get("calendar")
            return [option.flag, f"{first}=person:{person}" if person else f"{first}=calendar:{calendar}"]
        if option.form == "one":
            return [option.flag, first]
        if option.form == "range":
            return [option.flag, f"{first}..{rest[0]}"]
        if option.form == "pair of range":
            return [option.flag, f"{first}={rest[0]}..{rest[1]}"]
        if option.form == "number or date":
            return [option.flag, first or rest[0]]
        lag = f":{document['lag']}{'e' if document.get('unit') == 'elapsed' else ''}" if document.get("lag") else ""
        kind_of_link = document.get("type", "FS" if lag else "")
        return [option.flag, f"{first}:{rest[0]}" + (f":{kind_of_link}" if kind_of_link else "") + lag]
    raise ValueError(f"{edit.kind} has no option")


def pair(text: str) -> tuple[str, str]:
    """``KEY=VALUE``.

    Raises
    ------
    ValueError
    """
    key, equals, value = text.partition("=")
    if not equals or not key:
        raise ValueError(f'"{text}" must be KEY=VALUE')
    return key, value


def _link(text: str, names: Iterable[str]) -> Document:
    parts = _LINK.match(text)
    if not parts or (parts["lag"] is not None and "lag" not in names):
        shape = "P:S, P:S:TYPE or P:S:TYPE:LAG" if "lag" in names else "P:S or P:S:TYPE"
        raise ValueError(f'"{text}" must be {shape}, the type one of FS, SS, FF, SF')
    document = {"from": parts["from"], "to": parts["to"]}
    if parts["type"]:
        document["type"] = parts["type"].upper()
    if parts["lag"]:
        lag = parts["lag"].strip()
        document |= {"lag": lag.removesuffix("e").strip(), "unit": "elapsed" if lag.endswith("e") else "working"}
    return document


# One field.


def fields_of(kind: type[Edit]) -> tuple[Field[Any], ...]:
    return fields(kind)  # type: ignore[arg-type]


def _name(one: Field[Any]) -> str:
    return one.metadata["name"] or one.name


def _as_it_is(value: Any, _grid: Grid) -> Any:
    return value


def _written_length(value: int, grid: Grid) -> int | str:
    return value if grid.per_day == 1 else span_text(value)


_WRITERS: Mapping[str, Callable[[Any, Grid], Any]] = {
    "date": lambda value, grid: grid.iso(value),
    "instant": lambda value, grid: grid.iso(value),
    "day": lambda value, _: DAYS.iso(value),
    "length": _written_length,
    "lag": _written_length,
    "calendar": lambda value, _: value.written(),
}


def _text(value: object, _one: Field[Any], _plan: Plan, _document: Mapping[Any, Any]) -> str:
    if not isinstance(value, str):
        raise ValueError("must be text")
    if len(value) > LONGEST:
        raise ValueError(f"is longer than {LONGEST} characters")
    return value


def _choice(value: object, one: Field[Any], _plan: Plan, _document: Mapping[Any, Any]) -> str:
    choices = one.metadata["choices"]
    if value not in choices:
        raise ValueError(f'"{value}" is none of {", ".join(choices)}')
    return cast(str, value)


def _number(value: object, _one: Field[Any], _plan: Plan, _document: Mapping[Any, Any]) -> int:
    if isinstance(value, bool) or not isinstance(value, int):
        raise ValueError(f'"{value}" is no whole number')
    return value


def _date(value: object, one: Field[Any], plan: Plan, _document: Mapping[Any, Any]) -> int:
    grid = DAYS if one.metadata["value"] == "day" else plan.grid
    if not isinstance(value, str):
        raise ValueError(f'"{value}" is no date; write it as 2026-08-31')
    if one.metadata["value"] == "instant":
        return plan.calendars[None].read(value)
    return grid.read(value)


def _length(value: object, one: Field[Any], plan: Plan, document: Mapping[Any, Any]) -> int:
    """Slots of working time on the calendar of the task; a lag may be negative and of elapsed time."""
    signed = one.metadata["value"] == "lag"
    grid = plan.grid
    at = plan.positions.get(str(document.get("to" if signed else "task")))
    per_day = (plan.calendars[None] if at is None else plan.network.activities[at].calendar).per_day
    if signed and document.get("unit") == "elapsed":
        per_day = grid.per_day
    if isinstance(value, bool) or not isinstance(value, int | str):
        raise ValueError(f'"{value}" is no length of time')
    number = str(value).strip().replace("−", "-")
    digits = number.lstrip("+-") if signed else number
    if digits.isascii() and digits.isdigit() and len(digits) <= 9:
        return int(digits) * (per_day if grid.per_day > 1 else 1) * (-1 if number[:1] == "-" else 1)
    if grid.per_day == 1:
        raise ValueError(f'"{value}" is no whole number of days')
    span = read_span(number, per_day)
    if span < 0 and not signed:
        raise ValueError(f'"{value}" is less than nothing')
    return span


def _calendar(value: object, _one: Field[Any], _plan: Plan, _document: Mapping[Any, Any]) -> CalendarDocument:
    try:
        document = read_document(CalendarDocument, value)
        document.working()
    except DocumentError as error:
        raise ValueError(str(error)) from None
    return document


_READERS: Mapping[str, Callable[[object, Field[Any], Plan, Mapping[Any, Any]], Any]] = {
    "task": _text, "text": _text, "choice": _choice, "number": _number, "date": _date, "instant": _date, "day": _date,
    "length": _length, "lag": _length, "calendar": _calendar,
}  # fmt: skip
