"""What is held for a while: clips, uploads, and who has what open. Whoever serves the next request finds it here."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from unisequa.store.tables.base import Base, now


class HeldRow(Base):
    """Something held for somebody under a name of their own: copied steps, or a file that was brought. The oldest makes
    room."""

    __tablename__ = "held"
    __table_args__ = (UniqueConstraint("kind", "person_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(80))
    content: Mapped[dict[str, Any]]
    at: Mapped[dt.datetime] = mapped_column(default=now)


class PresenceRow(Base):
    """A window in which somebody has a template open, the step they are at, and when they last said so (since 1970)."""

    __tablename__ = "presence"
    __table_args__ = (UniqueConstraint("template_id", "person_id", "window"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    window: Mapped[str] = mapped_column(String(40), default="")
    step: Mapped[str] = mapped_column(String(200), default="")
    seen: Mapped[float]
