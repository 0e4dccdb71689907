"""What is to leave: mail, messages, what other programs are told; and the texts that messages share."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person


class OutboxRow(Base):
    """One thing to leave, written in the transaction of its cause. ``key`` says what it is, so that it leaves once;
    ``state`` is waiting, sent, held back or failed.

    ``kind`` is mail, text (a short text message), or word: what somebody is told, in a ``line`` of messages, which goes
    out with others of its moment as ``how`` says (at once, text, digest), or is only in their bell. ``sent_in`` is the
    key of what it left in.
    """

    __tablename__ = "outbox"
    __table_args__ = (Index("ix_outbox_leaves", "kind", "state", "due_at"),)

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
    line: Mapped[str] = mapped_column(String(20), default="")
    how: Mapped[str] = mapped_column(String(10), default="")
    sent_in: Mapped[str | None] = mapped_column(String(200), index=True)
    task_key: Mapped[str | None] = mapped_column(String(200))
    left_at: Mapped[dt.datetime | None]
    error: Mapped[str] = mapped_column(String(500), default="")


class SharedText(Base):
    """A text of messages that is kept once and chosen by its name; ``folded`` is the name as it is compared.
    ``version`` grows with every change."""

    __tablename__ = "shared_texts"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    folded: Mapped[str] = mapped_column(String(200), unique=True)
    subject: Mapped[str] = mapped_column(String(200))
    text: Mapped[str] = mapped_column(Text)
    owner_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    changed_at: Mapped[dt.datetime] = mapped_column(default=now)
    version: Mapped[int] = mapped_column()

    __mapper_args__ = {"version_id_col": version}

    owner: Mapped[Person] = relationship()
