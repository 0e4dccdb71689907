"""One beat of the clock: what is due is done, what waits leaves; whom a failed message concerns is told."""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from collections.abc import Mapping
from typing import Any

from unisequa.actions.clock.ticking import tick
from unisequa.actions.mail import send_waiting
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.outbox import Refused, send_rows
from unisequa.actions.returned import look_into
from unisequa.actions.webhooks.hooks import send_hooks
from unisequa.core.calendars.today import Today
from unisequa.settings import Leaving
from unisequa.store.queries.outbox import failed_outside
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Store

PATIENCE = 20
"""Seconds that a gateway of text messages is waited for."""


def beat(store: Store, today: Today, leaving: Leaving) -> str:
    """Do what is due and send what waits; gives what came of it, in words.

    Raises
    ------
    Busy, Unwell
        When the data cannot be written; all that was due waits.
    MailboxShut
        When mail that came back cannot be read; all else was done.
    """
    ticked = tick(store, today, leaving.address)
    sent = send_waiting(store, leaving.smtp_url, leaving.mail_from, leaving.data) if leaving.smtp_url else 0
    sent += send_texts(store, leaving.text_url) if leaving.text_url else 0
    sent += send_hooks(store, leaving.webhook_hosts)
    try:
        back = look_into(store, leaving.returns_url) if leaving.returns_url else 0
    finally:
        _tell_failures(store)
    return f"{ticked.words}, {sent} sent" + (f", {back} came back" if back else "")


def send_texts(store: Store, gateway: str) -> int:
    """Send the short text messages that wait; gives how many left."""

    def leave(key: str, content: Mapping[str, Any]) -> None:
        body = json.dumps({"to": content["to"], "text": content["text"], "key": key}).encode()
        request = urllib.request.Request(gateway, body, {"content-type": "application/json"})  # noqa: S310 - the setting's
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE):  # noqa: S310
                pass
        except urllib.error.HTTPError as error:
            if error.code in {400, 404, 410, 422}:
                raise Refused(f"{error.code} {error.reason}") from error
            raise OSError(f"{error.code} {error.reason}") from error

    return send_rows(store, "text", leave)


def _tell_failures(store: Store) -> None:
    """Tell the keeper of a run, once, that a message to somebody outside could not be sent, or came back."""
    with store.reading() as session:
        numbers = [row.id for row in failed_outside(session)]
    if not numbers:
        return
    with store.writing() as session:
        for row in failed_outside(session):
            run = run_by_id(session, row.run_id or 0)
            if run is None:
                continue
            how = "came back" if row.left_at else "could not be sent"
            said = f"A message to {row.content['to']} {how}: {row.content['subject']}"
            word = Word(
                f"unsent:{row.id}:{row.due_at:%Y%m%dT%H%M%S}",
                "keeper",
                said,
                row.error,
                run.id,
                row.task_key,
                run.name,
                path="/outbox",
            )
            tell(session, run.keeper, word)
            row.how = "told"
