"""Who calls, what their token lets them do, and writes that are done once and only on what was seen."""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import hashlib
import json
from collections.abc import Callable
from contextlib import suppress
from typing import Annotated, Any

from fastapi import Depends, Header, Path, Query, Request, Response
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer
from pydantic import BaseModel, BeforeValidator, ConfigDict
from starlette.responses import JSONResponse

from unisequa.actions.programs.once import Answer, Once, done_once
from unisequa.actions.programs.tokens import Caller, caller_by, used
from unisequa.core.errors import ActionError, Busy, Unwell
from unisequa.core.terms import LARGEST_NUMBER
from unisequa.store.store import Session, Store
from unisequa.web.api.problems import ApiError, problem_of
from unisequa.web.session import settings_of, store_of

BASE = "/api/v1"
MOST_LISTED = 200
NOT_KEPT = frozenset({401, 409, 412, 428})
"""What is not the answer to a key for good: sent again in another moment, or on another state, it may be done."""
_bearer = HTTPBearer(auto_error=False, description="A token made under Your account, For other programs.")


class Body(BaseModel):
    """Base of what is sent: keys that are not known are refused."""

    model_config = ConfigDict(extra="forbid")


def _text_only(value: Any) -> Any:
    if not isinstance(value, str):
        raise ValueError("a date is text, such as 2026-11-30")
    return value


Day = Annotated[dt.date, BeforeValidator(_text_only)]
Id = Annotated[int, Path(ge=1, le=LARGEST_NUMBER, examples=[1])]
Limit = Annotated[int, Query(ge=1, le=MOST_LISTED, description="how many at most")]
After = Annotated[str, Query(max_length=200, description="the cursor of the page before")]
IfMatch = Annotated[str | None, Header(max_length=200, description="the ETag that the change is made on")]
IfNoneMatch = Annotated[str | None, Header(max_length=200, description="the ETag that is there already")]
Key = Annotated[
    str | None,
    Header(
        alias="Idempotency-Key", max_length=200, pattern=r"^[!-~]+$", description="a name for this write: done once"
    ),
]


def caller_of(
    request: Request, given: Annotated[HTTPAuthorizationCredentials | None, Depends(_bearer)] = None
) -> Caller:
    """Whoever a program acts as.

    Raises
    ------
    ApiError
        401 without a token that counts.
    """
    store, today = store_of(request), settings_of(request).day()
    caller = None
    if given is not None:
        with store.reading() as session:
            caller = caller_by(session, given.credentials, today)
    if caller is None:
        said = 'Bearer realm="unisequa"' + (', error="invalid_token"' if given is not None else "")
        words = "This token is not known, or counts no more." if given else "Send a token: Authorization: Bearer …"
        raise ApiError(401, words, {"www-authenticate": said})
    if caller.unseen:
        with suppress(Busy, Unwell), store.writing() as session:
            used(session, caller.token_id)
    request.state.person = caller.actor
    return caller


def needs(scope: str) -> Callable[[Caller], Caller]:
    """Only with a scope."""

    def check(caller: Annotated[Caller, Depends(caller_of)]) -> Caller:
        if scope not in caller.scopes:
            said = f'Bearer realm="unisequa", error="insufficient_scope", scope="{scope}"'
            raise ApiError(403, f"This token lacks the scope {scope}.", {"www-authenticate": said})
        return caller

    return check


Reads = Annotated[Caller, Depends(needs("read"))]
Works = Annotated[Caller, Depends(needs("work"))]
Starts = Annotated[Caller, Depends(needs("start"))]
Shifts = Annotated[Caller, Depends(needs("shift"))]
Designs = Annotated[Caller, Depends(needs("design"))]


def etag_of(value: Any, day: dt.date) -> str:
    """The ETag of something as it is seen on a day."""
    text = json.dumps(value, sort_keys=True, default=str)
    return f'"{hashlib.sha256(f"{day.isoformat()} {text}".encode()).hexdigest()[:24]}"'


def run_etag(version: int, day: dt.date) -> str:
    """The ETag of a run: its version, and the day."""
    return f'"{version}-{day.isoformat()}"'


def check_match(given: str | None, etag: str, state: Callable[[], Any]) -> None:
    """Refuse a change that does not say on what it is made, or is made on what has changed since.

    Raises
    ------
    ApiError
        428, or 412 with the ``state`` there is now.
    """
    if given is None:
        raise ApiError(428, "Send If-Match with the ETag that this is made on, so that nobody's change is lost.")
    wanted = {one.strip().removeprefix("W/") for one in given.split(",")}
    if etag not in wanted and "*" not in wanted:
        raise ApiError(412, "It has changed since; look at it as it is now.", {"etag": etag}, {"state": state()})


def unless_known(given: str | None, etag: str, body: Callable[[], Any]) -> Response:
    """Something with its ETag; nothing but that where it is there already (304)."""
    if given is not None and etag in {one.strip().removeprefix("W/") for one in given.split(",")}:
        return Response(status_code=304, headers={"etag": etag})
    return JSONResponse(body(), headers={"etag": etag, "cache-control": "private, no-cache"})


def written(
    request: Request, caller: Caller, key: str | None, body: BaseModel | Any, act: Callable[[Session], Answer]
) -> Response:
    """Do a write in one transaction; one with a key of the program's own once."""
    store: Store = store_of(request)
    sent = body.model_dump_json() if isinstance(body, BaseModel) else json.dumps(body, sort_keys=True)
    once = None
    if key is not None:
        asked = hashlib.sha256(sent.encode()).hexdigest()
        once = Once(caller.token_id, f"{request.method} {request.url.path}", key, asked)

    def refused(error: ActionError) -> Answer | None:
        if error.status in NOT_KEPT or error.status >= 500:
            return None
        made = problem_of(request, error)
        return Answer(made.status_code, json.loads(bytes(made.body)), {"content-type": made.media_type or ""})

    answer = done_once(store, once, act, refused)
    media = answer.headers.get("content-type", "application/json")
    headers = {name: value for name, value in answer.headers.items() if name != "content-type"}
    return JSONResponse(answer.body, answer.status, headers, media_type=media)


def cursor_in(text: str) -> int | None:
    """The id that a cursor stands for.

    Raises
    ------
    ApiError
        400 for what is no cursor of ours.
    """
    if not text:
        return None
    try:
        number = int(base64.urlsafe_b64decode(text.encode("ascii") + b"==").decode("ascii"))
        if not 0 < number <= LARGEST_NUMBER:
            raise ValueError
        return number
    except (ValueError, binascii.Error, UnicodeError):
        raise ApiError(400, "That is not a cursor of ours; begin without one.") from None


def page_of(
    request: Request, items: list[dict[str, Any]], limit: int, number: Callable[[dict[str, Any]], int]
) -> Response:
    """A page of a list, of which one more than ``limit`` was asked for, with the cursor of the next."""
    shown = items[:limit]
    following = None
    headers = {}
    if len(items) > limit:
        following = base64.urlsafe_b64encode(str(number(shown[-1])).encode()).decode().rstrip("=")
        address = request.url.include_query_params(after=following)
        headers["link"] = f'<{address.path}?{address.query}>; rel="next"'
    return JSONResponse({"items": shown, "next": following}, headers=headers)
