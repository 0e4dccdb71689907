"""What keeps the site safe: sessions, tokens, headers, errors."""

from __future__ import annotations

import http.client
import re
import socket
import threading
import time
from pathlib import Path

import pytest
import uvicorn
from fastapi.testclient import TestClient

from tests.site import PASSWORD, TODAY, Site, make_site
from tests.store.serving import free_port, wait_for
from tests.web.routes import addresses
from unisequa.core.errors import StoreError
from unisequa.settings import Settings
from unisequa.web.app import create_app
from unisequa.web.errors import HEADERS
from unisequa.web.patience import Patient


def test_every_change_without_the_sessions_token_is_refused(site: Site) -> None:
    paths = addresses(site, method="POST")
    browser = site.client("Ada")
    for path in paths:
        assert browser.client.post(path, data={"csrf": "0" * 64}).status_code == 403, path
        assert browser.client.post(path).status_code == 403, path


def test_every_page_and_change_asks_for_signing_in(site: Site) -> None:
    browser = site.client()
    browser.client.follow_redirects = False
    open_to_all = {
        "/sign-in",
        "/sign-in/code",
        "/sign-out",
        "/forgotten",
        "/reset/nothing",
        "/answer/nothing",
        "/healthz",
        "/readyz",
    }
    for path in {*addresses(site)} - open_to_all:
        answer = browser.get(path)
        assert answer.status_code == 303 and answer.headers["location"].startswith("/sign-in"), path
    browser.get("/sign-in")
    for path in {*addresses(site, method="POST")} - open_to_all:
        assert browser.post(path).status_code == 303, path


def test_every_error_that_a_script_gets_has_one_shape(site: Site) -> None:
    """Without the token, signed out, with what nobody can read, and in a way that the address is not used."""
    browser, json = site.client("Ada"), {"accept": "application/json"}
    paths = {*addresses(site, method="POST")}
    answers = {(path, "no token"): browser.client.post(path, headers=json) for path in paths}
    for path in paths - {"/sign-out"}:
        answers[path, "nothing"] = browser.post(path, headers=json)
        headers = json | {"x-csrf-token": browser.token, "content-type": "application/json"}
        answers[path, "junk"] = browser.client.post(path, content=b"[{]", headers=headers)
        answers[path, "JSON"] = browser.client.post(path, json=[1], headers=headers)
    pages = addresses(site)
    answers |= {(path, "not there"): browser.get(re.sub(r"/\d+", "/99", path), headers=json) for path in pages}
    answers |= {(path, "no number"): browser.get(re.sub(r"/\d+", "/x", path), headers=json) for path in pages}
    answers |= {(path, "put"): browser.client.put(path, headers=json) for path in {*pages} | paths}
    stranger = site.client()
    answers |= {(path, "signed out"): stranger.get(path, headers=json) for path in pages}
    errors = {what: answer for what, answer in answers.items() if answer.status_code >= 400}
    assert {answer.status_code for answer in errors.values()} >= {401, 403, 404, 405, 422}
    assert not [what for what, answer in errors.items() if answer.status_code >= 500]
    for what, answer in errors.items():
        assert answer.headers["content-type"] == "application/json", what
        told = answer.json()["error"]
        assert set(told) == {"title", "message", "fields"} and told["title"] and told["message"], what
        assert all(name and text for name, text in told["fields"].items()), what


def test_every_answer_carries_the_protecting_headers(site: Site) -> None:
    browser = site.client("Ada")
    for path in ("/sign-in", "/runs", "/nothing-here", "/static/app.css", f"/runs/{site.run}/tasks.ics"):
        headers = browser.get(path).headers
        assert {name: headers.get(name) for name in HEADERS} == HEADERS, path
    assert "unsafe" not in HEADERS["content-security-policy"]


def test_no_page_carries_a_style_attribute_or_a_script_of_its_own(site: Site) -> None:
    browser = site.client("Ada")
    for path in addresses(site):
        answer = browser.get(path)
        if "html" not in answer.headers["content-type"]:
            continue
        text = re.sub(r'<script type="application/json"[^>]*>', "", answer.text)
        assert not re.search(
            r"\sstyle=|\son\w+=|<script(?![^>]*\ssrc=)|https?://(?!www\.w3\.org|example\.org)", text
        ), path


def test_the_cookie_is_out_of_reach_of_scripts_and_other_sites(site: Site) -> None:
    browser = site.client()
    browser.client.follow_redirects = False
    browser.get("/sign-in")
    answer = browser.post("/sign-in", {"email": "ada@example.org", "password": PASSWORD})
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=lax" in cookie
    forged = site.client()
    forged.client.cookies.set("unisequa_session", cookie.split("=")[1][:-9] + "x")
    assert "Sign in" in forged.get("/runs").text


def test_a_wrong_password_and_an_unknown_address_are_told_alike_and_the_address_stays(site: Site) -> None:
    browser = site.client()
    wrong = [browser.sign_in("Ada", "not the password"), browser.sign_in("Nobody", "not the password")]
    faults = [re.search(r'id="fault">([^<]+)', answer.text)[1] for answer in wrong]  # type: ignore[index]
    assert [a.status_code for a in wrong] == [422, 422] and faults[0] == faults[1]
    assert 'value="ada@example.org"' in wrong[0].text


def test_signing_in_goes_back_to_where_one_was_but_never_to_another_site(site: Site) -> None:
    browser = site.client()
    for back, goes in (
        (f"/runs/{site.run}", f"/runs/{site.run}"),
        ("//evil.example.org", "/"),
        ("https://x", "/"),
    ):
        browser.get(f"/sign-in?back={back}")
        browser.client.follow_redirects = False
        answer = browser.post("/sign-in", {"email": "ada@example.org", "password": PASSWORD, "back": back})
        assert answer.headers["location"] == goes


def test_signing_out_ends_it(site: Site) -> None:
    browser = site.client("Ada")
    browser.post("/sign-out")
    assert "Sign in" in browser.get("/runs").text


def test_sample_people_are_offered_by_the_demo_and_never_by_a_real_data_folder(site: Site, tmp_path: Path) -> None:
    real = site.client()
    assert "look around" not in real.get("/sign-in").text
    assert real.post("/sign-in", {"sample": str(site.people["Ada"])}).status_code == 422
    shown = make_site(tmp_path / "demo", demo=True)
    sample = shown.client()
    assert "look around" in sample.get("/sign-in").text
    assert sample.post("/sign-in", {"sample": str(shown.people["Ada"])}).url.path == "/"
    shown.store.engine.dispose()


def test_a_request_from_another_site_is_refused_whatever_it_carries(site: Site) -> None:
    browser = site.client("Ada")
    answer = browser.post(
        f"/runs/{site.run}/state", {"state": "on hold"}, headers={"origin": "https://evil.example.org"}
    )
    assert answer.status_code == 403


def test_an_unexpected_error_shows_no_inner_words_and_is_told_in_one_shape(
    site: Site, monkeypatch: pytest.MonkeyPatch
) -> None:
    from fastapi.testclient import TestClient

    monkeypatch.setattr("unisequa.actions.runs.seeing.list_runs", lambda session, actor: 1 / 0)
    browser = site.client()
    browser.client = TestClient(site.app, raise_server_exceptions=False, base_url="http://localhost")
    browser.get("/sign-in")
    browser.post("/sign-in", {"email": "ada@example.org", "password": PASSWORD})
    page = browser.get("/runs")
    assert page.status_code == 500 and "division" not in page.text and "nothing was changed" in page.text
    told = browser.get("/runs", headers={"accept": "application/json"})
    assert set(told.json()) == {"error"} and set(told.json()["error"]) == {"title", "message", "fields"}
    missing = browser.get("/runs/999", headers={"accept": "application/json"})
    assert (
        missing.status_code == 404
        and missing.json()["error"]["message"] == "This run does not exist, or is not open to you."
    )


@pytest.mark.parametrize(
    "path", ["/runs/99", "/templates/99", "/start/99", "/runs/1/tasks/nobody", "/templates/1?edition=7"]
)
def test_what_is_not_there_says_so(path: str, site: Site) -> None:
    answer = site.client("Ada").get(path)
    assert answer.status_code == 404 and "Go to the desk" in answer.text


def test_too_much_is_refused_before_it_is_read(site: Site) -> None:
    browser = site.client("Ada")
    assert browser.post("/library", {"name": "x" * 5_000_000}).status_code == 413


def test_only_its_own_names_are_answered_and_what_watches_it_needs_no_sign_in(site: Site, tmp_path: Path) -> None:
    browser = site.client()
    assert browser.get("/sign-in", headers={"host": "evil.example"}).status_code == 400
    assert browser.get("/sign-in", headers={"host": "localhost:8000"}).status_code == 200
    assert [browser.get(path).text for path in ("/healthz", "/readyz")] == ["ok", "ok"]
    assert len({browser.get("/healthz").headers["x-request-id"] for _ in range(3)}) == 3


def test_a_short_secret_is_refused(tmp_path: Path) -> None:
    (tmp_path / "secret").write_text("short")
    with pytest.raises(StoreError, match="holds no secret"):
        Settings(data=tmp_path).secret()


def test_below_a_path_of_another_site_every_address_leads_there(tmp_path: Path) -> None:
    """Whether the proxy takes the path off or passes it on; what somebody wrote is not taken for an address."""
    site = make_site(tmp_path)
    app = create_app(Settings(data=tmp_path, today=TODAY, root_path="/house/plan"))
    client = TestClient(app, base_url="http://localhost", follow_redirects=False)
    away = client.get("/house/plan/runs")
    assert away.headers["location"] == "/house/plan/sign-in?back=/runs"
    token = re.search(r'data-csrf="(\w+)"', client.get("/house/plan/sign-in").text)[1]  # type: ignore[index]
    form = {"email": "ada@example.org", "password": PASSWORD, "csrf": token, "back": "/library"}
    assert client.post("/sign-in", data=form).headers["location"] == "/house/plan/library"
    for path in addresses(site):
        answer = client.get("/house/plan" + path)
        hidden = path.startswith(
            (
                "/people",
                "/teams",
                "/positions",
                "/reset",
                "/starts",
                "/subjects",
                "/together",
                "/by-itself/rules",
                "/by-itself/texts",
                "/by-itself/hand-offs",
                "/account/webhooks",
            )
        )  # not hers, or not there
        assert answer.status_code < 400 or hidden, path
        if "html" in answer.headers["content-type"]:
            assert not re.findall(r'\s(?!value|name)[a-z-]+="/(?!house/plan/)[^"]', answer.text), path
            for linked in re.findall(r'(?:src|href)="(/house/plan/static/[^"#]+)', answer.text)[:3]:
                assert client.get(linked).status_code == 200


@pytest.mark.parametrize("held", ["nothing", "headers", "body"])
def test_who_says_nothing_is_not_waited_for(tmp_path: Path, held: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Over a real connection: what stalls is ended, what is prompt is answered meanwhile and afterwards."""
    for name in ("HEADERS_WITHIN", "PIECE_WITHIN"):
        monkeypatch.setattr(f"unisequa.web.patience.{name}", 0.5)
    make_site(tmp_path).store.engine.dispose()
    app, port = create_app(Settings(data=tmp_path, today=TODAY)), free_port()
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="critical", http=Patient))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    wait_for(port)
    head = "POST /sign-in HTTP/1.1\r\nhost: localhost\r\n"
    rest = "content-type: application/x-www-form-urlencoded\r\ncontent-length: 9\r\n\r\na=1"
    with socket.create_connection(("127.0.0.1", port), 5) as slow:
        slow.sendall({"nothing": "", "headers": head, "body": head + rest}[held].encode())
        prompt = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
        for _ in range(3):
            prompt.request("GET", "/healthz", headers={"host": "localhost"})
            assert prompt.getresponse().read()
        slow.settimeout(10)
        answer = b"".join(iter(lambda: slow.recv(4096), b""))
        assert (b" 408 " in answer) == (held == "body")
        time.sleep(0.6)
        prompt.request("GET", "/healthz", headers={"host": "localhost"})  # an idle connection lasts longer than that
        assert prompt.getresponse().status == 200
    server.should_exit = True
    thread.join(10)
    app.state.store.engine.dispose()


def test_behind_tls_cookies_are_secure_without_being_told(tmp_path: Path) -> None:
    make_site(tmp_path).store.engine.dispose()
    app = create_app(Settings(data=tmp_path, today=TODAY))
    plain = TestClient(app, base_url="http://localhost").get("/sign-in")
    assert "Secure" not in plain.headers["set-cookie"] and "strict-transport-security" not in plain.headers
    client = TestClient(app, base_url="https://localhost", follow_redirects=False)
    page = client.get("/sign-in")
    assert page.headers["set-cookie"].startswith("__Host-") and "Secure" in page.headers["set-cookie"]
    assert page.headers["strict-transport-security"].startswith("max-age=")
    token = re.search(r'data-csrf="(\w+)"', page.text)[1]  # type: ignore[index]
    form = {"email": "ada@example.org", "password": PASSWORD, "csrf": token}
    assert client.post("/sign-in", data=form).headers["location"] == "/"
    assert client.get("/runs").status_code == 200
    app.state.store.engine.dispose()
