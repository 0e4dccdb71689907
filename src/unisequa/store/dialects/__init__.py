"""The one place that knows which database is underneath: a module a dialect, each with the same functions."""

from __future__ import annotations

from functools import lru_cache
from types import ModuleType
from typing import Any

from sqlalchemy import Engine
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ArgumentError, DBAPIError

from unisequa.core.errors import StoreError
from unisequa.store.dialects import postgresql, sqlite

_MODULES: dict[str, ModuleType] = {"sqlite": sqlite, "postgresql": postgresql}


def _module(url: str) -> ModuleType:
    try:
        name = make_url(url).get_backend_name()
    except ArgumentError:
        raise StoreError("UNISEQUA_DATABASE_URL is no address of a database") from None
    if name not in _MODULES:
        raise StoreError(f"UNISEQUA_DATABASE_URL names {name}; data can be kept in sqlite or postgresql")
    return _MODULES[name]


def make_engine(url: str) -> Engine:
    """An engine for reading and writing rows."""
    engine: Engine = _module(url).make_engine(url)
    return engine


def migrating_engine(url: str) -> Engine:
    """An engine on which tables may be rebuilt."""
    engine: Engine = _module(url).migrating_engine(url)
    return engine


def dangling(connection: object, url: str) -> list[str]:
    """Tables with rows that refer to nothing after a migration."""
    tables: list[str] = _module(url).dangling(connection)
    return tables


def keep_before(url: str, revision: str) -> None:
    """Keep what there is before its tables are changed, where that is for us to do."""
    _module(url).keep_before(url, revision)


def reason(error: Exception) -> str:
    """Why the database cannot be used, in words with what to do; nothing for anything else."""
    return next((words for module in _MODULES.values() if (words := module.reason(error))), "")


def clashed(error: DBAPIError) -> bool:
    """Whether a write failed because somebody else was writing the same at that moment."""
    return any(module.clashed(error) for module in _MODULES.values())


@lru_cache(maxsize=8)
def inserting_once(name: str, table: Any) -> Any:
    """An insert by the dialect of a name that passes over what is there by its ``key``."""
    return _MODULES[name].inserting_once(table.__table__)
