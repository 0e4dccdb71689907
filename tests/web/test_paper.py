"""A run on paper: its sheet over as many pages as it needs, every row and day on one of them, and as SVG."""

from __future__ import annotations

import re
from itertools import pairwise
from xml.etree import ElementTree

import pytest

from tests.plans import document, step
from tests.site import Site, make_site
from unisequa.web.drawing.paper import COLUMNS, HEAD, LEAST_PX, ROW, SIZES, Line, Sheet, pages, svg, whole

SVG = "{http://www.w3.org/2000/svg}"


def sheet(rows: int, days: int) -> Sheet:
    marks = [
        {"k": f"t{i}", "i": i, "s": [1000 + i * days // rows, 1001 + i * days // rows], "st": "waiting"}
        for i in range(rows)
    ]
    model = {"hours": False, "first": 990, "off": [[1004, 2, ""]], "plumbs": [["anchor", 1000.5, "Opening", "go"]],
             "marks": marks, "links": [["t0", "t1", "FS"]]}  # fmt: skip
    return Sheet([Line(f"Task {i} <&>", "Ada", "Fri 5 Jun") for i in range(rows)], model)


@pytest.mark.parametrize("paper", SIZES)
@pytest.mark.parametrize("rows, days", [(3, 10), (70, 200), (500, 2000)])
def test_every_row_and_every_day_is_on_a_page_that_it_fits(paper: str, rows: int, days: int) -> None:
    made = sheet(rows, days)
    found = pages(made, paper)
    width, height = SIZES[paper]
    assert {n for page in found for n in range(*page.rows)} == set(range(rows))
    for page in found:
        assert page.px >= LEAST_PX and (page.rows[1] - page.rows[0]) * ROW + HEAD <= height
        assert (page.days[1] - page.days[0]) * page.px <= width - COLUMNS + 0.01
    spans = sorted({page.days for page in found})
    assert spans[0][0] <= 1000 and spans[-1][1] >= 1001 + days - days // rows
    assert all(a[1] == pytest.approx(b[0]) for a, b in pairwise(spans))
    drawn = "".join(svg(made, page) for page in found)
    assert all(f">Task {n} &lt;&amp;&gt;<" in drawn for n in range(rows))


def test_a_page_is_a_drawing_of_its_own_and_stands_where_its_days_are() -> None:
    made = sheet(4, 10)
    page = whole(made)
    root = ElementTree.fromstring(svg(made, page))
    assert root.tag == f"{SVG}svg" and float(root.get("height", 0)) >= HEAD + 4 * ROW
    bars = [r for r in root.iter(f"{SVG}rect") if r.get("height") == "10"]
    at = COLUMNS + (1000 - page.days[0]) * page.px
    assert float(bars[0].get("x", 0)) == pytest.approx(at, abs=0.1) and len(bars) == 4
    assert "style" not in svg(made, page) and "class" not in svg(made, page)


def test_a_run_is_printed_with_its_list_and_taken_along_as_svg(tmp_path) -> None:
    steps = [step(f"s{i}", 2, i, title=f"Step {i} with <b>") for i in range(60)]
    site: Site = make_site(tmp_path, content=document(steps, *(f"s{i}>s{i + 1}" for i in range(59))))
    ada = site.client("Ada")
    page = ada.get(f"/runs/{site.run}/paper?paper=letter")
    assert page.status_code == 200 and page.text.count('class="sheet-page letter"') == 2
    assert "page 2 of 2" in page.text and page.text.count("Step 59 with &lt;b&gt;") == 2  # drawn, and in the list
    drawn = ada.get(f"/runs/{site.run}/sheet.svg")
    assert drawn.headers["content-type"].startswith("image/svg+xml")
    assert re.fullmatch(r'attachment; filename="[a-z0-9-]+\.svg"', drawn.headers["content-disposition"])
    titles = [text.text for text in ElementTree.fromstring(drawn.text).iter(f"{SVG}text")]
    assert [t for t in titles if t and t.startswith("Step")] == [f"Step {i} with <b>" for i in range(60)]
    open_only = ada.get(f"/runs/{site.run}/paper?show=mine").text
    assert "Step 3" not in open_only
