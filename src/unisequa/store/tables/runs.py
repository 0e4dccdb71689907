"""Runs: rows, since tasks are asked for across runs."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person
from unisequa.store.tables.templates import Edition


class Run(Base):
    """One occasion of the job. ``version`` grows with every change of its tasks; shifts are applied against it.

    ``pins`` are those of its edition when it was started; ``calendars_digest`` is the SHA-256 of ``calendars``, by
    which they are known once they were read. ``summary`` is what lists say of the run
    (:mod:`unisequa.core.work.summary`). ``windows`` are its phases that have one or open behind another
    (:class:`unisequa.core.plan.phases.PhaseOf`), ``ties`` the links that tie many to many, by keys, with the keys of
    the ties; ``follow`` says what finishing a task does to the dates behind it.
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
    calendars: Mapped[list[Any]] = mapped_column(deferred=True)
    calendars_digest: Mapped[str] = mapped_column(String(64))
    summary: Mapped[dict[str, Any]]
    windows: Mapped[list[Any]] = mapped_column(default=list)
    ties: Mapped[dict[str, Any]] = mapped_column(default=dict)
    follow: Mapped[str] = mapped_column(String(10), default="ask")
    pins: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    created_at: Mapped[dt.datetime] = mapped_column(default=now)
    created_by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))

    __mapper_args__ = {"version_id_col": version, "version_id_generator": False}

    edition: Mapped[Edition] = relationship()
    keeper: Mapped[Person] = relationship(foreign_keys=[keeper_id])
    crew: Mapped[list[CrewMember]] = relationship(
        back_populates="run", order_by="CrewMember.id", cascade="all, delete-orphan"
    )
    tasks: Mapped[list[TaskRow]] = relationship(
        back_populates="run", order_by="TaskRow.position", cascade="all, delete-orphan"
    )
    links: Mapped[list[LinkRow]] = relationship(cascade="all, delete-orphan", order_by="LinkRow.id")
    phases: Mapped[list[RunPhase]] = relationship(cascade="all, delete-orphan", order_by="RunPhase.position")
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
    """A step in a run, with real dates; null dates while it is undated.

    Kept so that many runs can be asked at once, and written whenever what they say changes: ``person_id`` who fills
    its role, ``open_before`` how many of its direct predecessors are not over, ``counts_on`` the day from which it
    counts as signed off by itself.
    """

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
    put: Mapped[bool] = mapped_column(default=False)
    ready: Mapped[str] = mapped_column(String(20), default="when free")
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
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    open_before: Mapped[int] = mapped_column(default=0)
    counts_on: Mapped[dt.date | None]

    run: Mapped[Run] = relationship(back_populates="tasks")
    done_by: Mapped[Person | None] = relationship(foreign_keys=[done_by_id])


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


class RunPhase(Base):
    """A phase of a run as lists say it: how many tasks it has and how many are over, its first and last day."""

    __tablename__ = "run_phases"
    __table_args__ = (UniqueConstraint("run_id", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(80))
    position: Mapped[int]
    label: Mapped[str] = mapped_column(String(200))
    tasks: Mapped[int]
    over: Mapped[int]
    first_on: Mapped[dt.date | None]
    last_on: Mapped[dt.date | None]


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
