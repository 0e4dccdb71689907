"""The messages of a run's steps that wait for their moment: brought to what its dates say, whenever those change.

A message's key holds the day that it speaks of, so a shift gives it another; what has left is not sent again for the
same day.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator

from sqlalchemy.orm import Session

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.today import zone_of
from unisequa.core.clock.due import moment
from unisequa.core.clock.opening import working_days_from
from unisequa.core.documents.template import Message, Template
from unisequa.core.errors import DateRangeError
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED
from unisequa.store.new_tasks import AnyTask
from unisequa.store.queries.clock import put_due, waiting_of_run
from unisequa.store.tables import DueRow, Run

USUAL_HOUR = "08:00"
"""When a message leaves that names no hour."""


def keep_messages(
    session: Session, run: Run, template: Template, plan: Plan, tasks: Iterable[AnyTask], today: dt.date
) -> None:
    """Write down when each message of a run's steps leaves, and strike out those that no longer do."""
    wanted = {row.key: row for row in _wanted(run, template, plan, tasks, today)} if run.state == "live" else {}
    for row in waiting_of_run(session, run.id, "message"):
        if row.key in wanted:
            wanted.pop(row.key)
        else:
            session.delete(row)
    for row in wanted.values():
        put_due(session, row)


def _wanted(run: Run, template: Template, plan: Plan, tasks: Iterable[AnyTask], today: dt.date) -> Iterator[DueRow]:
    rows = {row.key: row for row in tasks}
    for step in template.steps:
        row = rows.get(step.key)
        if row is None or row.state == "dropped" or not step.messages:
            continue
        calendar = plan.calendars[plan.tasks[plan.position(step.key)].calendar]
        for number, message in enumerate(step.messages):
            if (day := _day(message, row, calendar)) is None:
                continue
            zone = plan.grid.clock.zone if plan.grid.clock is not None else zone_of(today)
            at = moment(day, message.at or USUAL_HOUR, zone)
            sign = "working " if message.unit == "working days" else ""
            key = f"message:{run.id}:{step.key[:90]}:{number}:{message.of}:{day.isoformat()}:{message.offset:+}{sign}"
            content = {"task": step.key, "number": number, "to": message.to, "day": day.isoformat()}
            yield DueRow(key=key[:200], kind="message", at=at, try_at=at, content=content, run_id=run.id)


def _day(message: Message, row: AnyTask, calendar: WorkingCalendar) -> dt.date | None:
    """The day on which a message leaves; None while that is not known, or where it speaks of what is over."""
    if message.of == "done":
        day = row.done_at.date() if row.state == "done" and row.done_at is not None else None
    elif row.state in FINISHED or (message.of == "start" and row.state != "waiting" and message.offset <= 0):
        day = None
    else:
        day = row.start_on if message.of == "start" else row.finish_on
    if day is None:
        return None
    try:
        if message.unit == "days":
            return day + dt.timedelta(days=message.offset)
        return working_days_from(day, message.offset, calendar)
    except (DateRangeError, OverflowError):
        return None
