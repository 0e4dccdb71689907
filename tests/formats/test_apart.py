"""Files read apart: hostile ones are refused in plain words, and YAML means what it looks like."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import pytest

from tests.plans import document, step
from unisequa.core.errors import DocumentError
from unisequa.formats.apart import read_apart
from unisequa.formats.files import read_bytes, write_yaml


def zipped(sheet: bytes) -> bytes:
    """An XLSX file of one sheet, as far as a reader looks before it reads that."""
    held = io.BytesIO()
    main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    relations = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("[Content_Types].xml", "<Types/>")
        archive.writestr(
            "xl/workbook.xml",
            f'<workbook xmlns="{main}" xmlns:r="{relations}"><sheets><sheet name="a" sheetId="1" r:id="r1"/></sheets>'
            "</workbook>",
        )
        archive.writestr("xl/worksheets/sheet1.xml", sheet)
    return held.getvalue()


DEEP = 50_000
HOSTILE: dict[str, bytes] = {
    "brackets.yaml": b"[" * DEEP,
    "braces.yaml": b"{a: " * DEEP,
    "dashes.yaml": b"- " * DEEP,
    "laughs.yaml": b"a: &a [x,x,x,x]\nb: &b [*a,*a,*a,*a]\nc: [*b,*b,*b,*b]\n",
    "merge.yaml": b"a: &a {x: 1}\nb:\n  <<: *a\n",
    "twice.yaml": b"name: a\nname: b\n",
    "large.yaml": b"a: b\n" * 250_000,
    "brackets.json": b'{"a": ' + b"[" * DEEP + b"]" * DEEP + b"}",
    "digits.json": b'{"name": ' + b"9" * 200_000 + b"}",
    "large.json": b'{"name": "' + b"x" * (9 * 1024 * 1024) + b'"}',
    "surrogate.json": b'{"format": "unisequa-template/1", "name": "\\ud800"}',
    "bomb.xlsx": zipped(b"<worksheet>" + b" " * 90_000_000),
    "names.csv": b",".join(b"x" for _ in range(100_000)),
    "nul.csv": b"Title\n\x00\x00\n",
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_is_refused_in_words(name: str) -> None:
    with pytest.raises(DocumentError) as caught:
        read_apart(HOSTILE[name], name)
    told = str(caught.value)
    assert len(told) > 10 and "Traceback" not in told and "\n\n" not in told


def test_yaml_values_that_are_not_plainly_something_else_are_text() -> None:
    """After the examples of YAML 1.2.2, section 10.3.2, and its predecessor's traps."""
    text = b"""
a: [NO, no, yes, On, 12:30, 1_000, 2026-01-31, "=", <<, 0o14, 0x1F, -7, +7, 010, 1e3, .5, null, ~, True, "5"]
b:
"""
    read: Any = read_bytes(text, yaml_file=True)
    assert read["a"] == [
        "NO", "no", "yes", "On", "12:30", "1_000", "2026-01-31", "=", "<<", 12, 31, -7, 7, 10, 1000.0, 0.5, None, None,
        True, "5",
    ]  # fmt: skip
    assert read["b"] is None


def test_what_is_written_comes_back() -> None:
    written = document([step("no", 2, 0, title="NO")], name="12:30", purpose="2026-01-31\n- on: off\n")
    assert read_bytes(write_yaml(written).encode(), yaml_file=True) == written
    assert (
        read_apart(write_yaml(written).encode(), "a.yaml").template
        == read_apart(json.dumps(written).encode(), "a.json").template
    )
    table = read_apart(b"Title,Days\nCount the till,2\n", "steps.csv")
    assert table.names == ("Title", "Days") and table.rows == (("Count the till", "2"),)
