"""Who or what runs are about, the starts that made runs, and where anchors have their dates from."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person


class Subject(Base):
    """Who or what runs are about, with its record.

    ``folded`` is the name as it is compared; ``person_id`` the one of us that it is, if it is one; ``dates`` its other
    dates by their names, as ISO text. ``kind`` and ``ref`` are how the system knows it that owns its record, if any.
    """

    __tablename__ = "subjects"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    folded: Mapped[str] = mapped_column(String(200), unique=True)
    position: Mapped[str] = mapped_column(String(200), default="")
    unit: Mapped[str] = mapped_column(String(200), default="")
    first_on: Mapped[dt.date | None]
    last_on: Mapped[dt.date | None]
    dates: Mapped[dict[str, Any]] = mapped_column(default=dict)
    manager_id: Mapped[int | None] = mapped_column(ForeignKey("people.id", ondelete="SET NULL"))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id", ondelete="SET NULL"), index=True)
    created_by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    created_at: Mapped[dt.datetime] = mapped_column(default=now)
    kind: Mapped[str] = mapped_column(String(40), default="")
    ref: Mapped[str] = mapped_column(String(200), default="", index=True)

    manager: Mapped[Person | None] = relationship(foreign_keys=[manager_id])
    person: Mapped[Person | None] = relationship(foreign_keys=[person_id])


class StartRow(Base):
    """A start: the runs made by it are those that name it. ``token`` is the form that it was sent from, so that the
    same form sent twice makes them once; ``told`` what it said of steps that were left out, by run."""

    __tablename__ = "starts"

    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    told: Mapped[dict[str, Any]] = mapped_column(default=dict)
    at: Mapped[dt.datetime] = mapped_column(default=now)


class AnchorSource(Base):
    """Where an anchor of a run has its date from: a subject's record, the start that several runs were made by, or
    another run. ``name`` is what the date is called there: its label, of a run its anchor's key."""

    __tablename__ = "anchor_sources"
    __table_args__ = (Index("ix_anchor_sources_source", "kind", "source_id"),)

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    anchor: Mapped[str] = mapped_column(String(200), primary_key=True)
    kind: Mapped[str] = mapped_column(String(10))
    source_id: Mapped[int]
    name: Mapped[str] = mapped_column(String(200))
