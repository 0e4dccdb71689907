"""YAML as its version 1.2 has it: a value that is not plainly a number, true, false or null is text.

So ``NO``, ``12:30`` and ``2026-08-31`` are what they look like. Source: YAML 1.2.2, 10.3, *Core Schema*.
"""

from __future__ import annotations

import re
from typing import Any

import yaml

DEEPEST = 60
MOST_EVENTS = 2_000_000


class _Core(yaml.CSafeLoader):
    """The C loader with the core schema's plain values, and no key twice."""

    yaml_implicit_resolvers: dict[str, Any] = {}

    def construct_mapping(self, node: Any, deep: bool = False) -> dict[Any, Any]:
        mapping: dict[Any, Any] = {}
        for key_node, value_node in node.value:
            key = self.construct_object(key_node, deep=True)
            if not isinstance(key, str):
                raise yaml.constructor.ConstructorError(None, None, f"the key {key!r} is no text", key_node.start_mark)
            if key in mapping:
                message = f'the key "{key}" stands twice in one object'
                raise yaml.constructor.ConstructorError(None, None, message, key_node.start_mark)
            mapping[key] = self.construct_object(value_node, deep=True)
        return mapping


def _int(loader: Any, node: Any) -> int:
    text = loader.construct_scalar(node)
    sign, digits = (-1, text[1:]) if text[:1] == "-" else (1, text.lstrip("+"))
    base = {"0o": 8, "0x": 16}.get(digits[:2], 10)
    return sign * int(digits[2:] if base != 10 else digits, base)


def _mapping(loader: Any, node: Any) -> dict[Any, Any]:
    made: dict[Any, Any] = loader.construct_mapping(node)
    return made


_PLAIN = {
    "null": (r"^(?:null|Null|NULL|~|)$", ["n", "N", "~", ""]),
    "bool": (r"^(?:true|True|TRUE|false|False|FALSE)$", list("tTfF")),
    "int": (r"^(?:[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+)$", list("-+0123456789")),
    "float": (
        r"^(?:[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?|[-+]?\.(?:inf|Inf|INF)|\.(?:nan|NaN|NAN))$",
        list("-+.0123456789"),
    ),
}
for _kind, (_pattern, _first) in _PLAIN.items():
    _Core.add_implicit_resolver(f"tag:yaml.org,2002:{_kind}", re.compile(_pattern), _first)
_Core.add_constructor("tag:yaml.org,2002:int", _int)
_Core.add_constructor("tag:yaml.org,2002:map", _mapping)


def read_yaml(text: str) -> object:
    """The plain values in a YAML document.

    Raises
    ------
    yaml.YAMLError
        When it is none, has aliases (which could make a small file enormous), or is nested too deeply.
    """
    depth = 0
    for number, event in enumerate(yaml.parse(text, Loader=_Core)):
        if isinstance(event, yaml.AliasEvent):
            raise yaml.YAMLError("aliases (*name) are not read; write the value out")
        if isinstance(event, (yaml.SequenceStartEvent, yaml.MappingStartEvent)):
            depth += 1
        elif isinstance(event, (yaml.SequenceEndEvent, yaml.MappingEndEvent)):
            depth -= 1
        if depth > DEEPEST:
            raise yaml.YAMLError("it is nested too deeply")
        if number > MOST_EVENTS:
            raise yaml.YAMLError("it has more values than a document can have")
    return yaml.load(text, Loader=_Core)  # noqa: S506 - a safe loader
