"""Errors as other programs read them: RFC 9457 problem details, with the paths at fault in ``errors``."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException
from starlette.responses import Response

from unisequa.core.calendars.words import as_sentence
from unisequa.core.errors import (
    ActionError,
    Busy,
    DateRangeError,
    DocumentError,
    Refused,
    ShiftError,
    TypedError,
    Unwell,
)
from unisequa.web.errors import log_error
from unisequa.web.problem import ProblemResponse, problem


class PathFault(BaseModel):
    """One thing at fault, and where."""

    path: str = Field(examples=["anchors.period_end"])
    message: str = Field(examples=["Give it as 2026-11-30."])


class Problem(BaseModel):
    """What went wrong (RFC 9457)."""

    type: str = "about:blank"
    title: str = Field(examples=["Not understood"])
    status: int = Field(examples=[422])
    detail: str = Field(examples=["Period end is required; fill it in."])
    instance: str = Field(examples=["/api/v1/runs"])
    errors: list[PathFault] = []


class ApiError(ActionError):
    """An error that only programs meet; ``more`` stands beside what every problem has."""

    def __init__(
        self, status: int, detail: str, headers: Mapping[str, str] | None = None, more: Mapping[str, Any] | None = None
    ) -> None:
        self.status, self.headers, self.more = status, dict(headers or {}), dict(more or {})
        super().__init__(detail)


def problem_of(request: Request, error: Exception) -> ProblemResponse:
    """The problem that one of our errors is."""
    if isinstance(error, ApiError):
        return problem(request, error.status, str(error), headers=error.headers, more=error.more)
    if isinstance(error, Refused):
        return problem(request, error.status, str(error), error.faults)
    if isinstance(error, DocumentError):
        faults = {fault.path: as_sentence(fault.message) for fault in error.faults}
        return problem(request, 422, as_sentence(str(error.faults[0])), faults)
    if isinstance(error, ActionError):
        headers = {"retry-after": str(error.seconds)} if isinstance(error, Busy) else {}
        return problem(request, error.status, str(error), headers=headers)
    return problem(request, 422, as_sentence(str(error)))


def answer_problems(api: FastAPI) -> None:
    """Have the API answer every error as a problem."""

    def ours(request: Request, error: Exception) -> Response:
        if isinstance(error, Unwell):
            log_error(request.url.path, error)
        return problem_of(request, error)

    for kind in (ActionError, DocumentError, ShiftError, TypedError, DateRangeError):
        api.add_exception_handler(kind, ours)

    @api.exception_handler(RequestValidationError)
    def _sent(request: Request, error: RequestValidationError) -> Response:
        faults: dict[str, str] = {}
        for fault in error.errors():
            where = [str(part) for part in fault["loc"] if part != "body"]
            faults[".".join(where)] = as_sentence(str(fault["msg"]).removeprefix("Value error, "))
        if any(fault["loc"][:1] == ("path",) for fault in error.errors()):
            return problem(request, 404, "There is nothing at this address.")
        return problem(request, 422, next(iter(faults.values()), "What was sent cannot be read."), faults)

    @api.exception_handler(HTTPException)
    def _http(request: Request, error: HTTPException) -> Response:
        detail = {404: "There is nothing at this address.", 405: "This address is not used in that way."}
        return problem(
            request, error.status_code, detail.get(error.status_code, str(error.detail)), headers=error.headers
        )

    @api.exception_handler(Exception)
    def _unexpected(request: Request, error: Exception) -> Response:
        log_error(request.url.path, error)
        return problem(request, 500, "Something went wrong on our side and nothing was changed. It is in the log.")
