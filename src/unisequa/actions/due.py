"""What is due, written down by its key; every kind of it has one who carries it out."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from typing import Any

from unisequa.store.queries.clock import put_due
from unisequa.store.store import Session
from unisequa.store.tables import DueRow

CarryOut = Callable[[Session, DueRow, dt.date], str]
"""Does what a row says, on a day with its moment; gives what came of it, in words."""


class HeldBack(Exception):
    """What was due is not done, since it would say or do nothing any more; the text says why."""


def appoint(
    session: Session,
    key: str,
    kind: str,
    at: dt.datetime,
    *,
    content: Mapping[str, Any] | None = None,
    rule_id: int | None = None,
    run_id: int | None = None,
    person_id: int | None = None,
) -> bool:
    """Have something done at a moment (UTC), once; gives whether it was new."""
    row = DueRow(
        key=key[:200], kind=kind, at=at, try_at=at, content=dict(content or {}), rule_id=rule_id, run_id=run_id,
        person_id=person_id,
    )  # fmt: skip
    return put_due(session, row)
