"""The outbox: what was sent to whom, and why; what waits, what failed."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.messages.bell import LetterSeen, counts, outbox, send_again
from unisequa.core.calendars.today import zone_of
from unisequa.web.inputs import Id, Number
from unisequa.web.moments import moment_words
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf

router = APIRouter()
STATES = (("", "All"), ("waiting", "Waiting"), ("sent", "Sent"), ("failed", "Failed"), ("held back", "Held back"),
          ("bell", "In bells only"))  # fmt: skip
Words = Annotated[str, Query(max_length=20)]


@dataclass(frozen=True, slots=True)
class LetterLine:
    """A message in the list."""

    id: int
    at: str
    to: str
    how: str
    subject: str
    text: str
    why: str
    run_id: int | None
    run: str
    state: str
    failed: bool
    error: str
    may_resend: bool


@dataclass(frozen=True, slots=True)
class OutboxPage:
    """The page."""

    section: str
    letters: tuple[LetterLine, ...]
    states: tuple[tuple[str, str, int], ...]
    state: str
    run_id: int | None
    leaves: str
    whose: str
    most: bool


@router.get("/outbox")
def letters(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, state: Words = "", run: Number = None
) -> Response:
    """The page."""
    shown = state if state in dict(STATES) else ""
    with store.reading() as session:
        rows, numbers = outbox(session, me, shown, run), counts(session, me)
    today = settings.day()
    zone = zone_of(today)
    numbers[""] = sum(numbers.values())
    leaves = "Mail leaves by the server that is set." if settings.sends_mail else (
        settings.mail_lacks or "No mail server is set, so nothing leaves: it is kept here to be read."
    )  # fmt: skip
    whose = "everybody's" if me.administrator else "yours, and those of runs that you keep"
    page = OutboxPage(
        "outbox", tuple(_line(row, zone, today) for row in rows),
        tuple((key, words, numbers.get(key, 0)) for key, words in STATES), shown, run, leaves, whose, len(rows) >= 300,
    )  # fmt: skip
    return render(request, "outbox/page.html", page)


def _line(row: LetterSeen, zone: dt.tzinfo, today: dt.date) -> LetterLine:
    how = {"mail": "mail", "text": "short text message", "word": "in the bell"}.get(row.kind, row.kind)
    states = {"digest": "waits for the digest", "bell": "in the bell", "sent": "sent"}
    state = states.get(row.state, row.state)
    if row.kind == "word" and row.state == "sent":
        state = "went in a message"
    if row.kind in {"mail", "text"} and row.tries > 1 and row.state == "waiting":
        state = f"waiting, tried {row.tries} times"
    return LetterLine(
        row.id, moment_words(row.left or row.at, zone, today), row.to, how, row.subject, row.text, row.why, row.run_id,
        row.run, state, row.state == "failed", row.error if row.state != "sent" else "", row.may_resend,
    )  # fmt: skip


@router.post("/outbox/{number}/again")
def again(me: SignedIn, form: Posted, store: StoreOf, number: Id) -> Response:
    """Have what failed tried again."""
    with store.writing() as session:
        send_again(session, me, number)
    return RedirectResponse("/outbox", status_code=303)
