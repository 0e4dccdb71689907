"""A template's page as its script talks to it."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest

from tests.plans import document, step
from tests.site import Browser, Site, make_site
from tests.web.test_pages import words
from unisequa.actions.templates import rights


class Sheet:
    """Ada's (or another's) sheet of the site's template."""

    def __init__(self, site: Site, who: str = "Ada") -> None:
        self.browser: Browser = site.client(who)
        self.path = f"/templates/{site.template}"
        self.browser.get(self.path)

    def ask(self, rest: str, body: Any) -> Any:
        headers = {"x-csrf-token": self.browser.token}
        return self.browser.client.post(f"{self.path}/{rest}", json=body, headers=headers)

    def edit(self, **op: Any) -> Any:
        return self.ask("edit", {"edit": op})

    def lines(self) -> dict[str, Any]:
        found = self.ask("sheet", {}).json()["sheet"]["lines"]
        return {line["k"]: line for line in found}


def test_the_page_holds_the_sheet_where_its_steps_lie(site: Site) -> None:
    text = Sheet(site).browser.get(f"/templates/{site.template}").text
    model = json.loads(re.search(r'id="model">(.*?)</script>', text, re.S)[1])  # type: ignore[index]
    assert [(line["k"], line["s"]) for line in model["lines"]] == [
        ("draft", [0, 2]), ("check", [2, 3]), ("print", [5, 8]), ("party", [12, 13]),
    ]  # fmt: skip
    assert model["anchors"] == [["go", "Go", 0]] and model["links"][0] == ["draft", "check", "FS"]


def test_steps_are_added_and_set_and_what_cannot_be_is_refused_with_its_field(site: Site) -> None:
    sheet = Sheet(site)
    added = sheet.edit(op="insert", text="Post it", where={"after": "print", "level": 0}).json()
    assert added["made"] == ["post-it"] and added["sheet"]["edition"] == 2
    for name, value in (("when", "+7 wd"), ("follows", "print +1 wd"), ("role", "Editor"), ("duration", "2")):
        assert sheet.edit(op="set", keys=["post-it"], field=name, value=value).status_code == 200, name
    found = sheet.browser.get(f"{sheet.path}/file").json()
    assert found["steps"][3] == {
        "key": "post-it", "title": "Post it", "phase": "paper", "role": "editor", "duration": 2,
        "when": {"anchor": "go", "offset": 7},
    }  # fmt: skip
    for name, value, said in (
        ("follows", "post-it", "cannot follow itself"),
        ("when", "soon", "is no offset"),
        ("role", "Editr", "did you mean Editor"),
        ("duration", "two", "no number of working days"),
        ("only_if", "colour == 'red'", "fact, anchor or role"),
        ("title", "", "empty"),
    ):
        answer = sheet.edit(op="set", keys=["post-it"], field=name, value=value)
        assert answer.status_code == 422 and said in answer.json()["error"]["message"], name
        assert answer.json()["sheet"]["lines"], name
    circle = sheet.edit(op="set", keys=["draft"], field="follows", value="post-it").json()
    assert "Post it → Draft → Check → Print → Post it" in circle["error"]["message"]
    assert sheet.browser.get(f"{sheet.path}/file").json() == found


def test_forty_steps_get_another_role_at_once_or_none_of_them(tmp_path: Path) -> None:
    steps = [step(f"s{i}", 1, i) for i in range(40)]
    sheet = Sheet(make_site(tmp_path, content=document(steps)))
    keys = [f"s{i}" for i in range(40)]
    assert sheet.edit(op="set", keys=keys, field="role", value="Registrar").status_code == 200
    assert {line["r"] for line in sheet.lines().values()} == {"Registrar"}
    assert sheet.edit(op="set", keys=[*keys, "gone"], field="role", value="Lead").status_code == 422
    assert {line["r"] for line in sheet.lines().values()} == {"Registrar"}
    panel = words(sheet.browser.get(f"{sheet.path}/panel?{'&'.join(f'k={key}' for key in keys)}").text)
    assert "40 steps" in panel and "changed in all 40 of them" in panel


def test_what_somebody_else_typed_into_the_same_cell_is_not_written_over(site: Site) -> None:
    ada, bela = Sheet(site), Sheet(site, "Bela")
    ada.browser.post(f"{ada.path}/rights", {"person": str(site.people["Bela"]), "right": "edit"})
    ada.edit(op="set", keys=["draft"], field="title", value="By Ada", was="Draft")
    late = bela.edit(op="set", keys=["draft"], field="title", value="By Bela", was="Draft")
    assert late.status_code == 422 and 'changed this meanwhile to "By Ada"' in late.json()["error"]["message"]
    looked = bela.ask("look", {"revision": 0, "edition": 2, "at": "draft"}).json()
    assert looked["changes"] == ["Ada: step By Ada changed: title By Ada, was Draft"]
    ada_sees = ada.ask("look", {"revision": 0, "edition": 2, "at": ""}).json()
    assert ada_sees["others"] == [{"name": "Bela", "at": "draft"}]


@pytest.mark.parametrize(
    "body",
    [
        {},
        {"edit": {}},
        {"edit": {"op": "set"}},
        {"edit": {"op": "explode"}},
        [1],
        {"edit": {"op": "drag", "keys": ["draft"], "slots": 1e9}},
    ],
)
def test_what_is_no_edit_is_refused_and_changes_nothing(site: Site, body: Any) -> None:
    sheet = Sheet(site)
    assert sheet.ask("edit", body).status_code == 422
    assert sheet.ask("sheet", {}).json()["sheet"]["edition"] == 1


def test_a_text_in_the_sheet_cannot_end_its_script(site: Site) -> None:
    sheet = Sheet(site)
    sheet.edit(op="set", keys=["draft"], field="title", value="</script><script>alert(1)</script><!--")
    text = sheet.browser.get(sheet.path).text
    assert "<script>alert" not in text and text.count("</script>") == text.count("<script")


def test_a_rehearsal_puts_the_steps_on_dates_and_a_wrong_date_is_told_at_its_field(site: Site) -> None:
    sheet = Sheet(site)
    given = {"anchors": {"go": "Mon 8 Jun 2026"}, "facts": {"number": "9"}, "crew": {}, "calendar": ""}
    found = sheet.ask("sheet", {"rehearsal": given}).json()["sheet"]
    lines = {line["k"]: line for line in found["lines"]}
    assert lines["print"]["da"] == "Mon 15 – Wed 17 Jun" and found["rehearsal"]["name"] == "Bulletin 9"
    assert [13, 2, ""] in [[a - found["first"] + 0, b, c] for a, b, c in found["off"]] or found["off"]
    wrong = sheet.ask("sheet", {"rehearsal": {**given, "anchors": {"go": "soon"}}}).json()["sheet"]
    assert "is no date" in wrong["rehearsal"]["faults"]["anchors.go"] and wrong["lines"][0]["s"] == [0, 2]


def test_a_file_is_kept_with_a_step_and_only_given_to_who_may_look(site: Site) -> None:
    sheet = Sheet(site)
    sheet.browser.client.post(
        f"{sheet.path}/attachments",
        data={"key": "draft", "csrf": sheet.browser.token},
        files={"file": ("C:\\forms\\Letter \u00e9.txt", b"Dear reader")},
    )
    panel = sheet.browser.get(f"{sheet.path}/panel?k=draft").text
    address = re.search(r'href="(/templates/\d+/attachments/[0-9a-f]{64}[^"]*)"', panel)
    assert address and "Letter \u00e9.txt" in panel
    answer = sheet.browser.get(address[1])
    assert answer.content == b"Dear reader" and answer.headers["content-disposition"].startswith("attachment")
    assert site.client("Bela").get(address[1]).status_code == 404  # the draft is not theirs to see
    assert sheet.browser.get(address[1].replace(address[1][-70:-20], "0" * 50)).status_code == 404


def test_a_table_is_brought_looked_at_and_made_and_a_wrong_one_makes_nothing(site: Site) -> None:
    browser = site.client("Ada")

    def bring(content: bytes, name: str = "steps.csv") -> Any:
        browser.get("/import")
        return browser.client.post("/import", data={"csrf": browser.token}, files={"file": (name, content)})

    wrong = bring(b"Task,Due\nPack,-3\nShip,soon\n")
    assert "1 cell to mend" in words(wrong.text) and "is no offset" in wrong.text
    assert "disabled" in re.search(r"<button[^>]*value=.make.[^>]*>", wrong.text)[0]
    token = str(wrong.url).rpartition("/")[2]
    assert browser.post(f"/import/{token}", {"act": "make", "template": "Loan"}).status_code == 422
    right = browser.post(f"/import/{token}", {"act": "look", "template": "Loan", "column.1": "-"})
    assert "Make the template with 2 steps" in words(right.text)
    made = browser.post(f"/import/{token}", {"act": "make", "template": "Loan", "column.1": "-"})
    assert "Loan" in made.text and '"k":"pack"' in made.text
    latin = bring("Task,Due\nCaf\u00e9 \u20ac 5,-3\n".encode("cp1252"))
    assert "Caf\u00e9 \u20ac 5" in latin.text and "its letters are" in words(latin.text)
    path = latin.url.path
    assert "Caf\u00e9 \u20ac 5" not in browser.post(path, {"act": "look", "encoding": "Latin-1"}).text
    assert "Caf\u00e9" in browser.post(path, {"act": "make", "template": "Latin", "encoding": "Latin-1"}).text
    assert "picture" in bring(b"\x89PNG\r\n\x1a\n").text
    unknown = bring(json.dumps({"format": "unisequa-template/1", "name": "x", "stepz": []}).encode(), "a.json")
    assert unknown.status_code == 422 and "stepz" in unknown.text


def test_what_is_too_large_is_not_read(site: Site) -> None:
    browser = site.client("Ada")
    headers = {"content-length": str(200 * 1024 * 1024), "x-csrf-token": browser.token}
    answer = browser.client.post("/import", content=b"x", headers=headers)
    assert answer.status_code == 413 and "larger than 26 MB" in answer.text


def test_editions_are_released_compared_retired_and_gone_back_to_on_their_page(site: Site) -> None:
    sheet = Sheet(site)
    sheet.edit(op="set", keys=["draft"], field="title", value="Write it")
    assert "title Write it, was Draft" in words(sheet.browser.get(f"{sheet.path}/release").text)
    sheet.browser.post(f"{sheet.path}/release", {"note": "Clearer titles"})
    page = words(sheet.browser.get(f"{sheet.path}/editions").text)
    assert "From edition 1 to edition 2" in page and "step Draft" not in page and "Clearer titles" in page
    assert "title Write it, was Draft" in page and "Ada" in page
    sheet.browser.post(f"{sheet.path}/editions/1/retire")
    assert "Edition 1 retired" in words(sheet.browser.get(f"{sheet.path}/editions").text)
    sheet.browser.post(f"{sheet.path}/editions/1/back")
    assert sheet.lines()["draft"]["t"] == "Draft"
    assert site.client("Bela").post(f"{sheet.path}/editions/2/retire").status_code == 403


def test_an_included_template_shares_the_first_anchor_and_the_roles_of_the_same_name(site: Site) -> None:
    browser = site.client("Ada")
    browser.get("/library")
    made = browser.post("/library", {"name": "Anniversary"})
    site.template = int(str(made.url).rpartition("/")[2])
    sheet = Sheet(site)
    sheet.edit(op="add", part="roles", label="Writer")
    sheet.edit(op="add", part="includes", label="Issue of the bulletin")
    found = sheet.browser.get(f"{sheet.path}/file").json()["includes"]
    assert found == [{"key": "issue", "template": "Issue of the bulletin", "anchors": {"go": "start"}}]
    lines = sheet.lines()
    assert lines["issue.draft"]["in"] == "issue" and lines["issue.draft"]["s"] == [0, 2]
    refused = sheet.edit(op="set", keys=["issue.draft"], field="title", value="Mine")
    assert refused.status_code == 422 and "not there" in refused.json()["error"]["message"]
    panel = words(sheet.browser.get(f"{sheet.path}/panel?k=issue.check").text)
    assert "A step of Issue of the bulletin, which is included here" in panel


def test_what_is_not_open_to_somebody_is_not_seen_by_including_it_or_waiting_for_it(site: Site) -> None:
    with site.store.writing() as session:
        rights.open_to(session, site.person("Ada"), site.template, "nothing")
    browser = site.client("Cleo")
    browser.get("/library")
    made = browser.post("/library", {"name": "Anniversary"})
    site.template = int(str(made.url).rpartition("/")[2])
    sheet = Sheet(site, "Cleo")
    sheet.edit(op="insert", text="Party", where={"phase": ""})
    for name in ("Issue of the bulletin", "Never there"):  # what is hidden is answered as what is not there
        refused = sheet.edit(op="add", part="includes", label=name)
        assert refused.status_code == 422 and f'No template "{name}"' in refused.json()["error"]["message"]
    assert sheet.browser.get(f"{sheet.path}/file").json().get("includes") is None
    assert sheet.edit(op="set", keys=["party"], field="waits_for", value="Issue of the bulletin: print").is_success
    findings = sheet.edit(op="set", keys=["party"], field="title", value="Feast").text
    assert "Issue of the bulletin" in findings
    sheet.edit(op="set", keys=["party"], field="waits_for", value="")
    for page in (f"{sheet.path}/panel?k=party", f"{sheet.path}/setup", f"{sheet.path}/awaitable"):
        assert "bulletin" not in sheet.browser.get(page).text
    content = document([], name="Copy", includes=[{"key": "b", "template": "Issue of the bulletin"}])
    browser.get("/import")
    files = {"file": ("copy.json", json.dumps(content).encode())}
    brought = browser.client.post("/import", data={"csrf": browser.token}, files=files)
    answer = browser.post(brought.url.path, {"act": "make", "template": "Copy"})
    assert answer.is_success and "spell-check" not in answer.text and "Print" not in answer.text


def test_a_message_is_given_to_several_steps_at_once_and_has_its_hour(site: Site) -> None:
    sheet = Sheet(site)
    keys = ["draft", "check", "party"]
    assert "each of the 3" in words(sheet.browser.get(f"{sheet.path}/panel?k=draft&k=check&k=party").text)
    assert sheet.edit(op="message", key="draft", keys=keys, values={"to": "lead"}).is_success
    assert sheet.edit(op="message", key="check", index=0, values={"at": "08:00", "offset": 0}).is_success
    assert "when it is due, at 08:00" in words(sheet.browser.get(f"{sheet.path}/panel?k=check").text)
    assert sheet.edit(op="message", key="check", index=0, values={"at": "25:00"}).status_code == 422
    assert sheet.edit(op="message", key="check", index=0, values={"at": None}).is_success
    assert "at 08:00" not in words(sheet.browser.get(f"{sheet.path}/panel?k=check").text)
    steps = sheet.browser.get(f"{sheet.path}/file").json()["steps"]
    assert [step["key"] for step in steps if step.get("messages")] == keys


def test_the_setup_names_roles_facts_labels_and_conditions_as_they_are_typed(site: Site) -> None:
    sheet = Sheet(site)
    for op in (
        {"op": "add", "part": "facts", "label": "Colour"},
        {"op": "part", "part": "facts", "key": "colour", "field": "kind", "value": "choice"},
        {"op": "part", "part": "facts", "key": "colour", "field": "choices", "value": "Red, Blue, Red"},
        {"op": "add", "part": "anchors", "label": "Board meeting"},
        {"op": "part", "part": "anchors", "key": "board_meeting", "field": "from", "value": "-5 wd Go"},
        {"op": "part", "part": "day_labels", "key": "", "field": "new", "value": "+3 wd: Copy closes"},
        {"op": "part", "part": "roles", "key": "writer", "field": "fill", "value": "subject"},
        {"op": "about", "field": "naming", "value": "Bulletin {{ number }} {{ colour }}"},
        {"op": "condition", "keys": ["party"], "clauses": [{"fact": "colour", "operator": "is", "value": "Red"}]},
        {"op": "message", "key": "print", "values": {"to": "editor", "offset": -2, "subject": "{{ task }} soon"}},
    ):
        answer = sheet.ask("edit", {"edit": op})
        assert answer.status_code == 200, (op, answer.text)
    setup = words(sheet.browser.get(f"{sheet.path}/setup").text)
    assert "such as Bulletin 12 Red" in setup
    assert "Only if Colour is Red" in words(sheet.browser.get(f"{sheet.path}/panel?k=party").text)
    assert "to Editor, 2 working days before it is due" in words(sheet.browser.get(f"{sheet.path}/panel?k=print").text)
    for op, said in (
        ({"op": "remove-part", "part": "facts", "key": "colour"}, "Party uses the fact Colour"),
        ({"op": "part", "part": "anchors", "key": "go", "field": "from", "value": "+1 Board meeting"}, "circle"),
        ({"op": "part", "part": "facts", "key": "colour", "field": "choices", "value": " , "}, "at least one choice"),
        ({"op": "about", "field": "naming", "value": "{{ nothing }}"}, "o fact, anchor or role"),
        (
            {"op": "condition", "keys": ["party"], "clauses": [{"fact": "number", "operator": "over", "value": "x"}]},
            "no number",
        ),
    ):
        answer = sheet.ask("edit", {"edit": op})
        assert answer.status_code == 422 and said in answer.json()["error"]["message"], op


def test_a_day_typed_as_an_offset_is_read_against_the_day_that_is_rehearsed(site: Site) -> None:
    sheet = Sheet(site)
    day = {"op": "set", "keys": ["print"], "field": "when", "value": "12.3."}
    refused = sheet.edit(**day)
    assert refused.status_code == 422 and "is a day; rehearse on a date of Go" in refused.json()["error"]["message"]
    rehearsal = {"anchors": {"go": "2027-03-05"}}
    for value, said in (("12.3.", "+5 wd"), ("sat 6 mar 2027", "+1 d"), ("2027-02-26", "-5 wd"), ("-3", "-3 wd")):
        answer = sheet.ask("edit", {"edit": {**day, "value": value}, "rehearsal": rehearsal})
        assert answer.status_code == 200, answer.text
        assert sheet.lines()["print"]["w"].removeprefix("start ") == said
    many = {"op": "column", "keys": ["draft", "check"], "field": "when", "values": ["1 mar 2027", "start 0"]}
    assert sheet.ask("edit", {"edit": many, "rehearsal": rehearsal}).status_code == 200
    assert sheet.lines()["draft"]["w"].removeprefix("start ") == "-4 wd"
