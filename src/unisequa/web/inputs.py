"""Numbers that come in with an address, within bounds; and days on which something was done, as typed."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from fastapi import Path, Query

from unisequa.core.calendars.typed import typed_when
from unisequa.core.errors import DateRangeError, Refused, TypedError
from unisequa.core.terms import LARGEST_NUMBER

Id = Annotated[int, Path(ge=1, le=LARGEST_NUMBER)]
"""What a row is found by."""

Number = Annotated[int | None, Query(ge=1, le=LARGEST_NUMBER)]
"""The number of an edition or of a shift, where one is named."""


def day_done(text: str, today: dt.date, *, month_first: bool) -> dt.date | None:
    """The day, or the time, at which something was done, as somebody typed it; None for now.

    Raises
    ------
    Refused
        Field ``day``.
    """
    try:
        return typed_when(text, today=today, month_first=month_first)
    except (TypedError, DateRangeError) as error:
        raise Refused({"day": str(error)}) from None
