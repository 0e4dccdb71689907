"""The times of a task of a job of hours, kept beside its days: what lists ask by day stays as it is for all.

They are texts as people read them on the run's clock (``2026-08-07T19:30``, with the offset from UTC where that time is
there twice): ``start``, ``finish``, ``target``, ``not_before``, ``deadline``, ``signed``. What lists compare with the
moment is in UTC: ``due``, ``ready`` from when it is ready, ``counts`` from when it is over by itself.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.calendars.today import moment_of
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import Task
from unisequa.store.new_tasks import AnyTask

Minutes = Mapping[str, Any] | None


def task_at(task: Task, kept: Mapping[str, Any], grid: Grid) -> Task:
    """A task with what is kept of its times."""

    def slot(name: str) -> int | None:
        return grid.read(kept[name]) if kept.get(name) else None

    target = kept.get("target")
    return replace(
        task,
        target=(grid.read(target[0]), grid.read(target[1])) if target else None,
        not_before=slot("not_before"),
        deadline=slot("deadline"),
        signed=slot("signed"),
    )


def span_in(kept: Mapping[str, Any], grid: Grid) -> tuple[int, int] | None:
    """Start and finish, as people read them and as boundaries: on the minute grid they are the same."""
    return (grid.read(kept["start"]), grid.read(kept["finish"])) if kept.get("start") else None


def set_times(row: AnyTask, plan: Plan, position: int) -> None:
    """Keep the times of a task as a plan has them."""
    task, grid = plan.tasks[position], plan.grid
    kept = span_of(plan.read(position), grid)
    target = plan.target_read(position)
    if target is not None:
        kept["target"] = [grid.iso(at) for at in target]
    for name, at in (("not_before", task.not_before), ("deadline", task.deadline), ("signed", task.signed)):
        if at is not None:
            kept[name] = grid.iso(at)
    before = row.minutes or {}
    kept |= {name: before[name] for name in ("ready", "counts") if name in before}
    if kept != before:
        row.minutes = kept


def set_span(row: AnyTask, read: tuple[int, int] | None, grid: Grid) -> None:
    """Keep where a task stands now, and all else as it is."""
    row.minutes = {**{k: v for k, v in (row.minutes or {}).items() if k not in _SPAN}, **span_of(read, grid)}


def span_of(read: tuple[int, int] | None, grid: Grid) -> dict[str, Any]:
    """Start and finish as they are kept."""
    if read is None:
        return {}
    return {"start": grid.iso(read[0]), "finish": grid.iso(read[1]), "due": utc(read[1], grid)}


def in_lists(row: AnyTask, grid: Grid, ready: int | None, counts: int | None) -> dict[str, Any]:
    """What is kept, with since when it is ready, and from when it is over by itself."""
    kept = {name: value for name, value in (row.minutes or {}).items() if name not in {"ready", "counts"}}
    for name, at in (("ready", ready), ("counts", counts)):
        if at is not None:
            kept[name] = utc(max(at, MINUTES), grid)
    return kept


def utc(slot: int, grid: Grid) -> str:
    """A slot as its moment in UTC."""
    return grid.utc(slot).isoformat(timespec="minutes")


def slot_of(moment: str, grid: Grid) -> int:
    """The inverse of :func:`utc`."""
    return grid.of_utc(dt.datetime.fromisoformat(moment))


def has_come(day: dt.date | None, minutes: Minutes, name: str, today: dt.date) -> bool:
    """Whether the moment has come that is kept under a name, or the day where only that is known."""
    if day is None or day > today:
        return False
    at = moment_of(today)
    if not minutes or name not in minutes or day < today or at is None:
        return True
    return bool(minutes[name] <= at.astimezone(dt.UTC).strftime("%Y-%m-%dT%H:%M"))


def minutes_since(minutes: Mapping[str, Any], name: str, today: dt.date) -> int:
    """How many minutes ago it was; 0 while it has not been, or where no moment is known."""
    at = moment_of(today)
    if at is None or not minutes.get(name):
        return 0
    since = at.astimezone(dt.UTC) - dt.datetime.fromisoformat(minutes[name]).replace(tzinfo=dt.UTC)
    return max(0, int(since.total_seconds() // 60))


def clock_words(minutes: Minutes, name: str) -> str:
    """``19:30``: the time that is kept under a name, as the run's clock shows it."""
    return str(minutes[name])[11:16] if minutes and minutes.get(name) else ""


_SPAN = frozenset({"start", "finish", "due"})
