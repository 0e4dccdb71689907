"""Who is signed in where, guesses at passwords, and what was done with accounts and rights."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person


class SessionRow(Base):
    """One browser signed in as somebody, found by the SHA-256 of the name in its cookie."""

    __tablename__ = "sessions"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    begun_at: Mapped[dt.datetime] = mapped_column(default=now)
    seen_at: Mapped[dt.datetime] = mapped_column(default=now)
    source: Mapped[str] = mapped_column(String(80), default="")
    agent: Mapped[str] = mapped_column(String(200), default="")

    person: Mapped[Person] = relationship()


class AttemptRow(Base):
    """Passwords that did not fit, by address or by where they came from; no more are looked at before ``until``."""

    __tablename__ = "attempts"

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(300), unique=True)
    fails: Mapped[int] = mapped_column(default=0)
    until: Mapped[dt.datetime] = mapped_column(default=now)


class ResetRow(Base):
    """A link by which somebody sets another password, once, until some moment; found by the SHA-256 of its token."""

    __tablename__ = "resets"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    until: Mapped[dt.datetime]

    person: Mapped[Person] = relationship()


class RecoveryCode(Base):
    """A code that stands in for a second factor, once; kept as its SHA-256."""

    __tablename__ = "recovery_codes"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)


class Identity(Base):
    """Who somebody is to the house's own sign-in: its issuer, and what it calls them."""

    __tablename__ = "identities"
    __table_args__ = (UniqueConstraint("issuer", "subject"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    issuer: Mapped[str] = mapped_column(String(300))
    subject: Mapped[str] = mapped_column(String(255))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)

    person: Mapped[Person] = relationship()


class AuditRow(Base):
    """What was done with accounts: who signed in or was refused, what changed; never edited."""

    __tablename__ = "audit"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(default=now)
    what: Mapped[str] = mapped_column(String(40))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    text: Mapped[str] = mapped_column(String(500))
    source: Mapped[str] = mapped_column(String(80), default="")
