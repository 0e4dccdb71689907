"""What it would take, and what was shifted: each proposal reaches its date, each shift of the history comes back."""

from __future__ import annotations

import datetime as dt
import html
import json
import re

from sqlalchemy import update

from tests.site import TODAY, Site
from unisequa.actions.checking import check_data
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import apply_shift
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import HistoryRow, ShiftRow

HEAD = {"hx-request": "true"}


def dates(site: Site) -> dict[str, tuple[dt.date | None, dt.date | None]]:
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run is not None and not list(check_data(session, TODAY))
        return {row.key: (row.start_on, row.finish_on) for row in run.tasks}


def shifted(site: Site, *edits: dict[str, object]) -> None:
    with site.store.writing() as session:
        ada = site.person("Ada")
        version = see_run(session, ada, site.run, TODAY).version
        apply_shift(session, ada, site.run, version, edits, TODAY, "So it is")


def test_each_proposal_reaches_the_date_once_it_has_joined_the_shift(site: Site) -> None:
    shifted(site, {"edit": "move", "task": "draft", "start": "2026-06-08"})
    browser = site.client("Ada")
    form = {"version": "2", "zoom": "day", "view": "sheet", "selected": "print", "edits": "[]"}
    where = f"/runs/{site.run}/tasks/print/ways"
    answer = browser.post(where, {**form, "value": "12 jun"}, headers=HEAD).text
    ways = re.findall(r'data-way="([^"]*)" data-way-mode="(\w+)"', answer)
    assert ways
    for edits, mode in ways:
        sent = {**form, "edits": html.unescape(edits), "mode": mode, "whole": "yes"}
        shown = browser.post(f"/runs/{site.run}/work", sent, headers=HEAD).text
        found = re.search(r'data-edit="due" data-key="print" value="\w+ (\d+ \w+ \d+)"', shown)
        assert found and dt.datetime.strptime(found[1], "%d %b %Y").date() <= dt.date(2026, 6, 12), edits
    assert "done by Fri 19 Jun already" in browser.post(where, {**form, "value": "19 jun"}, headers=HEAD).text
    assert "is no date" in browser.post(where, {**form, "value": "soon"}, headers=HEAD).text


def test_the_history_tells_each_shift_and_takes_it_back_alone_or_with_what_rests_on_it(site: Site) -> None:
    before = dates(site)
    shifted(site, {"edit": "move", "task": "draft", "start": "2026-06-08"})
    shifted(site, {"edit": "move", "task": "party", "start": "2026-06-22"})
    shifted(site, {"edit": "duration", "task": "draft", "duration": 4})
    browser = site.client("Ada")
    page = " ".join(re.sub(r"<[^>]+>", " ", browser.get(f"/runs/{site.run}?view=history").text).split())
    assert "Draft from Mon 8 Jun" in page and "Draft takes 4 d" in page and "“So it is”" in page
    assert "Draft Mon 1 – Tue 2 Jun Mon 8 – Tue 9 Jun +5 d moved by Ada" in page, "as the tray showed it"
    assert "stayed; all over" in page and "Room, was → became" in page
    assert "Not by itself: Draft has moved again" in page and "Take it back with shifts 3, 2" in page
    assert browser.post(f"/runs/{site.run}/history/2/take-back").is_success  # the party alone
    assert dates(site)["party"] == before["party"] and dates(site)["draft"] != before["draft"]
    assert browser.post(f"/runs/{site.run}/history/1/take-back").is_success
    assert dates(site) == before
    again = browser.post(f"/runs/{site.run}/history/1/take-back")
    assert again.status_code == 422 and "has been taken back already" in again.text
    assert site.client("Bela").post(f"/runs/{site.run}/history/1/take-back").status_code == 403


def test_a_shift_at_hand_is_offered_from_every_view_and_gone_once_applied(site: Site) -> None:
    browser = site.client("Ada")
    move = json.dumps([{"edit": "move", "task": "draft", "start": "2026-06-05"}])
    form = {"version": "1", "zoom": "day", "view": "sheet", "selected": "", "edits": move}
    browser.post(f"/runs/{site.run}/work", form, headers=HEAD)
    for view in ("crew", "facts", "history"):
        assert "Continue your shift: 1 edit" in browser.get(f"/runs/{site.run}?view={view}").text
    assert "Moves 3 tasks" in browser.get(f"/runs/{site.run}?view=list").text
    kept = browser.post(f"/runs/{site.run}/aside", {**form, "name": "The writer is away"}, headers=HEAD).text
    assert "What if: The writer is away" in kept and "Continue" not in browser.get(f"/runs/{site.run}?view=crew").text
    number = re.search(r'data-take-up="(\d+)"', kept)
    assert number
    again = browser.post(f"/runs/{site.run}/asides/{number[1]}", {**form, "edits": "[]"}, headers=HEAD).text
    assert "Moves 3 tasks" in again
    assert "Shift 1 applied" in browser.post(f"/runs/{site.run}/shift", form, headers=HEAD).text
    assert "being considered" not in browser.get(f"/runs/{site.run}").text


def test_a_page_opened_before_goes_on_from_what_is_at_hand_and_what_was_put_back_comes_again(site: Site) -> None:
    browser = site.client("Ada")
    plain = {"version": "1", "zoom": "day", "view": "sheet", "selected": "", "edits": "[]"}
    move = json.dumps([{"edit": "move", "task": "draft", "start": "2026-06-05"}])
    browser.post(f"/runs/{site.run}/work", {**plain, "edits": move}, headers=HEAD)
    assert "Moves 3 tasks" in browser.post(f"/runs/{site.run}/work", plain, headers=HEAD).text
    more = browser.post(f"/runs/{site.run}/work", {**plain, "kind": "due", "key": "party", "value": "+1"}, headers=HEAD)
    assert more.text.count("data-take-out") == 2
    put_back = browser.post(f"/runs/{site.run}/work", {**plain, "emptied": "yes"}, headers=HEAD).text
    assert "data-take-out" not in put_back and "What you put back, again" in put_back
    again = browser.post(f"/runs/{site.run}/work", {**plain, "step": "back"}, headers=HEAD).text
    assert again.count("data-take-out") == 2


def test_what_is_kept_aside_stands_beside_each_other_and_beside_today(site: Site) -> None:
    browser = site.client("Ada")
    assert "Keep aside" in browser.get(f"/runs/{site.run}/what-if").text
    moves = (("Later", "2026-06-05"), ("Much later", "2026-06-12"))
    for name, day in moves:
        edits = json.dumps([{"edit": "move", "task": "draft", "start": day}])
        form = {"version": "1", "zoom": "day", "view": "sheet", "selected": "", "edits": edits, "name": name}
        browser.post(f"/runs/{site.run}/aside", form, headers=HEAD)
    page = browser.get(f"/runs/{site.run}/what-if").text
    words = " ".join(re.sub(r"<[^>]+>", " ", page).split())
    assert "Tasks moved – 3 4" in words and "Draft Tue 2 Jun Mon 8 Jun Mon 15 Jun" in words
    assert "Party Wed 17 Jun as today" in words
    number = re.findall(r"aside=(\d+)", page)[1]
    assert "Moves 4 tasks" in browser.get(f"/runs/{site.run}?aside={number}").text
    assert "Keep aside" in site.client("Bela").get(f"/runs/{site.run}/what-if").text
    assert site.client("Bela").get(f"/runs/{site.run}?aside={number}").status_code == 404


def test_a_baseline_is_kept_under_a_name_and_drawn_beside_what_came_of_it(site: Site) -> None:
    browser = site.client("Ada")
    kept = browser.post(f"/runs/{site.run}/baselines", {"name": "Agreed"})
    assert str(kept.url).endswith("?against=2") and "as planned" in kept.text and "Agreed, " in kept.text
    shifted(site, {"edit": "move", "task": "draft", "start": "2026-06-05"})
    page = browser.get(f"/runs/{site.run}?against=2").text
    first = dt.date(2026, 6, 1).toordinal()
    assert "+4 d" in page and f'"bl":[{first},{first + 2}]' in page and ">Drift <b" in page
    again = browser.post(f"/runs/{site.run}/baselines", {"name": "agreed"})
    assert (
        again.status_code == 422 and "is a baseline “agreed” already" in again.text and 'value="agreed"' in again.text
    )
    assert '"bl"' not in browser.get(f"/runs/{site.run}?against=99").text.split("field-model")[1].split("</script>")[0]


def test_what_was_done_in_another_year_says_in_which(site: Site) -> None:
    shifted(site, {"edit": "move", "task": "print", "start": "2026-06-11"})
    with site.store.writing() as session:
        for table in (HistoryRow, ShiftRow):
            session.execute(update(table).values(at=dt.datetime(2020, 1, 3, 9, 5)))
    told = site.client("Ada").get(f"/runs/{site.run}?view=history").text
    assert told.count("Fri 3 Jan 2020 09:05") >= 3
    assert "Fri 3 Jan 2020 09:05" in site.client("Ada").get(f"/runs/{site.run}/tasks/print", headers=HEAD).text
