"""SQLite: one file, one writer at a time, as many readers as there are."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.engine import make_url
from sqlalchemy.exc import DBAPIError

from unisequa.core.errors import StoreError

BUSY_SECONDS = 15


def make_engine(url: str, *, foreign_keys: bool = True) -> Engine:
    """An engine with WAL, foreign keys on, and transactions that begin at once.

    ``BEGIN IMMEDIATE`` takes the single writer's place at the start of a transaction, so that two people
    saving at once wait for each other instead of failing half-way.
    """
    database = make_url(url).database
    if database and database != ":memory:":
        folder = Path(database).parent
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StoreError(f"the data folder {folder} cannot be made: {error.strerror}") from error
    engine = create_engine(url, connect_args={"timeout": BUSY_SECONDS, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _connect(connection: Any, record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA synchronous=NORMAL")
        cursor.execute(f"PRAGMA foreign_keys={'ON' if foreign_keys else 'OFF'}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        reading = connection.get_execution_options().get("reading", False)
        connection.exec_driver_sql("BEGIN" if reading else "BEGIN IMMEDIATE")

    return engine


def migrating_engine(url: str) -> Engine:
    """With foreign keys off, since rebuilding a table with them on deletes the rows that refer to it."""
    return make_engine(url, foreign_keys=False)


def dangling(connection: Any) -> list[str]:
    """Tables with rows that refer to nothing."""
    return sorted({row[0] for row in connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()})


def clashed(error: DBAPIError) -> bool:
    """Whether the writer's place stayed taken for all the time that was waited."""
    return getattr(error.orig, "sqlite_errorname", "").startswith("SQLITE_BUSY")
