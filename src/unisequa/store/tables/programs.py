"""What other programs come in by: tokens, and the answers that are given again to one that asks twice."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person


class TokenRow(Base):
    """A token by which a program acts as somebody, found by its SHA-256; ``start`` is how it begins, to be told apart
    in a list. It counts to the end of ``until``."""

    __tablename__ = "tokens"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    start: Mapped[str] = mapped_column(String(12))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    scopes: Mapped[list[str]] = mapped_column(JSON)
    until: Mapped[dt.date | None]
    made_at: Mapped[dt.datetime] = mapped_column(default=now)
    used_at: Mapped[dt.datetime | None]

    person: Mapped[Person] = relationship()


class AnswerRow(Base):
    """The answer to a write that came with a key of its program's own; ``asked`` is the SHA-256 of what was asked."""

    __tablename__ = "answers"
    __table_args__ = (UniqueConstraint("token_id", "route", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    token_id: Mapped[int] = mapped_column(ForeignKey("tokens.id", ondelete="CASCADE"), index=True)
    route: Mapped[str] = mapped_column(String(300))
    key: Mapped[str] = mapped_column(String(200))
    asked: Mapped[str] = mapped_column(String(64))
    status: Mapped[int]
    headers: Mapped[dict[str, Any]]
    body: Mapped[Any] = mapped_column(JSON, nullable=True)
    at: Mapped[dt.datetime] = mapped_column(default=now, index=True)


class FeedRow(Base):
    """A calendar that a calendar program asks for by a secret address, found by the SHA-256 of that: of a person's own
    tasks, of a run, or of a subject's runs (``about_id``). ``events`` has milestones and meetings as events,
    ``anchors`` anchors too."""

    __tablename__ = "feeds"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    about_id: Mapped[int | None]
    name: Mapped[str] = mapped_column(String(200))
    events: Mapped[bool] = mapped_column(default=True)
    anchors: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[dt.datetime] = mapped_column(default=now)
    used_at: Mapped[dt.datetime | None]

    person: Mapped[Person] = relationship()


class WebhookRow(Base):
    """Another program that is told what happens in runs that a person sees: where, of what, signed with what."""

    __tablename__ = "webhooks"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    url: Mapped[str] = mapped_column(String(1000))
    secret: Mapped[str] = mapped_column(String(80))
    events: Mapped[list[str]] = mapped_column(JSON)
    on: Mapped[bool] = mapped_column(default=True)
    made_at: Mapped[dt.datetime] = mapped_column(default=now)

    person: Mapped[Person] = relationship()


class PartyLink(Base):
    """A link by which somebody outside says that a task of theirs is done, or by when; found by the SHA-256 of its
    token. It leads somewhere as long as the task is open."""

    __tablename__ = "party_links"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    task_key: Mapped[str] = mapped_column(String(200))
    who: Mapped[str] = mapped_column(String(200))
    made_at: Mapped[dt.datetime] = mapped_column(default=now)
