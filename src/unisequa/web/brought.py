"""A table that somebody brings, as a file or by pasting it: what it would make, shown and mended before it is made."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Sequence
from dataclasses import dataclass

from starlette.datastructures import FormData

from unisequa.actions.people.people import Actor
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.calendars.words import count_words, day_words, names_words
from unisequa.core.design.brought import EXTRA, KINDS, Brought, Wishes, look_at
from unisequa.core.design.rows import Place
from unisequa.core.design.step_table import COLUMNS
from unisequa.core.documents.template import Template
from unisequa.core.errors import DateRangeError, TypedError
from unisequa.core.terms import number_in
from unisequa.web.session import field

MOST_SHOWN = 600
MOST_CELL = 25_000
_FIELDS = {**COLUMNS, **EXTRA}
_NOT_READ = "-"


@dataclass(frozen=True, slots=True)
class Choice:
    """One of several things that may be chosen."""

    value: str
    words: str
    chosen: bool


@dataclass(frozen=True, slots=True)
class Cell:
    """A cell: what it says, how that is read where otherwise, what is wrong with it; typed into where it is mended."""

    name: str
    text: str
    reading: str = ""
    fault: str = ""
    typed: bool = False


@dataclass(frozen=True, slots=True)
class Row:
    """A row of the table, numbered as it was brought."""

    number: int
    kind: str
    choices: tuple[Choice, ...]
    why: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True, slots=True)
class ColumnHead:
    """A column: what it is called, and what it may be read as."""

    index: int
    name: str
    choices: tuple[Choice, ...]


@dataclass(frozen=True, slots=True)
class BroughtPiece:
    """A table looked at, as the page shows it."""

    makes: str
    left_out: str
    new: tuple[str, ...]
    heads: tuple[Choice, ...]
    columns: tuple[ColumnHead, ...]
    rows: tuple[Row, ...]
    rest: int
    faults: tuple[str, ...]
    to_mend: int
    dated: bool
    day: str
    day_read: str
    day_fault: str
    anchors: tuple[Choice, ...]
    steps: int
    alike: tuple[tuple[str, tuple[Choice, ...]], ...] = ()
    """New roles that may be another spelling of one, and what each may be taken for."""
    encodings: tuple[Choice, ...] = ()

    @property
    def ready(self) -> bool:
        """Whether it can be made as it is."""
        return not self.to_mend and not self.faults and self.steps > 0


def cells_of(text: str) -> list[list[str]]:
    """The cells of a table as a spreadsheet puts it on the clipboard."""
    try:
        return [list(row) for row in csv.reader(io.StringIO(text, newline=""), delimiter="\t", strict=True)]
    except csv.Error:  # a quote that is only a character
        return [line.split("\t") for line in text.splitlines()]


def wishes_in(form: FormData, me: Actor, today: dt.date) -> tuple[Wishes, str]:
    """How the form wants the table read, and what is wrong with the day it gives."""
    head = field(form, "head", 10)
    columns, kinds, mended, same = {}, {}, {}, {}
    for name in form:
        if name.startswith("same.") and (role := field(form, name, 200)):
            same[name.removeprefix("same.")] = role
            continue
        what, *at = name.split(".")
        numbers = [number_in(one) if one != "0" else 0 for one in at]
        if what == "column" and len(at) == 1 and (chosen := field(form, name, 30)):
            columns[numbers[0]] = "" if chosen == _NOT_READ else chosen
        elif what == "kind" and len(at) == 1 and (kind := field(form, name, 10)):
            kinds[numbers[0]] = kind
        elif what == "cell" and len(at) == 2:
            mended[numbers[0], numbers[1]] = field(form, name, MOST_CELL)
    day, fault = None, ""
    if text := field(form, "day", 60).strip():
        try:
            day = typed_date(text, today=today, base=None, calendar=WorkingCalendar(), month_first=me.month_first)
        except (TypedError, DateRangeError) as error:
            fault = str(error)
    return (
        Wishes(
            None if not head else -1 if head == _NOT_READ else number_in(head) if head != "0" else 0,
            columns, kinds, mended, field(form, "anchor", 80), day, me.month_first, same,
        ),
        fault,
    )  # fmt: skip


def looked_at(
    template: Template, cells: Sequence[Sequence[str]], wishes: Wishes, place: Place | None = None
) -> tuple[Brought, Brought]:
    """The table as it is wanted read, and as it would be proposed without a choice of rows and columns."""
    brought = look_at(template, cells, wishes, place)
    if not wishes.kinds and not wishes.columns:
        return brought, brought
    bare = Wishes(wishes.head, {}, {}, wishes.mended, wishes.anchor, wishes.day, wishes.month_first, wishes.same)
    return brought, look_at(template, cells, bare, place)


def piece_of(
    template: Template,
    cells: Sequence[Sequence[str]],
    wishes: Wishes,
    day_fault: str,
    form: FormData,
    place: Place | None = None,
) -> BroughtPiece:
    """What the page shows of a table."""
    brought, proposed = looked_at(template, cells, wishes, place)
    faults = {(one.row, one.column): one.message for one in brought.faults}
    faulty = {row for row, _ in faults}
    kinds = [row.kind for row in brought.rows]
    rows = tuple(
        Row(
            r + 1, row.kind, _kinds(proposed.rows[r].kind, wishes.kinds.get(r, "")), row.why,
            tuple(
                Cell(
                    f"cell.{r}.{c}", text, row.readings.get(c, ""), faults.get((r, c), ""),
                    (r, c) in faults or (r, c) in wishes.mended,
                )
                for c, text in enumerate(row.cells)
            ),
        )
        for r, row in enumerate(brought.rows)
        if r < MOST_SHOWN or r in faulty
    )  # fmt: skip
    steps, phases = sum(kind in "012" for kind in kinds), kinds.count("phase")
    whole = tuple(message for (row, _), message in faults.items() if row < 0)
    return BroughtPiece(
        count_words(steps, "step") + (f" in {count_words(phases, 'phase')}" if phases else ""),
        _left_out(brought), tuple(_new(brought)),
        _heads(cells, brought.head, wishes.head), _columns(brought, proposed, wishes), rows,
        len(brought.rows) - len(rows), tuple(_whole(message) for message in whole),
        len(faults) - len(whole), brought.dated, field(form, "day", 60),
        day_words(wishes.day, year=True) if wishes.day else "", day_fault,
        tuple(
            Choice(a.key, a.label, a.key == wishes.anchor or (not wishes.anchor and i == 0))
            for i, a in enumerate(template.anchors)
        ),
        steps, _alike(brought, wishes),
    )  # fmt: skip


def _alike(brought: Brought, wishes: Wishes) -> tuple[tuple[str, tuple[Choice, ...]], ...]:
    """The names that look like another's, those too that somebody has taken for it."""
    near = {**dict(brought.alike), **wishes.same}
    return tuple(
        (name, (
            Choice("", "a role of its own", name not in wishes.same),
            Choice(other, f"another spelling of {other}", name in wishes.same),
        ))
        for name, other in near.items()
    )  # fmt: skip


def _whole(message: str) -> str:
    return f"{message[:1].upper()}{message[1:]}."


def _kinds(proposed: str, chosen: str) -> tuple[Choice, ...]:
    others = [Choice(key, words, key == chosen) for key, words in KINDS.items() if key != proposed]
    return (Choice("", KINDS[proposed], not chosen or chosen == proposed), *others)


def _heads(cells: Sequence[Sequence[str]], head: int, wished: int | None) -> tuple[Choice, ...]:
    def words(r: int) -> str:
        return f"row {r + 1}: {' · '.join(cell.strip() for cell in cells[r] if cell.strip())[:60]}"

    found = words(head) if head >= 0 else "no row"
    rows = [r for r in range(min(len(cells), 25)) if any(cell.strip() for cell in cells[r])]
    choices = [Choice(str(r), words(r), r == wished) for r in rows if wished is not None or r != head]
    first = () if wished is not None else (Choice("", found, True),)
    none = () if wished is None and head < 0 else (Choice(_NOT_READ, "no row", wished == -1),)
    return (*first, *choices, *none)


def _columns(brought: Brought, proposed: Brought, wishes: Wishes) -> tuple[ColumnHead, ...]:
    heads = []
    for c, name in enumerate(brought.names):
        guessed = proposed.columns[c]
        chosen = wishes.columns.get(c)
        first = Choice("", _FIELDS.get(guessed, "not read"), chosen is None)
        rest = [Choice(key, words, chosen == key) for key, words in _FIELDS.items() if key != guessed or chosen == key]
        none = [Choice(_NOT_READ, "not read", chosen == "")] if guessed or chosen == "" else []
        heads.append(ColumnHead(c, name.strip() or f"column {c + 1}", (first, *none, *rest)))
    return tuple(heads)


def _left_out(brought: Brought) -> str:
    why: dict[str, int] = {}
    for r, row in enumerate(brought.rows):
        if row.kind == "out" and r != brought.head and row.why != "empty":
            why[row.why] = why.get(row.why, 0) + 1
    parts = [f"{count_words(n, 'row')} {reason}" for reason, n in why.items()]
    return f"Left out: {names_words(parts)}." if parts else ""


def _new(brought: Brought) -> list[str]:
    told = []
    for labels, noun in ((brought.new_roles, "role"), (brought.new_phases, "phase")):
        if labels:
            shown = [*labels[:6], *([f"{len(labels) - 6} more"] if len(labels) > 6 else [])]
            told.append(f"{count_words(len(labels), f'new {noun}')}: {', '.join(shown)}")
    return told
