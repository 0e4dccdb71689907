"""The tray and the table of changes: what folds, what they are narrowed to, what would mend a conflict."""

from __future__ import annotations

import html
import json
import re
from pathlib import Path
from typing import Any

import pytest

from tests.plans import document, plan, step
from tests.site import TODAY, Site, make_site
from unisequa.actions.house import leave
from unisequa.actions.runs.crew import fill_role
from unisequa.core.plan.reasons import driving_chain

HEAD = {"hx-request": "true"}


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Site:
    """A run in which five tasks hang on an anchor, three of them on nothing else, and a chain with a deadline."""
    steps = [
        step("invite", 1, 10, role="r1"), step("cater", 2, 11, role="r1"),
        step("chairs", 1, 12, role="r2", phase="hall"),
        step("build", 3, 3, role="r2", phase="hall"),
        step("check", 1, phase="hall", deadline={"anchor": "go", "offset": 6}, role="r1"),
    ]  # fmt: skip
    roles = [{"key": "r1", "label": "Host"}, {"key": "r2", "label": "Crew"}]
    content = document(steps, "build>check", roles=roles, phases=[{"key": "hall", "label": "Hall"}])
    return make_site(tmp_path_factory.mktemp("tray"), content=content)


def considered(site: Site, edits: list[dict[str, Any]], **more: str) -> str:
    form = {"version": "1", "zoom": "day", "view": "sheet", "selected": "", "edits": json.dumps(edits), **more}
    answer = site.client("Ada").post(f"/runs/{site.run}/work", form, headers=HEAD)
    return html.unescape(answer.text)


def rows(page: str) -> list[str]:
    return re.findall(r'<div class="row[^>]* data-k="([a-z]+)"', page)


GO = [{"edit": "anchor", "anchor": "go", "on": "2026-06-10"}]


def test_what_merely_rides_with_an_anchor_folds_until_it_is_asked_for(shared: Site) -> None:
    page = considered(shared, GO)
    assert rows(page) == ["check"] and "4 more ride with Go, each keeping its distance" in page
    model = json.loads(re.search(r'id="field-model">(.*?)</script>', page)[1])  # type: ignore[index]
    assert {mark["k"] for mark in model["marks"] if mark.get("rd")} == {"invite", "cater", "chairs", "build"}
    assert rows(considered(shared, GO, rides="yes")) == ["invite", "cater", "chairs", "build", "check"]
    few = considered(shared, [{"edit": "move", "task": "build", "start": "2026-06-09"}])
    assert rows(few) == ["build", "check"] and "more ride" not in few


def test_a_narrow_page_has_each_change_with_a_field_of_its_own(shared: Site) -> None:
    assert 'class="changes"' not in considered(shared, GO), "the sheet is the table"
    assert 'class="changes"' in considered(shared, GO, view="list")
    page = considered(shared, GO, narrow="yes")
    fields = re.findall(r'<svg class="smallfield".*?</td>', page)
    assert len(fields) == len(re.findall(r"<td class=\"delta\">", page)) == 5
    spans = [[float(x) for x in re.findall(r'(?:ghost|bar moved)" x="([\d.]+)%"', one)] for one in fields]
    assert all(was < now for was, now in spans), "all go later"
    heads = re.findall(r'<text class="mon" x="([\d.]+)%" y="36">(\w+ \d+)', page)
    assert [words for _, words in heads] == ["Jun 2026"]


def test_the_table_is_narrowed_to_a_phase_or_to_what_needs_a_person(shared: Site) -> None:
    late = [*GO, {"edit": "move", "task": "build", "start": "2026-06-18"}]
    assert rows(considered(shared, late, only="phase:hall")) == ["chairs", "build", "check"]
    page = considered(shared, late, only="needs")
    assert rows(page) == ["check"] and 'value="phase:hall">in Hall<' in page


def test_a_missed_deadline_says_what_would_mend_it_and_that_joins_the_shift(shared: Site) -> None:
    late = [{"edit": "move", "task": "build", "start": "2026-06-09"}]
    page = considered(shared, late)
    path, by = re.search(r'data-mends="([^"]+)" data-by="([^"]+)"', page).groups()  # type: ignore[union-attr]
    assert by == "2026-06-09"
    form = {"edits": json.dumps(late), "mode": "push", "value": by}
    found = html.unescape(shared.client("Ada").post(path, form, headers=HEAD).text)
    ways = [json.loads(text) for text in re.findall(r'data-way="(\[.*?\])" data-way-mode', found)]
    assert ways and all("after its deadline" not in considered(shared, [*late, *way]) for way in ways)


def test_a_date_asked_for_on_a_day_off_says_where_it_comes_to(shared: Site) -> None:
    page = considered(shared, [{"edit": "move", "task": "cater", "start": "2026-06-20"}])
    assert 'value="Sat 20 Jun 2026"' in page and ": Sat 20 Jun is a day off, so Mon 22 Jun" in page


def test_what_falls_on_leave_is_told_with_handing_it_over(tmp_path: Path) -> None:
    site = make_site(tmp_path)
    with site.store.writing() as session:
        leave.add(session, site.person("Bela"), site.people["Bela"], "2026-06-15", "2026-06-16", "", TODAY)
    page = considered(site, [{"edit": "move", "task": "print", "start": "2026-06-11"}])
    assert "Print would fall on Mon 15 Jun, when Bela is away" in page
    assert f'href="/hand-over?person={site.people["Bela"]}&run={site.run}"' in page


def test_a_party_outside_whose_tasks_move_is_named_as_nobody_tells_it(tmp_path: Path) -> None:
    site = make_site(tmp_path)
    with site.store.writing() as session:
        fill_role(session, site.person("Ada"), site.run, "writer", "Bindery <b@example.org>", TODAY)
    moved = [{"edit": "move", "task": "print", "start": "2026-06-11"}]
    page = considered(site, moved)
    assert "Outside, so not told by this" in page and ">Bindery <b@example.org></b>" in page
    assert "Outside, so" not in considered(site, [{"edit": "move", "task": "party", "start": "2026-06-25"}])


def test_what_drives_a_task_leads_back_to_its_anchor() -> None:
    found = plan([step("a", 2, 0), step("b", 1), step("c", 9), step("d", 1)], "a>b", "b>d", "a>c", "c>d")
    assert driving_chain(found, 3) == ([(2, 3), (0, 2)], ["go"])  # through c, which ends later than b
    assert driving_chain(found, 0) == ([], ["go"])
