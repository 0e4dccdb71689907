"""What has stalled: work on which nothing happened, anchors past while something hangs on them, due days put off."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import count_words, some_names
from unisequa.store.documents import template_of
from unisequa.store.queries.clock import Standing, hanging_tasks, put_off, standing_tasks
from unisequa.store.queries.runs import anchors_of_runs
from unisequa.store.queries.templates import editions_by_id
from unisequa.store.store import Session

PUT_OFF = 3
"""So often later, and a due day is told."""


@dataclass(frozen=True, slots=True)
class Stalled:
    """Something of a run that has stalled, in words."""

    run_id: int
    run: str
    words: str


def stalled(session: Session, run_ids: Collection[int], today: dt.date, calendar: WorkingCalendar) -> list[Stalled]:
    """What has stalled in some live runs."""
    return [
        *_untouched(session, run_ids, today, calendar),
        *_hanging(session, run_ids, today),
        *(
            Stalled(run_id, run, f"{title} was put off {times} times")
            for run_id, run, title, times in put_off(session, run_ids)
            if times >= PUT_OFF
        ),
    ]


def _untouched(
    session: Session, run_ids: Collection[int], today: dt.date, calendar: WorkingCalendar
) -> Iterator[Stalled]:
    tasks = standing_tasks(session, run_ids, today)
    editions = editions_by_id(session, {task.edition_id for task in tasks})
    after: Mapping[int, int] = {number: template_of(edition).stale_after for number, edition in editions.items()}
    end = calendar.day_index(today.toordinal())
    for task in tasks:
        since = _last(task)
        days = end - calendar.day_index(since.toordinal()) if since is not None else 0
        if days >= after[task.edition_id]:
            state = "ready" if task.state == "waiting" else "under way"
            yield Stalled(
                task.run_id, task.run, f"{task.title} is {state}, and nothing happened for {days} working days"
            )


def _last(task: Standing) -> dt.date | None:
    """The last day on which anything happened to a task."""
    days = [task.ready_on, task.begun_at and task.begun_at.date(), task.last and task.last.date()]
    return max((day for day in days if day), default=None)


def _hanging(session: Session, run_ids: Collection[int], today: dt.date) -> Iterator[Stalled]:
    anchors = anchors_of_runs(session, run_ids)
    held: dict[tuple[int, str, str], list[str]] = {}
    for run_id, run, title, target, measure in hanging_tasks(session, run_ids):
        day = (anchors.get(run_id, {}).get(measure.get("anchor", "")) or "")[:10]
        if day and day < today.isoformat() and target is not None and target.isoformat() <= day:
            held.setdefault((run_id, run, measure["anchor"]), []).append(title)
    for (run_id, run, anchor), titles in held.items():
        verb = "is" if len(titles) == 1 else "are"
        words = f"{anchor.replace('_', ' ')} is past, and {some_names(titles)} {verb} still open"
        yield Stalled(run_id, run, words[:1].upper() + words[1:])


def stalled_words(found: Collection[Stalled], most: int = 12) -> list[str]:
    """What has stalled as lines, each with its run."""
    lines = [f"{one.run}: {one.words}" for one in list(found)[:most]]
    return lines + ([f"and {count_words(len(found) - most, 'more', 'more')}"] if len(found) > most else [])
