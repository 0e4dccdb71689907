"""Webhooks: signed as an independent library checks, queued with their cause, tried again, never aimed inside."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from typing import Any

import pytest
import standardwebhooks

from tests.site import TODAY, Site
from unisequa.actions.outbox import Refused
from unisequa.actions.runs.shifts import apply_shift
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.webhooks import outward
from unisequa.actions.webhooks.hooks import EVENTS, deliveries, make_webhook, send_hooks, tell_again
from unisequa.store.tables import OutboxRow, Person, now

HERE = ("127.0.0.1",)


class Other:
    """Another program on loopback; answers what it is told to."""

    def __init__(self) -> None:
        self.got: list[tuple[dict[str, str], str]] = []
        self.status = 200
        other = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["content-length"])).decode()
                other.got.append(({name.lower(): value for name, value in self.headers.items()}, body))
                self.send_response(other.status)
                self.send_header("location", f"http://127.0.0.1:{other.port}/elsewhere")
                self.send_header("content-length", "0")
                self.end_headers()

            def log_message(self, *args: Any) -> None:
                pass

        self.server = HTTPServer(("127.0.0.1", 0), Handler)
        self.port = self.server.server_port
        threading.Thread(target=self.server.serve_forever, daemon=True).start()


@pytest.fixture
def other() -> Iterator[Other]:
    made = Other()
    yield made
    made.server.shutdown()


def made(site: Site, other: Other, name: str = "Ada", *events: str) -> str:
    with site.store.writing() as session:
        url = f"http://127.0.0.1:{other.port}/in"
        return make_webhook(session, site.person(name), "A test", url, events or tuple(EVENTS))


def finish(site: Site, key: str = "draft") -> None:
    with site.store.writing() as session:
        act_on_tasks(session, site.person("Ada"), site.run, Deed("finish", [key]), TODAY)


def soon(site: Site) -> None:
    with site.store.writing() as session:
        for row in session.query(OutboxRow).filter_by(kind="hook"):
            row.due_at = now()


def test_what_happens_is_told_once_and_signed_so_that_another_library_verifies_it(site: Site, other: Other) -> None:
    secret = made(site, other)
    finish(site)
    with site.store.writing() as session:
        edits = [{"edit": "move", "task": "print", "start": "2026-06-15"}]
        apply_shift(session, site.person("Ada"), site.run, 2, edits, TODAY, "Late")
    assert send_hooks(site.store, HERE) == 3 and send_hooks(site.store, HERE) == 0
    told = [standardwebhooks.Webhook(secret).verify(body, headers) for headers, body in other.got]
    assert [one["type"] for one in told] == ["task.done", "task.ready", "shift.applied"]
    assert told[0]["data"]["task"]["key"] == "draft" and told[2]["data"]["shift"]["why"] == "Late"
    with pytest.raises(standardwebhooks.webhooks.WebhookVerificationError):
        standardwebhooks.Webhook(secret).verify(other.got[0][1].replace("draft", "other"), other.got[0][0])


def test_what_does_not_arrive_is_tried_again_under_one_id_signed_anew(site: Site, other: Other) -> None:
    secret = made(site, other, "Ada", "task.done")
    other.status = 503
    finish(site)
    assert send_hooks(site.store, HERE) == 0 and send_hooks(site.store, HERE) == 0  # not at once
    other.status = 204
    soon(site)
    assert send_hooks(site.store, HERE) == 1
    assert len({headers["webhook-id"] for headers, _ in other.got}) == 1 and len(other.got) == 2
    for headers, body in other.got:
        standardwebhooks.Webhook(secret).verify(body, headers)
    with site.store.writing() as session:
        _, told = deliveries(session, site.person("Ada"), 1)
        assert [(one.state, one.tries) for one in told] == [("sent", 2)]
        tell_again(session, site.person("Ada"), 1, told[0].id)
    assert send_hooks(site.store, HERE) == 1 and len(other.got) == 3


def test_a_redirect_is_not_followed_and_who_is_gone_is_told_nothing_any_more(site: Site, other: Other) -> None:
    made(site, other, "Ada", "task.done")
    other.status = 302
    finish(site)
    assert send_hooks(site.store, HERE) == 0 and len(other.got) == 1
    other.status = 410
    soon(site)
    send_hooks(site.store, HERE)
    with site.store.writing() as session:
        hook, told = deliveries(session, site.person("Ada"), 1)
    assert not hook.on and told[0].state == "failed"


def test_nobody_is_told_of_what_they_may_not_see(site: Site, other: Other) -> None:
    site.client("Ada").post(f"/templates/{site.template}/rights", {"open_to": "nothing"})
    with site.store.writing() as session:
        dora = Person(name="Dora", email="dora@example.org", password_hash="-")
        session.add(dora)
        session.flush()
        site.people["Dora"] = dora.id
    made(site, other, "Dora")
    finish(site)
    assert send_hooks(site.store, HERE) == 0 and other.got == []


@pytest.mark.parametrize(
    "host",
    ["127.0.0.1", "localhost", "[::1]", "169.254.169.254", "10.0.0.1", "[::ffff:127.0.0.1]", "0.0.0.0", "[fe80::1]"],
)
def test_an_address_inside_is_never_connected_to(host: str, other: Other) -> None:
    with pytest.raises(Refused, match="inside"):
        outward.post(f"http://{host}:{other.port}/in", "{}", {}, ())
    assert other.got == []


def test_webhooks_are_made_looked_at_and_ended_on_their_page(site: Site, other: Other) -> None:
    browser = site.client("Ada")
    assert browser.post("/account/webhooks", {"webhook": "", "url": "ftp://x", "event": "x"}).status_code == 422
    fields = {"webhook": "Chat", "url": f"http://127.0.0.1:{other.port}/in", "event": "task.done"}
    assert 'value="whsec_' in browser.post("/account/webhooks", fields).text
    finish(site)
    send_hooks(site.store, ())
    page = browser.get("/account/webhooks/1").text
    assert "task.done" in page and "is an address inside" in page
    assert site.client("Bela").get("/account/webhooks/1").status_code == 404
    browser.post("/account/webhooks/1/off")
    with site.store.reading() as session:
        assert not deliveries(session, site.person("Ada"), 1)[0].on
    browser.post("/account/webhooks/1/end")
    assert browser.get("/account/webhooks/1").status_code == 404
