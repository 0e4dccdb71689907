"""Webhooks: what happens in runs, told to other programs; queued with its cause, signed anew at each try."""

from __future__ import annotations

import datetime as dt
import json
import time
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from unisequa.actions.outbox import Refused as NotTaken
from unisequa.actions.outbox import post, send_rows
from unisequa.actions.people.people import Actor
from unisequa.actions.webhooks import outward
from unisequa.actions.webhooks.signing import new_secret, signature
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import programs as queries
from unisequa.store.store import Session, Store
from unisequa.store.tables import WebhookRow, now

EVENTS = {
    "run.opened": "a run is opened", "run.finished": "a run is finished", "run.called_off": "a run is called off",
    "phase.opened": "a phase opens", "phase.closed": "a phase closes", "task.ready": "a task becomes ready",
    "task.begun": "a task is begun", "task.done": "a task is done", "task.sent_back": "a task is sent back",
    "task.dropped": "a task is dropped", "shift.applied": "a shift is applied",
}  # fmt: skip
"""Type of an event → what happens."""
MOST, MOST_SHOWN = 20, 50
GONE = 410
"""Whoever answers so wants to be told nothing any more."""


@dataclass(frozen=True, slots=True)
class WebhookSeen:
    """A webhook in its owner's list."""

    id: int
    name: str
    url: str
    events: tuple[str, ...]
    on: bool


@dataclass(frozen=True, slots=True)
class Delivery:
    """Something that a webhook was told, or is to be."""

    id: int
    at: dt.datetime
    type: str
    state: str
    tries: int
    error: str
    body: str


def make_webhook(session: Session, actor: Actor, name: str, url: str, events: Collection[str]) -> str:
    """A new webhook; gives the secret that it is signed with, shown once.

    Raises
    ------
    Refused
        Fields ``name``, ``url``, ``events``.
    """
    faults = {}
    parts = urlsplit(url.strip())
    if parts.scheme not in {"http", "https"} or not parts.hostname or len(url) > 1000:
        faults["url"] = "Give the whole address, such as https://hooks.example.org/unisequa."
    if not events or set(events) - EVENTS.keys():
        faults["events"] = "Choose what it is told of."
    if not name.strip():
        faults["webhook"] = "Say what it is for."
    if len(queries.webhooks_of(session, actor.id)) >= MOST:
        faults["webhook"] = f"You have {MOST} already; end one first."
    if faults:
        raise Refused(faults)
    secret = new_secret()
    kept = [event for event in EVENTS if event in set(events)]
    session.add(WebhookRow(person_id=actor.id, name=name.strip()[:200], url=url.strip(), secret=secret, events=kept))
    return secret


def webhooks(session: Session, actor: Actor) -> tuple[WebhookSeen, ...]:
    """One's own webhooks."""
    rows = queries.webhooks_of(session, actor.id)
    return tuple(WebhookSeen(row.id, row.name, row.url, tuple(row.events), row.on) for row in rows)


def deliveries(session: Session, actor: Actor, number: int) -> tuple[WebhookSeen, tuple[Delivery, ...]]:
    """One webhook with what it was told, the latest first."""
    row = _own(session, actor, number)
    told = tuple(
        Delivery(one.id, one.left_at or one.made_at, one.content["type"], one.state, one.tries, one.error,
                 json.dumps(_body(one.content), ensure_ascii=False, indent=1))
        for one in queries.deliveries_of(session, number, MOST_SHOWN)
    )  # fmt: skip
    return WebhookSeen(row.id, row.name, row.url, tuple(row.events), row.on), told


def switch_webhook(session: Session, actor: Actor, number: int, *, on: bool) -> None:
    """Have a webhook told of what happens from now on, or not."""
    _own(session, actor, number).on = on


def end_webhook(session: Session, actor: Actor, number: int) -> None:
    """Delete a webhook; what waits for it is not sent."""
    session.delete(_own(session, actor, number))


def tell_again(session: Session, actor: Actor, number: int, delivery: int) -> None:
    """Send something again that a webhook was told, or could not be."""
    _own(session, actor, number)
    row = next((one for one in queries.deliveries_of(session, number, 10_000) if one.id == delivery), None)
    if row is None:
        raise NotThere("There is no such delivery.")
    row.state, row.tries, row.due_at, row.error = "waiting", 0, now(), ""


def _own(session: Session, actor: Actor, number: int) -> WebhookRow:
    row = session.get(WebhookRow, number)
    if row is None or row.person_id != actor.id:
        raise NotThere("There is no such webhook of yours.")
    return row


def _body(content: Mapping[str, Any]) -> dict[str, Any]:
    return {"type": content["type"], "timestamp": content["timestamp"], "data": content["data"]}


def send_hooks(store: Store, allowed: Collection[str]) -> int:
    """Tell webhooks what waits for them; gives how much they took.

    Parameters
    ----------
    allowed : collection of str
        The hosts inside that the administrator allows.
    """

    def leave(key: str, content: Mapping[str, Any]) -> None:
        with store.reading() as session:
            row = session.get(WebhookRow, content["webhook"])
            if row is None or not row.on or not row.person.active:
                raise NotTaken("The webhook is off, or was ended.")
            url, secret = row.url, row.secret
        body = json.dumps(_body(content), ensure_ascii=False)
        message_id, at = "msg_" + key.replace(":", "-"), int(time.time())
        headers: dict[bytes | str, bytes | str] = {
            "content-type": "application/json", "user-agent": "Unisequa", "webhook-id": message_id,
            "webhook-timestamp": str(at), "webhook-signature": signature(secret, message_id, at, body),
        }  # fmt: skip
        status = outward.post(url, body, headers, allowed)
        if status == GONE:
            with store.writing() as session:
                if (gone := session.get(WebhookRow, content["webhook"])) is not None:
                    gone.on = False
            raise NotTaken("410: it wants to be told nothing any more, and was switched off")
        if not 200 <= status < 300:
            raise OSError(f"it answered {status}")

    return send_rows(store, "hook", leave)


def queue(session: Session, webhook: WebhookRow, key: str, kind: str, data: Mapping[str, Any], run_id: int) -> bool:
    """Have a webhook told of something, once."""
    stamp = dt.datetime.now(dt.UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
    content = {"webhook": webhook.id, "type": kind, "timestamp": stamp, "data": dict(data)}
    return post(session, f"hook:{webhook.id}:{key}"[:200], "hook", content, run_id=run_id)
