"""Whether what is kept of runs for lists is still what their tasks say."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from unisequa.store.lists import differences
from unisequa.store.queries.runs import all_run_ids, run_by_id
from unisequa.store.store import Session


def check_data(session: Session, today: dt.date) -> Iterator[str]:
    """A line for everything that is not as it should be."""
    for run_id in all_run_ids(session):
        run = run_by_id(session, run_id)
        if run is not None:
            yield from (f"{run.name} (run {run.id}): {told}" for told in differences(run, today))
