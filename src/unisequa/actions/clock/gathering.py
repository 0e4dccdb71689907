"""What has become due and is not written down yet: the day itself, and prepared runs whose day has come."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.due import appoint
from unisequa.core.calendars.today import utc_of
from unisequa.store.queries.clock import due_keys, has_key, runs_to_open
from unisequa.store.store import Store


def gather(store: Store, today: dt.date) -> None:
    """Write down what is due since the last tick; nothing is written where nothing is."""
    day = f"day:{today.isoformat()}"
    with store.reading() as session:
        new_day = not has_key(session, day)
        opening = {f"open:{number}:{on.isoformat()}": number for number, on in runs_to_open(session, today)}
        opening = {key: opening[key] for key in opening.keys() - due_keys(session, opening.keys())}
    if not new_day and not opening:
        return
    with store.writing() as session:
        if new_day:
            appoint(session, day, "day", utc_of(today))
        for key, number in sorted(opening.items()):
            appoint(session, key, "open", utc_of(today), run_id=number)
