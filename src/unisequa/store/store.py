"""Sessions on one database, and what happens when a transaction is through."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import inspect
from sqlalchemy.exc import DBAPIError, IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.orm.exc import StaleDataError

from unisequa.core.errors import Stale, StoreError
from unisequa.store.dialects import clashed, make_engine
from unisequa.store.queries.taking import WRITES

MIGRATIONS = Path(__file__).parent / "migrations" / "versions"
_AFTERWARDS = "unisequa afterwards"

__all__ = ["Session", "Store", "afterwards", "savepoint"]


class Store:
    """Sessions on one database: ``writing`` commits or rolls back whole, ``reading`` never holds the writer up."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = make_engine(url)
        self._writing = sessionmaker(self.engine, expire_on_commit=False, info={WRITES: True})
        options = {"reading": True} if self.engine.name == "sqlite" else {"isolation_level": "REPEATABLE READ"}
        self._reading = sessionmaker(self.engine.execution_options(**options), expire_on_commit=False)

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One transaction that changes something; what :func:`afterwards` was told is done once it is through.

        Raises
        ------
        Stale
            When somebody else has changed the same meanwhile; nothing of this transaction stays.
        """
        try:
            with self._writing.begin() as session:
                yield session
        except (StaleDataError, IntegrityError) as error:
            raise Stale from error
        except DBAPIError as error:
            if clashed(error):
                raise Stale from error
            raise
        for act in session.info.pop(_AFTERWARDS, []):
            act()

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """One consistent look."""
        with self._reading() as session:
            yield session

    def migrate(self) -> None:
        """Bring the tables to the newest shape; quick when they have it.

        Migrations are numbered, so the newest is the last by name; only where the tables are behind it is
        Alembic loaded at all.

        Raises
        ------
        StoreError
            When the database cannot be reached, or would not be whole afterwards.
        """
        newest = max(path.name for path in MIGRATIONS.glob("[0-9]*.py")).partition("_")[0]
        if self._revision() != newest:
            from unisequa.store.lists import bring_up_new
            from unisequa.store.migrations.run import migrate

            migrate(self.url)
            with self.writing() as session:
                bring_up_new(session, dt.date.today())

    def _revision(self) -> str | None:
        try:
            self.engine.connect().close()
        except OperationalError as error:
            words = str(error.orig).strip().splitlines()[0]
            raise StoreError(f"the database cannot be reached: {words}") from error
        with self._reading() as session:
            if not inspect(session.connection()).has_table("alembic_version"):
                return None
            return session.connection().exec_driver_sql("SELECT version_num FROM alembic_version").scalar()


def afterwards(session: Session, act: Callable[[], None]) -> None:
    """Do something once the transaction is through; never, if it or the savepoint around this is rolled back."""
    session.info.setdefault(_AFTERWARDS, []).append(act)


@contextmanager
def savepoint(session: Session) -> Iterator[Session]:
    """A part of a transaction that can fail alone: what it wrote is rolled back, what was to follow is forgotten."""
    before = len(session.info.setdefault(_AFTERWARDS, []))
    try:
        with session.begin_nested():
            yield session
    except BaseException:
        del session.info[_AFTERWARDS][before:]
        raise
