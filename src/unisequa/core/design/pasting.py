"""Steps from the cells of a table, pasted into the sheet."""

from __future__ import annotations

from collections.abc import Sequence

from unisequa.core.design.fields.entries import FIELDS, set_column
from unisequa.core.design.rows import Line, Place, insert
from unisequa.core.documents.template import Template
from unisequa.core.errors import EditError

COLUMNS = ("title", "role", "when", "duration", "follows")
"""The columns of a pasted table, those of the sheet."""
_HEADS = {word: entry.name for entry in FIELDS for word in entry.short}


def pasted_table(template: Template, cells: Sequence[Sequence[str]], place: Place) -> tuple[Template, list[str]]:
    """New steps, one a row; gives their keys too. A first row of column names says what is in which column.

    Raises
    ------
    EditError
        Naming the row and the column at fault; then nothing is put in.
    """
    rows = [row for row in cells if any(cell.strip() for cell in row)]
    columns: list[str | None] = [*COLUMNS]
    if rows and all(cell.strip().casefold() in _HEADS or not cell.strip() for cell in rows[0]):
        columns = [_HEADS.get(cell.strip().casefold()) for cell in rows[0]]
        rows = rows[1:]
    if "title" not in columns:
        raise EditError("title", "no column is named Step, so there are no titles to paste")
    at = columns.index("title")
    titles = [row[at].strip() if at < len(row) else "" for row in rows]
    for i, title in enumerate(titles, 1):
        if not title:
            raise EditError("title", f"row {i} has no title; every step needs one")
    template, keys = insert(template, [Line(title[:200]) for title in titles], place)
    for column, name in enumerate(columns):
        if name is None or name == "title":
            continue
        filled = [i for i, row in enumerate(rows) if column < len(row) and row[column].strip()]
        if filled:
            places = [f"row {i + 1}, {name}" for i in filled]
            texts = [rows[i][column] for i in filled]
            template = set_column(template, [keys[i] for i in filled], name, texts, places)
    return template, keys
