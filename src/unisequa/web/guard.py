"""What every request and every answer passes: how much may be sent, from where, and with which headers."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from fastapi import Request
from starlette.responses import Response

from unisequa.web.errors import HEADERS, answer

LARGEST_BODY = 4 * 1024 * 1024
LARGEST_FILE = 26 * 1024 * 1024
"""What may be sent: files to importing and to a template's attachments, and everything else."""


async def guard(request: Request, call_next: Any) -> Response:
    """Refuse what is too large or comes from another site; give every answer its headers."""
    length = request.headers.get("content-length", "0")
    path = request.url.path
    most = LARGEST_FILE if path == "/import" or path.endswith("/attachments") else LARGEST_BODY
    if length.isdigit() and int(length) > most:
        message = f"What was sent is larger than {most // 1024 // 1024} MB, so it was not read. Nothing was changed."
        return answer(request, 413, "Too large", message)
    if "transfer-encoding" in request.headers and request.method not in {"GET", "HEAD"}:
        return answer(request, 411, "Length needed", "What is sent must say how long it is; nothing was read.")
    origin = request.headers.get("origin")
    foreign = origin is not None and urlsplit(origin).netloc != request.headers.get("host")
    if request.method not in {"GET", "HEAD"} and foreign:
        return answer(request, 403, "Not accepted", "This came from another site.")
    response: Response = await call_next(request)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    if path.startswith("/static/") and response.status_code == 200:
        response.headers["cache-control"] = "public, max-age=31536000, immutable"
    else:
        response.headers.setdefault("cache-control", "no-store")
    return response
