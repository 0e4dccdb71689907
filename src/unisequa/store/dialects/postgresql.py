"""PostgreSQL: many writers at once, kept apart by versions and constraints. Its driver is the extra ``postgresql``."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import DBAPIError

from unisequa.core.errors import StoreError

SERIALIZATION_FAILURE, DEADLOCK = "40001", "40P01"
MIGRATING = 0x554E49


def make_engine(url: str) -> Engine:
    """An engine; what only reads sees one moment for as long as it looks (REPEATABLE READ)."""
    try:
        return create_engine(url.replace("postgresql://", "postgresql+psycopg://", 1), pool_pre_ping=True)
    except ModuleNotFoundError:
        raise StoreError("PostgreSQL needs its driver: install unisequa[postgresql]") from None


def migrating_engine(url: str) -> Engine:
    """The same, and whoever else brings the tables up at that moment waits: here tables are altered in place."""
    engine = make_engine(url)

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        connection.exec_driver_sql(f"SELECT pg_advisory_xact_lock({MIGRATING})")

    return engine


def dangling(connection: Any) -> list[str]:
    """Nothing: here no row ever refers to nothing."""
    return []


def keep_before(url: str, revision: str) -> None:
    """Nothing: a failed migration leaves nothing behind here, and copies are the server's business."""


def reason(error: Exception) -> str:
    """Why the database cannot be used."""
    state = str(getattr(getattr(error, "orig", None), "sqlstate", "") or "")
    if state.startswith("08") or state in {"57P01", "57P02", "57P03"}:
        return "the database does not answer; start it, or look at its log"
    return "the database has no room left; make some, and it goes on" if state.startswith("53") else ""


def clashed(error: DBAPIError) -> bool:
    """Whether two transactions could not both be carried through."""
    return getattr(error.orig, "sqlstate", "") in {SERIALIZATION_FAILURE, DEADLOCK}


def inserting_once(table: Any) -> Any:
    """An insert that passes over what is there by its ``key``, and gives the id of what is new."""
    return insert(table).on_conflict_do_nothing(index_elements=["key"]).returning(table.c.id)
