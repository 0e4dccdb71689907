"""Runs: rows, since tasks are asked for across runs."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from unisequa.store.tables.across import LineOfRun
from unisequa.store.tables.base import Base, now
from unisequa.store.tables.people import Person, Team
from unisequa.store.tables.subjects import AnchorSource
from unisequa.store.tables.templates import Edition


class Run(Base):
    """One occasion of the job. ``version`` grows with every change of its tasks; shifts are applied against it.

    ``pins`` are those of its edition when it was started; ``calendars_digest`` is the SHA-256 of ``calendars``, by
    which they are known once they were read. ``summary`` is what lists say of the run
    (:mod:`unisequa.core.work.summary`). ``windows`` are its phases that have one or open behind another
    (:class:`unisequa.core.plan.phases.PhaseOf`), ``ties`` the links that tie many to many, by keys, with the keys of
    the ties; ``follow`` says what finishing a task does to the dates behind it. ``opens_on`` is the day on which a
    prepared one opens, ``held_on`` that on which one on hold was put there. ``start_id`` is the start that it was made
    by, alone or with others; ``awaits`` says for what it waits where that was chosen: template's id → run's id;
    ``drawn`` lists what somebody has drawn it to wait for: ``key`` of the task here, ``run`` and ``of``, the run's id
    and the task's key there, and ``template``, the id of that run's.
    ``rule_id`` is the rule that started it, ``origin`` for which period of it, or for what that happened.
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
    opens_on: Mapped[dt.date | None]
    held_on: Mapped[dt.date | None]
    subject_id: Mapped[int | None] = mapped_column(ForeignKey("subjects.id", ondelete="SET NULL"), index=True)
    start_id: Mapped[int | None] = mapped_column(ForeignKey("starts.id"), index=True)
    awaits: Mapped[dict[str, Any]] = mapped_column(default=dict)
    drawn: Mapped[list[Any]] = mapped_column(default=list)
    rule_id: Mapped[int | None] = mapped_column(ForeignKey("rules.id", ondelete="SET NULL"), index=True)
    origin: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))

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
    baselines: Mapped[list[BaselineRow]] = relationship(cascade="all, delete-orphan", order_by="BaselineRow.number")
    deputies: Mapped[list[Deputy]] = relationship(cascade="all, delete-orphan")
    waits: Mapped[list[RunWait]] = relationship(cascade="all, delete-orphan")
    sources: Mapped[list[AnchorSource]] = relationship(cascade="all, delete-orphan")
    line: Mapped[LineOfRun | None] = relationship(cascade="all, delete-orphan")


class CrewMember(Base):
    """Who fills a role in a run: one of us, a team, or somebody outside by name; nobody yet without any."""

    __tablename__ = "crew"
    __table_args__ = (UniqueConstraint("run_id", "role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    role: Mapped[str] = mapped_column(String(80))
    label: Mapped[str] = mapped_column(String(200))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    team_id: Mapped[int | None] = mapped_column(ForeignKey("teams.id", ondelete="SET NULL"), index=True)
    outside: Mapped[str] = mapped_column(String(200), default="")

    run: Mapped[Run] = relationship(back_populates="crew")
    person: Mapped[Person | None] = relationship()
    team: Mapped[Team | None] = relationship()

    @property
    def name(self) -> str:
        """Who it is, or nothing while nobody is."""
        return self.person.name if self.person else self.team.name if self.team else self.outside

    @property
    def people(self) -> list[Person]:
        """Those of ours who fill it: one, all of a team, or nobody."""
        return self.team.members if self.team is not None else [self.person] if self.person is not None else []


class TaskRow(Base):
    """A step in a run, with real dates; null dates while it is undated.

    Kept so that many runs can be asked at once, and written whenever what they say changes: ``person_id`` whose it is,
    ``team_id`` in whose queue it lies until somebody takes it, ``signer_id`` who signs it off, ``ready_on`` the day
    from which it is ready (null while something holds it back), ``counts_on`` the day from which it counts as signed
    off, or as done, by itself.

    ``own`` says that no step of the template is behind it. ``assigned_id`` is whoever was given this one task, apart
    from its role, or took it from a queue; ``done_by_id`` who did it and ``recorded_by_id`` who said so; ``before``
    where it stood before it was begun or done, to be there again when it is reopened; ``checked`` the numbers of the
    boxes of its instructions that are ticked. ``effort`` is done in pieces of at least a ``chunk``; ``left`` are the
    minutes of it that its doer says are left. ``minutes`` are the times of a task of a job of hours
    (:mod:`unisequa.store.minutes`).
    """

    __tablename__ = "tasks"
    __table_args__ = (
        UniqueConstraint("run_id", "key"),
        Index("ix_tasks_finish_on", "finish_on"),
        Index("ix_tasks_person_id", "person_id", "state"),
        Index("ix_tasks_signer_id", "signer_id", "state"),
        Index("ix_tasks_team_id", "team_id", "state"),
        Index("ix_tasks_assigned_id", "assigned_id"),
    )

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
    chunk: Mapped[str | None] = mapped_column(String(20))
    left: Mapped[int | None]
    gate: Mapped[str] = mapped_column(String(10), default="bar")
    may_skip: Mapped[bool] = mapped_column(default=False)
    sign_off_role: Mapped[str | None] = mapped_column(String(80))
    links_out: Mapped[list[Any]] = mapped_column(default=list)
    duration: Mapped[int]
    put: Mapped[bool] = mapped_column(default=False)
    own: Mapped[bool] = mapped_column(default=False)
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
    recorded_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    signed_on: Mapped[dt.date | None]
    before: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    checked: Mapped[list[Any]] = mapped_column(default=list)
    assigned_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    team_id: Mapped[int | None] = mapped_column(ForeignKey("teams.id", ondelete="SET NULL"))
    signer_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    ready_on: Mapped[dt.date | None]
    counts_on: Mapped[dt.date | None]
    minutes: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))

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


class Deputy(Base):
    """Somebody whom a run's keeper has named to act for them in it."""

    __tablename__ = "deputies"

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), primary_key=True, index=True)

    person: Mapped[Person] = relationship()


class RunWait(Base):
    """A template whose runs the tasks of a run wait for."""

    __tablename__ = "waits"

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("templates.id"), primary_key=True, index=True)


class AwaitedTask(Base):
    """A task that waits for one of another run, as it was found when that run or this one last changed."""

    __tablename__ = "awaited"

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(200), primary_key=True)
    of_run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True, index=True)
    of_key: Mapped[str] = mapped_column(String(200), primary_key=True)


class BaselineRow(Base):
    """Where the tasks of a run stood once: task → first day, last day (ISO dates) and worked slots."""

    __tablename__ = "baselines"
    __table_args__ = (UniqueConstraint("run_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(200))
    dates: Mapped[dict[str, Any]]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    at: Mapped[dt.datetime] = mapped_column(default=now)


class ActRow(Base):
    """Something that was done with tasks of a run, with their columns before it, so that it can be undone for a while.

    ``version`` is the run's after it; ``shift`` the number of the shift that went with it, if one did.
    """

    __tablename__ = "acts"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    words: Mapped[str] = mapped_column(String(400))
    before: Mapped[dict[str, Any]]
    version: Mapped[int]
    shift: Mapped[int | None]
    at: Mapped[dt.datetime] = mapped_column(default=now)
    undone_at: Mapped[dt.datetime | None]


class CommentRow(Base):
    """What somebody wrote on a task, or on the whole run, and the people it names."""

    __tablename__ = "comments"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    task_key: Mapped[str | None] = mapped_column(String(200))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    text: Mapped[str] = mapped_column(String(4000))
    at: Mapped[dt.datetime] = mapped_column(default=now)

    person: Mapped[Person] = relationship()
    mentions: Mapped[list[Mention]] = relationship(cascade="all, delete-orphan")


class TaskFile(Base):
    """A file kept with a task, in the data folder by the SHA-256 of what is in it; ``size`` in bytes."""

    __tablename__ = "task_files"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    task_key: Mapped[str] = mapped_column(String(200))
    name: Mapped[str] = mapped_column(String(200))
    digest: Mapped[str] = mapped_column(String(64))
    size: Mapped[int]
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    at: Mapped[dt.datetime] = mapped_column(default=now)


class Mention(Base):
    """Somebody who is named in a comment."""

    __tablename__ = "mentions"

    comment_id: Mapped[int] = mapped_column(ForeignKey("comments.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), primary_key=True, index=True)


class ProposalRow(Base):
    """A shift that somebody who may not apply it sent to the run's keeper; ``state`` is open, applied, declined or
    withdrawn, ``cause`` as of a shift. What a ``party`` outside asked for has the keeper as its ``person``."""

    __tablename__ = "proposals"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    task_key: Mapped[str | None] = mapped_column(String(200))
    edits: Mapped[list[Any]]
    mode: Mapped[str] = mapped_column(String(10))
    words: Mapped[str] = mapped_column(String(400))
    party: Mapped[str] = mapped_column(String(200), default="")
    why: Mapped[str] = mapped_column(String(2000), default="")
    at: Mapped[dt.datetime] = mapped_column(default=now)
    state: Mapped[str] = mapped_column(String(20), default="open")
    answer: Mapped[str] = mapped_column(String(2000), default="")
    cause: Mapped[str | None] = mapped_column(String(60), index=True)
    answered_at: Mapped[dt.datetime | None]
    answered_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))

    person: Mapped[Person] = relationship(foreign_keys=[person_id])
    run: Mapped[Run] = relationship()


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
    """A shift that was applied: its edits, every change as dates before and after, the core's record of it, by which it
    is taken back, and what was ``shown`` of it beside its changes.

    One that another run brought about has that as its ``cause``: ``shift:12``, ``act:7``.
    """

    __tablename__ = "shifts"
    __table_args__ = (UniqueConstraint("run_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    number: Mapped[int]
    mode: Mapped[str] = mapped_column(String(10))
    edits: Mapped[list[Any]]
    changes: Mapped[list[Any]]
    record: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    shown: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    why: Mapped[str] = mapped_column(String(2000), default="")
    cause: Mapped[str | None] = mapped_column(String(60), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    at: Mapped[dt.datetime] = mapped_column(default=now)
    taken_back_at: Mapped[dt.datetime | None]
    taken_back_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))

    person: Mapped[Person] = relationship(foreign_keys=[person_id])
    taken_back_by: Mapped[Person | None] = relationship(foreign_keys=[taken_back_by_id])
