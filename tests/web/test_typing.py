"""Every edit of a shift is typed on the page, and does there what the command line does with the same words."""

from __future__ import annotations

import datetime as dt
import html
import json
import re
from typing import Any

import pytest

from tests.plans import plan, step
from tests.site import Site
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import KINDS
from unisequa.core.shift.edits.codec import option_of, read
from unisequa.core.shift.margins import margin_words, margins

HEAD = {"hx-request": "true"}
TYPED: tuple[tuple[dict[str, str], dict[str, Any], str], ...] = (
    ({"kind": "move", "key": "print", "value": "12 jun"}, {"edit": "move", "task": "print", "start": "2026-06-12"},
     "Print from Fri 12 Jun 2026"),
    ({"kind": "due", "key": "print", "value": "+2"}, {"edit": "due", "task": "print", "finish": "2026-06-12"},
     "Print due Fri 12 Jun 2026"),
    ({"kind": "duration", "key": "print", "value": "5d"}, {"edit": "duration", "task": "print", "duration": 5},
     "Print takes 5 working days"),
    ({"kind": "fix", "key": "print"}, {"edit": "fix", "task": "print", "start": "2026-06-08"},
     "Print fixed on Mon 8 Jun 2026"),
    ({"kind": "drop", "key": "print", "value": "No paper"}, {"edit": "drop", "task": "print", "why": "No paper"},
     "Print dropped: No paper"),
    ({"kind": "give", "key": "print", "value": "house"}, {"edit": "give", "task": "print", "calendar": "house"},
     "Print by the calendar house"),
    ({"kind": "after", "key": "party", "value": "Draft"},
     {"edit": "link", "from": "draft", "to": "party", "type": "FS", "lag": 0, "unit": "working"},
     "Party follows Draft"),
    ({"kind": "lag", "key": "print", "also": "check", "value": "+3 elapsed"},
     {"edit": "link", "from": "check", "to": "print", "type": "FS", "lag": 3, "unit": "elapsed"},
     "Print follows Check +3 d elapsed"),
    ({"kind": "unlink", "key": "print", "value": "check"},
     {"edit": "unlink", "from": "check", "to": "print"}, "Print no longer follows Check"),
    ({"kind": "anchor", "key": "go", "value": "wd+5"},
     {"edit": "anchor", "anchor": "go", "on": "2026-06-08", "keep": "distances"}, "Go Mon 1 Jun → Mon 8 Jun"),
    ({"kind": "offsets", "key": "go", "value": "8 jun"},
     {"edit": "anchor", "anchor": "go", "on": "2026-06-08", "keep": "offsets"},
     "Go Mon 1 Jun → Mon 8 Jun 2026 back to the template’s offsets"),
    ({"kind": "run", "value": "-3"}, {"edit": "shift", "by": -3}, "The whole run by -3 working days"),
    ({"kind": "run", "value": "15 jun"}, {"edit": "shift", "to": "2026-06-15"}, "The whole run from Mon 15 Jun 2026"),
    ({"kind": "close", "value": "8 jun to 9 jun"},
     {"edit": "close", "first": "2026-06-08", "last": "2026-06-09", "label": ""},
     "Days closed Mon 8 Jun 2026 to Tue 9 Jun 2026"),
    ({"kind": "reopen", "value": "6 jun"}, {"edit": "reopen", "first": "2026-06-06", "last": "2026-06-06", "label": ""},
     "Days worked Sat 6 Jun 2026"),
    ({"kind": "catch"}, {"edit": "catch_up", "on": "2026-06-03"}, "Catch up nothing unfinished before Wed 3 Jun"),
)  # fmt: skip


LINES = re.compile(r'data-edit="(\w+)" data-key="([^"]*)" data-also="([^"]*)" data-instead="0" value="([^"]*)"')


def asked(site: Site, edits: list[Any], **more: str) -> tuple[int, list[Any], str]:
    form = {"version": "1", "zoom": "day", "view": "sheet", "selected": "", "edits": json.dumps(edits), **more}
    answer = site.client("Ada").post(f"/runs/{site.run}/work", form, headers=HEAD)
    found = re.search(r'name="edits" value="([^"]*)"', answer.text)
    assert found
    toast = "".join(re.findall(r'data-toast="([^"]*)"', answer.text))
    text = re.sub(r'<input [^>]*data-instead="[^>]*value="([^"]*)"[^>]*>', r"\1", answer.text)
    words = " ".join(html.unescape(f"{toast} {re.sub(r'<[^>]+>', ' ', text)}").split())
    return answer.status_code, json.loads(html.unescape(found[1])), words


@pytest.mark.parametrize("form, document, said", TYPED, ids=[one[0]["kind"] + one[0].get("value", "") for one in TYPED])
def test_what_is_typed_is_the_edit_that_the_command_line_takes(
    site: Site, form: dict[str, str], document: dict[str, Any], said: str
) -> None:
    status, edits, words = asked(site, [], **form)
    assert status == 200 and said in words
    (edit,) = edits
    for typed in LINES.findall(
        site.client("Ada")
        .post(f"/runs/{site.run}/work", {"version": "1", "edits": json.dumps(edits)}, headers=HEAD)
        .text
    ):
        kind, key, also, value = (html.unescape(part) for part in typed)
        status, same, _ = asked(site, edits, kind=kind, key=key, also=also, value=value, instead="0")
        assert (status, same) == (200, edits), typed  # what stands in its line is that edit
    steps = [step("draft", 2, 0), step("check"), step("print", 3, 5), step("party", 1, 12)]
    again = plan(steps, "draft>check", "check>print", "print>party")
    if edit["edit"] != "give":  # by a calendar that only the house has
        made = read(edit, again)
        assert made == read(document, again) and option_of(made, again.grid)[0].startswith("--")


def test_what_moves_no_date_can_be_applied_all_the_same(site: Site) -> None:
    fixed = [{"edit": "fix", "task": "print", "start": "2026-06-08"}]
    form = {"version": "1", "zoom": "day", "view": "sheet", "selected": "", "edits": json.dumps(fixed)}
    browser = site.client("Ada")
    shown = browser.post(f"/runs/{site.run}/work", form, headers=HEAD).text
    assert "This changes no date." in shown and "data-apply>" in shown
    assert "Shift 1 applied" in browser.post(f"/runs/{site.run}/shift", form, headers=HEAD).text
    assert "Its date is fixed" in browser.get(f"/runs/{site.run}").text


def test_a_selection_is_fixed_in_one(site: Site) -> None:
    _, edits, _ = asked(site, [], kind="fix", key="print", keys=json.dumps(["print", "party"]))
    assert [(one["edit"], one["task"]) for one in edits] == [("fix", "print"), ("fix", "party")]


@pytest.mark.parametrize(
    "kind, value, edit",
    [
        ("duration", "3 days", {"duration": 3}), ("duration", "2 w", {"duration": 10}),
        ("lag", "2", {"lag": 2, "unit": "working"}), ("lag", "-1 wd", {"lag": -1, "unit": "working"}),
        ("lag", "+2 d", {"lag": 2, "unit": "elapsed"}), ("lag", "1 week", {"lag": 7, "unit": "elapsed"}),
        ("close", "24-26 dec", {"first": "2026-12-24", "last": "2026-12-26"}),
        ("close", "fri to mon", {"first": "2026-06-05", "last": "2026-06-08"}),
        ("close", "30 dec to 2 jan", {"first": "2026-12-30", "last": "2027-01-02"}),
    ],
)  # fmt: skip
def test_lengths_and_stretches_are_read_as_people_type_them(
    site: Site, kind: str, value: str, edit: dict[str, Any]
) -> None:
    _, (made,), _ = asked(site, [], kind=kind, key="" if kind == "close" else "print", also="check", value=value)
    assert edit.items() <= {"unit": "working", **made}.items()


def test_every_kind_of_edit_has_words(site: Site) -> None:
    typed = {document["edit"] for _, document, _ in TYPED} | {"remaining", "window", "free"}
    assert {kind.kind for kind in KINDS} - typed == {
        "begun",
        "done",
        "not_done",
        "follow",
        "hold_links",
        "hold_waits",
        "calendar",
    }


def test_an_edit_takes_the_place_of_the_one_it_overrules_and_says_so(site: Site) -> None:
    fixed = {"edit": "fix", "task": "print", "start": "2026-06-09"}
    _, edits, words = asked(site, [fixed], kind="move", key="print", value="12 jun")
    assert [one["edit"] for one in edits] == ["move"] and "In place of: Print fixed on Tue 9 Jun." in words
    status, edits, _ = asked(site, [fixed], kind="duration", key="print", value="4")
    assert [one["edit"] for one in edits] == ["fix", "duration"] and status == 200
    added = {"edit": "link", "from": "draft", "to": "party", "type": "FS", "lag": 0, "unit": "working"}
    _, edits, _ = asked(site, [added], kind="unlink", key="party", value="draft")
    assert edits == []  # drawn and taken out again
    _, edits, _ = asked(site, [{"edit": "anchor", "anchor": "go", "on": "2026-06-08"}], kind="anchor", key="go",
                            value="+1")  # fmt: skip
    assert [one["on"] for one in edits] == ["2026-06-09"]
    closed = [{"edit": "close", "first": "2026-06-08", "last": "2026-06-09", "label": "Moving"}, fixed]
    _, edits, _ = asked(site, closed, kind="close", key="", also="Moving", value="10 jun", instead="0")
    assert edits == [{**closed[0], "first": "2026-06-10", "last": "2026-06-10"}, fixed]
    status, edits, _ = asked(site, closed, kind="close", key="", value="never", instead="0")
    assert status == 422 and edits == closed


@pytest.mark.parametrize(
    "form, said",
    [
        ({"kind": "run", "value": "soon"}, "is no date"),
        ({"kind": "close", "value": "1 jun to 2 jun to 3 jun"}, "no stretch of days"),
        ({"kind": "lag", "key": "print", "also": "check", "value": "much"}, "is no lag"),
        ({"kind": "lag", "key": "print", "also": "check", "value": "+15m"}, "is no lag here; type +2"),
        ({"kind": "give", "key": "print", "value": "moon"}, "no calendar"),
        ({"kind": "remaining", "key": "print", "value": "2"}, "not under way"),
        ({"kind": "remaining", "key": "print", "value": "2, much"}, "much"),
        ({"kind": "window", "key": "words", "value": "1 jun"}, "no phase"),
        ({"kind": "sing", "key": "print", "value": "2"}, "cannot be changed here"),
    ],
)
def test_what_cannot_be_is_refused_in_words(site: Site, form: dict[str, str], said: str) -> None:
    status, edits, words = asked(site, [], **form)
    assert status == 422 and said in words and edits == []


def test_the_room_to_each_date_is_told_before_and_after() -> None:
    steps = [step("a", 2, -8), step("b", 1, deadline={"anchor": "go", "offset": -3})]
    before = plan(steps, "a>b")
    moved = cascade(before, [read({"edit": "duration", "task": "a", "duration": 5}, before)]).after()
    found = {one.label: (one.before, one.after) for one in margins(before, moved)}
    b = before.position("b")
    assert found["B"] == (found["B"][1] + 3, found["B"][1]) and before.tasks[b].deadline is not None
    assert margins(before, before)[0].changes is False


def test_dates_far_off_carry_their_year_in_all_that_is_told_of_a_shift() -> None:
    steps = [step("a", 2, -8), step("b", 1, deadline={"anchor": "go", "offset": -3})]
    for go, said in (
        (dt.date(2027, 7, 5), "B would end Fri 2 Jul 2027, after its deadline Wed 30 Jun 2027"),
        (dt.date(2027, 1, 7), "B would end Wed 6 Jan, after its deadline Mon 4 Jan"),
        (dt.date(2027, 1, 5), "B would end Mon 4 Jan 2027, after its deadline Thu 31 Dec 2026"),
        (dt.date(2026, 10, 5), "B would end Fri 2 Oct, after its deadline Wed 30 Sep"),
    ):
        before = plan(steps, "a>b", go=go, today=dt.date(2026, 8, 3))
        result = cascade(before, [read({"edit": "duration", "task": "a", "duration": 7}, before)])
        assert [one.text for one in result.conflicts if one.kind == "deadline"] == [said]
        moved = cascade(before, [read({"edit": "anchor", "anchor": "go", "on": "2027-01-06"}, before)]).after()
        assert margins(before, moved)[0].label == "Go", "what the shift changes of the run itself comes first"
        pair = margin_words(margins(before, moved)[0], moved)[0]
        assert pair.count("202") == (0 if go.year == 2027 and go.month == 1 else 2)
