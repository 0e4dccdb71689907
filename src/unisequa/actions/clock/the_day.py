"""A day begins: rules look ahead, and whoever works on it has a digest to come; the digest itself."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence

from unisequa.actions.calendars import working_days_of
from unisequa.actions.clock.listening import listen_to_days
from unisequa.actions.clock.renewing import appoint_renewal
from unisequa.actions.clock.repeating import plan_ahead
from unisequa.actions.clock.stale import stalled, stalled_words
from unisequa.actions.desk import Desk, DeskTask, desk
from unisequa.actions.due import HeldBack, appoint
from unisequa.actions.mail import Mail, post_mail
from unisequa.actions.messages.bundling import said_of
from unisequa.actions.messages.lines import how_for
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import as_actor
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.today import utc_of, zone_of
from unisequa.core.calendars.words import DateWords, count_words, day_words, names_words
from unisequa.core.clock.due import TOO_LATE, moment
from unisequa.store.queries.clock import rules_on, runs_past_opening, words_waiting
from unisequa.store.queries.desk import runs_kept_by
from unisequa.store.queries.people import active_people, leave_of, person_by_id
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, OutboxRow, Person

DIGEST_AT = "07:30"
MOST_LINES = 25
"""Lines of one part of a digest."""


def begin_day(session: Session, row: DueRow, today: dt.date) -> str:
    """Have every rule look ahead again, and write down the digests of those who work on the day."""
    rules = rules_on(session, "repeat")
    for rule in rules:
        plan_ahead(session, rule, today)
    days = listen_to_days(session, today)
    appoint_renewal(session, today)
    people = active_people(session)
    calendars = working_days_of(session)
    away = {leave.person_id for leave in leave_of(session, [p.id for p in people]) if _covers(leave, today)}
    at = moment(today, DIGEST_AT, zone_of(today))
    day = today.toordinal()
    working = [p for p in people if p.id not in away and calendars[p.calendar_id].is_working_day(day)]
    for person in working:
        appoint(session, f"digest:{person.id}:{today.isoformat()}", "digest", at, person_id=person.id)
    handed = f", {count_words(days, 'hand-off')} whose day it is" if days else ""
    return f"{count_words(len(rules), 'rule')} looked ahead, {count_words(len(working), 'digest')} to write{handed}"


def _covers(leave: object, today: dt.date) -> bool:
    first, last = getattr(leave, "first_on"), getattr(leave, "last_on")  # noqa: B009
    return bool(first <= today <= last)


def write_digest(session: Session, row: DueRow, today: dt.date) -> str:
    """One mail in the morning with all that somebody wants in it; none where there is nothing.

    Raises
    ------
    HeldBack
        A day past its moment.
    """
    person = person_by_id(session, row.person_id or 0)
    if person is None or not person.active:
        raise HeldBack("They have left.")
    if utc_of(today) - row.at > TOO_LATE:
        raise HeldBack("Its moment was more than a day ago; there is a newer one.")
    calendar = working_days_of(session)[person.calendar_id]
    parts = _of_the_day(session, person, today, calendar)
    waiting = [word for word in words_waiting(session, person.id, ("digest",)) if _goes_today(word, today, calendar)]
    if waiting:
        parts.append(("Since the last digest", [said_of(word) for word in waiting]))
    parts = [(head, lines) for head, lines in parts if lines]
    if not parts:
        return "Nothing to say."
    subject = f"{day_words(today)}: " + "; ".join(_counted(head, lines) for head, lines in parts)
    text = "\n\n".join(f"{head}\n" + "\n".join(f"  {line}" for line in _cut(lines)) for head, lines in parts)
    post_mail(session, row.key, Mail(person.email, subject[:200], text + "\n"), person.id)
    for word in waiting:
        word.state, word.sent_in = "sent", row.key
    return subject


def _goes_today(word: OutboxRow, today: dt.date, calendar: WorkingCalendar) -> bool:
    """Owners hear of runs that finished once a week: on its first working day."""
    monday = today - dt.timedelta(days=today.weekday())
    first = calendar.day_index(today.toordinal()) == calendar.day_index(monday.toordinal())
    return word.line != "owner" or first


def _cut(lines: Sequence[str]) -> list[str]:
    more = len(lines) - MOST_LINES
    return [*lines[:MOST_LINES], *([f"and {more} more"] if more > 0 else [])]


Part = tuple[str, list[str]]
_OF_ONE = {
    "Runs of yours that need you": "run of yours that needs you",
    "Lies in your queues": "lies in your queues",
    "Wait for your sign-off": "waits for your sign-off",
    "Prepared runs whose day has come": "prepared run whose day has come",
}


def _counted(head: str, lines: Sequence[str]) -> str:
    """``2 overdue``, ``1 run of yours that needs you``."""
    words = f"{head[:1].lower()}{head[1:]}"
    if head == "Lies in your queues" and len(lines) > 1:
        words = "lie in your queues"
    return f"{len(lines)} {_OF_ONE.get(head, words) if len(lines) == 1 else words}"


def _of_the_day(session: Session, person: Person, today: dt.date, calendar: WorkingCalendar) -> list[Part]:
    """What the day itself says, in the lines that somebody wants so; what they want only in the bell goes there."""
    seen = desk(session, as_actor(person), today)
    by_line = {
        "day": _tasks(seen, today, calendar),
        "queue": [("Lies in your queues", [_task(t) for _, tasks in seen.queues for t in tasks if _since(t, today)])],
        "review": [("Wait for your sign-off", [_task(task) for task in seen.signing if _since(task, today)])],
        "watch": _watched(session, person, seen, today, calendar),
    }
    parts: list[Part] = []
    for line, found in by_line.items():
        filled = [(head, lines) for head, lines in found if lines]
        how = how_for(person, line)
        if how in {"digest", "at once", "text"}:
            parts += filled
        elif how == "bell" and filled:
            said = names_words([_counted(head, lines) for head, lines in filled])
            tell(session, person, Word(f"{line}:{today.isoformat()}", line, said, path="/"))
    return parts


def _tasks(seen: Desk, today: dt.date, calendar: WorkingCalendar) -> list[Part]:
    day, said = today.toordinal(), DateWords.seen_on(today)
    tomorrow = calendar.nth_day(calendar.day_index(day + 1))
    open_ = [task for task in seen.mine if task.state in {"waiting", "ready", "under way"}]
    late = [task for task in open_ if task.last is not None and task.last < day]
    now = [task for task in open_ if task.last == day]
    soon = [task for task in open_ if task.last is not None and day < task.last <= tomorrow]
    told = {(task.run_id, task.key) for task in (*late, *now, *soon)}
    come = [t for t in open_ if t.state == "ready" and t.first == day and (t.run_id, t.key) not in told]
    return [
        ("Overdue", [f"{_task(task)}, due {said[task.last or 0]}" for task in late]),
        ("Due today", _lines(now)),
        ("Due on the next working day", _lines(soon)),
        ("Can begin, their day having come", _lines(come)),
    ]


def _since(task: DeskTask, today: dt.date) -> bool:
    """Whether it has lain there since before today."""
    return task.late > 0 or (task.first is not None and task.first < today.toordinal())


def _watched(session: Session, person: Person, seen: Desk, today: dt.date, calendar: WorkingCalendar) -> list[Part]:
    live = [run.id for run in runs_kept_by(session, person.id) if run.state == "live"]
    unopened = runs_past_opening(session, person.id, today)
    return [
        ("Runs of yours that need you", [f"{run.name}: {run.why}" for run in seen.needing]),
        ("Stalled in your runs", stalled_words(stalled(session, live, today, calendar))),
        ("Prepared runs whose day has come", [f"{name}, to open on {day_words(day)}" for name, day in unopened]),
    ]


def _lines(tasks: Iterable[DeskTask]) -> list[str]:
    return [_task(task) for task in tasks]


def _task(task: DeskTask) -> str:
    return f"{task.title} ({task.run})"
