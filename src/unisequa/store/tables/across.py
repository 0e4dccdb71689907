"""What is kept for looking across runs: a line a run, and what levelling says."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from unisequa.store.tables.base import Base, now


class LineOfRun(Base):
    """A run in a line (:class:`unisequa.core.work.line.RunLine`); ``as_of`` is the day it was worked out for.
    Days are numbers, as in ``date.toordinal()``, since many are read at once.

    ``phases`` are the dated ones as they are drawn: key, label, first and last day by number, tasks over, tasks, and in
    which line; ``anchors`` are days by number with their names.
    """

    __tablename__ = "run_lines"

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    as_of: Mapped[dt.date] = mapped_column(index=True)
    first: Mapped[int | None]
    last: Mapped[int | None]
    expected: Mapped[int | None]
    deadline: Mapped[int | None]
    standing: Mapped[str] = mapped_column(String(20))
    reason: Mapped[str] = mapped_column(String(400), default="")
    ahead: Mapped[int] = mapped_column(default=0)
    mark: Mapped[int | None]
    tasks: Mapped[int] = mapped_column(default=0)
    over: Mapped[int] = mapped_column(default=0)
    late: Mapped[int] = mapped_column(default=0)
    slack: Mapped[int | None]
    phase: Mapped[str] = mapped_column(String(80), default="")
    phases: Mapped[list[Any]] = mapped_column(default=list)
    anchors: Mapped[list[Any]] = mapped_column(default=list)


class LevelRow(Base):
    """When levelling was last worked out, for which day, and what it rested on; there is one row at most."""

    __tablename__ = "levels"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(default=now)
    on: Mapped[dt.date]
    rests_on: Mapped[str] = mapped_column(String(200))


class NoTimeRow(Base):
    """A task for which there is no time before a day (none at all without one), by what levelling last said."""

    __tablename__ = "no_time"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    task_key: Mapped[str] = mapped_column(String(200))
    title: Mapped[str] = mapped_column(String(400))
    until_on: Mapped[dt.date | None]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    words: Mapped[str] = mapped_column(String(1000))
