"""A template as CSV and XLSX: its steps, and what it has beside them."""

from __future__ import annotations

import csv
import datetime as dt
import io
import re
import zipfile

from unisequa.core.design.part_tables import STEPS, part_rows
from unisequa.core.design.step_table import header, table_rows
from unisequa.core.documents.template import Template
from unisequa.formats.plan_tables import text_cell

_WIDTHS = {
    "Step": 44, "Instructions": 60, "Follows": 28, "Due": 18, "Key": 18, "Says": 60, "Text": 60, "Subject": 40,
    "Anchor": 28, "Role": 28, "Fact": 28, "Phase": 28,
}  # fmt: skip
_LONG = {"Instructions", "Says", "Text", "Choices"}
_WRITTEN = dt.datetime(2000, 1, 1)


def steps_csv(template: Template) -> str:
    """The template as CSV: one table below the other, each under its name, the steps last; read back in it is the same.

    Of files that are kept with steps it names the contents, which stay in the house.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    for name, table in _tables(template):
        writer.writerow([f"# {name}"])
        writer.writerows([text_cell(cell) for cell in row] for row in table)
        if name != STEPS:
            writer.writerow([])
    return out.getvalue()


def steps_xlsx(template: Template) -> bytes:
    """The template as a workbook, the steps on its first sheet, every cell as text; read back in it is the same."""
    from openpyxl import Workbook
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    book.remove(book.worksheets[0])
    book.properties.created = book.properties.modified = _WRITTEN
    for name, table in sorted(_tables(template), key=lambda pair: pair[0] != STEPS):
        sheet = book.create_sheet(name)
        for r, row in enumerate(table, 1):
            for c, text in enumerate(row, 1):
                cell = sheet.cell(r, c)
                if text:
                    cell.value = text
                    cell.data_type = "s"  # never a formula
                cell.alignment = Alignment(vertical="top", wrap_text=table[0][c - 1] in _LONG)
        for c, head in enumerate(table[0], 1):
            sheet.cell(1, c).font = Font(bold=True)
            sheet.column_dimensions[get_column_letter(c)].width = _WIDTHS.get(head, 13)
        sheet.freeze_panes = "C2" if name == STEPS else "A2"
    out = io.BytesIO()
    book.save(out)
    return _timeless(out.getvalue())


def _tables(template: Template) -> list[tuple[str, list[list[str]]]]:
    return [*part_rows(template).items(), (STEPS, [header(), *table_rows(template)])]


def _timeless(content: bytes) -> bytes:
    """A workbook that does not say when it was written: the same template gives the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as read, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as written:
        for entry in read.infolist():
            inside = read.read(entry)
            if entry.filename == "docProps/core.xml":
                stamp = _WRITTEN.strftime("%Y-%m-%dT%H:%M:%SZ").encode()
                inside = re.sub(rb"(<dcterms:(?:created|modified)[^>]*>)[^<]*", rb"\g<1>" + stamp, inside)
            written.writestr(zipfile.ZipInfo(entry.filename, _WRITTEN.timetuple()[:6]), inside, zipfile.ZIP_DEFLATED)
    return out.getvalue()
