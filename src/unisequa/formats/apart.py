"""Files that people bring, read in a process of their own: one that is slow, enormous or hostile stops nobody.

The process limits itself before it looks at anything; what it found comes back as JSON.
"""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from unisequa.core.errors import DocumentError, Fault
from unisequa.room import Room

SECONDS = 20
MEMORY = 768 * 1024 * 1024
MOST_TEXT = {".ics": 4 * 1024 * 1024, ".yaml": 1024 * 1024, ".yml": 1024 * 1024, ".json": 8 * 1024 * 1024}
_ROOM = Room(at_once=2, waiting=4, seconds=SECONDS)


@dataclass(frozen=True, slots=True)
class Found:
    """What a file is: a template as plain values, the names and rows of a table, or the days of a calendar's events."""

    template: Mapping[str, Any] | None = None
    names: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    bytewise: bool = False
    leave: tuple[tuple[str, str, str, int], ...] = ()


def read_apart(content: bytes, name: str) -> Found:
    """What is in a file of a template (JSON, YAML, GraphML), of a table (CSV, XLSX) or of a calendar (ICS).

    Raises
    ------
    DocumentError
        With every fault, in plain words.
    Busy
        When too many are being read.
    """
    ending = name.lower()[name.rfind(".") :]
    if len(content) > (most := MOST_TEXT.get(ending, sys.maxsize)):
        raise DocumentError([Fault(name, f"is larger than {most // 1024 // 1024} MB; leave out what is not needed")])
    try:
        with _ROOM.place():
            done = subprocess.run(  # noqa: S603 - ourselves
                [sys.executable, "-I", "-m", "unisequa.formats.apart", name],
                input=content,
                capture_output=True,
                timeout=SECONDS + 5,
                check=False,
            )
    except subprocess.TimeoutExpired:
        raise DocumentError([Fault(name, "takes too long to read; split it, or bring it in another format")]) from None
    if done.returncode:
        message = "needs more time or memory to read than a list of steps does; split it, or bring it as CSV"
        raise DocumentError([Fault(name, message)])
    told = json.loads(done.stdout)
    if faults := told.get("faults"):
        raise DocumentError(Fault(path, message) for path, message in faults)
    if (template := told.get("template")) is not None:
        return Found(template=template)
    if (leave := told.get("leave")) is not None:
        return Found(leave=tuple((first, last, label, minutes) for first, last, label, minutes in leave))
    return Found(None, tuple(told["names"]), tuple(tuple(row) for row in told["rows"]), told["bytewise"])


def _limit() -> None:
    """Take from this process what it does not need."""
    import os
    import resource

    os.nice(10)
    for what, most in (
        (resource.RLIMIT_AS, MEMORY), (resource.RLIMIT_CPU, SECONDS), (resource.RLIMIT_FSIZE, 0),
        (resource.RLIMIT_CORE, 0), (resource.RLIMIT_NOFILE, 64),
    ):  # fmt: skip
        resource.setrlimit(what, (most, most))


def _read(content: bytes, name: str) -> dict[str, Any]:
    from unisequa.core.documents.checks import read_template
    from unisequa.formats.files import read_bytes
    from unisequa.formats.leave_in import read_leave
    from unisequa.formats.networks import read_graphml
    from unisequa.formats.tables_in import read_table

    lower = name.lower()
    try:
        if lower.endswith(".ics"):
            return {"leave": read_leave(content, name)}
        if lower.endswith((".json", ".yaml", ".yml")) or content.lstrip(b"\xef\xbb\xbf \r\n\t")[:1] == b"{":
            values = read_bytes(content, yaml_file=lower.endswith((".yaml", ".yml")), name=name)
            return {"template": read_template(values).written()}
        begins = content.lstrip(b"\xef\xbb\xbf \r\n\t")[:8]
        if lower.endswith((".graphml", ".xml")) or begins in (b"<graphml", b"<?xml ve"):
            return {"template": read_template(read_graphml(content, name)).written()}
        table = read_table(content, name)
        return {"names": table.names, "rows": table.rows, "bytewise": table.bytewise}
    except DocumentError as error:
        return {"faults": [(fault.path, fault.message) for fault in error.faults[:200]]}
    except (MemoryError, RecursionError):
        return {"faults": [(name, "needs more memory to read than a list of steps does; split it")]}


if __name__ == "__main__":
    _limit()
    json.dump(_read(sys.stdin.buffer.read(), sys.argv[1]), sys.stdout)
