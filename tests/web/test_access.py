"""Who may do what: every route for every kind of person, against the table; and what is hidden is as if not there."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from httpx2 import Response

from tests.plans import document, step
from tests.site import TODAY, Browser, Site, job, make_site
from tests.web.routes import filled, routes
from unisequa.actions.access import TABLE, Act, Kind
from unisequa.actions.clock.hand_offs import HandOffDraft, save_hand_off
from unisequa.actions.clock.rules import RuleDraft, save_rule
from unisequa.actions.house import teams
from unisequa.actions.people.people import as_actor
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates import drafts, editions, files, library, rights
from unisequa.actions.templates.included import names_open_to
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import ActionError, Refused
from unisequa.settings import Settings
from unisequa.store.linked import linked_from
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.templates import names_seen_by, template_by_id
from unisequa.store.tables import Person, TeamMember
from unisequa.web.app import create_app

KINDS: tuple[Kind | str, ...] = (
    "administrator", "owner", "may edit", "may start", "may look", "keeper", "doer", "signer", "in the crew", "others",
)  # fmt: skip
RUN: Act = "see its runs"
"""What each route does, by the rows of the table; one that is everybody's, for themselves, is not here."""
ROUTES: dict[str, Act] = {
    "GET /people": "look after people",
    "GET /people/{person_id}": "look after people",
    "POST /people": "look after people",
    "POST /people/{person_id}/{what}": "look after people",
    "POST /calendars": "look after people",
    "POST /calendars/{calendar_id}/{what}": "look after people",
    "GET /teams": "look after people",
    "POST /teams": "look after people",
    "POST /teams/{team_id}/{what}": "look after people",
    "GET /positions": "look after people",
    "POST /positions": "look after people",
    "POST /positions/{position_id}/{what}": "look after people",
    "GET /by-itself/repeat/{template_id}": "see the template",
    "POST /by-itself/repeat/{template_id}": "change a draft",
    "POST /by-itself/repeat/{template_id}/preview": "see the template",
    "GET /by-itself/hand-off/{template_id}": "see the template",
    "POST /by-itself/hand-off/{template_id}": "change a draft",
    "POST /by-itself/hand-off/{template_id}/preview": "see the template",
    "GET /by-itself/hand-offs/{hand_off_id}": "see the template",
    "POST /by-itself/hand-offs/{hand_off_id}": "change a draft",
    "POST /by-itself/hand-offs/{hand_off_id}/delete": "change a draft",
    "GET /by-itself/rules/{rule_id}": "see the template",
    "POST /by-itself/rules/{rule_id}": "change a draft",
    "POST /by-itself/rules/{rule_id}/delete": "change a draft",
    "GET /library/{template_id}/preview": "see the template",
    "GET /runs/{run_id}": RUN,
    "GET /runs/{run_id}/files/{digest}": RUN,
    "POST /runs/{run_id}/files/{number}/remove": RUN,
    "POST /runs/{run_id}/tasks/{key}/files": "comment",
    "POST /runs/{run_id}/views": RUN,
    "POST /runs/{run_id}/views/{number}/remove": RUN,
    "GET /runs/{run_id}/add": "change a run",
    "POST /runs/{run_id}/add": "change a run",
    "POST /runs/{run_id}/tasks/{key}/remove": "change a run",
    "POST /runs/{run_id}/tasks/{key}/waits/{number}/remove": "change a run",
    "GET /runs/{run_id}/phase": RUN,
    "GET /runs/{run_id}/paper": RUN,
    "GET /runs/{run_id}/sheet.svg": RUN,
    "GET /runs/{run_id}/tasks.csv": RUN,
    "GET /runs/{run_id}/what-if": RUN,
    "GET /runs/{run_id}/tasks.ics": RUN,
    "GET /runs/{run_id}/tasks/{key}": RUN,
    "GET /runs/{run_id}/template": "see the template",
    "GET /start/{template_id}": "see the template",
    "GET /templates/{template_id}": "see the template",
    "GET /templates/{template_id}/attachments/{digest}": "see the template",
    "GET /templates/{template_id}/awaitable": "see the template",
    "GET /templates/{template_id}/editions": "see the template",
    "GET /templates/{template_id}/file": "see the template",
    "GET /templates/{template_id}/panel": "see the template",
    "GET /templates/{template_id}/rehearsal": "see the template",
    "GET /templates/{template_id}/release": "change a draft",
    "GET /templates/{template_id}/setup": "see the template",
    "GET /templates/{template_id}/steps.{form}": "see the template",
    "POST /runs/{run_id}/crew": "change a run",
    "POST /runs/{run_id}/delete": "change a run",
    "POST /runs/{run_id}/facts": "change a run",
    "POST /runs/{run_id}/follow": "change a run",
    "POST /runs/{run_id}/keeping": "give a run a keeper",
    "POST /runs/{run_id}/many": "work on a task",
    "POST /runs/{run_id}/propose": "comment",
    "POST /runs/{run_id}/aside": "comment",
    "POST /runs/{run_id}/baselines": "change a run",
    "POST /runs/{run_id}/tasks/{key}/ways": RUN,
    "POST /runs/{run_id}/history/{number}/take-back": "change a run",
    "POST /runs/{run_id}/asides/{number}": RUN,
    "POST /runs/{run_id}/asides/{number}/drop": RUN,
    "POST /runs/{run_id}/proposals/{number}/decline": RUN,
    "POST /runs/{run_id}/tasks/{key}/propose": "comment",
    "POST /runs/{run_id}/shift": "change a run",
    "POST /runs/{run_id}/shifts/{number}/take-back": "change a run",
    "POST /runs/{run_id}/state": "change a run",
    "POST /runs/{run_id}/tasks/{key}/act": "work on a task",
    "POST /runs/{run_id}/tasks/{key}/box": "work on a task",
    "POST /runs/{run_id}/tasks/{key}/comment": "comment",
    "POST /runs/{run_id}/tasks/{key}/hand": "work on a task",
    "POST /runs/{run_id}/template": "see the template",
    "POST /runs/{run_id}/undo/{number}": RUN,
    "POST /runs/{run_id}/work": RUN,
    "POST /start/{template_id}": "start a run",
    "POST /start/{template_id}/preview": "see the template",
    "POST /templates/{template_id}/attachments": "change a draft",
    "POST /templates/{template_id}/clip": "see the template",
    "POST /templates/{template_id}/discard": "change a draft",
    "POST /templates/{template_id}/duplicate": "see the template",
    "POST /templates/{template_id}/edit": "change a draft",
    "POST /templates/{template_id}/editions/{number}/{what}": "manage the template",
    "POST /templates/{template_id}/look": "see the template",
    "POST /templates/{template_id}/leave": "see the template",
    "POST /templates/{template_id}/paste": "change a draft",
    "POST /templates/{template_id}/redo": "change a draft",
    "POST /templates/{template_id}/release": "change a draft",
    "POST /templates/{template_id}/rights": "manage the template",
    "POST /templates/{template_id}/sheet": "see the template",
    "POST /templates/{template_id}/undo": "change a draft",
}
EVERYBODY = {
    "/by-itself", "/by-itself/texts", "/by-itself/texts/{number}", "/by-itself/texts/{number}/delete",
    "/by-itself/due/{number}/again", "/by-itself/due/{number}/be", "/outbox", "/outbox/{number}/again",
    "/bell", "/bell/seen", "/account/notices", "/account/programs", "/account/programs/{number}/end",
    "/account/programs/api", "/account/feeds", "/account/feeds/{number}/renew", "/account/feeds/{number}/shut",
    "/feeds/{secret}.ics", "/account/webhooks", "/account/webhooks/{number}", "/account/webhooks/{number}/{what}",
    "/", "/desk/act", "/desk/undo/{number}", "/find", "/starts/{number}", "/start-progress/{token}",
    "/horizon", "/horizon/rows", "/horizon/links", "/horizon/wait", "/horizon/paper", "/horizon/sheet.svg",
    "/load/paper", "/load/sheet.svg", "/load", "/leave", "/leave/off", "/leave/read", "/leave/take-in",
    "/overview", "/consider", "/joiners", "/subjects", "/subjects/new", "/subjects/{number}", "/together", "/hand-over",
    "/account", "/account/days", "/account/widths",
    "/account/leave", "/account/leave/off", "GET /calendars", "/calendars/{calendar_id}",
    "/account/password", "/account/second-factor", "/account/second-factor/codes",
    "/account/second-factor/off", "/account/sessions", "/favicon.ico", "/healthz", "/import",
    "/import/{token}", "/library", "/readyz", "/runs", "/sign-in", "/sign-in/code",
    "/sign-out", "/forgotten", "/reset/{token}", "/answer/{token}",
}  # fmt: skip
WHAT = {"people": "describe", "teams": "rename", "positions": "rename", "calendars": "rename"}
BODIES: dict[str, dict[str, Any]] = {
    "/crew": {"role": "writer", "person": ""},
    "/state": {"state": "on hold"},
    "/act": {"act": "finish"},
    "/propose": {"by": "fri"},
    "/many": {"act": "finish", "keys": '["draft"]'},
    "/facts": {"facts.number": "8"},
    "/follow": {"follow": "late"},
    "/views": {"name": "Late ones", "show": "late"},
    "/add": {"what": "one", "title": "One more"},
    "/box": {"box": "0", "on": "yes"},
    "/comment": {"comment": "Well done"},
    "/hand": {"act": "hand over", "to": "1"},
    "/rights": {"open_to": "nothing"},
}
JSON_BODIES: dict[str, dict[str, Any]] = {
    "/edit": {"edit": {"op": "set", "keys": ["draft"], "field": "title", "value": "Drafted"}},
    "/clip": {"keys": ["draft"]},
    "/sheet": {},
    "/undo": {},
    "/redo": {},
    "/look": {"edition": 1, "revision": 1},
    "/leave": {},
    "/preview": {},
}


def house(folder: Path) -> Site:
    """A template that is open to nobody but those named, a run of it, and somebody of every kind."""
    site = make_site(folder)
    with site.store.writing() as session:
        hashed = session.get(Person, 1).password_hash
        for kind in KINDS:
            person = Person(name=kind, email=f"{kind}@example.org", password_hash=hashed)
            person.administrator = kind == "administrator"
            session.add(person)
            session.flush()
            site.people[kind] = person.id
        people = {kind: as_actor(session.get(Person, number)) for kind, number in site.people.items()}
        owner = people["owner"]
        edition = library.keep_template(session, owner, read_template({**job(), "name": "Papers"}), released=True)
        site.template = edition.template_id
        rights.open_to(session, owner, site.template, "nothing")
        for kind, right in (("may edit", "edit"), ("may start", "start"), ("may look", "look")):
            rights.give_right(session, owner, site.template, site.people[kind], right)
        teams.add(session, people["administrator"], "team", "Press")
        teams.add(session, people["administrator"], "position", "Editor in chief")
        session.add_all(TeamMember(team_id=1, person_id=number) for number in (site.people["doer"], site.people["Ada"]))
        crew = {
            "writer": str(site.people["doer"]), "editor": str(site.people["in the crew"]),
            "lead": str(site.people["signer"]),
        }  # fmt: skip
        choices = Choices(anchors={"go": TODAY}, facts={"number": "7"}, crew=crew)
        site.run = start_run(session, owner, site.template, None, choices, TODAY)
        run_by_id(session, site.run).keeper_id = site.people["keeper"]
        when = {"rrule": "FREQ=MONTHLY", "first": "2026-01-01", "working_day": -1}
        save_rule(session, owner, RuleDraft("Every month", site.template, {"when": when}), TODAY)
        handed = {"event": "run finished", "then": "word", "text": "Well done"}
        save_hand_off(session, owner, HandOffDraft("After it", site.template, None, handed))
        drafts.edit_draft(session, owner, site.template, lambda t: t.model_copy(update={"purpose": "Draft"}))
    return site


def ask(site: Site, browser: Browser, method: str, route: str, **other: Any) -> Response:
    """The answer to a route, with what it usually takes."""
    path = filled(site, route, **other)
    if method == "GET":
        return browser.get(path + ("?k=draft" if path.endswith("/panel") else ""))
    end = "/" + route.rpartition("/")[2]
    if end in JSON_BODIES:
        headers = {"x-csrf-token": browser.token, "accept": "application/json"}
        return browser.client.post(path, json=JSON_BODIES[end], headers=headers)
    return browser.post(path, BODIES.get(end), headers={"accept": "application/json"})


@pytest.fixture(scope="module")
def built(tmp_path_factory: pytest.TempPathFactory) -> tuple[Site, Path]:
    folder = tmp_path_factory.mktemp("house")
    site = house(folder)
    site.store.engine.dispose()
    return site, folder


def like(built: tuple[Site, Path], folder: Path) -> Site:
    """The same house once more."""
    site, kept = built
    shutil.copytree(kept, folder)
    app = create_app(Settings(data=folder, today=TODAY))
    return replace(site, app=app, store=app.state.store)


def put_back(site: Site, kept: Path, folder: Path) -> None:
    """A house as it was kept: the same program on the same data again."""
    site.store.engine.dispose()
    shutil.rmtree(folder)
    shutil.copytree(kept, folder)


def test_the_table_says_of_every_route_who_may(built: tuple[Site, Path]) -> None:
    there = {f"{method} {path}" for method in ("GET", "POST") for path in routes(built[0], method)}
    assert {one for one in there if not {one, one.partition(" ")[2]} & EVERYBODY} == set(ROUTES)


@pytest.mark.parametrize("kind", KINDS)
def test_every_route_is_open_to_those_whom_the_table_names(
    built: tuple[Site, Path], tmp_path: Path, kind: Kind
) -> None:
    """Each write that is allowed on a house as it was, since one may take away what the next needs."""
    house, kept = tmp_path / "house", tmp_path / "kept"
    site = like(built, house)
    browser = site.client(kind)
    site.store.engine.dispose()
    shutil.copytree(house, kept)
    hidden = {act for act in ("see the template", RUN) if kind not in TABLE[act]}
    for route, act in ROUTES.items():
        method, _, path = route.partition(" ")
        sight = RUN if path.startswith("/runs") else act if act == "look after people" else "see the template"
        may = kind in TABLE[act] and kind in TABLE[sight]
        with site.store.engine.connect() as connection:
            before = connection.exec_driver_sql("SELECT count(*) FROM history").scalar()
        answer = ask(site, browser, method, path, what=WHAT.get(path.split("/")[1], "retire"))
        told = (route, kind, answer.status_code, answer.text[:200])
        if may:
            there = "{digest}" in path or "{number}" in path  # there is no such file, shift or act
            assert answer.status_code not in ({403} if there else {403, 404}), told
        elif act in hidden and sight not in hidden:
            assert answer.status_code == 404, told
        elif sight in hidden:
            missing = {"template_id": 999, "run_id": 999}
            never = ask(site, browser, method, path, what="retire", **missing)
            assert (answer.status_code, answer.text) == (404, never.text), told
        else:
            assert answer.status_code == 403, told
        with site.store.engine.connect() as connection:
            after = connection.exec_driver_sql("SELECT count(*) FROM history").scalar()
        assert may or after == before, told
        if method == "POST" and may:
            put_back(site, kept, house)


def secret(site: Site) -> int:
    """Ada's template that is open to nobody else, with a run of it."""
    with site.store.writing() as session:
        ada = site.person("Ada")
        edition = library.keep_template(
            session, ada, read_template(document([step("plan", 1, 0)], name="Merger")), released=True
        )
        rights.open_to(session, ada, edition.template_id, "nothing")
        start_run(session, ada, edition.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
        return edition.template_id


def naming(name: str, **more: Any) -> dict[str, Any]:
    return document(
        [step("own", 1, 0, waits_for=[{"template": "Merger", "step": "plan", "anchor": "go"}])],
        name=name,
        includes=[{"key": "m", "template": "Merger", "anchors": {"go": "go"}}],
        **more,
    )


def test_a_template_of_the_same_name_is_another_one(site: Site) -> None:
    """Neither a decoy of one's own nor a file leads to what its author may not see, and nobody's steps get into another
    person's template by having its name."""
    hidden = secret(site)
    bela, ada = site.person("Bela"), site.person("Ada")
    with site.store.writing() as session:
        edition = library.keep_template(session, bela, read_template(naming("Prying")))
        assert edition.meant == {} and linked_from(session, edition).library.all() == []
        with pytest.raises(Refused, match='o template "Merger" is there'):
            start_run(session, bela, edition.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
        ours = library.keep_template(session, ada, read_template(naming("Board week")), released=True)
        assert ours.meant == {"merger": hidden}
        decoy = library.keep_template(
            session, bela, read_template(document([step("slipped", 1, 0)], name="Merger")), released=True
        )
        assert linked_from(session, edition).ids == {"merger": decoy.template_id}
        drafts.edit_draft(session, ada, ours.template_id, lambda t: t.model_copy(update={"purpose": "Again"}))
        draft = template_by_id(session, ours.template_id).editions[-1]
        assert [t.steps[0].key for t in linked_from(session, draft).library.all()] == ["plan"]


def test_rights_are_asked_again_at_release_and_at_start(site: Site) -> None:
    hidden = secret(site)
    ada, bela = site.person("Ada"), site.person("Bela")
    with site.store.writing() as session:
        rights.give_right(session, ada, hidden, bela.id, "look")
        edition = library.keep_template(session, bela, read_template(naming("Mine")), released=True)
        draft = library.keep_template(session, bela, read_template(naming("Mine too")))
        started = start_run(session, bela, edition.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
        rights.give_right(session, ada, hidden, bela.id, "nothing")
    with site.store.writing() as session, pytest.raises(ActionError, match="not open to you"):
        editions.release(session, bela, draft.template_id)
    with site.store.writing() as session, pytest.raises(ActionError, match="not open to you"):
        start_run(session, bela, edition.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
    page = site.client("Bela").get(f"/runs/{started}/tasks/own").text
    assert "elsewhere" in page and "Plan of" not in page  # the date counts, the name is not told
    sheet = site.client("Bela").get(f"/templates/{draft.template_id}/file").text
    assert "plan" not in json.dumps([row["title"] for row in json.loads(sheet)["steps"]]).lower()


def test_names_are_unique_among_what_somebody_sees_and_told_apart_by_owner(site: Site) -> None:
    secret(site)
    cleo = site.client("Cleo")
    cleo.get("/library")
    assert cleo.post("/library", {"name": "Merger"}).status_code == 200  # what is hidden takes no name
    again = cleo.post("/library", {"name": "merger"}, headers={"accept": "application/json"})
    assert again.status_code == 422 and "already" in again.json()["error"]["message"]
    with site.store.writing() as session:
        mine = max(number for number, _ in names_seen_by(session, site.people["Cleo"]))
        drafts.edit_draft(
            session,
            site.person("Cleo"),
            mine,
            lambda t: read_template(document([step("x", 1)], name=t.name)),
        )
        editions.release(session, site.person("Cleo"), mine, "")
        copy = library.keep_template(session, site.person("Ada"), read_template(naming("Both")))
        assert copy.meant["merger"] != mine  # of two, one's own
    with site.store.reading() as session:
        shown = set(names_open_to(session, site.person("Ada")))
    assert {"Merger (Ada)", "Merger (Cleo)"} <= shown


def test_a_document_that_names_a_file_does_not_open_it(site: Site, tmp_path: Path) -> None:
    """Whoever knows what a file's digest is, from a plan or a copy, gets it only where it was attached, or from a
    template that they see."""
    hidden = secret(site)
    ada, bela = site.person("Ada"), site.person("Bela")
    kept = files.keep_file(site.store, ada, tmp_path, hidden, "offer.txt", b"the sum")
    with site.store.writing() as session:
        files.attach(session, ada, hidden, "plan", kept)
        mine = step("own", 1, 0, attachments=[kept.model_dump()])
        prying = library.keep_template(session, bela, read_template(document([mine], name="Prying")))
        copied = library.duplicate(session, ada, hidden)
    path = f"attachments/{kept.sha256}?edition=1"
    assert site.client("Bela").get(f"/templates/{prying.template_id}/{path}").status_code == 404
    assert site.client("Ada").get(f"/templates/{copied}/{path}").content == b"the sum"
    with site.store.writing() as session:
        rights.give_right(session, ada, hidden, bela.id, "look")
        again = library.keep_template(session, bela, read_template(document([mine], name="Not prying")))
    assert site.client("Bela").get(f"/templates/{again.template_id}/{path}").content == b"the sum"


def test_a_team_may_what_its_people_may_then(site: Site) -> None:
    """As long as they are in it; the table is the same whether a right comes by name or by team."""
    hidden = secret(site)
    ada, bela = site.person("Ada"), site.person("Bela")
    browser = site.client("Bela")
    with site.store.writing() as session:
        director = replace(ada, administrator=True)
        number = teams.add(session, director, "team", "Night")
        teams.put_in(session, director, number, bela.id)
    owner, path = site.client("Ada"), f"/templates/{hidden}"
    owner.get(f"{path}/editions")
    edit = {"edit": {"op": "set", "keys": ["plan"], "field": "title", "value": "Planned"}}
    headers = {"x-csrf-token": browser.token, "accept": "application/json"}
    seen = {}
    for right in ("nothing", "look", "edit"):
        owner.post(f"{path}/rights", {"person": f"team:{number}", "right": right})
        answers = (browser.get(f"{path}/editions"), browser.client.post(f"{path}/edit", json=edit, headers=headers))
        seen[right] = [answer.status_code for answer in answers] + ["Merger" in browser.get("/library").text]
    assert seen == {"nothing": [404, 404, False], "look": [200, 403, True], "edit": [200, 200, True]}
    assert "The team Night may edit it" in " ".join(owner.get(f"{path}/editions").text.split())
    with site.store.writing() as session:
        teams.take_out(session, director, number, bela.id)
    assert browser.get(f"{path}/editions").status_code == 404
