"""Nothing that is sent leads to an error of ours: addresses, forms and JSON of any shape."""

from __future__ import annotations

import os
import re
from typing import Any
from urllib.parse import parse_qsl, quote, unquote_to_bytes, urlencode

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.site import Browser, Site
from tests.web.routes import filled, routes
from unisequa.web.session import _fields, unquoted

NASTY = (
    "²", "٣", "9" * 30, str(2**63), str(2**31), "-1", "0", "", "\x00", "í\xa0\x80", "a\nb", "x" * 5000, "[", "[" * 900,
    "null", "1e9", "NaN", "../..", "<b>", "2026-13-45", "9999-12-31", "0001-01-01", "+99999999 wd", "eom", "{{ 7*7 }}",
    "{% raw %}",
)  # fmt: skip
FIELDS = (
    "act_why", "act_day", "by", "left", "comment", "box", "on", "keeper", "deputy", "follow", "show", "group",
    "proposal", "who.writer", "facts.number", "run", "anchor",
    "name", "category", "email", "password", "person", "role", "state", "act", "confirmed", "edits", "why", "open_to",
    "right", "note", "file", "key", "template", "anchors", "into", "anchor.go", "fact.number", "crew.writer", "subject",
    "calendar", "prepared", "start", "duration", "task", "version", "keep_dropped", "mode", "columns", "q", "owner",
    "edition", "k", "view", "old", "new", "back", "sort", "op", "keys", "field", "value", "edit", "where", "text",
    "rehearsal", "facts", "crew", "part", "label", "kind", "revision", "values", "clauses", "to", "lag", "offset",
    "first", "last", "day", "from", "week", "hours", "holidays", "leave", "position", "manager", "code", "begun",
    "sealed", "title", "again", "year", "t", "about", "end", "opens_on", "token", "open", "without", "put.1:draft",
    "give.1:draft", "await.1:1", "unit", "settled", "id", "moved", "version.1", "done", "task.1/draft",
    "when", "roll", "lead", "at", "opened", "named", "crew_as", "catch_up", "switch", "phone", "line.ready", "of",
    "webhook", "url", "delivery", "events", "scope", "until",
    "event", "then", "dated", "only_if", "thing", "subject_line", "depth",
    "share", "who", "span", "by", "stands", "keeper", "tag", "rows", "ids", "zoom", "added",
    "what", "lines", "phase", "under", "after", "days", "only", "step", "also", "whole", "keep", "against", "emptied",
)  # fmt: skip
OPS = ("set", "insert", "add", "part", "link", "move", "remove", "paste", "column", "about", "condition", "message")
TEXTS = st.sampled_from((*NASTY, "draft", "title", "steps", "roles", "1", *OPS))
VALUES = st.recursive(
    st.one_of(TEXTS, st.none(), st.booleans(), st.integers(-(2**70), 2**70), st.floats(-1e300, 1e300)),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(FIELDS), inner, max_size=5),
    max_leaves=12,
)
ASKED = st.tuples(
    st.sampled_from(("GET", "POST", "JSON", "edit")),
    st.integers(0, 200),
    st.lists(st.tuples(st.sampled_from(FIELDS), TEXTS), max_size=6),
    VALUES,
    st.lists(TEXTS, min_size=3, max_size=3),
    st.booleans(),
)


def address(site: Site, route: str, parts: list[str], known: bool) -> str:
    values = {
        "template_id": site.template,
        "run_id": site.run,
        "key": "draft",
        "number": 1,
        "what": "retire",
        "rule_id": 1,
        "hand_off_id": 2,
    }
    spare = iter(parts)

    def part(found: re.Match[str]) -> str:
        if known and found[1] in values:
            return str(values[found[1]])
        return quote(next(spare, "x"), safe="") or "x"

    return re.sub(r"{(\w+)}", part, route)


def test_nothing_that_is_sent_is_an_error_of_ours(site: Site, monkeypatch: pytest.MonkeyPatch) -> None:
    browser = Browser(
        TestClient(site.app, raise_server_exceptions=False, follow_redirects=False, base_url="http://localhost")
    )
    browser.sign_in("Ada")
    known = {method: [r for r in routes(site, method) if r != "/sign-out"] for method in ("GET", "POST")}

    @settings(
        max_examples=int(os.environ.get("UNISEQUA_FUZZ", "300")),
        derandomize="UNISEQUA_FUZZ" not in os.environ,  # the same for the same tree; `make fuzz` looks further
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture],
    )
    @given(ASKED)
    def ask(asked: Any) -> None:
        how, which, fields, body, parts, there = asked
        method = "GET" if how == "GET" else "POST"
        path = address(site, known[method][which % len(known[method])], parts, there)
        headers = {"x-csrf-token": browser.token, "accept": "application/json"}
        if how == "GET":
            answer = browser.client.get(path, params=fields)
        elif how == "POST":
            answer = browser.client.post(path, data=dict(fields), headers=headers)
        else:
            more = body if isinstance(body, dict) else {"value": body}
            sent = {"edit": {"op": OPS[which % len(OPS)], **more}} if how == "edit" else body
            answer = browser.client.post(path, json=sent, headers=headers)
        assert answer.status_code < 500, (how, path, fields, body)

    ask()


def test_an_address_with_one_part_that_leads_nowhere_is_answered(site: Site) -> None:
    browser = site.client("Ada")
    nowhere = {"key": "0"}
    for method, send in (("GET", browser.client.get), ("POST", browser.post)):
        for path in routes(site, method):
            for name in re.findall(r"{(\w+)}", path):
                asked = filled(site, path, **{name: nowhere.get(name, "987654")})
                status = send(asked).status_code
                assert status < 500, (method, asked, status)
                assert status >= 400 or name not in ("run_id", "template_id", "key"), (method, asked, status)


@pytest.mark.parametrize(
    "body", [b"[" * 100_000 + b"]" * 100_000, b'{"edit": "\\u0000"}', b'{"edit": "\\ud800"}', b"NaN", b"\xff", b""]
)
def test_json_that_cannot_be_kept_is_refused(site: Site, body: bytes) -> None:
    browser = site.client("Ada")
    headers = {"x-csrf-token": browser.token, "accept": "application/json", "content-type": "application/json"}
    answer = browser.client.post(f"/templates/{site.template}/edit", content=body, headers=headers)
    assert answer.status_code == 422 and answer.json()["error"]["message"]


PRINTED = st.text(st.characters(exclude_categories=["Cs"]), max_size=40)


@given(st.lists(st.tuples(PRINTED, PRINTED), max_size=8), st.binary(max_size=60))
def test_a_form_is_read_as_urllib_reads_it(pairs: list[tuple[str, str]], junk: bytes) -> None:
    whole = [(name, value) for name, value in pairs if name or value]
    assert _fields(urlencode(whole).encode()).multi_items() == parse_qsl(urlencode(whole), keep_blank_values=True)
    assert unquoted(junk) == unquote_to_bytes(junk.replace(b"+", b" ")).decode(errors="replace")
