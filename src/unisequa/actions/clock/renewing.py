"""What depends on the day is worked out anew when a day begins: the lines of runs, fifty a transaction."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.due import appoint
from unisequa.core.calendars.today import utc_of
from unisequa.core.calendars.words import count_words
from unisequa.store.lists import keep
from unisequa.store.queries.horizon import lines_behind
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import DueRow

AT_ONCE = 50


def appoint_renewal(session: Session, today: dt.date, after: int = 0) -> None:
    """Have the lines of runs behind one worked out for a day."""
    key = f"renew:{today.isoformat()[:10]}:{after}"
    appoint(session, key, "renew", utc_of(today), content={"after": after})


def renew_lines(session: Session, row: DueRow, today: dt.date) -> str:
    """Work the next fifty lines out, and have those behind them follow."""
    day = dt.date(today.year, today.month, today.day)
    ids = lines_behind(session, day, AT_ONCE, int(row.content.get("after", 0)))
    for number in ids:
        run = run_by_id(session, number, alone=False)
        if run is not None:
            keep(run, today, None)
    if len(ids) == AT_ONCE:
        appoint_renewal(session, today, ids[-1])
    return f"{count_words(len(ids), 'run')} brought to the day"
