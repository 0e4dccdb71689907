"""Signing off: who may, when it happens by itself, and what holds it.

A task is signed off by itself ``n`` working days after it was done, counted from the day after:

    counts from = done, for n = 0 and done on a day off
                = advance(done + 1, n), else

unless it was sent back by then, or a condition holds it in review.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.placeholders import holds
from unisequa.core.documents.template import SignOff


def held_until(rule: SignOff | None, values: Mapping[str, Any]) -> str | None:
    """The condition that holds a task in review, while it does not hold or cannot be worked out yet."""
    if rule is None or rule.until is None:
        return None
    try:
        return None if holds(rule.until, dict(values)) else rule.until
    except ValueError:
        return rule.until


def counts_from(rule: SignOff | None, done: int, calendar: WorkingCalendar, values: Mapping[str, Any]) -> int | None:
    """The first day on which a task in review counts as signed off by itself; None while nothing does that.

    Parameters
    ----------
    done : int
        The day on which it was done.

    >>> friday = 739_835  # 7 August 2026
    >>> counts_from(SignOff(role="lead", by_itself=2), friday, WorkingCalendar(), {}) - friday
    5
    """
    if rule is None or rule.by_itself is None or held_until(rule, values) is not None:
        return None
    if rule.by_itself == 0 and not calendar.is_working_day(done):
        return done
    return calendar.grid.day(calendar.advance(calendar.grid.day_start(done + 1), rule.by_itself * calendar.per_day))
