"""The outbox: what is to leave is written in the transaction of its cause, and leaves after it. Its one writer."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any

from unisequa.store.queries.outbox import put
from unisequa.store.store import Session
from unisequa.store.tables import OutboxRow, now


def post(
    session: Session,
    key: str,
    kind: str,
    content: Mapping[str, Any],
    *,
    run_id: int | None = None,
    person_id: int | None = None,
    due: dt.datetime | None = None,
) -> bool:
    """Have something leave once; gives whether it was new.

    Parameters
    ----------
    key : str
        What it is, such as ``shift:7:3:ada``: a second one of that key is not written.
    due : datetime, optional
        Not before this moment, in UTC; at once without it.
    """
    due = due or now()
    row = OutboxRow(key=key, kind=kind, content=dict(content), run_id=run_id, person_id=person_id, due_at=due)
    return put(session, row)
