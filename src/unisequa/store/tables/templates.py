"""Templates, their editions, every edit of a draft, and who may do what with them."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person, Team, TeamMember


class TemplateRow(Base):
    """A template: what its editions have in common. ``open_to`` is what everybody may with it: a right as in
    :class:`TemplateRight`, or nothing."""

    __tablename__ = "templates"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    category: Mapped[str] = mapped_column(String(80), default="")
    owner_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    open_to: Mapped[str] = mapped_column(String(20), default="start and look")
    created_at: Mapped[dt.datetime] = mapped_column(default=now)

    owner: Mapped[Person] = relationship()
    editions: Mapped[list[Edition]] = relationship(back_populates="template", order_by="Edition.number")
    rights: Mapped[list[TemplateRight]] = relationship(cascade="all, delete-orphan", order_by="TemplateRight.id")
    team_rights: Mapped[list[TeamRight]] = relationship(
        cascade="all, delete-orphan", order_by="TeamRight.id", lazy="selectin"
    )


class TemplateRight(Base):
    """What somebody may do with a template beyond what everybody may: edit, start and look, start, or look."""

    __tablename__ = "template_rights"
    __table_args__ = (UniqueConstraint("template_id", "person_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    right: Mapped[str] = mapped_column(String(20))

    person: Mapped[Person] = relationship()


class TeamRight(Base):
    """What everybody in a team may do with a template: a right as in :class:`TemplateRight`."""

    __tablename__ = "team_rights"
    __table_args__ = (UniqueConstraint("template_id", "team_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id", ondelete="CASCADE"))
    team_id: Mapped[int] = mapped_column(ForeignKey("teams.id", ondelete="CASCADE"), index=True)
    right: Mapped[str] = mapped_column(String(20))

    team: Mapped[Team] = relationship()
    members: Mapped[list[TeamMember]] = relationship(
        primaryjoin="foreign(TeamMember.team_id) == TeamRight.team_id", viewonly=True, lazy="selectin"
    )


class Edition(Base):
    """One edition of a template. ``revision`` counts the edits of a draft; a released one never changes.

    ``document`` is read only where it is needed; ``digest`` is its SHA-256, by which it is known once it was read.
    ``name``, ``name_key`` (as templates are named by others), ``purpose``, ``tags``, ``usual_for``, ``messages`` (how
    many), ``steps`` and ``days`` (the working days of its outline) are what the document says, without what it
    includes.
    ``meant`` says which template each name means that it includes or waits for, by the name as it is compared and the
    template's id; ``unmet`` has the names that meant nothing yet, with the id of who wrote them.
    ``pins`` maps the ids of the templates it includes, at any depth, to the editions they are of.
    ``version`` grows with every change of the row.
    """

    __tablename__ = "editions"
    __table_args__ = (UniqueConstraint("template_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id"))
    number: Mapped[int]
    state: Mapped[str] = mapped_column(String(20), default="draft")
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    digest: Mapped[str] = mapped_column(String(64))
    name: Mapped[str] = mapped_column(String(200))
    name_key: Mapped[str] = mapped_column(String(200), index=True)
    purpose: Mapped[str] = mapped_column(default="")
    tags: Mapped[list[str]] = mapped_column(JSON, default=list)
    usual_for: Mapped[str] = mapped_column(String(200), default="")
    messages: Mapped[int] = mapped_column(default=0)
    steps: Mapped[int]
    days: Mapped[int | None]
    includes: Mapped[bool]
    revision: Mapped[int] = mapped_column(default=1)
    version: Mapped[int] = mapped_column()
    note: Mapped[str] = mapped_column(String(2000), default="")
    changed_at: Mapped[dt.datetime] = mapped_column(default=now)
    changed_by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    released_at: Mapped[dt.datetime | None]
    meant: Mapped[dict[str, Any]] = mapped_column(default=dict)
    unmet: Mapped[dict[str, Any]] = mapped_column(default=dict)
    pins: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))

    __mapper_args__ = {"version_id_col": version}

    template: Mapped[TemplateRow] = relationship(back_populates="editions")
    changed_by: Mapped[Person] = relationship()


class FileOfTemplate(Base):
    """A file that came into a template by somebody who had it, by the SHA-256 of what is in it. A document that merely
    names one does not open it."""

    __tablename__ = "files"
    __table_args__ = (UniqueConstraint("template_id", "digest"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id", ondelete="CASCADE"))
    digest: Mapped[str] = mapped_column(String(64), index=True)


class TemplateEdit(Base):
    """One edit of a draft as the difference that it made. ``state`` is done, undone, or dropped: out of reach of
    undoing and redoing."""

    __tablename__ = "template_edits"

    id: Mapped[int] = mapped_column(primary_key=True)
    edition_id: Mapped[int] = mapped_column(ForeignKey("editions.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    at: Mapped[dt.datetime] = mapped_column(default=now)
    revision: Mapped[int]
    state: Mapped[str] = mapped_column(String(10), default="done")
    text: Mapped[str] = mapped_column(String(2000))
    difference: Mapped[dict[str, Any]]
    window: Mapped[str] = mapped_column(String(40), default="")
    """The window it was made in: undoing takes back what was done in one's own."""

    person: Mapped[Person] = relationship()
