"""What is to leave."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from unisequa.store.queries.taking import insert_once
from unisequa.store.tables import OutboxRow


def put(session: Session, values: Mapping[str, Any]) -> bool:
    """Write something down to leave, unless something of its key was already; gives whether it was new."""
    return insert_once(session, OutboxRow, values)


def due(session: Session, kind: str, moment: dt.datetime, most: int) -> list[OutboxRow]:
    """What of a kind is to leave by now, the oldest first; on PostgreSQL what another takes is passed over."""
    query = select(OutboxRow).where(OutboxRow.kind == kind, OutboxRow.state == "waiting", OutboxRow.due_at <= moment)
    return list(session.scalars(query.order_by(OutboxRow.id).limit(most).with_for_update(skip_locked=True)))


def mails_since(session: Session, moment: dt.datetime) -> list[tuple[int, str]]:
    """The mails that were written or left since a moment, the latest first, each with its key."""
    lately = or_(OutboxRow.made_at >= moment, OutboxRow.left_at >= moment)
    query = select(OutboxRow.id, OutboxRow.key).where(OutboxRow.kind == "mail", lately)
    return [(number, key) for number, key in session.execute(query.order_by(OutboxRow.id.desc()))]


def failed_outside(session: Session) -> list[OutboxRow]:
    """The mails of runs to somebody outside that failed, and of which nobody was told."""
    query = select(OutboxRow).where(OutboxRow.kind == "mail", OutboxRow.state == "failed", OutboxRow.how == "")
    query = query.where(OutboxRow.run_id.is_not(None), OutboxRow.person_id.is_(None))
    return list(session.scalars(query.order_by(OutboxRow.id).limit(50)))
