"""Numbers that come in with an address, within bounds; and days on which something was done, as typed."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from fastapi import Path, Query

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date, typed_past
from unisequa.core.errors import DateRangeError, Refused, TypedError
from unisequa.core.terms import LARGEST_NUMBER

Id = Annotated[int, Path(ge=1, le=LARGEST_NUMBER)]
"""What a row is found by."""

Number = Annotated[int | None, Query(ge=1, le=LARGEST_NUMBER)]
"""The number of an edition or of a shift, where one is named."""


def day_ahead(text: str, today: dt.date) -> dt.date | None:
    """A day to come, as somebody typed it; None for nothing.

    Raises
    ------
    Refused
        Field ``by``.
    """
    if not text.strip():
        return None
    try:
        return typed_date(text, today=today, base=None, calendar=WorkingCalendar())
    except (TypedError, DateRangeError) as error:
        raise Refused({"by": str(error)}) from None


def day_done(text: str, today: dt.date) -> dt.date | None:
    """The day on which something was done, as somebody typed it; None for today.

    Raises
    ------
    Refused
        Field ``day``.
    """
    try:
        return typed_past(text, today=today)
    except (TypedError, DateRangeError) as error:
        raise Refused({"day": str(error)}) from None
