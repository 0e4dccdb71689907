"""Reading and writing the open documents as JSON or YAML."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NoReturn

import yaml
from pydantic_core import to_json

from unisequa.core.errors import DocumentError, Fault
from unisequa.formats.yaml_in import read_yaml

MOST_BYTES = 256 * 1024 * 1024


def read_file(path: Path) -> object:
    """The plain values in a JSON or YAML file; ``-`` is JSON on standard input.

    Raises
    ------
    DocumentError
        When the file is not there, too large, no text or not in either format.
    """
    if str(path) == "-":
        return read_bytes(sys.stdin.buffer.read(MOST_BYTES), name="standard input")
    try:
        if path.stat().st_size > MOST_BYTES:
            raise DocumentError([Fault(str(path), f"is larger than {MOST_BYTES // 1024 // 1024} MB")])
        content = path.read_bytes()
    except OSError as error:
        raise DocumentError([Fault(str(path), f"cannot be read: {error.strerror}")]) from error
    return read_bytes(content, yaml_file=path.suffix.lower() in {".yaml", ".yml"}, name=str(path))


def read_bytes(content: bytes, *, yaml_file: bool = False, name: str = "") -> object:
    """The plain values in the bytes of a JSON (or YAML) document; ``name`` heads a fault's path."""
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise DocumentError([Fault(name, f"is not UTF-8 text (byte {error.start})")]) from error
    try:
        return read_yaml(text) if yaml_file else _read_json(text)
    except json.JSONDecodeError as error:
        message = f"is not JSON: {error.msg.lower()} in line {error.lineno}, column {error.colno}"
        raise DocumentError([Fault(name, message)]) from error
    except yaml.YAMLError as error:
        raise DocumentError([Fault(name, "is not YAML: " + " ".join(str(error).split()))]) from error
    except (RecursionError, ValueError) as error:
        reason = "it is nested too deeply" if isinstance(error, RecursionError) else str(error)
        raise DocumentError([Fault(name, f"cannot be read: {reason}")]) from error


def write_json(content: dict[str, Any]) -> str:
    """A document as JSON text, two spaces deep."""
    return json.dumps(content, ensure_ascii=False, indent=2) + "\n"


def json_lines(content: dict[str, Any]) -> Iterator[bytes]:
    """A document as JSON in pieces of UTF-8: a line for each key, and for each entry of a list of objects.

    So that a plan of many tasks can be read, compared line by line, and written without being held whole.
    """
    yield b"{"
    for i, (key, value) in enumerate(content.items()):
        yield (b",\n  " if i else b"\n  ") + to_json(key) + b": "
        if isinstance(value, Iterator) or (isinstance(value, list) and any(isinstance(one, dict) for one in value)):
            yield b"["
            between = b"\n    "
            for entry in value:
                yield between + to_json(entry)
                between = b",\n    "
            yield b"\n  ]"
        elif key == "plan" and isinstance(value, dict):
            yield from (line.replace(b"\n", b"\n  ") for line in json_lines(value))
        else:
            yield to_json(value)
    yield b"\n}"


def print_json(content: dict[str, Any]) -> None:
    """Write a document to standard output, piece by piece."""
    sys.stdout.flush()
    sys.stdout.buffer.writelines(json_lines(content))
    sys.stdout.buffer.write(b"\n")
    sys.stdout.buffer.flush()


def _read_json(text: str) -> object:
    return json.loads(text, object_pairs_hook=_once_each, parse_constant=_no_constant)


def _once_each(pairs: list[tuple[str, object]]) -> dict[str, object]:
    mapping = dict(pairs)
    if len(mapping) < len(pairs):
        keys = [key for key, _ in pairs]
        twice = next(key for key in keys if keys.count(key) > 1)
        raise ValueError(f'the key "{twice}" stands twice in one object')
    return mapping


def _no_constant(word: str) -> NoReturn:
    raise ValueError(f"{word} is no value of JSON")


def write_yaml(content: dict[str, Any]) -> str:
    """A document as YAML text, its keys in order; one way back from reading it."""
    return yaml.safe_dump(content, allow_unicode=True, sort_keys=False, width=110)
