"""A problem as other programs read it (RFC 9457), with the paths at fault in ``errors``."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import Request
from starlette.responses import JSONResponse

TITLES = {
    400: "Not understood", 401: "A token is needed", 403: "Not allowed", 404: "Nothing here", 405: "Not done that way",
    409: "Not done", 411: "Length needed", 412: "Changed since", 413: "Too large", 422: "Not understood",
    428: "If-Match is needed", 500: "That did not work", 503: "Not just now",
}  # fmt: skip


class ProblemResponse(JSONResponse):
    """A problem as JSON."""

    media_type = "application/problem+json"


def problem(
    request: Request,
    status: int,
    detail: str,
    errors: Mapping[str, str] | None = None,
    headers: Mapping[str, str] | None = None,
    more: Mapping[str, Any] | None = None,
) -> ProblemResponse:
    """A problem as it is answered."""
    faults = [{"path": path, "message": message} for path, message in (errors or {}).items()]
    title = TITLES.get(status, "That did not work")
    body = {
        "type": "about:blank", "title": title, "status": status, "detail": detail, "instance": request.url.path,
        "errors": faults, **(more or {}),
    }  # fmt: skip
    return ProblemResponse(body, status, headers=dict(headers or {}))
