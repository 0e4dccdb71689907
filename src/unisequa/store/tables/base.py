"""What all tables share."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from sqlalchemy import JSON, MetaData
from sqlalchemy.orm import DeclarativeBase

_TOLD: ContextVar[dt.datetime | None] = ContextVar("moment", default=None)


@contextmanager
def as_of(moment: dt.datetime) -> Iterator[None]:
    """Have what is written carry another moment than that of the clock, in UTC without a zone: for sample data."""
    token = _TOLD.set(moment)
    try:
        yield
    finally:
        _TOLD.reset(token)


def now() -> dt.datetime:
    """The moment, in UTC without a zone, as the database gives it back."""
    told = _TOLD.get()
    return told or dt.datetime.now(dt.UTC).replace(tzinfo=None, microsecond=0)


class Base(DeclarativeBase):
    """Base of all tables, with names for every constraint so that migrations can find them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}
