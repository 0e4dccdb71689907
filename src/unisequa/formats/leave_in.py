"""Leave as a calendar program writes it: the days of the events of an iCalendar file (RFC 5545)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from typing import Any

from dateutil.rrule import rrulestr
from icalendar import Calendar

from unisequa.core.errors import DocumentError, Fault

MOST_EVENTS, MOST_TIMES = 2000, 200
"""How many events and stretches of days are read, and how often each event is taken to come back."""

LeaveRead = tuple[str, str, str, int]
"""First and last day as ISO text, both included, what the event is called, and its minutes where it has hours of one
day (0 where it has whole days)."""


def read_leave(content: bytes, name: str) -> list[LeaveRead]:
    """The days of all events in a file, in order; what is shorter than a day counts for its day, and what is said to be
    transparent or cancelled for none.

    Raises
    ------
    DocumentError
        For what is no iCalendar file, or has no event.
    """
    try:
        found = list(Calendar.from_ical(content, multiple=True))
    except (ValueError, KeyError, IndexError, TypeError) as error:
        raise DocumentError([Fault(name, "is no calendar file (iCalendar, .ics); export it once more")]) from error
    events = [event for calendar in found for event in calendar.walk("VEVENT")]
    if not events:
        raise DocumentError([Fault(name, "has no event in it; choose a file with the days on which somebody is away")])
    if len(events) > MOST_EVENTS:
        raise DocumentError([Fault(name, f"has more than {MOST_EVENTS} events; export fewer days")])
    spans = {span for event in events for span in _spans(event)}
    read = ((first.isoformat(), last.isoformat(), label, minutes) for first, last, label, minutes in spans)
    return sorted(read)[:MOST_EVENTS]


def _spans(event: Any) -> Iterator[tuple[dt.date, dt.date, str, int]]:
    if str(event.get("TRANSP", "")).upper() == "TRANSPARENT" or str(event.get("STATUS", "")).upper() == "CANCELLED":
        return
    start = getattr(event.get("DTSTART"), "dt", None)
    if start is None:
        return
    end = getattr(event.get("DTEND"), "dt", None)
    if end is None and (length := getattr(event.get("DURATION"), "dt", None)) is not None:
        end = start + length
    first, last = _day(start), _last(start, end)
    label = " ".join(str(event.get("SUMMARY", "")).split())[:200]
    days = last - first
    minutes = 0 if days or not isinstance(start, dt.datetime) or end is None else _minutes(end - start)
    for day in _times(event, start):
        yield day, day + days, label, minutes


def _times(event: Any, start: dt.date) -> Iterator[dt.date]:
    rule = event.get("RRULE")
    if rule is None:
        yield _day(start)
        return
    begin = dt.datetime.combine(_day(start), dt.time())
    text = ";".join(
        part
        for part in rule.to_ical().decode().split(";")
        if not part.upper().startswith(("BYHOUR", "BYMINUTE", "BYSECOND"))
    )
    try:
        times = rrulestr(_in_days(text), dtstart=begin)
    except (ValueError, TypeError):
        yield _day(start)
        return
    for n, moment in enumerate(times):
        if n >= MOST_TIMES:
            return
        yield moment.date()


def _in_days(rule: str) -> str:
    """A recurrence rule whose end is a day, as its beginning is."""
    parts = [part[:14] if part.upper().startswith("UNTIL=") else part for part in rule.split(";")]
    return ";".join(part + "T235959" if part.upper().startswith("UNTIL=") else part for part in parts)


def _minutes(length: dt.timedelta) -> int:
    return max(1, int(length.total_seconds()) // 60)


def _day(moment: dt.date) -> dt.date:
    return moment.date() if isinstance(moment, dt.datetime) else moment


def _last(start: dt.date, end: dt.date | None) -> dt.date:
    """The last day of an event; the end of one of whole days is the day behind it."""
    if end is None:
        return _day(start)
    if not isinstance(end, dt.datetime) or (end.time() == dt.time() and _day(end) > _day(start)):
        return max(_day(start), _day(end) - dt.timedelta(days=1))
    return max(_day(start), _day(end))
