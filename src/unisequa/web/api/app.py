"""The API as an application of its own, described by OpenAPI 3.1."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI

from unisequa.settings import Settings
from unisequa.store.store import Store
from unisequa.web.api import hooks, runs, subjects, tasks, templates
from unisequa.web.api.problems import Problem, answer_problems

DESCRIPTION = """Templates, runs and tasks for other programs, by the same rules as the pages.

A token goes along as `Authorization: Bearer …`; its scopes say what it may do, and its person what it may see. Writes
take an `Idempotency-Key`, changes of runs and tasks need `If-Match` with the ETag that they are made on. Dates are as
people read them, both ends included."""

_PROBLEMS = {
    400: "What was sent is not understood", 401: "No token that counts", 403: "The token or its person may not",
    404: "Nothing there, or not for this person", 409: "The first of that key is under way, or others were first",
    412: "Changed since", 422: "Something is at fault, by its path", 428: "If-Match is missing",
    503: "Many write at this moment, or the data cannot be written",
}  # fmt: skip


def api_app(settings: Settings, store: Store) -> FastAPI:
    """The API on a store."""
    content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    api = FastAPI(
        title="Unisequa",
        version="1",
        description=DESCRIPTION,
        docs_url=None,
        redoc_url=None,
        openapi_url="/openapi.json",
        servers=[{"url": f"{settings.root_path}/api/v1"}],
        telemetry={"tracing": False, "metrics": False, "logs": False},
        responses={
            code: {"model": Problem, "description": words, "content": content} for code, words in _PROBLEMS.items()
        },
        separate_input_output_schemas=False,
    )
    api.state.settings, api.state.store = settings, store
    for part in (templates, runs, tasks, subjects, hooks):
        api.include_router(part.router)
    answer_problems(api)
    described = api.openapi

    def openapi() -> dict[str, Any]:
        if api.openapi_schema is None:
            made = described()
            for path in made["paths"].values():
                for operation in path.values():
                    for code, response in operation.get("responses", {}).items():
                        if int(code) >= 400:
                            response.get("content", {}).pop("application/json", None)
            api.openapi_schema = made
        return api.openapi_schema

    api.openapi = openapi  # type: ignore[method-assign]
    return api
