"""One way to look at a run's tasks, for sheet, list, board and month."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

import pytest

from tests.site import TODAY, Site
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import consider
from unisequa.actions.runs.views import views
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.store.queries.runs import run_by_id
from unisequa.web.run.board import board, month
from unisequa.web.run.looking import Look, look_in
from unisequa.web.run.sheet import PhaseLine, run_sheet


def rows(site: Site, who: str = "Bela", **look: str) -> list[str]:
    """Heads in capitals, tasks by their keys."""
    with site.store.reading() as session:
        seen = consider(see_run(session, site.person(who), site.run, TODAY), ())
    lines = run_sheet(seen, Look(**look)).lines
    return [line.label.upper() if isinstance(line, PhaseLine) else line.key for line in lines]


@pytest.mark.parametrize(
    "look, shown",
    [
        ({}, ["WORDS", "draft", "check", "PAPER", "print", "party"]),
        ({"show": "mine"}, ["WORDS", "draft", "PAPER", "print"]),
        ({"show": "ready"}, ["WORDS", "draft"]),
        ({"show": "late"}, ["WORDS", "draft"]),
        ({"show": "fortnight"}, ["WORDS", "check", "PAPER", "print"]),
        ({"text": "cleo"}, ["WORDS", "check"]),
        ({"text": "PRI"}, ["PAPER", "print"]),
        ({"group": "who"}, ["ADA", "party", "BELA", "draft", "print", "CLEO", "check"]),
        ({"group": "role", "show": "open"}, ["LEAD", "party", "WRITER", "draft", "print", "EDITOR", "check"]),
        ({"group": "state"}, ["WAITING", "check", "print", "party", "READY", "draft"]),
        ({"group": "none", "sort": "title"}, ["check", "draft", "party", "print"]),
        ({"group": "due"}, ["WEEK OF MON 1 JUN 2026", "draft", "check", "WEEK OF MON 8 JUN 2026", "print",
                            "WEEK OF MON 15 JUN 2026", "party"]),
        ({"show": "unfilled"}, []),
    ],
)  # fmt: skip
def test_tasks_are_looked_at_in_parts_and_groups(site: Site, look: dict[str, Any], shown: list[str]) -> None:
    assert rows(site, **look) == shown


def test_what_an_address_does_not_know_is_as_if_it_were_not_there() -> None:
    assert look_in({"show": "nonsense", "group": "who", "sort": "'"}) == Look(group="who")
    assert look_in({"text": " a & b "}).query() == "text=a+%26+b"


def test_the_board_and_the_month_have_the_same_tasks(site: Site) -> None:
    with site.store.reading() as session:
        seen = consider(see_run(session, site.person("Ada"), site.run, TODAY), ())
    columns = {column.state: [card.key for card in column.cards] for column in board(seen, Look(show="open"))}
    assert {state: keys for state, keys in columns.items() if keys} == {
        "ready": ["draft"], "waiting": ["check", "print", "party"],
    }  # fmt: skip
    weeks = month(seen, Look()).weeks
    assert [[span.key for span in week.spans] for week in weeks] == [["draft", "check"], ["print"], ["party"]]
    assert [week.now for week in weeks] == [True, False, False]
    draft = weeks[0].spans[0]
    assert (draft.x, draft.width) == (6, 2 * 174 - 12) and weeks[0].spans[1].y == draft.y  # side by side in one lane


def test_the_list_of_runs_is_filtered_grouped_and_sorted_by_its_address(site: Site) -> None:
    browser, ada = site.client("Ada"), site.person("Ada")
    with site.store.writing() as session:
        go = {"go": TODAY + dt.timedelta(days=60)}
        prepared = Choices(anchors=go, facts={"number": "8"}, prepared=True)
        start_run(session, ada, site.template, None, prepared, TODAY)
        over = start_run(session, ada, site.template, None, Choices(anchors=go, facts={"number": "9"}), TODAY)
        set_run_state(session, ada, over, Becoming("called off", "No paper"), TODAY)
        run_by_id(session, site.run).keeper_id = site.people["Bela"]

    def names(query: str) -> list[str]:
        return re.findall(r">(Bulletin \d)<", browser.get(f"/runs?{query}").text)

    assert names("") == ["Bulletin 7", "Bulletin 8"] and names("show=mine") == ["Bulletin 8"]
    assert names("show=all&sort=name") == ["Bulletin 7", "Bulletin 8", "Bulletin 9"]
    assert names("show=off") == ["Bulletin 9"] and names("text=8") == ["Bulletin 8"] and names("text=zebra") == []
    page = browser.get("/runs?group=keeper&show=nonsense&sort=nonsense").text
    assert page.index("Ada <span") < page.index("Bela <span") and "2 runs of 3" in page
    ends = browser.get("/runs?group=ends").text
    assert ends.index("June 2026 <span") < ends.index("August 2026 <span")


def test_a_view_is_kept_under_a_name_of_ones_own_and_holds_for_every_run(site: Site) -> None:
    ada, bela = site.client("Ada"), site.client("Bela")
    form = {"name": "Mine, plainly", "view": "list", "show": "mine", "without": "slack,start,nonsense"}
    kept = ada.post(f"/runs/{site.run}/views", form)
    assert str(kept.url).endswith("?show=mine&without=start%2Cslack&view=list") and "Mine, plainly</a>" in kept.text
    head = re.findall(r"<th[^>]*>([^<]+)</th>", kept.text)
    assert head == ["Task", "Who", "State", "Due"]
    assert "Mine, plainly" not in bela.get(f"/runs/{site.run}").text
    assert ada.post(f"/runs/{site.run}/views", {"name": " "}).status_code == 422
    ada.post(f"/runs/{site.run}/views", {"name": "mine, PLAINLY", "show": "late"})
    with site.store.reading() as session:
        (view,) = views(session, site.person("Ada"))
        assert (view.name, view.query) == ("mine, PLAINLY", "show=late")
    assert bela.post(f"/runs/{site.run}/views/{view.number}/remove").status_code == 404
    assert "PLAINLY" not in ada.post(f"/runs/{site.run}/views/{view.number}/remove").text
