"""Working calendars."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import String
from sqlalchemy.orm import Mapped, mapped_column

from unisequa.store.tables.base import Base, now


class Calendar(Base):
    """A working calendar, as its document; ``usual`` is the one that templates have that name none."""

    __tablename__ = "calendars"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    document: Mapped[dict[str, Any]]
    usual: Mapped[bool] = mapped_column(default=False)
    changed_at: Mapped[dt.datetime] = mapped_column(default=now)
