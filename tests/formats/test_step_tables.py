"""Steps in and out of tables, and files that are not what they say."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import networkx
import openpyxl
import pytest
import yaml
from hypothesis import assume, given

from tests.core.drawn_documents import cases
from tests.examples import dear
from tests.plans import step, template
from unisequa.core.design.brought import Wishes, look_at
from unisequa.core.design.part_tables import split_parts
from unisequa.core.design.step_table import CellFault, guess, read_rows
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError
from unisequa.demo.fill import DOCUMENTS
from unisequa.formats.files import read_bytes, write_yaml
from unisequa.formats.networks import network_graphml, read_graphml
from unisequa.formats.step_tables import steps_csv, steps_xlsx
from unisequa.formats.tables_in import MOST_BYTES, read_table

DEMO = sorted(path.stem for path in DOCUMENTS.glob("*.json") if not path.stem.endswith("calendar"))


def read_back(found: Any, content: bytes, name: str) -> Any:
    parts, cells = split_parts(read_table(content, name).cells)
    assert parts is not None
    read = read_rows(found, cells[1:], guess(cells[0]))
    assert read.faults == ()
    return read.template


def made_of(content: bytes, name: str) -> Any:
    """What a file alone makes, of nothing."""
    parts, cells = split_parts(read_table(content, name).cells)
    assert parts is not None
    seen = look_at(parts.on(Template(name="Nothing")), cells, Wishes())
    assert seen.faults == ()
    return parts.with_steps(seen.template)


@pytest.mark.parametrize("name", DEMO)
def test_steps_written_out_are_read_back_unchanged(name: str) -> None:
    found = read_template(json.loads((DOCUMENTS / f"{name}.json").read_text("utf-8")))
    assert read_back(found, steps_csv(found).encode(), "a.csv") == found
    assert read_back(found, steps_xlsx(found), "a.xlsx") == found
    assert read_template(read_bytes(write_yaml(found.written()).encode(), yaml_file=True)) == found


@pytest.mark.parametrize("name", DEMO)
def test_a_template_comes_back_whole_from_its_table_alone_and_gives_the_same_bytes(name: str) -> None:
    found = read_template(json.loads((DOCUMENTS / f"{name}.json").read_text("utf-8")))
    for content, file in ((steps_csv(found).encode(), "a.csv"), (steps_xlsx(found), "a.xlsx")):
        again = made_of(content, file)
        written, expected = again.written(), (made_of(content, file) if found.grid == "minute" else found).written()
        assert sorted(map(str, written.pop("links", []))) == sorted(map(str, expected.pop("links", [])))
        assert written == expected
        assert (steps_csv if file == "a.csv" else steps_xlsx)(again) == (
            content if file == "a.xlsx" else content.decode()
        )


def test_rarer_words_of_a_template_come_back_too() -> None:
    found = template(
        [step("a", 1, 0, title="- 5 degrees, checked", role="r", effort="6h", chunk="2h", ready="on its day",
              deadline={"anchor": "go", "offset": 3, "roll": "none"},
              attachments=[{"name": "Plan, floor 2.pdf", "sha256": "0a" * 32, "size": 7},
                           {"name": "=List.csv", "sha256": "b1" * 32, "size": 0}],
              messages=[{"to": "r", "offset": -2, "at": "08:00", "subject": "Soon", "text": "One\\n=two",
                         "files": ["=List.csv", "Plan, floor 2.pdf"]}])],
        roles=[{"key": "r", "label": "R", "fill": {"by": "position", "position": "Registrar"}, "retired": True}],
        phases=[{"key": "p", "label": "P", "span": 5, "opens": "after the one before", "retired": True}],
        finishes="by itself", stale_after=3, tags=["North", "ISO 9"], usual_for="person", follow="late", ends="go",
    )  # fmt: skip
    for content, file in ((steps_csv(found).encode(), "a.csv"), (steps_xlsx(found), "a.xlsx")):
        assert made_of(content, file) == found


def test_the_indents_of_a_workbook_are_levels() -> None:
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    for title, indent in (("Task", 0), ("Build", 0), ("Frames", 1), ("Glass", 2), ("Open", 0)):
        sheet.append([title, "Days" if title == "Task" else "2"])
        sheet.cell(sheet.max_row, 1).alignment = openpyxl.styles.Alignment(indent=indent)
    out = io.BytesIO()
    book.save(out)
    seen = look_at(template([]), read_table(out.getvalue(), "a.xlsx").cells, Wishes())
    assert [(s.title, s.parent) for s in seen.template.steps] == [
        ("Build", None), ("Frames", "build"), ("Glass", "frames"), ("Open", None),
    ]  # fmt: skip


def test_what_is_wrong_beside_the_steps_is_told_by_table_and_row() -> None:
    text = "# Template\nField,Says\nName,Fair\n\n# Anchors\nKey,Anchor\ngo,Go\n,Nameless\n\n# Steps\nKey,Step\na,A\n"
    parts, cells = split_parts(read_table(text.encode(), "a.csv").cells)
    assert parts and [row[1] for row in cells] == ["Step", "A"]
    with pytest.raises(DocumentError, match="# Anchors, row 2: key"):
        parts.on(template([]))
    with pytest.raises(DocumentError, match='# Anchors: has no column "Colour"; it has Key, Anchor'):
        split_parts(read_table(text.replace("Key,Anchor", "Key,Colour").encode(), "a.csv").cells)


@dear
@given(cases())
def test_any_template_comes_back_from_its_table(case: Any) -> None:
    try:
        found = read_template(case[0])
    except DocumentError:
        assume(False)
    again = read_back(found, steps_csv(found).encode(), "a.csv")
    assert sorted(map(str, again.steps)) == sorted(map(str, found.steps)) and set(again.links) == set(found.links)


def test_a_cell_is_never_a_formula_in_a_spreadsheet_and_comes_back_as_it_was() -> None:
    found = template([step("a", title="=cmd|' /C calc'!A0", instructions="-1+1\n@SUM(A1)")])
    text = steps_csv(found)
    assert ",'=cmd|" in text
    sheet = openpyxl.load_workbook(io.BytesIO(steps_xlsx(found))).worksheets[0]
    assert sheet["B2"].data_type == "s"
    assert read_back(found, text.encode(), "a.csv") == found


def test_columns_are_matched_by_the_names_people_give_them_each_field_once() -> None:
    assert guess(["Task", "Who", "Predecessors", "Colour", "Step", "WORKING  DAYS"]) == [
        "title", "role", "follows", "", "", "duration",
    ]  # fmt: skip


def test_every_fault_is_told_by_row_and_column_and_nothing_is_taken() -> None:
    found = template([step("kept")])
    read = read_rows(
        found,
        [["a", "Pack", "soon", "1"], ["a", "", "-3", "2"], ["b", "Ship", "", "many"], ["c", "Sign", "+1", "1"]],
        ["key", "title", "when", "duration"],
        {"when": "Offset"},
    )
    assert read.template == found
    assert [(f.row, f.column) for f in read.faults] == [(2, "Offset"), (3, "Step"), (3, "Key"), (4, "Days")]
    circle = read_rows(template([]), [["A", "B"], ["B", "A"]], ["title", "follows"])
    assert "run in a circle: a → b → a" in str(circle.faults[0])
    assert read_rows(found, [["x"]], [""]).faults == (
        CellFault(1, "Step", "no column holds the titles of the steps; choose one"),
    )


def bomb(*, entries: int = 1, size: int = 200 * 1024 * 1024) -> bytes:
    """A small archive that unpacks to much."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for i in range(entries):
            archive.writestr(f"xl/worksheets/sheet{i}.xml", b"0" * size)
    return out.getvalue()


def formula() -> bytes:
    book = openpyxl.Workbook()
    book.worksheets[0].append(["Step", "Days"])
    book.worksheets[0].append(["Pack", "=1+1"])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


@pytest.mark.parametrize(
    "name, content, said",
    [
        ("a.csv", b"\x89PNG\r\n\x1a\n....", "is not a table but a picture"),
        ("a.csv", b"MZ\x90\x00\x03", "a program"),
        ("a.csv", b"Step,Days\n\x00\x01\x02,1", "bytes that are no text"),
        ("a.csv", "\ufeffStep".encode("utf-16")[:-1], "broken UTF-16"),
        ("a.csv", b"", "is empty"),
        ("a.csv", b'Step,Days\n"Pack,1\n', "cannot be read as CSV"),
        ("a.csv", b"x" * (MOST_BYTES + 1), "larger than 10 MB"),
        ("a.csv", ("Step\n" + "a\n" * 9000).encode(), "more than 8,000 rows"),
        ("a.xlsx", b"Step,Days\nPack,1\n", "named like an Office file but is none"),
        ("a.xlsx", b"PK\x03\x04 broken", "broken XLSX"),
        ("a.xlsx", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "old or protected"),
        ("a.csv", steps_xlsx(template([step("a")])), "a ZIP or an Office file"),
    ],
)
def test_a_file_that_is_not_what_it_says_is_refused_in_plain_words(name: str, content: bytes, said: str) -> None:
    with pytest.raises(DocumentError) as caught:
        read_table(content, name)
    assert said in str(caught.value)


def test_a_zip_bomb_is_not_opened_and_formulas_are_named_by_their_cells() -> None:
    with pytest.raises(DocumentError, match="unpacks to 200 MB"):
        read_table(bomb(), "a.xlsx")
    with pytest.raises(DocumentError, match="formulas in B2"):
        read_table(formula(), "a.xlsx")
    laughs = 'a: &a ["x"]\nb: [*a, *a]\n'
    with pytest.raises(DocumentError, match="aliases"):
        read_bytes(laughs.encode(), yaml_file=True)
    assert yaml.safe_load(laughs)  # another reader would unfold it


@pytest.mark.parametrize("content", ["Step;Days\nPack;2\n", "Step\tDays\nPack\t2\n", "\ufeffStep,Days\r\nPack,2\r\n"])
def test_tables_are_read_with_the_separators_and_encodings_that_spreadsheets_write(content: str) -> None:
    for encoding in ("utf-8", "utf-16"):
        table = read_table(content.removeprefix("\ufeff").encode(encoding), "a.csv")
        assert (table.names, table.rows) == (("Step", "Days"), (("Pack", "2"),))


def test_what_is_no_utf8_is_read_byte_by_byte_until_somebody_says_what_it_is() -> None:
    table = read_table("Step,Days\nFa\u00e7ade \u20ac,2\n".encode("cp1252"), "a.csv")
    assert table.bytewise and table.written_in("Windows-1252").rows == (("Fa\u00e7ade \u20ac", "2"),)
    assert table.written_in("Latin-1").rows == (("Fa\u00e7ade \x80", "2"),)


def test_what_stands_between_the_cells_is_found_below_a_title() -> None:
    table = read_table(b"Plan of last year, copied\n\nStep;Days\nPack;2\nShip;1\n", "a.csv")
    assert [row[:2] for row in table.cells][-1] == ("Ship", "1")


def test_the_network_is_read_by_a_general_purpose_library_as_it_is() -> None:
    """networkx reads GraphML (graphml.graphdrawing.org) and knows the order of the steps."""
    found = template([step("a", 2, 0), step("b"), step("c")], "a>b+1", "b>c", "a>c")
    graph = networkx.read_graphml(io.BytesIO(network_graphml(found).encode()))
    assert list(networkx.topological_sort(graph)) == ["a", "b", "c"]
    assert graph.edges["a", "b"] == {"type": "FS", "lag": 1, "unit": "working", "id": "link-0"}
    assert graph.nodes["a"]["when"] == "start 0 wd" and graph.nodes["a"]["duration"] == 2


@pytest.mark.parametrize("name", DEMO)
def test_a_network_comes_back_with_its_parents_and_lengths_and_gives_the_same_bytes(name: str) -> None:
    found = read_template(json.loads((DOCUMENTS / f"{name}.json").read_text("utf-8")))
    text = network_graphml(found)
    again = read_template(read_graphml(text.encode(), "a.graphml"))
    assert network_graphml(again) == text
    assert [(s.key, s.title, s.parent, s.phase, s.role) for s in again.steps] == [
        (s.key, s.title, s.parent, s.phase, s.role) for s in found.steps
    ]
    assert len(again.links) == len(found.links)


def test_a_network_of_another_program_is_read_as_steps_and_links() -> None:
    """As networkx writes it (graphml.graphdrawing.org)."""
    graph = networkx.DiGraph()
    graph.add_node("Pack it", duration=2.0, role="Crew")
    graph.add_edge("Pack it", "Ship it", lag=1)
    out = io.BytesIO()
    networkx.write_graphml(graph, out)
    read = read_template(read_graphml(out.getvalue(), "loan.graphml"))
    assert [(s.key, s.title, s.days) for s in read.steps] == [("pack-it", "Pack it", 2), ("ship-it", "Ship it", 1)]
    assert [(k.from_, k.to, k.lag) for k in read.links] == [("pack-it", "ship-it", 1)] and read.roles[0].label == "Crew"
    with pytest.raises(DocumentError, match="is not XML"):
        read_graphml(b"<graphml>", "a.graphml")
    with pytest.raises(DocumentError, match="no graph"):
        read_graphml(b"<a/>", "a.graphml")


def test_new_roles_and_phases_of_a_table_are_made_and_a_circle_in_it_is_a_fault() -> None:
    columns = ["title", "role", "phase", "follows"]
    read = read_rows(template([step("x")]), [["A", "Night watch", "First half", ""], ["B", "", "", "A"]], columns)
    assert (read.faults, read.new_roles, read.new_phases) == ((), ("Night watch",), ("First half",))
    assert [(r.key, r.label) for r in read.template.roles] == [("night_watch", "Night watch")]
    assert [(p.key, p.label) for p in read.template.phases] == [("first-half", "First half")]
    b = next(s for s in read.template.steps if s.title == "B")
    a = next(s for s in read.template.steps if s.title == "A")
    assert (a.role, a.phase, b.role) == ("night_watch", "first-half", None)
    assert [(k.from_, k.to) for k in read.template.links] == [(a.key, b.key)]
    circle = read_rows(template([step("x")]), [["A", "B"], ["B", "A"]], ["title", "follows"])
    assert circle.faults and "circle" in circle.faults[0].message and circle.template.steps[0].key == "x"


def test_without_a_column_of_links_those_between_steps_that_stay_are_kept() -> None:
    before = template([step("a"), step("b"), step("c")], "a>b", "b>c")
    read = read_rows(before, [["a", "A"], ["b", "B again"]], ["key", "title"])
    assert [(k.from_, k.to) for k in read.template.links] == [("a", "b")]


def test_links_of_what_is_included_are_kept_where_a_table_has_links_of_its_own() -> None:
    included = [{"key": "m", "template": "Month-end close", "anchors": {"go": "go"}}]
    before = template([step("a"), step("b")], "a>b", "a>m", "m>b", includes=included)
    read = read_rows(before, [["a", "A", ""], ["b", "B", "a +2 wd, m"]], ["key", "title", "follows"])
    assert read.faults == ()
    kept = {(k.from_, k.to, k.lag) for k in read.template.links}
    assert kept == {("a", "b", 2), ("m", "b", 0), ("a", "m", 0)}
