"""The API for other programs: as the pages, by token and scope; done once; nobody's change lost."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.site import TODAY, Site, job
from unisequa.actions.programs.tokens import SCOPES, make_token
from unisequa.core.documents.template import Template
from unisequa.store.tables import AnswerRow, Person, Run, TokenRow, now

ALL = tuple(SCOPES)
START = {"template": 1, "anchors": {"go": "2026-06-10"}, "facts": {"number": 8}, "crew": {"writer": "bela@example.org"}}


@pytest.fixture
def api(site: Site) -> Iterator[TestClient]:
    """A program that acts as Ada, with every scope."""
    yield program(site, "Ada")


def program(site: Site, name: str, *scopes: str, until: dt.date | None = None) -> TestClient:
    with site.store.writing() as session:
        token = make_token(session, site.person(name), "a test", scopes or ALL, until, TODAY)
    headers = {"authorization": f"Bearer {token}"}
    return TestClient(site.app, base_url="http://localhost/api/v1/", headers=headers, follow_redirects=False)


def path_of(site: Site, key: str, api: TestClient) -> str:
    items = api.get("tasks").json()["items"]
    return f"tasks/{next(one['id'] for one in items if one['key'] == key and one['run']['id'] == site.run)}"


def test_without_a_token_that_counts_there_is_nothing(site: Site) -> None:
    plain = TestClient(site.app, base_url="http://localhost/api/v1/")
    for headers in ({}, {"authorization": "Bearer usq_nothing"}, {"authorization": "Basic eDp5"}):
        answer = plain.get("runs", headers=headers)
        assert answer.status_code == 401 and answer.headers["www-authenticate"].startswith("Bearer")
        assert answer.headers["content-type"] == "application/problem+json"
    with site.store.writing() as session:
        token = make_token(session, site.person("Bela"), "x", ["read"], TODAY, TODAY)
        row = session.query(TokenRow).one()
        assert token not in (row.digest, row.start) and len(row.start) < 10  # kept hashed
    bela = {"authorization": f"Bearer {token}"}
    assert plain.get("runs", headers=bela).status_code == 200  # to the end of its last day
    with site.store.writing() as session:
        session.query(TokenRow).one().until = TODAY - dt.timedelta(days=1)
    assert plain.get("runs", headers=bela).status_code == 401
    with site.store.writing() as session:
        session.query(TokenRow).one().until = None
        session.get(Person, site.people["Bela"]).active = False
    assert plain.get("runs", headers=bela).status_code == 401


NEEDS = {
    ("GET", "templates"): "read", ("GET", "templates/1"): "read", ("GET", "templates/1/file"): "read",
    ("POST", "templates"): "design", ("PUT", "templates/1/draft"): "design", ("POST", "rehearsals"): "read",
    ("POST", "runs"): "start", ("GET", "runs"): "read", ("GET", "runs/1"): "read", ("POST", "runs/1/cascade"): "read",
    ("POST", "runs/1/shifts"): "shift", ("POST", "runs/1/shifts/1/take-back"): "shift", ("GET", "tasks"): "read",
    ("GET", "tasks/1"): "read", ("POST", "tasks/1/acts"): "work", ("GET", "subjects"): "read",
    ("GET", "subjects/person/E-1"): "read", ("PUT", "subjects/person/E-1"): "start",
}  # fmt: skip
BODIES: dict[str, Any] = {
    "templates": job(), "draft": job(), "rehearsals": START, "runs": START, "acts": {"act": "begin"},
    "cascade": {"edits": [{"edit": "move", "task": "draft", "start": "2026-06-08"}]},
    "shifts": {"edits": [{"edit": "move", "task": "draft", "start": "2026-06-08"}]}, "E-1": {"name": "Pip"},
}  # fmt: skip


def test_every_route_asks_for_its_scope_and_for_no_other(site: Site) -> None:
    filled = {"kind": "person", "ref": "E-1"}
    described = {
        (method.upper(), re.sub(r"{(\w+)}", lambda part: filled.get(part[1], "1"), path).lstrip("/"))
        for path, methods in site.app.state.api.openapi()["paths"].items()
        for method in methods
    }
    assert described - {("POST", "hooks/in/1")} == set(NEEDS)
    for scope in ALL:
        api = program(site, "Ada", scope)
        for (method, path), needed in NEEDS.items():
            answer = api.request(method, path, json=BODIES.get(path.rpartition("/")[2]), headers={"if-match": '"x"'})
            refused = answer.status_code == 403 and "lacks the scope" in answer.json()["detail"]
            assert refused == (scope != needed), (scope, method, path, answer.text[:200])
            assert answer.status_code < 500


def test_what_its_person_may_not_see_does_not_exist(site: Site, api: TestClient) -> None:
    browser = site.client("Ada")
    browser.post(f"/templates/{site.template}/rights", {"open_to": "nothing"})
    with site.store.writing() as session:
        stranger = Person(name="Dora", email="dora@example.org", password_hash="-")
        session.add(stranger)
        session.flush()
        site.people["Dora"] = stranger.id
    dora = program(site, "Dora")
    assert dora.get("runs").json() == {"items": [], "next": None} == dora.get("tasks").json()
    for path in ("runs/1", "templates/1", "tasks/1", "templates/1/file"):
        there, never = dora.get(path), dora.get(path.replace("/1", "/999"))
        assert there.status_code == never.status_code == 404
        assert there.json()["detail"] == never.json()["detail"]
    for method, path in (("POST", "runs/1/shifts"), ("POST", "tasks/1/acts"), ("PUT", "templates/1/draft")):
        answer = dora.request(method, path, json=BODIES[path.rpartition("/")[2]], headers={"if-match": "*"})
        assert answer.status_code == 404, path


def test_a_start_is_rehearsed_and_started_as_it_was_rehearsed(site: Site, api: TestClient) -> None:
    plan = api.post("rehearsals", json=START).json()
    assert plan["format"] == "unisequa-plan/1" and len(api.get("runs").json()["items"]) == 1
    made = api.post("runs", json={**START, "state": "prepared"})
    assert made.status_code == 201 and made.headers["location"] == f"/api/v1/runs/{made.json()['id']}"
    assert {key: made.json()[key] for key in ("state", "version", "tasks", "left_out")} == {
        "state": "prepared", "version": 1, "tasks": 4, "left_out": [],
    }  # fmt: skip
    run = api.get(made.headers["location"].removeprefix("/api/v1/"))
    dates = [(task["key"], task["start"], task["finish"]) for task in plan["tasks"]]
    assert [(task["key"], task["start"], task["finish"]) for task in run.json()["plan"]["tasks"]] == dates
    assert run.headers["etag"] == made.headers["etag"]


def test_faults_are_named_by_their_paths(site: Site, api: TestClient) -> None:
    answer = api.post("runs", json={"template": 1, "anchors": {"go": "10.6."}, "krew": {}})
    assert answer.status_code == 422
    assert {fault["path"] for fault in answer.json()["errors"]} == {"anchors.go", "krew"}
    answer = api.post("runs", json={"template": 1, "anchors": {"go": "2026-02-30"}})
    assert [fault["path"] for fault in answer.json()["errors"]] == ["anchors.go"]
    answer = api.post("templates", json={**job(), "steps": [{"key": "a", "titel": "A"}]})
    assert answer.status_code == 422 and any(one["path"] == "steps[0].titel" for one in answer.json()["errors"])
    for sent in (b"{", b"[]", b'{"template": 1e999}', b"\xff"):
        answer = api.post("runs", content=sent, headers={"content-type": "application/json"})
        assert answer.status_code in {400, 422} and answer.json()["title"] == "Not understood"


def test_a_key_is_done_once_and_its_answer_given_again(site: Site, api: TestClient) -> None:
    first, again = (api.post("runs", json=START, headers={"idempotency-key": "a"}) for _ in range(2))
    assert first.status_code == again.status_code == 201 and first.json() == again.json()
    assert again.headers["location"] == first.headers["location"] and again.headers["etag"] == first.headers["etag"]
    assert len(api.get("runs").json()["items"]) == 2
    other = api.post("runs", json={**START, "name": "Other"}, headers={"idempotency-key": "a"})
    assert other.status_code == 422 and len(api.get("runs").json()["items"]) == 2
    faulty = [api.post("runs", json={"template": 1}, headers={"idempotency-key": "b"}) for _ in range(2)]
    assert faulty[0].status_code == faulty[1].status_code == 422 and faulty[0].json() == faulty[1].json()
    bela = program(site, "Bela")
    assert bela.post("runs", json=START, headers={"idempotency-key": "a"}).json()["id"] != first.json()["id"]
    with site.store.writing() as session:
        for row in session.query(AnswerRow):
            row.at = now() - dt.timedelta(days=2)
    assert api.post("runs", json=START, headers={"idempotency-key": "a"}).json()["id"] != first.json()["id"]


def test_a_shift_needs_the_state_it_was_worked_out_on(site: Site, api: TestClient) -> None:
    edits = {"edits": [{"edit": "move", "task": "draft", "start": "2026-06-08"}], "mode": "carry", "why": "Late"}
    follows = api.post("runs/1/cascade", json={"edits": edits["edits"], "mode": "carry"}).json()
    assert follows["format"] == "unisequa-cascade/1" and api.get("runs/1").json()["version"] == 1
    assert api.post("runs/1/shifts", json=edits, headers={"idempotency-key": "s"}).status_code == 428
    etag = api.get("runs/1").headers["etag"]
    stale = api.post("runs/1/shifts", json=edits, headers={"if-match": '"0-2026-01-01"', "idempotency-key": "s"})
    assert stale.status_code == 412 and stale.json()["state"]["version"] == 1 and stale.headers["etag"] == etag
    done = api.post("runs/1/shifts", json=edits, headers={"if-match": etag, "idempotency-key": "s"})  # 412 is not kept
    assert done.status_code == 201 and done.json()["number"] == 1 and done.json()["version"] == 2
    again = api.post("runs/1/shifts", json=edits, headers={"if-match": '"other"', "idempotency-key": "s"})
    assert again.status_code == 201 and again.json() == done.json()  # the same key and body, whatever it is made on
    moved = {change["key"]: change["start"][1] for change in follows["changes"]}
    assert {change["key"]: change["start"][1] for change in done.json()["changes"]} == moved
    assert api.get("runs/1", headers={"if-none-match": done.headers["etag"]}).status_code == 304
    back = api.post("runs/1/shifts/1/take-back", headers={"if-match": done.headers["etag"]})
    assert back.status_code == 200 and back.json()["version"] == 3
    with site.store.reading() as session:
        assert session.get(Run, 1).shifts[0].taken_back_at is not None


def test_a_task_is_worked_on_as_on_its_page(site: Site, api: TestClient) -> None:
    path = path_of(site, "draft", api)
    seen = api.get(path)
    assert seen.json()["state"] == "ready" and "finish" in seen.json()["may"] and seen.json()["who"] == "Bela"
    assert api.post(f"{path}/acts", json={"act": "finish"}).status_code == 428
    done = api.post(f"{path}/acts", json={"act": "finish"}, headers={"if-match": seen.headers["etag"]})
    assert done.status_code == 200 and done.json()["state"] == "done"
    assert done.headers["etag"] == api.get(path).headers["etag"] != seen.headers["etag"]
    said = api.post(f"{path}/acts", json={"act": "comment", "text": "Well"}, headers={"if-match": "*"})
    assert said.status_code == 200
    cleo = program(site, "Cleo")
    barred = cleo.post(f"{path}/acts", json={"act": "reopen"}, headers={"if-match": "*"})
    assert barred.status_code == 403
    assert [one["key"] for one in cleo.get("tasks?mine").json()["items"]] == ["check"]
    assert {one["state"] for one in api.get("tasks?state=ready").json()["items"]} == {"ready"}
    assert api.get("tasks?due_before=2026-06-04").json()["items"] != api.get("tasks").json()["items"]


def test_lists_are_paged_by_cursor_each_thing_once(site: Site, api: TestClient) -> None:
    for _ in range(4):
        api.post("runs", json=START)
    seen: list[int] = []
    path = "runs?limit=2"
    while True:
        answer = api.get(path)
        seen += [one["id"] for one in answer.json()["items"]]
        if answer.json()["next"] is None:
            assert "link" not in answer.headers
            break
        path = answer.headers["link"].split(">")[0].removeprefix("</api/v1/")
        assert answer.headers["link"].endswith('rel="next"')
    assert seen == [5, 4, 3, 2, 1]
    assert api.get("runs?after=nonsense!").status_code == 400


def test_a_template_goes_in_and_comes_back_as_it_was(site: Site, api: TestClient) -> None:
    made = api.post("templates", json={**job(), "name": "Another"})
    assert made.status_code == 201 and made.json()["state"] == "draft"
    number = made.json()["id"]
    kept = api.get(f"templates/{number}/file").json()
    assert kept == Template.model_validate({**job(), "name": "Another"}).written()
    changed = api.put(f"templates/{number}/draft", json={**kept, "purpose": "For the press"})
    assert changed.status_code == 200
    assert api.get(f"templates/{number}/file").json()["purpose"] == "For the press"


def test_records_come_from_the_system_that_owns_them(site: Site, api: TestClient) -> None:
    record = {
        "name": "Pip Arden",
        "position": "Host",
        "manager": "cleo@example.org",
        "dates": {"First day": "2026-07-01"},
    }
    assert api.get("subjects/person/E-1").status_code == 404
    assert api.put("subjects/person/E-1", json=record).status_code == 201
    assert api.put("subjects/person/E-1", json=record).status_code == 403  # who keeps a run of it, and administrators
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).administrator = True
    assert api.put("subjects/person/E-1", json={**record, "name": "Pip Arden-Lee"}).status_code == 200
    kept = api.get("subjects/person/E-1").json()
    assert (
        kept["name"] == "Pip Arden-Lee" and kept["manager"] == "Cleo" and kept["dates"] == {"First day": "2026-07-01"}
    )
    answer = api.post("rehearsals", json={**START, "subject": {"kind": "person", "ref": "E-2"}})
    assert answer.status_code == 422 and answer.json()["errors"][0]["path"] == "subject"
    made = api.post("runs", json={**START, "subject": {"kind": "person", "ref": "E-1"}})
    assert api.get(f"runs/{made.json()['id']}").json()["subject"] == "Pip Arden-Lee"


def test_tokens_are_made_and_ended_on_their_page(site: Site) -> None:
    browser = site.client("Ada")
    refused = browser.post("/account/programs", {"name": "", "scope": "everything", "until": "yesterday"})
    assert refused.status_code == 422
    page = browser.post("/account/programs", {"name": "Payroll", "scope": "read", "until": "+30"}).text
    token = page.split('value="usq_')[1].split('"')[0]
    plain = TestClient(site.app, base_url="http://localhost/api/v1/", headers={"authorization": f"Bearer usq_{token}"})
    assert plain.get("runs").status_code == 200
    assert token not in browser.get("/account/programs").text  # shown once
    assert site.client("Bela").post("/account/programs/1/end").status_code == 404
    browser.post("/account/programs/1/end")
    assert plain.get("runs").status_code == 401
    assert "POST" in browser.get("/account/programs/api").text
