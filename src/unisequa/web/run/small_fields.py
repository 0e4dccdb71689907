"""What a shift changes where there is no room for a sheet: a small field for each change, all on one scale."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.runs.shifts import Considered
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.result import Cascade
from unisequa.web.drawing.marks import interval, middle
from unisequa.web.drawing.scale import month_starts

MOST_STRIPED = 120
"""Of more days than these single days off are too narrow to be seen."""
LEAST = 1.2
"""The narrowest bar, in hundredths of the width."""
APART = 24
"""Names of months stand so far apart, in hundredths of the width."""


@dataclass(frozen=True, slots=True)
class SmallBar:
    """A change: where it stood and would stand, each a place and a width in hundredths; a milestone has no width.

    ``arrow`` leads from the one to the other where there is room for it.
    """

    was: tuple[float, float] | None
    now: tuple[float, float]
    arrow: tuple[float, float] | None


@dataclass(frozen=True, slots=True)
class SmallPlumb:
    """An anchor: where it would be, what it is called, and where it was, if it moves."""

    at: float
    words: str
    was: float | None


@dataclass(frozen=True, slots=True)
class SmallFields:
    """The fields of all changes, by key, and what they share: months, days off, anchors, today, in hundredths."""

    bars: dict[str, SmallBar]
    months: tuple[tuple[float, str], ...]
    off: tuple[tuple[float, float], ...]
    plumbs: tuple[SmallPlumb, ...]
    today: float | None


def small_fields(considered: Considered) -> SmallFields | None:
    """The fields of what a shift changes; None where it changes nothing."""
    result, after = considered.result, considered.after
    if result is None or not result.changes:
        return None
    spans = {change.key: _spans(result, after, change.key) for change in result.changes}
    moved = [key for key, at in after.anchors.items() if at is not None and at != result.plan.anchors.get(key)]
    ends = [at for was, now in spans.values() for span in (was, now) if span is not None for at in span]
    ends += [middle(plan, at) for key in moved for plan in (result.plan, after) if (at := plan.anchors.get(key))]
    first, last = int(min(ends)) - 1, int(max(ends)) + 2

    def x(day: float) -> float:
        return round((day - first) * 100 / (last - first), 2)

    def place(span: tuple[float, float]) -> tuple[float, float]:
        a, b = span
        return x(a), max(round(x(b) - x(a), 2), LEAST) if b > a else 0

    starts = month_starts(first, last, APART * (last - first) / 100)
    bars = {}
    for key, (was, now) in spans.items():
        stood, stands = place(was) if was is not None and was != now else None, place(now)
        bars[key] = SmallBar(stood, stands, _arrow(stood, stands) if stood else None)
    plumbs = []
    for key, at in after.anchors.items():
        if at is not None and first <= middle(after, at) <= last:
            before = result.plan.anchors.get(key)
            was_at = x(middle(result.plan, before)) if before is not None and key in moved else None
            label = f"{after.labels[key]} {after.dates_in_words()[at]}" if key in moved else after.labels[key]
            plumbs.append(SmallPlumb(x(middle(after, at)), label, was_at))
    today = None if after.today is None else middle(after, after.today)
    return SmallFields(
        bars,
        tuple((x(day), f"{dt.date.fromordinal(day):%b %Y}") for day, named in starts if named),
        tuple((x(day), round(100 / (last - first), 2)) for day in _off(after, first, last)),
        tuple(plumbs),
        x(today) if today is not None and first <= today <= last else None,
    )


def _spans(result: Cascade, after: Plan, key: str) -> tuple[tuple[float, float] | None, tuple[float, float]]:
    """Where a task stands and would stand, in days."""
    i, now = result.plan.position(key), after.position(key)
    return interval(result.plan, i) if result.plan.days(i) is not None else None, interval(after, now)


def _arrow(was: tuple[float, float], now: tuple[float, float]) -> tuple[float, float] | None:
    """From the near end of the one to the near end of the other."""
    if now[0] > sum(was):
        return round(sum(was), 2), now[0]
    return (was[0], round(sum(now), 2)) if sum(now) < was[0] else None


def _off(plan: Plan, first: int, last: int) -> list[int]:
    """Days off that can be seen: all of a few weeks, else those with a name."""
    calendar = plan.calendars[None]
    days = [day for day in range(first, last) if not calendar.is_working_day(day)]
    return days if last - first <= MOST_STRIPED else [day for day in days if calendar.name_of(day)]
