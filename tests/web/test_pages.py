"""The pages, asked for as a browser does."""

from __future__ import annotations

import csv
import datetime as dt
import html
import io
import json
import re

from icalendar import Calendar

from tests.plans import day
from tests.site import Site
from unisequa.store.queries.runs import run_by_id

MOVE_DRAFT = {"edit": "move", "task": "draft", "start": "2026-06-05"}
MOVE_CHECK = {"edit": "move", "task": "check", "start": "2026-06-10"}
LONGER = {"edit": "duration", "task": "check", "duration": 4}
WORK = {"version": "1", "zoom": "day", "view": "sheet", "selected": ""}


def consider(site: Site, browser, **more: str):  # type: ignore[no-untyped-def]
    return browser.post(f"/runs/{site.run}/work", {**WORK, **more}, headers={"hx-request": "true"})


def in_page(*edits: dict[str, object]) -> str:
    """The field in which a page holds these edits."""
    return f'name="edits" value="{html.escape(json.dumps(edits)).replace("&quot;", "&#34;")}"'


def words(text: str) -> str:
    return " ".join(re.sub(r"<[^>]+>", " ", text).split())


def test_a_date_as_typed_shows_what_would_follow_and_changes_nothing(site: Site) -> None:
    browser = site.client("Ada")
    answer = consider(site, browser, kind="move", key="draft", value="fri")
    assert answer.status_code == 200
    text = words(answer.text)
    assert "Moves 3 tasks, leaves 1" in text
    assert "Draft Mon 1 – Tue 2 Jun Fri 5 – Mon 8 Jun +4 d 1 moved by you" in text
    assert "after Draft (ends Mon 8 Jun)" in text
    assert in_page(MOVE_DRAFT) in answer.text and '"gh":[' in answer.text
    again = words(browser.get(f"/runs/{site.run}").text)
    assert "Moves 3 tasks" in again and "it is kept for you" in again
    assert "Moves" not in words(site.client("Bela").get(f"/runs/{site.run}").text)
    with site.store.reading() as session:
        row = next(row for row in run_by_id(session, site.run).tasks if row.key == "draft")
        assert row.start_on == dt.date(2026, 6, 1)


def test_a_bar_stretched_to_a_day_gets_the_working_days_up_to_it(site: Site) -> None:
    answer = consider(site, site.client("Ada"), kind="end", key="draft", value="2026-06-09")
    assert in_page({"edit": "duration", "task": "draft", "duration": 7}) in answer.text


def test_relative_dates_count_from_what_is_being_considered(site: Site) -> None:
    answer = consider(site, site.client("Ada"), edits=json.dumps([MOVE_DRAFT]), kind="due", key="draft", value="wd+1")
    assert in_page({"edit": "due", "task": "draft", "finish": "2026-06-09"}) in answer.text


def test_a_date_that_is_none_is_told_at_its_field_and_stays_typed(site: Site) -> None:
    answer = consider(site, site.client("Ada"), kind="move", key="draft", value="31 feb")
    assert answer.status_code == 422
    assert 'value="31 feb"' in answer.text and 'id="fault-move"' in answer.text and "no such day" in answer.text


def test_an_edit_that_cannot_be_keeps_those_before_it(site: Site) -> None:
    browser = site.client("Ada")
    browser.post(f"/runs/{site.run}/tasks/draft/act", {**WORK, "act": "finish"}, headers={"hx-request": "true"})
    answer = consider(site, browser, edits=json.dumps([MOVE_CHECK]), kind="move", key="draft", value="2026-06-20")
    assert answer.status_code == 422
    assert "is done and never moves" in answer.text and in_page(MOVE_CHECK) in answer.text


def test_an_edit_that_cannot_be_stands_in_nobodys_way_later(site: Site) -> None:
    browser = site.client("Ada")
    assert in_page(MOVE_DRAFT) in consider(site, browser, kind="move", key="draft", value="2026-06-05").text
    browser.post(f"/runs/{site.run}/tasks/draft/act", {**WORK, "act": "finish"}, headers={"hx-request": "true"})
    for _ in range(2):  # what was in hand, and what is asked for anew
        answer = consider(site, browser, kind="move", key="draft", value="2026-06-20")
        assert answer.status_code == 422 and "is done and never moves" in answer.text
    answer = consider(site, browser, kind="move", key="check", value="2026-06-10")
    assert answer.status_code == 200 and in_page(MOVE_CHECK) in answer.text


def test_an_edit_made_while_the_run_was_another_does_not_bar_a_new_one(site: Site) -> None:
    browser = site.client("Ada")
    consider(site, browser, kind="move", key="draft", value="2026-06-05")
    browser.post(f"/runs/{site.run}/tasks/draft/act", {**WORK, "act": "finish"}, headers={"hx-request": "true"})
    answer = consider(site, browser, kind="move", key="check", value="2026-06-10")
    assert "1 edit of your shift no longer fits" in answer.text and in_page(MOVE_CHECK) in answer.text
    assert in_page(MOVE_CHECK) in browser.get(f"/runs/{site.run}").text


def test_two_people_shifting_the_same_run_overwrite_nothing(site: Site) -> None:
    ada, other = site.client("Ada"), site.client("Ada")
    shift = {**WORK, "edits": json.dumps([MOVE_DRAFT])}
    assert "Shift 1 applied" in ada.post(f"/runs/{site.run}/shift", shift, headers={"hx-request": "true"}).text
    late = other.post(
        f"/runs/{site.run}/shift", {**WORK, "edits": json.dumps([LONGER])}, headers={"hx-request": "true"}
    )
    assert late.status_code == 409 and "worked out anew" in late.text
    assert "Check Tue 9 Jun Tue 9 – Fri 12 Jun" in words(late.text)  # on the dates as they are now
    assert 'name="version" value="2"' in late.text
    again = other.post(
        f"/runs/{site.run}/shift",
        {**WORK, "version": "2", "edits": json.dumps([LONGER])},
        headers={"hx-request": "true"},
    )
    assert "Shift 2 applied" in again.text


def test_the_panel_says_why_and_shows_instructions_without_their_scripts(site: Site) -> None:
    answer = site.client("Ada").get(f"/runs/{site.run}/tasks/draft", headers={"hx-request": "true"})
    assert "0 working days" not in answer.text
    assert "on Go (Mon 1 Jun) → Mon 1 Jun" in words(answer.text)
    assert '<input type="checkbox" data-box="0"> <span>spell-check' in answer.text and "<script" not in answer.text


def test_the_list_comes_as_csv_that_no_spreadsheet_takes_for_a_formula(site: Site) -> None:
    with site.store.writing() as session:
        run_by_id(session, site.run).tasks[0].title = '=HYPERLINK("x")'
    answer = site.client("Ada").get(f"/runs/{site.run}/tasks.csv")
    rows = list(csv.DictReader(io.StringIO(answer.text.removeprefix("\ufeff"))))
    assert rows[0]["Task"] == '\'=HYPERLINK("x")'
    assert [(r["Key"], r["Who"], r["Start"], r["Due"], r["State"]) for r in rows[1:3]] == [
        ("check", "Cleo", "2026-06-03", "2026-06-03", "waiting"),
        ("print", "Bela", "2026-06-08", "2026-06-10", "waiting"),
    ]
    assert rows[2]["Follows"] == "check" and rows[2]["Phase"] == "Paper"


def test_the_tasks_come_as_icalendar_that_the_icalendar_package_reads_back(site: Site) -> None:
    answer = site.client("Ada").get(f"/runs/{site.run}/tasks.ics")
    todos = {str(todo["summary"]): todo for todo in Calendar.from_ical(answer.content).walk("VTODO")}
    assert set(todos) == {"Draft", "Check", "Print", "Party"}
    print_ = todos["Print"]
    assert print_["dtstart"].dt.toordinal() == day("2026-06-08") and print_["due"].dt.toordinal() == day("2026-06-10")
    assert str(print_["related-to"]) == str(todos["Check"]["uid"])
    assert print_["related-to"].params["RELTYPE"] == "FINISHTOSTART"
    for todo in todos.values():  # RFC 5545, 3.8.2.3: DUE is later than DTSTART
        assert "dtstart" not in todo or todo["due"].dt > todo["dtstart"].dt
    again = site.client("Ada").get(f"/runs/{site.run}/tasks.ics")
    assert [str(t["uid"]) for t in Calendar.from_ical(again.content).walk("VTODO")] == [
        str(t["uid"]) for t in todos.values()
    ]


def test_start_shows_the_run_before_it_is_there_and_each_fault_at_its_field(site: Site) -> None:
    browser = site.client("Ada")
    browser.get(f"/start/{site.template}")
    form = {"anchors.go": "31 feb", "facts.number": "many"}
    answer = browser.post(f"/start/{site.template}", form)
    assert answer.status_code == 422 and 'value="31 feb"' in answer.text and 'value="many"' in answer.text
    assert "no such day" in answer.text
    form = {"anchors.go": "", "facts.number": "9"}
    answer = browser.post(f"/start/{site.template}", form)
    assert answer.status_code == 422 and "“Go”" not in answer.text and "&#34;Go&#34; is required" in answer.text
    seen = browser.post(f"/start/{site.template}/preview", {"anchors.go": "fri", "facts.number": "9", "by": "date"})
    text = words(seen.text)
    assert "Bulletin 9" in text and "Start the run with 4 tasks" in text and "Nobody fills Writer (2 tasks)" in text
    assert words(browser.get("/runs").text).count("Bulletin") == 1
    made = browser.post(f"/start/{site.template}", {"anchors.go": "fri", "facts.number": "9"})
    assert made.status_code == 200 and "Bulletin 9" in made.text


def test_the_library_finds_by_words_and_shows_what_a_template_holds(site: Site) -> None:
    browser = site.client("Bela")
    text = words(browser.get("/library?text=bulletin").text)
    assert "Issue of the bulletin" in text and "Ada all may start it 4 13 1" in text
    assert "No template matches" in browser.get("/library?text=nothing").text
    ada, bela = (str(site.people[name]) for name in ("Ada", "Bela"))
    for query, there in (
        (f"owner={ada}", True), (f"owner={bela}", False), ("state=released", True), ("state=draft", False),
        ("category=Press", True), ("category=Shop", False),
    ):  # fmt: skip
        assert ("Issue of the bulletin" in words(browser.get(f"/library?{query}").text)) == there, query
    tagged = {"edit": {"op": "about", "field": "tags", "value": "North, ISO 9"}}
    editor = site.client("Ada")
    path, headers = f"/templates/{site.template}", {"x-csrf-token": editor.token}
    assert editor.client.post(f"{path}/edit", json=tagged, headers=headers).is_success
    assert editor.post(f"{path}/release", {"note": ""}).is_success
    for tag, there in (("iso 9", True), ("South", False)):
        assert ("Issue of the bulletin" in words(browser.get(f"/library?tag={tag}").text)) == there
    assert "North" in words(browser.get("/library?text=iso").text)
    inside = words(browser.get(f"/library/{site.template}/preview").text)
    assert "Measured from Go. Roles: Lead, Writer, Editor. Asked at the start: Number" in inside
    assert "Words Draft Writer start 0 wd 2 days Check Editor after Draft 1 day" in inside
    browser.post(f"/templates/{site.template}/duplicate")
    assert "Issue of the bulletin, a copy" in words(browser.get("/library").text)


def test_crew_and_state_are_changed_and_written_down(site: Site) -> None:
    browser = site.client("Ada")
    browser.post(f"/runs/{site.run}/crew", {"role": "writer", "who": str(site.people["Cleo"])})
    browser.post(f"/runs/{site.run}/state", {"state": "on hold"})
    history = words(browser.get(f"/runs/{site.run}?view=history").text)
    assert "Writer: Cleo" in history and "is now on hold" in history
    assert browser.post(f"/runs/{site.run}/state", {"state": "prepared"}).status_code == 422


def test_a_day_of_an_anchor_that_is_not_read_is_told_where_it_was_typed(site: Site) -> None:
    browser = site.client("Ada")
    page = browser.get(f"/runs/{site.run}?anchor=go&to=20 mai")
    assert page.status_code == 422 and 'value="20 mai"' in page.text and "no month" in words(page.text)
    assert "Moves" in browser.get(f"/runs/{site.run}?anchor=go&to=20 may").text


def test_a_mistyped_address_keeps_whoever_is_signed_in_on_the_way(site: Site) -> None:
    known, guest = site.client("Ada").get("/rns/8"), site.client().get("/rns/8")
    assert (known.status_code, guest.status_code) == (404, 404)
    assert "Go to the desk" in known.text and 'href="/runs"' in known.text
    assert "Go to signing in" in guest.text and 'href="/runs"' not in guest.text
