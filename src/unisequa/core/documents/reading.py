"""Plain JSON values read as documents, with every fault told by its path, in plain words."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, TypeVar

from pydantic import ValidationError

from unisequa.core.documents.template import KEY, WEEK, Model
from unisequa.core.errors import DocumentError, Fault

D = TypeVar("D", bound=Model)


def path_of(location: tuple[int | str, ...]) -> str:
    """A location as people write it: ``("steps", 3, "when")`` → ``steps[3].when``."""
    path = ""
    for part in location:
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else part
    return path


_BRANCH = re.compile(r"^(int|str|constrained-|function-|date$|Closure$)")


def faults_of(error: ValidationError) -> list[Fault]:
    """Pydantic's errors as faults: one a place, in plain words."""
    faults: dict[str, Fault] = {}
    for item in error.errors(include_url=False):
        path = path_of(tuple(part for part in item["loc"] if not (isinstance(part, str) and _BRANCH.match(part))))
        if isinstance(item["input"], str) and item["type"] != "int_type" and path in faults:
            del faults[path]  # of what may be a number or text, text was meant
        faults.setdefault(path, Fault(path, _plain(dict(item))))
    return list(faults.values())


_PLAIN = {
    "missing": "is missing; it must be there",
    "int_type": "must be a whole number",
    "bool_type": "must be true or false",
    "string_type": "must be text",
    "tuple_type": "must be a list",
    "dict_type": "must be an object",
    "model_type": "must be an object",
    "model_attributes_type": "must be an object",
    "string_too_short": "must not be empty",
    "date_from_datetime_parsing": "is no date; write it as 2026-08-31",
    "date_parsing": "is no date; write it as 2026-08-31",
    "date_type": "is no date; write it as 2026-08-31",
}


def _plain(item: dict[str, Any]) -> str:
    kind, context = item["type"], item.get("ctx", {})
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind == "extra_forbidden":
        return "is not a key of this format; take it out or mend its spelling"
    if kind == "literal_error":
        return f"must be {str(context['expected']).replace(chr(39), chr(34))}"
    if kind in {"greater_than_equal", "less_than_equal"}:
        word = "at least" if kind.startswith("greater") else "at most"
        return f"must be {word} {context.get('ge', context.get('le'))}"
    if kind == "string_too_long":
        return f"is longer than {context['max_length']} characters"
    if kind == "too_short":
        least = context["min_length"]
        return f"must have at least {least} {'entry' if least == 1 else 'entries'}"
    if kind == "too_long":
        return f"has more than {context['max_length']} entries"
    if kind == "string_pattern_mismatch":
        if context["pattern"] == KEY:
            return "must be lower-case letters, digits, - and _, beginning with a letter"
        if context["pattern"] == WEEK:
            return "must be seven digits, Monday first: 1 for a working day, 0 for a day off"
        return f"does not fit the pattern {context['pattern']}"
    if kind == "value_error":
        return str(context.get("error", item["msg"]))
    return str(item["msg"])


def _emptied(items: list[object]) -> Iterator[object]:
    items.reverse()
    while items:
        yield items.pop()


def read_document(model: type[D], content: object, *, spent: bool = False) -> D:
    """Check plain JSON values against a document's model.

    With ``spent`` the content's lists are emptied as they are read, so that a large document is not held twice.

    Raises
    ------
    DocumentError
        With every fault found, each with its path.
    """
    if not isinstance(content, dict):
        raise DocumentError([Fault("", f"the document must be an object, not {type(content).__name__}")])
    if spent:
        content = {key: _emptied(value) if isinstance(value, list) else value for key, value in content.items()}
    try:
        return model.model_validate(content)
    except ValidationError as error:
        raise DocumentError(faults_of(error)) from None
    except RecursionError:
        raise DocumentError([Fault("", "the document is nested too deeply")]) from None
