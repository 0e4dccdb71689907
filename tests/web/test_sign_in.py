"""Ways in beside the password: a link when it is lost, a second factor, the house's own sign-in elsewhere."""

from __future__ import annotations

import datetime as dt
import re
import socket
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyotp
import pytest
from aiosmtpd.controller import Controller
from fastapi.testclient import TestClient
from joserfc.jwk import RSAKey

from tests.provider import Provider, provider
from tests.site import PASSWORD, TODAY, Browser, Site, make_site
from unisequa.actions.mail import send_waiting
from unisequa.actions.outbox import TAKEN_OUT
from unisequa.settings import Settings
from unisequa.store.tables import AuditRow, OutboxRow, Person, ResetRow
from unisequa.web.app import create_app

GOOD = "seven herons on a jetty"


class Mails:
    """Takes mail in."""

    def __init__(self) -> None:
        self.got: list[Any] = []

    async def handle_RCPT(self, _server: Any, _session: Any, envelope: Any, address: str, _options: Any) -> str:
        if address.startswith("nobody@"):
            return "550 5.1.1 No such mailbox here"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:
        self.got.append(envelope)
        return "250 OK"


@pytest.fixture
def mails() -> Iterator[tuple[str, Mails]]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    controller = Controller(Mails(), hostname="127.0.0.1", port=port)
    controller.start()
    yield f"smtp://127.0.0.1:{port}", controller.handler
    controller.stop()


def with_settings(site: Site, folder: Path, **more: Any) -> Site:
    site.app = create_app(Settings(data=folder, today=TODAY, **more))
    site.store = site.app.state.store
    return site


def test_a_lost_password_is_set_by_a_link_that_counts_once(tmp_path: Path, mails: tuple[str, Mails]) -> None:
    address, taken = mails
    site = with_settings(
        make_site(tmp_path),
        tmp_path,
        smtp_url=address,
        mail_from="plan@example.org",
        address="https://plan.example.org",
    )
    old, browser = site.client("Ada"), site.client()
    assert "Password lost?" in browser.get("/sign-in").text
    browser.get("/forgotten")
    nobody = browser.post("/forgotten", {"email": "nobody@example.org"}).text.replace("nobody", "ada")
    asked = browser.post("/forgotten", {"email": "Ada@example.org"}).text.replace("Ada", "ada")
    assert re.sub(r"[0-9a-f]{64}", "", nobody) == re.sub(r"[0-9a-f]{64}", "", asked)  # neither is told
    assert len(taken.got) == 1 and taken.got[0].rcpt_tos == ["ada@example.org"]
    text = taken.got[0].content.decode().replace("=\r\n", "")
    token = re.search(r"https://plan\.example\.org/reset/([\w-]{40,})", text)[1]  # type: ignore[index]
    with site.store.reading() as session:
        row = session.query(OutboxRow).filter_by(kind="mail").one()
        assert row.state == "sent" and row.content["text"] == TAKEN_OUT  # it lets somebody in: nobody else reads it
        assert token not in str([list(vars(one).items()) for one in session.query(ResetRow)])
    assert "Ada" in browser.get(f"/reset/{token}").text and "Ada" in browser.get(f"/reset/{token}").text
    assert "easily guessed" in browser.post(f"/reset/{token}", {"password": "password123", "again": "password123"}).text
    assert "not the same" in browser.post(f"/reset/{token}", {"password": GOOD, "again": PASSWORD}).text
    assert browser.post(f"/reset/{token}", {"password": GOOD, "again": GOOD}).is_success
    again = browser.get(f"/reset/{token}")
    assert again.status_code == 404 and "counts no longer" in again.text
    old.client.follow_redirects = False
    assert old.get("/runs").status_code == 303  # all sessions ended
    assert site.client().sign_in("Ada", GOOD).url.path == "/"


def test_a_link_ends_after_an_hour_by_another_one_and_with_who_leaves(site: Site) -> None:
    from unisequa.actions.people import resets

    def link(name: str) -> str:
        with site.store.writing() as session:
            return resets.make(session, site.people[name], "a test")

    browser, (first, second, cleo) = site.client(), (link("Bela"), link("Bela"), link("Cleo"))
    assert browser.get(f"/reset/{first}").status_code == 404 and browser.get(f"/reset/{second}").is_success
    with site.store.writing() as session:
        for row in session.query(ResetRow):
            row.until -= dt.timedelta(hours=1, seconds=5) if row.person_id == site.people["Bela"] else dt.timedelta()
        session.get(Person, site.people["Cleo"]).active = False
    assert {browser.get(f"/reset/{token}").status_code for token in (second, cleo)} == {404}
    browser.get("/forgotten")
    assert browser.post("/forgotten", {"email": "ada@example.org"}).status_code == 404  # no mail leaves here


def test_mail_that_cannot_leave_waits_and_is_tried_again(site: Site, mails: tuple[str, Mails]) -> None:
    from unisequa.actions.mail import Mail, post_mail

    with site.store.writing() as session:
        post_mail(session, "a", Mail("ada@example.org", "Ünïcode", "Grüße\n"), site.people["Ada"])
    assert send_waiting(site.store, "smtp://127.0.0.1:9", "plan@example.org") == 0
    assert send_waiting(site.store, mails[0], "plan@example.org") == 0  # not at once
    with site.store.writing() as session:
        session.query(OutboxRow).filter_by(kind="mail").one().due_at -= dt.timedelta(hours=1)
    assert send_waiting(site.store, mails[0], "plan@example.org") == 1
    assert send_waiting(site.store, mails[0], "plan@example.org") == 0
    assert len(mails[1].got) == 1 and b"Message-ID: <" in mails[1].got[0].content


def test_mail_that_is_refused_is_shown_with_the_servers_words(site: Site, mails: tuple[str, Mails]) -> None:
    from unisequa.actions.mail import Mail, post_mail

    with site.store.writing() as session:
        post_mail(session, "a", Mail("nobody@example.org", "Hello", "Is anybody there?"), site.people["Ada"])
    assert send_waiting(site.store, mails[0], "plan@example.org") == 0
    page = site.client("Ada").get("/outbox?state=failed").text
    assert "Hello" in page and "550 5.1.1 No such mailbox here" in page and "Send it again" in page


def begun(page: str) -> dict[str, str]:
    return {name: re.search(rf'name="{name}" value="([^"]*)"', page)[1] for name in ("begun", "back")}  # type: ignore[index]


def test_a_second_factor_is_asked_for_after_the_password(site: Site, monkeypatch: pytest.MonkeyPatch) -> None:
    clock = [time.time()]
    monkeypatch.setattr(time, "time", lambda: clock[0])
    ada, other = site.client("Ada"), site.client("Ada")
    page = ada.get("/account/second-factor").text
    secret = re.search(r'translate="no">([A-Z2-7 ]+)<', page)[1].replace(" ", "")  # type: ignore[index]
    sealed = re.search(r'name="sealed" value="([^"]+)"', page)[1]  # type: ignore[index]
    assert "<svg" in page
    wrong = ada.post("/account/second-factor", {"sealed": sealed, "code": "000000"})
    assert wrong.status_code == 422 and secret[:4] in wrong.text
    assert site.client("Bela").post("/account/second-factor", {"sealed": sealed, "code": "1"}).status_code in {403, 422}
    shown = ada.post("/account/second-factor", {"sealed": sealed, "code": pyotp.TOTP(secret).at(clock[0])})
    paper = re.findall(r"<li>((?:\w{4}-){3}\w{4})</li>", shown.text)
    assert len(set(paper)) == 10
    other.client.follow_redirects = False
    assert other.get("/runs").status_code == 303  # begun without it

    fresh = site.client()
    asked = fresh.sign_in("Ada")
    assert "authenticator shows" in asked.text and fresh.get("/runs").url.path == "/sign-in"
    kept = begun(asked.text)
    used = fresh.post("/sign-in/code", {**kept, "code": pyotp.TOTP(secret).at(clock[0])})
    assert used.status_code == 422 and "taken once" in used.text  # the one that put it on
    clock[0] += 30
    assert fresh.post("/sign-in/code", {**kept, "code": pyotp.TOTP(secret).at(clock[0])}).url.path == "/"
    replayed = site.client()
    again = begun(replayed.sign_in("Ada").text)
    assert replayed.post("/sign-in/code", {**again, "code": pyotp.TOTP(secret).at(clock[0])}).status_code == 422
    assert replayed.post("/sign-in/code", {**again, "code": paper[0].upper().replace("-", " ")}).url.path == "/"
    assert site.client().sign_in("Bela").url.path == "/"  # who has none is not asked

    guesser = site.client()
    kept = begun(guesser.sign_in("Ada").text)
    answers = [guesser.post("/sign-in/code", {**kept, "code": paper[0]}).text for _ in range(8)]
    assert "taken once" in answers[0] and any("Too many codes" in answer for answer in answers)  # a pause may be over
    forged = guesser.post("/sign-in/code", {**kept, "begun": kept["begun"][:-2] + "xx", "code": paper[1]})
    assert "begin again" in forged.text

    assert "That is not your password" in ada.post("/account/second-factor/off", {"password": "a guess"}).text
    assert "9 of your codes on paper are left" in ada.get("/account").text
    assert len(re.findall(r"<li>\w{4}-", ada.post("/account/second-factor/codes", {"password": PASSWORD}).text)) == 10
    assert "off" in ada.post("/account/second-factor/off", {"password": PASSWORD}).text
    assert site.client().sign_in("Ada").url.path == "/"


def test_an_administrator_takes_off_a_second_factor_that_is_lost(site: Site) -> None:
    with site.store.writing() as session:
        session.get(Person, site.people["Cleo"]).administrator = True
        session.get(Person, site.people["Ada"]).second_factor = pyotp.random_base32()
    held = site.client().sign_in("Ada")
    cleo = site.client("Cleo")
    cleo.get(f"/people/{site.people['Ada']}")
    assert cleo.post(f"/people/{site.people['Ada']}/no-second-factor").is_success
    late = site.client()
    late.get("/sign-in")
    assert "too old" in late.post("/sign-in/code", {**begun(held.text), "code": "123456"}).text
    assert site.client().sign_in("Ada").url.path == "/"


@pytest.fixture
def elsewhere(tmp_path: Path) -> Iterator[tuple[Site, Provider]]:
    with provider() as there:
        site = with_settings(
            make_site(tmp_path), tmp_path, oidc_issuer=there.issuer, oidc_client_id="unisequa",
            oidc_client_secret="told to nobody", oidc_name="Fenwick House",
        )  # fmt: skip
        yield site, there


def arrive(site: Site, there: Provider, **claims: Any) -> tuple[Browser, Any]:
    """Somebody signs in there, and what they get here."""
    there.claims = claims
    browser = Browser(TestClient(site.app, base_url="http://localhost", follow_redirects=False))
    left = browser.get("/sign-in/elsewhere?back=/library")
    sent = left.headers["location"]
    _, where = there.answer("/authorize", dict(re.findall(r"[?&]([^=]+)=([^&]*)", unquoted(sent))))
    browser.client.follow_redirects = True
    return browser, browser.get(str(where))


def unquoted(text: str) -> str:
    from urllib.parse import unquote_plus

    return unquote_plus(text)


def test_somebody_signs_in_elsewhere_and_is_known_from_then_on(elsewhere: tuple[Site, Provider]) -> None:
    site, there = elsewhere
    assert "Sign in with Fenwick House" in site.client().get("/sign-in").text
    _, unknown = arrive(site, there, sub="7", email="dora@example.org", email_verified=True)
    assert unknown.status_code == 422 and "dora@example.org has no account here" in unknown.text
    _, unverified = arrive(site, there, sub="1", email="ada@example.org", email_verified=False)
    assert unverified.status_code == 422 and "not verified" in unverified.text
    browser, answer = arrive(site, there, sub="1", email="Ada@example.org", email_verified=True)
    assert answer.url.path == "/library" and "Ada" in browser.get("/account").text
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).email = "ada.of.old@example.org"
    assert arrive(site, there, sub="1")[1].url.path == "/library"  # by what the provider calls her, not by address
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).active = False
        assert session.query(AuditRow).filter(AuditRow.text.contains("known by")).count() == 1
    assert arrive(site, there, sub="1")[1].status_code == 422


def test_what_comes_back_from_elsewhere_is_not_believed_when_anything_is_wrong(
    elsewhere: tuple[Site, Provider],
) -> None:
    site, there = elsewhere
    good = {"sub": "1", "email": "ada@example.org", "email_verified": True}
    for spoilt in (
        {"aud": "another"}, {"iss": "https://else.example.org"}, {"nonce": "another"}, {"exp": 1_000_000_000},
    ):  # fmt: skip
        there.spoil = spoilt
        answer = arrive(site, there, **good)[1]
        assert answer.status_code == 422 and "did not work" in answer.text, spoilt
    there.spoil, kept = {}, there.key
    there.key = RSAKey.generate_key(2048, {"kid": "one"})
    assert arrive(site, there, **good)[1].status_code == 422  # signed by another
    there.key = kept
    stranger = site.client()
    forged = stranger.get("/sign-in/elsewhere/back?code=x&state=y")
    assert forged.status_code == 422 and "not begun here" in forged.text
    assert stranger.get("/runs").url.path == "/sign-in"


def test_a_provider_that_does_not_answer_is_said(tmp_path: Path) -> None:
    site = with_settings(make_site(tmp_path), tmp_path, oidc_issuer="http://127.0.0.1:9", oidc_client_id="unisequa")
    answer = site.client().get("/sign-in/elsewhere")
    assert answer.status_code == 422 and "does not answer" in answer.text
