"""A slow reckoner of load and of earned schedule, from the words of the rules; it shares no code with ours."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from typing import Any

import holidays


def works_by(document: Mapping[str, Any]) -> Callable[[int], bool]:
    """Whether a calendar document works a day; public holidays by the library ``holidays``."""
    named = document.get("holidays")
    public = holidays.country_holidays(named["country"], subdiv=named.get("subdivision")) if named else {}
    closed = set()
    for closure in document.get("closures", ()):
        span = (closure, closure) if isinstance(closure, str) else (closure["from"], closure["to"])
        first, last = (dt.date.fromisoformat(text) for text in span)
        closed |= {first + dt.timedelta(days=n) for n in range((last - first).days + 1)}
    extra = {dt.date.fromisoformat(day) for day in document.get("extra_working_days", ())}

    def works(number: int) -> bool:
        day = dt.date.fromordinal(number)
        if day in extra:
            return True
        return day not in closed and day not in public and document.get("week", "1111100")[day.weekday()] == "1"

    return works


def laid(effort: Any, hours: Callable[[int], int], works: Callable[[int], bool], today: int) -> dict[int, int]:
    """Minutes of work by day."""
    days = list(range(effort.first, effort.last + 1))
    minutes = Fraction(effort.minutes)
    if effort.state == "in review":
        return {}
    if effort.state == "under way":
        worked = [d for d in days if works(d)]
        to_come = [d for d in range(max(effort.first, today), max(effort.last, today) + 1) if works(d)]
        share = Fraction(min(max(1, len(to_come)), max(1, len(worked))), max(1, len(worked)))
        minutes = Fraction(effort.left if effort.left is not None else math.ceil(effort.minutes * share))
        days = [*range(max(effort.first, today), max(effort.last, today) + 1)]
    elif effort.last < today:
        days, d = [], today
        while sum(map(works, days)) < max(1, effort.duration):
            if days or works(d):
                days.append(d)
            d += 1
    else:
        days = [d for d in days if d >= today]
    if not minutes:
        return {}
    there = [d for d in days if hours(d)]
    if not there:
        return {days[0]: int(minutes)}
    weights = [Fraction(hours(d)) for d in there]
    if effort.chunk:
        n = min(len(there), max(1, int(minutes) // effort.chunk))
        there, weights = there[:n], [Fraction(1)] * n
    sums = [math.floor(minutes * sum(weights[: k + 1]) / sum(weights)) for k in range(len(there))]
    return {d: b - a for d, a, b in zip(there, [0, *sums], sums, strict=False) if b - a}


def ahead(
    pieces: Sequence[tuple[int, int, bool]], works: Callable[[int], bool], first: int, today: int
) -> Fraction | None:
    """Working days ahead by earned schedule (Lipke 2003, made steady): of tasks by their last day, duration, and
    whether they are over."""
    if not pieces:
        return None
    end = max(today, *(last for last, _, _ in pieces)) + 400
    days = [d for d in range(first - 400, end) if works(d)]
    number = {d: n for n, d in enumerate(days)}

    def by(n: int) -> int:
        return sum(length for last, length, _ in pieces if max(k for d, k in number.items() if d <= last) <= n)

    earned = sum(length for _, length, over in pieces if over)
    y = max(n for d, n in number.items() if d < today)
    t = max(n for d, n in number.items() if d <= today)
    if by(y) <= earned <= by(t):
        return Fraction(0)
    n = 0
    if earned < by(y):
        while by(n) <= earned:
            n += 1
        return -(y - (n - 1) - Fraction(earned - by(n - 1), by(n) - by(n - 1)))
    while by(n) < earned:
        n += 1
    return (n - 1) + Fraction(earned - by(n - 1), by(n) - by(n - 1)) - t
