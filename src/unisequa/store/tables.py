"""The tables.

A template's edition is a document and is kept whole; a run is rows, since its tasks are asked for
across runs. Dates are kept as people read them, both ends included; :mod:`unisequa.store.plans` turns
them into the core's boundaries and back.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, MetaData, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


def now() -> dt.datetime:
    """The moment, in UTC without a zone, as the database gives it back."""
    return dt.datetime.now(dt.UTC).replace(tzinfo=None, microsecond=0)


class Base(DeclarativeBase):
    """Base of all tables, with names for every constraint so that migrations can find them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}


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


class Calendar(Base):
    """A working calendar, as its document."""

    __tablename__ = "calendars"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    document: Mapped[dict[str, Any]]
    changed_at: Mapped[dt.datetime] = mapped_column(default=now)


class TemplateRow(Base):
    """A template: what its editions have in common. ``open_to`` is what everybody may: start, look or nothing."""

    __tablename__ = "templates"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    category: Mapped[str] = mapped_column(String(80), default="")
    owner_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    open_to: Mapped[str] = mapped_column(String(10), default="start")
    created_at: Mapped[dt.datetime] = mapped_column(default=now)

    owner: Mapped[Person] = relationship()
    editions: Mapped[list[Edition]] = relationship(back_populates="template", order_by="Edition.number")
    rights: Mapped[list[TemplateRight]] = relationship(cascade="all, delete-orphan", order_by="TemplateRight.id")


class TemplateRight(Base):
    """What somebody may do with a template beyond what everybody may: edit, start or look."""

    __tablename__ = "template_rights"
    __table_args__ = (UniqueConstraint("template_id", "person_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    right: Mapped[str] = mapped_column(String(10))

    person: Mapped[Person] = relationship()


class Edition(Base):
    """One edition of a template. ``revision`` counts the edits of a draft; a released one never changes.

    ``pins`` maps the names of the templates it includes, at any depth, to the editions they are of.
    """

    __tablename__ = "editions"
    __table_args__ = (UniqueConstraint("template_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id"))
    number: Mapped[int]
    state: Mapped[str] = mapped_column(String(20), default="draft")
    document: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=1)
    note: Mapped[str] = mapped_column(String(2000), default="")
    changed_at: Mapped[dt.datetime] = mapped_column(default=now)
    changed_by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    released_at: Mapped[dt.datetime | None]
    pins: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))

    template: Mapped[TemplateRow] = relationship(back_populates="editions")
    changed_by: Mapped[Person] = relationship()


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

    person: Mapped[Person] = relationship()


class Leave(Base):
    """Days on which somebody is away, both included."""

    __tablename__ = "leave"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    first_on: Mapped[dt.date]
    last_on: Mapped[dt.date]
    label: Mapped[str] = mapped_column(String(200), default="")

    person: Mapped[Person] = relationship()


class Run(Base):
    """One occasion of the job. ``version`` grows with every change of its tasks; shifts are applied against it.

    ``pins`` are those of its edition when it was started.
    """

    __tablename__ = "runs"
    __table_args__ = (Index("ix_runs_state", "state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    edition_id: Mapped[int] = mapped_column(ForeignKey("editions.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    subject: Mapped[str] = mapped_column(String(200), default="")
    state: Mapped[str] = mapped_column(String(20), default="live")
    keeper_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    version: Mapped[int] = mapped_column(default=1)
    anchors: Mapped[dict[str, Any]]
    facts: Mapped[dict[str, Any]]
    calendars: Mapped[list[Any]]
    pins: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    created_at: Mapped[dt.datetime] = mapped_column(default=now)
    created_by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))

    edition: Mapped[Edition] = relationship()
    keeper: Mapped[Person] = relationship(foreign_keys=[keeper_id])
    crew: Mapped[list[CrewMember]] = relationship(
        back_populates="run", order_by="CrewMember.id", cascade="all, delete-orphan"
    )
    tasks: Mapped[list[TaskRow]] = relationship(
        back_populates="run", order_by="TaskRow.position", cascade="all, delete-orphan"
    )
    links: Mapped[list[LinkRow]] = relationship(cascade="all, delete-orphan", order_by="LinkRow.id")
    shifts: Mapped[list[ShiftRow]] = relationship(cascade="all, delete-orphan", order_by="ShiftRow.number")


class CrewMember(Base):
    """Who fills a role in a run: one of us, or somebody outside by name; nobody yet without either."""

    __tablename__ = "crew"
    __table_args__ = (UniqueConstraint("run_id", "role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    role: Mapped[str] = mapped_column(String(80))
    label: Mapped[str] = mapped_column(String(200))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    outside: Mapped[str] = mapped_column(String(200), default="")

    run: Mapped[Run] = relationship(back_populates="crew")
    person: Mapped[Person | None] = relationship()

    @property
    def name(self) -> str:
        """Who it is, or nothing while nobody is."""
        return self.person.name if self.person else self.outside


class TaskRow(Base):
    """A step in a run, with real dates; null dates while it is undated."""

    __tablename__ = "tasks"
    __table_args__ = (UniqueConstraint("run_id", "key"), Index("ix_tasks_finish_on", "finish_on"))

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(200))
    position: Mapped[int]
    title: Mapped[str] = mapped_column(String(400))
    phase: Mapped[str | None] = mapped_column(String(80))
    role: Mapped[str | None] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20), default="todo")
    priority: Mapped[str] = mapped_column(String(20), default="normal")
    instructions: Mapped[str] = mapped_column(default="")
    effort: Mapped[str | None] = mapped_column(String(20))
    gate: Mapped[str] = mapped_column(String(10), default="bar")
    may_skip: Mapped[bool] = mapped_column(default=False)
    sign_off_role: Mapped[str | None] = mapped_column(String(80))
    links_out: Mapped[list[Any]] = mapped_column(default=list)
    duration: Mapped[int]
    edge: Mapped[str] = mapped_column(String(10), default="finish")
    opens: Mapped[bool] = mapped_column(default=False)
    parent: Mapped[str | None] = mapped_column(String(200))
    fixed: Mapped[bool] = mapped_column(default=False)
    limits: Mapped[list[Any]] = mapped_column(default=list)
    deadlines: Mapped[list[Any]] = mapped_column(default=list)
    calendar: Mapped[str | None] = mapped_column(String(200))
    measured: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    start_on: Mapped[dt.date | None]
    finish_on: Mapped[dt.date | None]
    target_start_on: Mapped[dt.date | None]
    target_finish_on: Mapped[dt.date | None]
    not_before_on: Mapped[dt.date | None]
    deadline_on: Mapped[dt.date | None]
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    begun_at: Mapped[dt.datetime | None]
    done_at: Mapped[dt.datetime | None]
    done_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))

    run: Mapped[Run] = relationship(back_populates="tasks")
    done_by: Mapped[Person | None] = relationship()


class LinkRow(Base):
    """A dependency between two tasks of a run."""

    __tablename__ = "links"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    source_id: Mapped[int] = mapped_column(ForeignKey("tasks.id", ondelete="CASCADE"))
    target_id: Mapped[int] = mapped_column(ForeignKey("tasks.id", ondelete="CASCADE"))
    type: Mapped[str] = mapped_column(String(2), default="FS")
    lag: Mapped[int] = mapped_column(default=0)
    unit: Mapped[str] = mapped_column(String(10), default="working")


class ShiftRow(Base):
    """A shift that was applied: its edits, every change as dates before and after, and the core's record of it,
    by which it is taken back."""

    __tablename__ = "shifts"
    __table_args__ = (UniqueConstraint("run_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    number: Mapped[int]
    mode: Mapped[str] = mapped_column(String(10))
    edits: Mapped[list[Any]]
    changes: Mapped[list[Any]]
    record: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    why: Mapped[str] = mapped_column(String(2000), default="")
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    at: Mapped[dt.datetime] = mapped_column(default=now)
    taken_back_at: Mapped[dt.datetime | None]
    taken_back_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))

    person: Mapped[Person] = relationship(foreign_keys=[person_id])
    taken_back_by: Mapped[Person | None] = relationship(foreign_keys=[taken_back_by_id])


class HistoryRow(Base):
    """Who did what, when."""

    __tablename__ = "history"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(default=now)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    template_id: Mapped[int | None] = mapped_column(ForeignKey("templates.id"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    task_key: Mapped[str | None] = mapped_column(String(200))
    what: Mapped[str] = mapped_column(String(40))
    text: Mapped[str] = mapped_column(String(2000))

    person: Mapped[Person] = relationship()
