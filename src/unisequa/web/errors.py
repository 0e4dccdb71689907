"""What is said when something cannot be answered: one page, one message in the corner, one shape of JSON.

Every JSON error is ``{"error": {"title", "message", "fields"}}``, with ``fields`` from field to message where the fault
lies in some; an answer may carry more beside ``error``.
"""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from unisequa.core.errors import ActionError, Busy, Refused, Unwell
from unisequa.web.pages import asks_for_piece, render
from unisequa.web.problem import problem
from unisequa.web.session import ForgedRequest, SignInNeeded, signed_in

HEADERS = {
    "content-security-policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    ),
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "same-origin",
    "permissions-policy": "camera=(), microphone=(), geolocation=()",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}

TITLES = {
    401: "Sign in", 403: "Not yours to change", 404: "Nothing here", 405: "Not done that way",
    409: "That was not done", 422: "That was not done", 503: "Not just now",
}  # fmt: skip
TOO_OLD = "The page was open for too long, or came from another site. Reload it and try again."


@dataclass(frozen=True, slots=True)
class ErrorPage:
    """What went wrong, in words for the person it happened to."""

    title: str
    message: str


def wants_json(request: Request) -> bool:
    """Whether a script asks, that reads JSON."""
    sent = request.headers.get("content-type", "")
    return "application/json" in request.headers.get("accept", "") or sent.startswith("application/json")


def json_error(status: int, message: str, error: Exception | None = None, **more: Any) -> JSONResponse:
    """An error as JSON, in the one shape there is; ``more`` stands beside it."""
    faults = error.faults if isinstance(error, Refused) else {}
    fields = {name: text for name, text in faults.items() if name}
    title = TITLES.get(status, "That did not work")
    return JSONResponse(
        {"error": {"title": title, "message": message, "fields": fields}, **more}, status, headers=HEADERS
    )


def answer(request: Request, status: int, title: str, message: str, error: Exception | None = None) -> Response:
    """An error as whoever asked can show it: a message in the corner, JSON, or a page; to other programs a problem."""
    if request.url.path.startswith("/api/"):
        faults = error.faults if isinstance(error, Refused) else {}
        return problem(request, status, message, faults, HEADERS)
    if wants_json(request):
        return json_error(status, message, error)
    response: HTMLResponse
    if asks_for_piece(request):
        headers = {"hx-retarget": "#toast", "hx-reswap": "innerHTML"}
        response = render(request, "_toast.html", {"message": message}, status=status, headers=headers)
    else:
        response = render(request, "error.html", ErrorPage(title, message), status=status)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    return response


def form_again(request: Request, template: str, page: object, faults: Mapping[str, str], status: int = 422) -> Response:
    """A form as it was filled in, with what is wrong by field ('' for all of it); for a script only that."""
    if wants_json(request):
        error = Refused(dict(faults))
        return json_error(status, str(error), error)
    return render(request, template, page, status=status)


def answer_errors(app: FastAPI) -> None:
    """Have the application answer every error in one way."""

    @app.exception_handler(SignInNeeded)
    def _sign_in(request: Request, error: SignInNeeded) -> Response:
        where = "/sign-in" + (f"?back={quote(error.back)}" if error.back not in {"/", ""} else "")
        if wants_json(request):
            return json_error(401, "Sign in first; the session is over.")
        if asks_for_piece(request):
            return Response(status_code=204, headers={"hx-redirect": where, **HEADERS})
        return RedirectResponse(where, status_code=303)

    @app.exception_handler(ForgedRequest)
    def _forged(request: Request, error: ForgedRequest) -> Response:
        return answer(request, 403, "Not accepted", TOO_OLD)

    @app.exception_handler(ActionError)
    def _action(request: Request, error: ActionError) -> Response:
        response = answer(request, error.status, TITLES[error.status], str(error), error)
        if isinstance(error, Busy):
            response.headers["retry-after"] = str(error.seconds)
        if isinstance(error, Unwell):
            log_error(request.url.path, error)
        return response

    @app.exception_handler(RequestValidationError)
    def _address(request: Request, error: RequestValidationError) -> Response:
        if any(fault["loc"][:1] == ("path",) for fault in error.errors()):
            return answer(request, 404, TITLES[404], "There is no page at this address.")
        names = ", ".join(str(fault["loc"][-1]) for fault in error.errors())
        return answer(request, 422, TITLES[422], f"What was sent cannot be read: {names}.")

    @app.exception_handler(HTTPException)
    def _http(request: Request, error: HTTPException) -> Response:
        if not hasattr(request.state, "person"):  # no page has asked who it is, and an address may just be mistyped
            with suppress(SignInNeeded, ActionError):
                signed_in(request)
        message = {
            404: "There is no page at this address.", 405: "This address is not used in that way.",
        }.get(error.status_code, str(error.detail))  # fmt: skip
        response = answer(request, error.status_code, TITLES.get(error.status_code, "That did not work"), message)
        for name, value in (error.headers or {}).items():
            response.headers.setdefault(name, value)
        return response

    @app.exception_handler(ClientDisconnect)
    def _gone(request: Request, error: ClientDisconnect) -> Response:
        return Response(status_code=400)  # nobody reads it: whoever asked has gone

    @app.exception_handler(Exception)
    def _unexpected(request: Request, error: Exception) -> Response:
        log_error(request.url.path, error)
        message = "Something went wrong on our side and nothing was changed. It has been written to the log."
        return answer(request, 500, "That did not work", message)


def log_error(path: str, error: Exception) -> None:
    """Write an unexpected error to the log, without the values it met on its way."""
    import structlog

    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ]
    )
    structlog.get_logger().error("unexpected error", path=path, exc_info=error)
