"""People, and the days on which they are away."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now


class Person(Base):
    """Somebody who signs in."""

    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    email: Mapped[str] = mapped_column(String(200), unique=True)
    password_hash: Mapped[str] = mapped_column(String(300))
    title: Mapped[str] = mapped_column(String(200), default="")
    active: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[dt.datetime] = mapped_column(default=now)


class Leave(Base):
    """Days on which somebody is away, both included."""

    __tablename__ = "leave"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    first_on: Mapped[dt.date]
    last_on: Mapped[dt.date]
    label: Mapped[str] = mapped_column(String(200), default="")

    person: Mapped[Person] = relationship()
