"""The document of a repeat rule."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from dateutil.rrule import DAILY, MONTHLY, WEEKLY, YEARLY, rrulestr
from dateutil.rrule import rrule as Recurrence
from pydantic import AfterValidator, Field, StrictInt
from pydantic import StringConstraints as Str

from unisequa.core.documents.template import Model
from unisequa.core.terms import Roll

FREQUENCIES = {DAILY: "DAILY", WEEKLY: "WEEKLY", MONTHLY: "MONTHLY", YEARLY: "YEARLY"}


def _readable(text: str) -> str:
    try:
        rule = recurrence_of(text, dt.date(2026, 1, 1))
    except (ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError) as error:
        raise ValueError(f"is no recurrence rule such as FREQ=MONTHLY;BYMONTHDAY=-1: {error}") from None
    if rule._freq not in FREQUENCIES:  # type: ignore[attr-defined]
        raise ValueError("repeats within a day; use DAILY, WEEKLY, MONTHLY or YEARLY")
    return text


def recurrence_of(text: str, first: dt.date) -> Recurrence:
    """The recurrence of an RRULE, counted from a day.

    Raises
    ------
    ValueError
    """
    if "\n" in text or ":" in text:
        raise ValueError("give the rule alone, without a name or a start")
    rule = rrulestr(text, dtstart=dt.datetime.combine(first, dt.time()), ignoretz=True)
    if not isinstance(rule, Recurrence):
        raise ValueError("give one rule")
    return rule


class RepeatRule(Model):
    """A recurrence: ``rrule`` as in RFC 5545 without a start, from the day ``first``."""

    rrule: Annotated[str, Str(max_length=500), AfterValidator(_readable)]
    first: dt.date
    working_day: Annotated[StrictInt, Field(ge=-260, le=260)] | None = None
    roll: Roll = "following"
