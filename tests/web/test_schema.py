"""What takes JSON or an address is tried with what a schema allows and forbids, by schemathesis."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pytest
import schemathesis
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from schemathesis import Case, GenerationMode

from tests.site import Site, make_site
from tests.web.routes import routes
from tests.web.test_access import JSON_BODIES
from tests.web.test_api import program

TRIES = int(os.environ.get("UNISEQUA_FUZZ", "350"))
LONGEST = 60_000  # characters of a query; the client that asks refuses to send more than 65,536
ANYTHING: dict[str, Any] = {"content": {"application/json": {"schema": {}}}}


def described(site: Site) -> dict[str, Any]:
    """The application's own description of its addresses, with a body of JSON where one is read."""
    schema: dict[str, Any] = site.app.openapi()
    for path, operations in schema["paths"].items():
        if "post" in operations and "/" + path.rpartition("/")[2] in JSON_BODIES:
            operations["post"]["requestBody"] = ANYTHING
    assert len(schema["paths"]) == len(
        {*routes(site, "GET"), *routes(site, "POST")} - {"/favicon.ico", "/healthz", "/readyz"}
    )
    return schema


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Site]:
    made = make_site(Path(tmp_path_factory.mktemp("schema")))
    yield made
    made.store.engine.dispose()


def test_no_address_breaks_whatever_its_parts_and_its_json_are(site: Site) -> None:
    schema = schemathesis.openapi.from_dict(described(site))
    operations = [found.ok() for found in schema.get_all_operations()]
    modes = (GenerationMode.POSITIVE, GenerationMode.NEGATIVE)
    cases = [one.as_strategy(generation_mode=mode) for one in operations for mode in modes]
    browser = site.client("Ada")
    answered: set[str] = set()

    @settings(
        max_examples=TRIES,
        derandomize="UNISEQUA_FUZZ" not in os.environ,  # the same for the same tree; `make fuzz` looks further
        deadline=None,
        suppress_health_check=list(HealthCheck),
        database=None,
    )
    @given(st.one_of(cases))
    def ask(case: Case) -> None:
        assume(len(urlencode(case.query or {}, doseq=True)) < LONGEST)
        body = {"content": json.dumps(case.body)} if isinstance(case.body, str | int | float | list | dict) else {}
        headers = {"x-csrf-token": browser.token, "content-type": "application/json", "accept": "application/json"}
        answer = browser.client.request(
            case.method, case.formatted_path, params=dict(case.query or {}), headers=headers, **body
        )
        answered.add(f"{case.method} {case.operation.path}")
        assert answer.status_code < 500, (case.method, case.formatted_path, body, answer.text[:300])
        if not answer.is_success and answer.headers["content-type"] == "application/json":
            assert set(answer.json()["error"]) == {"title", "message", "fields"}

    ask()
    assert len(answered) > len(operations) // 2


PROBLEM = {"type", "title", "status", "detail", "instance", "errors"}


def test_the_api_answers_as_its_description_says_whatever_is_sent(site: Site) -> None:
    api = program(site, "Ada")
    schema = schemathesis.openapi.from_dict(site.app.state.api.openapi())
    operations = [found.ok() for found in schema.get_all_operations()]
    answered: set[tuple[str, int]] = set()

    def answer(case: Case, known: bool) -> None:
        assume(len(urlencode(case.query or {}, doseq=True)) < LONGEST)
        body = {"content": json.dumps(case.body)} if isinstance(case.body, str | int | float | list | dict) else {}
        path = case.operation.path if known else case.formatted_path
        path = re.sub(r"{\w+}", "1", path).lstrip("/")
        sent = {name: str(value) for name, value in (case.headers or {}).items() if str(value).isascii()}
        sent |= {"if-match": "*", "authorization": api.headers["authorization"]} if known else {}
        query = {} if known else dict(case.query or {})
        answer = api.request(
            case.method, path, params=query, headers={**sent, "content-type": "application/json"}, **body
        )
        answered.add((f"{case.method} {case.operation.path}", answer.status_code))
        assert answer.status_code < 500, (case.method, path, body, answer.text[:300])
        told = {int(code) for code in case.operation.definition.raw["responses"]}
        assert answer.status_code in told | {405, 413}, (case.method, path, answer.status_code)
        if not answer.is_success and answer.status_code != 304:
            assert answer.headers["content-type"] == "application/problem+json"
            assert set(answer.json()) >= PROBLEM

    for operation in operations:
        kinds = [
            operation.as_strategy(generation_mode=mode) for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE)
        ]
        settings(
            max_examples=TRIES // 10,
            derandomize="UNISEQUA_FUZZ" not in os.environ,
            deadline=None,
            suppress_health_check=list(HealthCheck),
            database=None,
        )(given(st.one_of(kinds), st.booleans())(answer))()
    assert {operation for operation, status in answered if status < 300} >= {
        "GET /templates", "GET /templates/{template_id}", "GET /runs", "GET /runs/{run_id}", "GET /tasks",
        "GET /tasks/{task_id}", "GET /subjects", "PUT /subjects/{kind}/{ref}",
    }  # fmt: skip
