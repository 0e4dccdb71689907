"""The one place that knows which database is underneath."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, inspect
from sqlalchemy.engine import make_url
from sqlalchemy.orm import Session, sessionmaker

BUSY_SECONDS = 15
MIGRATIONS = Path(__file__).parent / "migrations" / "versions"


def make_engine(url: str, *, foreign_keys: bool = True) -> Engine:
    """An engine for the URL; on SQLite with WAL, foreign keys on, and transactions that begin at once.

    ``BEGIN IMMEDIATE`` takes the single writer's place at the start of a transaction, so that two people
    saving at once wait for each other instead of failing half-way.
    """
    database = make_url(url).database
    if database and database != ":memory:":
        Path(database).parent.mkdir(parents=True, exist_ok=True)
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


class Store:
    """Sessions on one database: ``writing`` commits or rolls back whole, ``reading`` never holds the writer up."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = make_engine(url)
        self._writing = sessionmaker(self.engine, expire_on_commit=False)
        self._reading = sessionmaker(self.engine.execution_options(reading=True), expire_on_commit=False)

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One transaction that changes something."""
        with self._writing.begin() as session:
            yield session

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """One consistent look."""
        with self._reading() as session:
            yield session

    def migrate(self) -> None:
        """Bring the tables to the newest shape; quick when they have it.

        Migrations are numbered, so the newest is the last by name; only where the tables are behind it is
        Alembic loaded at all.
        """
        newest = max(path.name for path in MIGRATIONS.glob("[0-9]*.py")).partition("_")[0]
        if self._revision() != newest:
            from unisequa.store.migrations.run import migrate

            migrate(self.url)

    def _revision(self) -> str | None:
        with self.engine.execution_options(reading=True).connect() as connection:
            if not inspect(connection).has_table("alembic_version"):
                return None
            return connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
