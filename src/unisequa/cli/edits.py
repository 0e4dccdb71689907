"""The edits of ``unisequa cascade``, read from its options."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import cast

from unisequa.core.calendars.grid import DAYS, Grid, read_span
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits.dates import (
    AddLink,
    Begun,
    CatchUp,
    Close,
    Done,
    Drop,
    Due,
    Duration,
    Edit,
    Fix,
    Free,
    Give,
    Move,
    MoveAnchor,
    MoveRun,
    MoveRunTo,
    NotDone,
    Remaining,
    RemoveLink,
    Reopen,
)
from unisequa.core.terms import LagUnit, LinkType

Options = Mapping[str, list[str]]
_LINK = re.compile(r"^(?P<from>[^:]+):(?P<to>[^:]+)(?::(?P<type>[^:]*))?(?::(?P<lag>[^:]*))?$")


def read_edits(plan: Plan, options: Options) -> list[Edit]:
    """Edits from the texts given with each option.

    Raises
    ------
    DocumentError
        With a fault for every text that cannot be read.
    """
    reading = _Reading(plan)
    edits: list[Edit] = []
    faults: list[Fault] = []
    for option, texts in options.items():
        for text in texts:
            try:
                edits.append(reading.ways[option](text))
            except ValueError as error:
                faults.append(Fault(option, str(error)))
    if faults:
        raise DocumentError(faults)
    return edits


class _Reading:
    def __init__(self, plan: Plan) -> None:
        self.plan, self.grid = plan, plan.grid
        self.ways: Mapping[str, Callable[[str], Edit]] = {
            "--move": lambda text: Move(*self.dated(text)),
            "--due": lambda text: Due(*self.dated(text)),
            "--begun": lambda text: Begun(*self.dated(text)),
            "--done": lambda text: Done(*self.dated(text)),
            "--fix": lambda text: Fix(*self.dated(text)),
            "--anchor": lambda text: MoveAnchor(*self.dated(text)),
            "--reset-anchor": lambda text: MoveAnchor(*self.dated(text), reset=True),
            "--duration": lambda text: Duration(*self.lasting(text)),
            "--remaining": lambda text: Remaining(*self.lasting(text)),
            "--not-done": NotDone,
            "--drop": Drop,
            "--free": Free,
            "--give": lambda text: Give(*pair(text)),
            "--link": self.link,
            "--unlink": lambda text: RemoveLink(*self.ends(text)),
            "--close": lambda text: Close(*days(text)),
            "--reopen": lambda text: Reopen(*days(text)),
            "--shift": self.run,
            "--catch-up": lambda text: CatchUp(self.grid.read(text)),
        }

    def dated(self, text: str) -> tuple[str, int]:
        key, value = pair(text)
        return key, self.grid.read(value)

    def lasting(self, text: str) -> tuple[str, int]:
        key, value = pair(text)
        return key, self.length(value, self.per_day(key))

    def per_day(self, key: str) -> int:
        at = self.plan.positions.get(key)
        return (self.plan.calendars[None] if at is None else self.plan.network.activities[at].calendar).per_day

    def length(self, text: str, per_day: int, *, signed: bool = False) -> int:
        """Slots from a whole number of days, or on the minute grid text such as ``3h 20m``."""
        number = text.strip()
        digits = number.lstrip("+-−") if signed else number
        if digits.isascii() and digits.isdigit() and len(digits) <= 9:
            return int(digits) * (per_day if self.grid.per_day > 1 else 1) * (-1 if number[:1] in {"-", "−"} else 1)
        if self.grid.per_day == 1:
            raise ValueError(f'"{text}" is no whole number of days')
        found = read_span(text, per_day)
        if found < 0 and not signed:
            raise ValueError(f'"{text}" is less than nothing')
        return found

    def ends(self, text: str) -> tuple[str, str]:
        source, colon, target = text.partition(":")
        if not colon or not source or not target or ":" in target:
            raise ValueError(f'"{text}" must be P:S, the keys of two tasks')
        return source, target

    def link(self, text: str) -> AddLink:
        found = _LINK.match(text)
        kind = (found["type"] or "FS").upper() if found else ""
        if not found or kind not in {"FS", "SS", "FF", "SF"}:
            raise ValueError(f'"{text}" must be P:S, P:S:TYPE or P:S:TYPE:LAG, the type one of FS, SS, FF, SF')
        lag = (found["lag"] or "0").strip()
        unit: LagUnit = "elapsed" if lag.endswith("e") else "working"
        per_day = self.grid.per_day if unit == "elapsed" else self.per_day(found["to"])
        slots = self.length(lag.removesuffix("e"), per_day, signed=True)
        return AddLink(found["from"], found["to"], cast(LinkType, kind), slots, unit)

    def run(self, text: str) -> Edit:
        number = text.strip().replace("−", "-")
        if re.fullmatch(r"[+-]?\d{1,9}", number):
            return MoveRun(int(number))
        return MoveRunTo(self.grid.read(text))


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


def days(text: str, grid: Grid = DAYS) -> tuple[int, int]:
    """``DATE`` or ``DATE..DATE`` as the first and the last day."""
    first, dots, last = text.partition("..")
    return grid.read(first), grid.read(last if dots else first)
