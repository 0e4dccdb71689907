"""People, the teams they are in and the positions they hold, and the days on which they are away."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now


class Position(Base):
    """A post in the house that somebody holds, or several."""

    __tablename__ = "positions"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)

    holders: Mapped[list[Person]] = relationship(back_populates="position", order_by="Person.name")


class TeamMember(Base):
    """Somebody in a team."""

    __tablename__ = "team_members"

    team_id: Mapped[int] = mapped_column(ForeignKey("teams.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), primary_key=True, index=True)


class Team(Base):
    """People who share work: what a team is given lies in its queue until one of them takes it."""

    __tablename__ = "teams"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)

    members: Mapped[list[Person]] = relationship(
        secondary="team_members", back_populates="teams", order_by="Person.name"
    )


class Person(Base):
    """Somebody who signs in."""

    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    email: Mapped[str] = mapped_column(String(200), unique=True)
    password_hash: Mapped[str] = mapped_column(String(300))
    title: Mapped[str] = mapped_column(String(200), default="")
    active: Mapped[bool] = mapped_column(default=True)
    administrator: Mapped[bool] = mapped_column(default=False)
    second_factor: Mapped[str] = mapped_column(String(64), default="")
    """The secret of their authenticator, in base 32; empty without one."""
    second_factor_used: Mapped[int] = mapped_column(default=0)
    """The half minute whose code was used last; no code is taken twice."""
    position_id: Mapped[int | None] = mapped_column(ForeignKey("positions.id", ondelete="SET NULL"))
    manager_id: Mapped[int | None] = mapped_column(ForeignKey("people.id", ondelete="SET NULL"))
    calendar_id: Mapped[int | None] = mapped_column(ForeignKey("calendars.id", ondelete="SET NULL"))
    """The calendar whose days and hours are theirs; the usual one without."""
    share: Mapped[int] = mapped_column(default=100)
    """How much of its hours is theirs, in per cent."""
    month_first: Mapped[bool] = mapped_column(default=False)
    """Whether a day between slashes has its month first: 3/4 is the fourth of March."""
    phone: Mapped[str] = mapped_column(String(40), default="")
    notices: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """How they want each line of messages; what is not in it as it is by default."""
    widths: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """Column of the template sheet → its width in px; what is not in it is as wide as it is by itself."""
    unseen: Mapped[int] = mapped_column(default=0)
    """How much is in their bell that they have not looked at."""
    created_at: Mapped[dt.datetime] = mapped_column(default=now)

    position: Mapped[Position | None] = relationship(back_populates="holders")
    manager: Mapped[Person | None] = relationship(remote_side=id)
    teams: Mapped[list[Team]] = relationship(secondary="team_members", back_populates="members", order_by="Team.name")


class Leave(Base):
    """Days on which somebody is away, both included."""

    __tablename__ = "leave"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    first_on: Mapped[dt.date]
    last_on: Mapped[dt.date]
    label: Mapped[str] = mapped_column(String(200), default="")

    person: Mapped[Person] = relationship()
