"""A table as somebody brings it: with title lines, phases between its rows, indents, dates where we have offsets.

What it may mean is proposed row by row and column by column; whoever brings it chooses otherwise where that is wrong,
and mends single cells. Then it is a plain table of steps, read by :mod:`unisequa.core.design.step_table`.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.design.dated import SOME_DAY, day_near, from_day
from unisequa.core.design.editing import slug
from unisequa.core.design.habits import by_number, merged_down, nearly
from unisequa.core.design.offsets import typed_when
from unisequa.core.design.rows import Place
from unisequa.core.design.step_table import COLUMNS, TableRead, guess, read_rows
from unisequa.core.documents.template import KEY, Template
from unisequa.core.errors import DateRangeError, TypedError
from unisequa.core.terms import number_in

EXTRA: Mapping[str, str] = {"start": "Starts", "number": "Number of the row"}
"""What a column may be read as beside the fields of a step: its first day, and the number that others name it by."""
_ALSO_EXTRA = {
    "start": "start", "starts": "start", "start date": "start", "begin": "start", "begins": "start", "from": "start",
    "no": "number", "no.": "number", "nr": "number", "nr.": "number", "#": "number", "number": "number",
    "line": "number", "item": "number", "wbs": "number", "outline": "number",
}  # fmt: skip
KINDS: Mapping[str, str] = {
    "0": "a step",
    "1": "part of it",
    "2": "part of that",
    "phase": "a phase",
    "out": "left out",
}
"""What a row may be: a step on one of three levels, the head of a phase, or nothing."""
USUAL = ("title", "role", "when", "duration", "follows")
"""The columns of a table without names: those of the sheet."""
_FARTHEST_HEAD = 25
_DOTTED = re.compile(r"^\d+(?:\.\d+)*\.?$")
_BULLET = re.compile(r"^(?:(?:[>•·*–-]|\[[ xX]?\]|[☐☑☒✓✔])\s+)+")
_SPLIT = re.compile(r"[;,]")
Cells = Sequence[Sequence[str]]


@dataclass(frozen=True, slots=True)
class Wishes:
    """How somebody wants a table read; what they leave open is proposed.

    Parameters
    ----------
    head : int, optional
        The row with the names of the columns, from 0; -1 for none.
    columns : mapping of int to str
        Column → field, or "" for one that is not read.
    kinds : mapping of int to str
        Row → one of :data:`KINDS`.
    mended : mapping of (int, int) to str
        Row and column → what the cell is to say.
    anchor, day
        The anchor that dates are counted from, and its date on the occasion that the table was made for.
    month_first : bool
        Whether a day between slashes has its month first.
    same : mapping of str to str
        A role's name → the role it is only another spelling of.
    """

    head: int | None = None
    columns: Mapping[int, str] = field(default_factory=dict)
    kinds: Mapping[int, str] = field(default_factory=dict)
    mended: Mapping[tuple[int, int], str] = field(default_factory=dict)
    anchor: str = ""
    day: dt.date | None = None
    month_first: bool = False
    same: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BroughtFault:
    """One thing wrong: its row and column in the table as it was brought, from 0; row -1 for the whole."""

    row: int
    column: int
    message: str


@dataclass(frozen=True, slots=True)
class BroughtRow:
    """A row, what it is read as, why it is left out if it is, and cells that are read as something else."""

    cells: tuple[str, ...]
    kind: str
    why: str = ""
    readings: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Brought:
    """A table looked at: how it is read, what it would make, and what is to be mended before."""

    rows: tuple[BroughtRow, ...]
    head: int
    names: tuple[str, ...]
    columns: tuple[str, ...]
    dated: bool
    template: Template
    faults: tuple[BroughtFault, ...]
    keys: tuple[str, ...]
    new_roles: tuple[str, ...]
    new_phases: tuple[str, ...]
    alike: tuple[tuple[str, str], ...]
    """Names of new roles, and the role that each may be only another spelling of."""


def look_at(template: Template, cells: Cells, wishes: Wishes, place: Place | None = None) -> Brought:
    """What a table would make: with a ``place`` new steps there, without one in place of the steps there are."""
    return _Looking(template, cells, wishes, place).brought()


def find_head(cells: Cells) -> int:
    """The row with the names of the columns: of the first ones the one with most of them; -1 where none has any."""
    best, most = -1, 0
    for i, row in enumerate(cells[:_FARTHEST_HEAD]):
        known = sum(1 for name in fields_of(row) if name)
        filled = sum(1 for cell in row if cell.strip())
        if known > most and (known > 1 or filled == 1 or "title" in fields_of(row)) and 2 * known >= filled:
            best, most = i, known
    return best


def fields_of(names: Sequence[str]) -> list[str]:
    """What each column is by its name, each field once."""
    fields = guess([re.sub(r"\s*\([^)]*\)\s*$", "", name) for name in names])
    for i, name in enumerate(names):
        extra = _ALSO_EXTRA.get(" ".join(name.split()).casefold(), "")
        if not fields[i] and extra not in fields:
            fields[i] = extra
    return fields


class _Looking:
    """A table on its way from how it was brought to a plain one."""

    def __init__(self, template: Template, cells: Cells, wishes: Wishes, place: Place | None) -> None:
        self.template, self.wishes, self.place = template, wishes, place
        self.width = max((len(row) for row in cells), default=0)
        mended = wishes.mended
        self.cells = [
            tuple(mended.get((r, c), row[c] if c < len(row) else "") for c in range(self.width))
            for r, row in enumerate(cells)
        ]
        self.head = find_head(self.cells) if wishes.head is None else min(wishes.head, len(self.cells) - 1)
        self.names = self.cells[self.head] if self.head >= 0 else ("",) * self.width
        self.columns = self._columns()
        self.title = self.columns.index("title") if "title" in self.columns else -1
        self.faults: list[BroughtFault] = []
        self.readings: dict[int, dict[int, str]] = {}
        self.titles: dict[str, str] = {}
        self.dated = False
        self.same = {name.casefold(): role for name, role in wishes.same.items()}

    def _columns(self) -> tuple[str, ...]:
        fields = fields_of(self.names) if self.head >= 0 else _by_content(self.cells, self.template)
        if "key" in fields and not self._are_keys(fields.index("key")):
            fields[fields.index("key")] = "" if "number" in fields else "number"
        if "deadline" in fields and not {"when", "key"} & set(fields):  # the only date there is, is when it is due
            fields[fields.index("deadline")] = "when"
        for c, chosen in self.wishes.columns.items():
            if c < len(fields):
                fields = ["" if one == chosen and i != c else one for i, one in enumerate(fields)]
                fields[c] = chosen if chosen in COLUMNS or chosen in EXTRA else ""
        return tuple(fields)

    def _are_keys(self, c: int) -> bool:
        said = [row[c].strip() for row in self.cells[self.head + 1 :] if row[c].strip()]
        return all(re.match(KEY, one) for one in said)

    def at(self, row: int, name: str) -> str:
        """What a row says in the column of a field."""
        return self.cells[row][self.columns.index(name)] if name in self.columns else ""

    def brought(self) -> Brought:
        kinds = self._kinds()
        steps = [r for r, (kind, _) in enumerate(kinds) if kind in "012"]
        read = self._read(kinds, steps)
        if self.dated and self.wishes.day is None:
            labels = [anchor.label for anchor in self.template.anchors]
            of = labels[0] if len(labels) == 1 else "the anchor they are counted from"
            self.faults.append(BroughtFault(-1, 0, f"there are dates; say which day {of} was"))
        rows = tuple(BroughtRow(cells, *kinds[r], self.readings.get(r, {})) for r, cells in enumerate(self.cells))
        return Brought(
            rows, self.head, self.names, self.columns, self.dated, self.template if self.faults else read.template,
            tuple(sorted(self.faults, key=lambda fault: (fault.row, fault.column))), read.keys,
            read.new_roles, read.new_phases, self._alike(read.new_roles),
        )  # fmt: skip

    def _alike(self, new: Sequence[str]) -> tuple[tuple[str, str], ...]:
        """New roles that differ by a letter or two from one there is, or from one that more rows name."""
        said = [" ".join(self.at(r, "role").split()).casefold() for r in range(len(self.cells))]
        times = {name: said.count(name.casefold()) for name in new}
        there = [role.label for role in self.template.roles if not role.retired]
        found = []
        for name in new:
            better = [other for other in new if times[other] > times[name]]
            near = next((other for other in (*there, *better) if nearly(name, other)), None)
            if near is not None:
                found.append((name, near))
        return tuple(found)

    def _kinds(self) -> list[tuple[str, str]]:
        """What each row is, and why it is nothing."""
        proposed = list(self._proposed())
        return [
            (self.wishes.kinds[r], "as you chose" if self.wishes.kinds[r] == "out" else "")
            if self.wishes.kinds.get(r) in KINDS
            else one
            for r, one in enumerate(proposed)
        ]

    def _proposed(self) -> Iterator[tuple[str, str]]:
        levels = self._levels()
        told = [r for r in range(self.head + 1, len(self.cells)) if self._told(r)]
        heads = self._phases(told)
        lowest = min((levels[r] for r in told if r not in heads), default=0)
        for r, row in enumerate(self.cells):
            if r == self.head:
                yield "out", "the names of the columns"
            elif not any(cell.strip() for cell in row):
                yield "out", "empty"
            elif r < self.head:
                yield "out", "above the names of the columns"
            elif self.head >= 0 and [c.casefold() for c in row] == [c.casefold() for c in self.names]:
                yield "out", "the names again"
            elif r in heads:
                yield "phase", ""
            else:
                yield str(min(max(levels[r] - lowest, 0), 2)), ""

    def _told(self, r: int) -> bool:
        return any(cell.strip() for cell in self.cells[r])

    def _levels(self) -> list[int]:
        """How deep each row stands: by the dots of its number, or the indent of its title."""
        if "number" in self.columns:
            numbers = [self.at(r, "number").strip() for r in range(len(self.cells))]
            if any("." in number.rstrip(".") for number in numbers if _DOTTED.match(number)):
                return [number.rstrip(".").count(".") if _DOTTED.match(number) else 0 for number in numbers]
        if self.title < 0:
            return [0] * len(self.cells)
        texts = [row[self.title] if r > self.head else "" for r, row in enumerate(self.cells)]
        indents = [
            len(text.expandtabs(4)) - len(text.expandtabs(4).lstrip(" \u00a0")) if text.strip() else 0 for text in texts
        ]
        steps = sorted(set(indents))
        return [steps.index(indent) for indent in indents]

    def _phases(self, told: Sequence[int]) -> set[int]:
        """The rows that are only a title, among others that say more, with steps below them."""
        if self.title < 0 or "phase" in self.columns:
            return set()
        others = [c for c, name in enumerate(self.columns) if name not in {"title", "number", "key", ""}]
        bare = {
            r for r in told if self.cells[r][self.title].strip() and not any(self.cells[r][c].strip() for c in others)
        }
        followed = set(re.findall(r"\d+(?:\.\d+)*", " ".join(self.at(r, "follows") for r in told)))
        bare = {r for r in bare if self.at(r, "number").strip().rstrip(".") not in followed}
        more = any(self.columns[c] != "follows" for c in others)  # what begins a job follows nothing, like a head
        if not more or len(bare) * 2 > len(told):
            bare = {r for r in bare if self.cells[r][self.title].rstrip().endswith(":")}
        levels = self._levels()
        deep = min((levels[r] for r in bare), default=0)
        following = dict(pairwise(told))
        return {r for r in bare if levels[r] == deep and following.get(r, r) not in bare | {r}}

    def _read(self, kinds: Sequence[tuple[str, str]], steps: Sequence[int]) -> TableRead:
        if self.title < 0:
            self.faults.append(BroughtFault(-1, 0, "no column holds the titles of the steps; choose one"))
            return TableRead(self.template)
        records = self._records(kinds, steps)
        fields = list(dict.fromkeys(name for record in records for name in record))
        names = {name: name for name in fields}
        table = [[record.get(name, "") for name in fields] for record in records]
        read = read_rows(self.template, table, fields or ["title"], names, place=self.place, alike=True)
        for fault in read.faults:
            at = fault.row - 2
            column = self._column_of(fault.column)
            row = steps[at] if 0 <= at < len(steps) else -1
            if not any((one.row, one.column) == (row, column) for one in self.faults):
                of_more = row < 0 or "in a circle" in fault.message
                message = self._by_titles(fault.message) if of_more else fault.message
                self.faults.append(BroughtFault(row, column, message))
        return read

    def _by_titles(self, message: str) -> str:
        """What is wrong with the whole, its steps by their titles: the way along a circle."""
        return " ".join(
            self.titles.get(word.rstrip(";"), word.rstrip(";")) + ";" * word.endswith(";")
            for word in message.split(" ")
        )

    def _column_of(self, name: str) -> int:
        if name == "when" and "when" not in self.columns:
            name = "start"
        return self.columns.index(name) if name in self.columns else self.title

    def _records(self, kinds: Sequence[tuple[str, str]], steps: Sequence[int]) -> list[dict[str, str]]:
        taken = {step.key for step in self.template.steps}
        keys: dict[int, str] = {}
        for r in steps:
            given = self.at(r, "key").strip()
            keys[r] = given or slug(_bare(self.cells[r][self.title]), taken, fallback="step")
            taken.add(keys[r])
            self.titles[keys[r]] = self._title(r)
        numbers = by_number(
            [self.at(r, "number") for r in steps], list(keys.values()), [self.at(r, "follows") for r in steps]
        )
        in_column = [self.at(r, "phase") for r in steps]
        of_phase = dict(zip(steps, in_column if "key" in self.columns else merged_down(in_column), strict=True))
        records, phase, above = [], "", [""] * 3
        phases = any(kind == "phase" for kind, _ in kinds)
        nested = any(kind in "12" for kind, _ in kinds)
        for r, (kind, _) in enumerate(kinds):
            if kind == "phase":
                phase, above = _bare(self.cells[r][self.title]).rstrip(": "), [""] * 3
            elif kind in "012":
                record = self._record(r, numbers)
                record["key"] = keys[r]
                if of_phase[r] and not record.get("phase", "").strip():
                    record["phase"] = of_phase[r]
                    self.readings.setdefault(r, {})[self.columns.index("phase")] = of_phase[r]
                if phases:
                    record["phase"] = phase
                level = min(int(kind), next((i for i, one in enumerate(above) if not one), 2))
                if nested:
                    record["parent"] = above[level - 1] if level else ""
                above = [*above[:level], keys[r], *[""] * 3][:3]
                records.append(record)
        return records

    def _record(self, r: int, numbers: Mapping[str, str]) -> dict[str, str]:
        row = self.cells[r]
        record = {name: row[c].strip("\n") for c, name in enumerate(self.columns) if name in COLUMNS}
        record["title"] = self._title(r)
        due = self._offset(r, "when")
        starts = self._offset(r, "start")
        if "start" in self.columns and not due and starts:
            record["when"] = f"start {starts}"
        elif "when" in self.columns:
            record["when"] = due
        if starts and due and not record.get("duration", "").strip() and (lasting := self._lasting(r)):
            record["duration"] = str(lasting)
        for name in ("role", "sign_off"):
            if (same := self.same.get(" ".join(record.get(name, "").split()).casefold())) is not None:
                record[name] = same
        if "duration" in record:
            record["duration"] = _days(record["duration"])
        if "follows" in record and numbers:
            record["follows"] = self._by_keys(r, record["follows"], numbers)
        return record

    def _by_keys(self, r: int, text: str, numbers: Mapping[str, str]) -> str:
        """What a row follows, with the numbers of the table's own column as keys."""
        parts = []
        for part in _SPLIT.split(text):
            number = re.match(r"^\s*(\d+(?:\.\d+)*)(.*)$", part, re.DOTALL)
            if number is None:
                parts.append(part)
            elif known := numbers.get(number[1]):
                parts.append(f"{known} {number[2].strip()}")
            else:
                c = self.columns.index("follows")
                self.faults.append(BroughtFault(r, c, f"no row here has the number {number[1]}"))
        return ", ".join(one.strip() for one in parts if one.strip())

    def _title(self, r: int) -> str:
        """A title; where rows have keys they were written here, and what looks like a bullet is part of it."""
        text = self.cells[r][self.title]
        return " ".join(text.split()) if self.at(r, "key").strip() else _bare(text)

    def _offset(self, r: int, name: str) -> str:
        """An offset as it is typed, or made of a date against the day of the anchor."""
        text = " ".join(self.at(r, name).split())
        if not text:
            return ""
        try:
            typed_when(text, self.template.anchors, hours=self.template.grid == "minute")
        except TypedError:
            pass
        else:
            return text
        day = self._date(text)
        if day is None:
            return text
        self.dated = True
        c = self.columns.index(name)
        if self.wishes.day is None:
            self.readings.setdefault(r, {})[c] = "?"
            return ""
        words = from_day(self.wishes.day, day, WorkingCalendar())
        anchor = self._anchor()
        self.readings.setdefault(r, {})[c] = words
        return f"{words} {anchor}".strip()

    def _anchor(self) -> str:
        chosen = next((a for a in self.template.anchors[1:] if a.key == self.wishes.anchor), None)
        return chosen.label if chosen else ""

    def _date(self, text: str) -> dt.date | None:
        """A date, of the year in which it lies nearest to the day of the anchor."""
        return day_near(text, self.wishes.day or SOME_DAY, month_first=self.wishes.month_first)

    def _lasting(self, r: int) -> int | None:
        """Working days from a first to a last day, where both are dates."""
        first, last = (self._date(" ".join(self.at(r, name).split())) for name in ("start", "when"))
        if first is None or last is None or last < first:
            return None
        return WorkingCalendar().count(first.toordinal(), last.toordinal() + 1)


def _bare(title: str) -> str:
    """A title without its indent and bullet."""
    return " ".join(_BULLET.sub("", title.strip()).split())


def _days(text: str) -> str:
    """A number of days without a fraction of nothing, and without the mark of a guess: ``3.0``, ``2 days?``."""
    return re.sub(r"^(\d+)[.,]0+(?=\D|$)", r"\1", text.strip()).rstrip("? ")


def _by_content(cells: Cells, template: Template) -> list[str]:
    """What each column is, without names: by what stands in most of its cells."""
    width = max((len(row) for row in cells), default=0)
    columns = [[row[c].strip() for row in cells if c < len(row) and row[c].strip()] for c in range(width)]
    if width <= len(USUAL) and columns and not any(_mostly(columns[0], what) for what in (_number, _dated)):
        return [*USUAL[:width]]
    fields = [""] * width
    texts = [c for c in range(width) if not _mostly(columns[c], _number) and not _mostly(columns[c], _dated)]
    title = max(texts, key=lambda c: sum(map(len, columns[c])) / max(len(columns[c]), 1), default=-1)
    for c in range(width):
        name = "title" if c == title else "when" if _mostly(columns[c], _dated) else ""
        if not name and _mostly(columns[c], _number):
            name = "number" if _counting(columns[c]) and "number" not in fields else "duration"
        if not name and c in texts and len(set(columns[c])) * 2 <= len(columns[c]) + 1:
            name = "role"
        fields[c] = name if name not in fields else ""
    return fields


def _mostly(texts: Sequence[str], what: Callable[[str], bool]) -> bool:
    return bool(texts) and 3 * sum(1 for text in texts if what(text)) >= 2 * len(texts)


def _number(text: str) -> bool:
    return bool(number_in(text)) or bool(_DOTTED.match(text)) or text == "0"


def _counting(texts: Sequence[str]) -> bool:
    """Whether numbers count rows, rather than days: each higher than the one before, or with dots."""
    if any("." in text.rstrip(".") for text in texts):
        return True
    numbers = [number_in(text) for text in texts]
    return numbers == sorted(numbers) and len(set(numbers)) == len(numbers)


def _dated(text: str) -> bool:
    if re.match(r"^(?:[td]\s*)?[+−–-]\s*\d", text, re.IGNORECASE):
        return True
    if number_in(text):
        return False
    try:
        typed_date(text, today=dt.date(2000, 1, 1), base=None, calendar=WorkingCalendar())
    except (TypedError, DateRangeError):
        return False
    return True
