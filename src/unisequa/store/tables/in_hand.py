"""Shifts that somebody considers and has not applied."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from unisequa.store.tables.base import Base, now


class ShiftInHand(Base):
    """A shift of a run in somebody's hands: what is ``held`` of it (edits, mode, why), and what was held ``before``
    it and, once that was undone, ``behind`` it, the latest last. Kept aside it has a ``name``; the one at hand has
    none."""

    __tablename__ = "shifts_in_hand"
    __table_args__ = (UniqueConstraint("run_id", "person_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(80), default="")
    held: Mapped[dict[str, Any]]
    before: Mapped[list[Any]] = mapped_column(default=list)
    behind: Mapped[list[Any]] = mapped_column(default=list)
    at: Mapped[dt.datetime] = mapped_column(default=now)
