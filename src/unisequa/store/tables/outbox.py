"""What is to leave: mail, messages, what other programs are told."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from unisequa.store.tables.base import Base, now


class OutboxRow(Base):
    """One thing to leave, written in the transaction of its cause. ``key`` says what it is, so that it leaves once;
    ``state`` is waiting, sent, held back or failed."""

    __tablename__ = "outbox"

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(200), unique=True)
    kind: Mapped[str] = mapped_column(String(40))
    content: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(20), default="waiting", index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id", ondelete="SET NULL"), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    made_at: Mapped[dt.datetime] = mapped_column(default=now)
    due_at: Mapped[dt.datetime] = mapped_column(default=now)
    tries: Mapped[int] = mapped_column(default=0)
