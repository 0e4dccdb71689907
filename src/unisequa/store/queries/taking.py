"""Rows taken by whoever is going to write them, so that two who write the same come one after the other."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from unisequa.store.tables import Base, Run, TemplateRow

WRITES = "unisequa writes"
TAKES = "unisequa takes rows"
"""Under which a session that writes says whether another one may be writing at the same time."""
INSERTING = "unisequa inserts once"
"""Under which a session that writes has what makes an insert of a table that passes over what is there by its key."""


def take(session: Session, table: type[Run | TemplateRow], number: int) -> None:
    """Before a row is read in a transaction that writes: whoever comes next waits here until this one is through.

    Where one writer has the whole database to itself (SQLite), nobody else is there to wait.
    """
    if session.info.get(TAKES):
        session.execute(select(table.id).where(table.id == number).with_for_update())


def insert_once(session: Session, table: type[Base], values: Mapping[str, Any]) -> bool:
    """Insert a row unless one of its ``key`` is there; gives whether it was new, also when two insert it at once. It is
    not among the session's own."""
    return session.scalar(session.info[INSERTING](table), values) is not None


def add_once(session: Session, row: Base) -> bool:
    """Add a row unless one of its key is there; gives whether it was new, also when two add it at once."""
    try:
        with session.begin_nested():
            session.add(row)
    except IntegrityError:
        return False
    return True
