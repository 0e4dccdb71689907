"""What happens by itself: rules that people wrote, and what is due when, each thing once."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person
from unisequa.store.tables.templates import TemplateRow


class RuleRow(Base):
    """A rule that somebody wrote: ``kind`` is repeat or hand-off, ``state`` off, on or stopped.

    ``template_id`` is the template that it starts, ``of_template_id`` the one whose runs it listens to, if it does.
    While it is on it acts with the rights of ``by_id``, since ``on_since``, and answers to ``keeper_id``. ``stopped``
    says why it stopped by itself. ``document`` is a :class:`unisequa.core.documents.rules.StartRule` or ``HandOff``.
    """

    __tablename__ = "rules"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(200))
    template_id: Mapped[int | None] = mapped_column(ForeignKey("templates.id"), index=True)
    of_template_id: Mapped[int | None] = mapped_column(ForeignKey("templates.id"), index=True)
    event: Mapped[str] = mapped_column(String(40), default="", index=True)
    document: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(10), default="off", index=True)
    on_since: Mapped[dt.datetime | None]
    by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    keeper_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    stopped: Mapped[str] = mapped_column(String(500), default="")
    version: Mapped[int] = mapped_column()
    created_at: Mapped[dt.datetime] = mapped_column(default=now)

    __mapper_args__ = {"version_id_col": version}

    by: Mapped[Person] = relationship(foreign_keys=[by_id])
    keeper: Mapped[Person | None] = relationship(foreign_keys=[keeper_id])
    template: Mapped[TemplateRow | None] = relationship(foreign_keys=[template_id])
    of_template: Mapped[TemplateRow | None] = relationship(foreign_keys=[of_template_id])


class DueRow(Base):
    """One thing that the clock does, or did: ``key`` says what it is about, so that it is done once.

    ``at`` is its moment, ``try_at`` when it is tried next, both in UTC; ``state`` is waiting, done, held back, or set
    aside after it has failed too often. ``told`` says in words what came of it, ``error`` why it last failed.
    """

    __tablename__ = "due"
    __table_args__ = (Index("ix_due_state", "state", "try_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(200), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    at: Mapped[dt.datetime]
    try_at: Mapped[dt.datetime]
    state: Mapped[str] = mapped_column(String(10), default="waiting")
    tries: Mapped[int] = mapped_column(default=0)
    error: Mapped[str] = mapped_column(String(1000), default="")
    told: Mapped[str] = mapped_column(String(1000), default="")
    content: Mapped[dict[str, Any]] = mapped_column(default=dict)
    rule_id: Mapped[int | None] = mapped_column(ForeignKey("rules.id", ondelete="CASCADE"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    done_at: Mapped[dt.datetime | None]
