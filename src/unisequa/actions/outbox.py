"""The outbox: what is to leave is written in the transaction of its cause, and leaves after it. Its one writer."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from typing import Any

from unisequa.core.clock.due import next_try
from unisequa.store.queries.outbox import due, put
from unisequa.store.store import Session, Store
from unisequa.store.tables import OutboxRow, now

TAKEN_OUT = "(a link that only its addressee sees)"
MOST_AT_ONCE = 50
Leave = Callable[[str, Mapping[str, Any]], None]
"""Sends what a row holds, by its key."""


class Refused(Exception):
    """Whoever takes it for its addressee will not do so later either; the text says why."""


def post(
    session: Session,
    key: str,
    kind: str,
    content: Mapping[str, Any],
    *,
    run_id: int | None = None,
    person_id: int | None = None,
    due: dt.datetime | None = None,
    line: str = "",
    how: str = "",
    task_key: str | None = None,
) -> bool:
    """Have something leave once; gives whether it was new.

    Parameters
    ----------
    key : str
        What it is, such as ``shift:7:3:ada``: a second one of that key is not written.
    due : datetime, optional
        Not before this moment, in UTC; at once without it.
    line, how, task_key : str
        Of a word to somebody: in which line of messages, how it leaves, and the task that it is about.
    """
    values = {
        "key": key, "kind": kind, "content": dict(content), "state": "bell" if how == "bell" else "waiting",
        "run_id": run_id, "person_id": person_id, "due_at": due or now(), "line": line, "how": how,
        "task_key": task_key,
    }  # fmt: skip
    return put(session, values)


def send_rows(store: Store, kind: str, leave: Leave) -> int:
    """Send what waits of a kind, each at least once, with one key however often it is tried; gives how many left.

    A row is claimed before it is sent, by putting its next try off, so that nobody else sends it meanwhile and nothing
    is lost where this process ends.
    """
    left = 0
    for number in _claim(store, kind):
        with store.reading() as session:
            row = session.get(OutboxRow, number)
            assert row
            key, content = row.key, row.content
        state, error = "sent", ""
        try:
            leave(key, content)
        except Refused as refused:
            state, error = "failed", str(refused)
        except (OSError, ValueError) as failed:
            state, error = "waiting", str(failed) or type(failed).__name__
        with store.writing() as session:
            row = session.get(OutboxRow, number)
            assert row
            row.error = error[:500]
            row.state = "failed" if state == "waiting" and next_try(row.tries, now()) is None else state
            if row.state == "sent":
                row.left_at = now()
            if row.state != "waiting" and content.get("secret"):
                row.content = {**content, "text": TAKEN_OUT}
            if row.state != "waiting" and content.get("link"):
                row.content = {name: value for name, value in content.items() if name != "link"}
        left += state == "sent"
    return left


def _claim(store: Store, kind: str) -> list[int]:
    """What is to be sent now; whoever looks next finds it only if this fails."""
    with store.writing() as session:
        rows = due(session, kind, now(), MOST_AT_ONCE)
        for row in rows:
            row.tries += 1
            row.due_at = next_try(row.tries, now()) or now() + dt.timedelta(days=1)
        return [row.id for row in rows]
