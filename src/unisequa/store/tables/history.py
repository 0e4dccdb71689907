"""Who did what, when."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person


class HistoryRow(Base):
    """Who did what, when."""

    __tablename__ = "history"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(default=now)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    template_id: Mapped[int | None] = mapped_column(ForeignKey("templates.id"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    task_key: Mapped[str | None] = mapped_column(String(200))
    what: Mapped[str] = mapped_column(String(40))
    text: Mapped[str] = mapped_column(String(2000))

    person: Mapped[Person] = relationship()
