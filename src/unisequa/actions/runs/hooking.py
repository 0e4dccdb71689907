"""What happens in runs, put down for the webhooks of those who see it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from unisequa.actions import access
from unisequa.actions.happening import Happening
from unisequa.actions.people.people import as_actor
from unisequa.actions.webhooks.hooks import queue
from unisequa.store.queries.programs import webhooks_on
from unisequa.store.store import Session
from unisequa.store.tables import Run, WebhookRow

TYPES = {
    "run opened": "run.opened", "run finished": "run.finished", "run called off": "run.called_off",
    "phase opens": "phase.opened", "phase closes": "phase.closed", "task ready": "task.ready",
    "task begun": "task.begun", "task done": "task.done", "task sent back": "task.sent_back",
    "task dropped": "task.dropped",
}  # fmt: skip


def hook(session: Session, run: Run, events: Iterable[Happening]) -> None:
    """Have webhooks told of what happened in a run."""
    every = [(TYPES[one.event], one) for one in events]
    listening = webhooks_on(session) if every else []
    if not listening:
        return
    rows = {row.key: row for row in run.tasks}
    for kind, one in every:
        task = rows.get(one.thing) if kind.startswith("task.") else None
        more = {"task": {"id": task.id, "key": task.key, "title": task.title}} if task is not None else {}
        if kind.startswith("phase."):
            more = {"phase": {"key": one.thing}}
        _hook(session, run, listening, kind, f"{one.thing}:{run.version}", more)


def hook_one(session: Session, run: Run, kind: str, thing: str, more: dict[str, Any]) -> None:
    """Have webhooks told of one thing."""
    _hook(session, run, webhooks_on(session), kind, thing, more)


def _hook(
    session: Session, run: Run, listening: Iterable[WebhookRow], kind: str, thing: str, more: dict[str, Any]
) -> None:
    for webhook in listening:
        if kind in webhook.events and webhook.person.active and access.may_see_run(run, as_actor(webhook.person)):
            data = {"run": {"id": run.id, "name": run.name, "state": run.state, "version": run.version}, **more}
            queue(session, webhook, f"{kind}:{run.id}:{thing}", kind, data, run.id)
