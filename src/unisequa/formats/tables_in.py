"""Tables that people bring: CSV and XLSX, read with the suspicion that files deserve."""

from __future__ import annotations

import csv
import datetime as dt
import io
import re
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from unisequa.core.design.part_tables import PART_NAMES, STEPS
from unisequa.core.errors import DocumentError, Fault

MOST_BYTES = 10 * 1024 * 1024
MOST_UNPACKED = 80 * 1024 * 1024
MOST_ROWS = 8001
MOST_COLUMNS = 80
MOST_CELL = 20_000
ENCODINGS = {"Windows-1252": "cp1252", "Latin-1": "latin-1"}
"""What a table that is no UTF-8 may be written in, by the names people know; the first is the likeliest."""
_LINES_LOOKED_AT = 30
"""So many lines tell what stands between the cells: the first may be a title without any."""
_MAGIC = (
    (b"PK\x03\x04", "a ZIP or an Office file"), (b"\xd0\xcf\x11\xe0", "an old Office file"), (b"%PDF", "a PDF"),
    (b"\x89PNG", "a picture"), (b"\xff\xd8\xff", "a picture"), (b"GIF8", "a picture"), (b"\x1f\x8b", "a gzip file"),
    (b"\x7fELF", "a program"), (b"MZ", "a program"), (b"SQLite format 3", "a database"),
)  # fmt: skip


_DEEPEST_INDENT = 15


_UNTYPED = re.compile("[\x00-\x08\x0e-\x1f]")


@dataclass(frozen=True, slots=True)
class Table:
    """A table as text: the names in its first row, and the rows below."""

    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    bytewise: bool = False
    """Whether it was no UTF-8: every byte is then the character of its number, until somebody says what it was
    written in."""

    def written_in(self, encoding: str) -> Table:
        """The table with its bytes read as somebody says; as it is, where there was nothing to say."""
        if not self.bytewise:
            return self

        def read(cell: str) -> str:
            return cell.encode("latin-1", "replace").decode(ENCODINGS.get(encoding, "cp1252"), "replace")

        return Table(tuple(map(read, self.names)), tuple(tuple(map(read, row)) for row in self.rows), True)

    @property
    def cells(self) -> tuple[tuple[str, ...], ...]:
        """All of it, the first row too: which row has the names is for whoever looks at it."""
        return (self.names, *self.rows)


def read_table(content: bytes, name: str) -> Table:
    """The table in a file's bytes; what it is is told by them, not by its name alone.

    Raises
    ------
    DocumentError
        In plain words, with what to do: too large, no text, another kind of file, formulas, a file that unpacks
        to more than it should.
    """
    if len(content) > MOST_BYTES:
        _refuse(name, f"is larger than {MOST_BYTES // 1024 // 1024} MB; take out what is not needed")
    if not content.strip():
        _refuse(name, "is empty")
    excel = name.lower().endswith((".xlsx", ".xlsm"))
    if content[:4] == b"PK\x03\x04" and excel:
        return _xlsx(content, name)
    if content[:4] == b"\xd0\xcf\x11\xe0":
        _refuse(name, "is an old or protected Office file; save it as .xlsx without a password, or as CSV")
    for magic, what in _MAGIC:
        if content.startswith(magic):
            _refuse(name, f"is not a table but {what}, whatever its name says; bring a CSV or XLSX file")
    if excel:
        _refuse(name, "is named like an Office file but is none; save it again as .xlsx, or bring a CSV")
    return _csv(content, name)


def _refuse(name: str, message: str) -> None:
    raise DocumentError([Fault(name, message)])


def _csv(content: bytes, name: str) -> Table:
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    else:
        encoding = "utf-8-sig"
        if b"\x00" in content:
            _refuse(name, "holds bytes that are no text; bring a CSV file, saved as UTF-8")
    bytewise = False
    try:
        text = content.decode(encoding)
    except UnicodeDecodeError:
        if encoding == "utf-16":
            _refuse(name, "is broken UTF-16 text; save it again as “CSV UTF-8”")
        text, bytewise = content.decode("latin-1"), True
        if _UNTYPED.search(text):
            _refuse(name, "holds bytes that are no text; bring a CSV file, saved as UTF-8")
    first = "\n".join(text.split("\n", _LINES_LOOKED_AT)[:_LINES_LOOKED_AT])
    delimiter = max(",;\t|", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    try:
        return _table(
            [[_plain(cell) for cell in row] for row, _ in zip(reader, range(MOST_ROWS + 1), strict=False)],
            name,
            bytewise=bytewise,
        )
    except csv.Error as error:
        _refuse(name, f"cannot be read as CSV in line {reader.line_num}: {error}")
    raise AssertionError("not reached")


def _plain(cell: str) -> str:
    """A cell without the apostrophe that keeps a spreadsheet from taking it for a formula."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in "=+-@" else cell


def _xlsx(content: bytes, name: str) -> Table:
    import openpyxl
    from openpyxl.utils import get_column_letter

    _not_a_bomb(content, name)
    try:
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=False, keep_links=False)
        rows: list[list[str]] = []
        formulas: list[str] = []
        for title in _sheets(book.sheetnames):
            if title:
                rows.append([f"# {title}"])
            sheet = book[title] if title else book.worksheets[0]
            for r, row in enumerate(sheet.iter_rows(max_row=MOST_ROWS + 1, max_col=MOST_COLUMNS + 1), 1):
                cells = []
                for c, cell in enumerate(row, 1):
                    if cell.data_type == "f":
                        formulas.append(f"{get_column_letter(c)}{r}")
                    cells.append(_indent(cell) + _cell(cell.value))
                rows.append(cells)
        book.close()
    except DocumentError:
        raise
    except Exception as error:  # the library meets broken files in many ways
        raise DocumentError([Fault(name, "cannot be read as XLSX; save it again, or bring a CSV")]) from error
    if formulas:
        more = f" and {len(formulas) - 5} more" if len(formulas) > 5 else ""
        _refuse(name, f"has formulas in {', '.join(formulas[:5])}{more}; put in their values and save it again")
    return _table(rows, name)


def _sheets(titles: Sequence[str]) -> list[str]:
    """The sheets that are read, the steps last: those of a template that was written here, or the first, unnamed."""
    if not {"Template", STEPS} <= set(titles):
        return [""]
    return [title for title in titles if title in PART_NAMES and title != STEPS] + [STEPS]


def _not_a_bomb(content: bytes, name: str) -> None:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            entries = archive.infolist()
    except zipfile.BadZipFile:
        _refuse(name, "is a broken XLSX file; save it again")
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > MOST_UNPACKED or len(entries) > 2000:
        _refuse(name, f"unpacks to {unpacked // 1024 // 1024:,} MB, more than a list of steps can be; it is not opened")


def _indent(cell: Any) -> str:
    """A text's indent that is a cell's format rather than typed, as the spaces it stands for."""
    if not isinstance(cell.value, str) or not cell.has_style:
        return ""
    return "    " * min(int(cell.alignment.indent or 0), _DEEPEST_INDENT)


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, dt.datetime):
        return value.date().isoformat() if value.time() == dt.time() else value.isoformat(" ", "minutes")
    return str(value)


def _table(rows: list[list[str]], name: str, *, bytewise: bool = False) -> Table:
    while rows and not any(cell.strip() for cell in rows[-1]):
        rows.pop()
    while rows and not any(cell.strip() for cell in rows[0]):
        rows.pop(0)
    if not rows:
        _refuse(name, "has no rows")
    if len(rows) > MOST_ROWS:
        _refuse(name, f"has more than {MOST_ROWS - 1:,} rows; split it")
    width = max(len(row) for row in rows)
    while width and not any(row[width - 1].strip() for row in rows if len(row) >= width):
        width -= 1
    if width > MOST_COLUMNS:
        _refuse(name, f"has more than {MOST_COLUMNS} columns; take out what is not needed")
    long = next(
        ((r, c) for r, row in enumerate(rows, 1) for c, cell in enumerate(row, 1) if len(cell) > MOST_CELL), None
    )
    if long:
        _refuse(name, f"has more than {MOST_CELL:,} characters in row {long[0]}, column {long[1]}")
    filled = [tuple((row + [""] * width)[:width]) for row in rows]
    return Table(filled[0], tuple(filled[1:]), bytewise)
