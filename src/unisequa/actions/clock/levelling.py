"""Is there time? Worked out when something that it rests on has changed, at most every five minutes.

Looked at and worked out without holding anybody up; only what came of it is written in a transaction. Where it takes
long it is done the less often.
"""

from __future__ import annotations

import datetime as dt
import time

from unisequa.actions.across.staff import Staff, staff
from unisequa.core.calendars.today import utc_of
from unisequa.core.network.places import UNDATED
from unisequa.core.people.levelling import NoTime, RunOfWork, level, no_time
from unisequa.store.plans import plan_of
from unisequa.store.queries import no_time as queries
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session, Store
from unisequa.store.tables import LevelRow, NoTimeRow

PAUSE = dt.timedelta(minutes=5)
SHARE = 20
"""A house that takes long to level is levelled no more often than takes this part of the time."""
_took: dict[str, dt.timedelta] = {}


def level_if_due(store: Store, today: dt.date) -> bool:
    """Level all runs, if it is time to and something has changed; gives whether it was done."""
    now = utc_of(today)
    with store.reading() as session:
        last = queries.last_level(session)
        pause = max(PAUSE, SHARE * _took.get(str(store.engine.url), dt.timedelta(0)))
        if last is not None and dt.timedelta(0) <= now - last.at < pause:
            return False
        rests_on = queries.rests_on(session, today)
        if last is not None and last.rests_on == rests_on:
            return False
        begun = time.monotonic()
        found = levelled(session, today)
        _took[str(store.engine.url)] = dt.timedelta(seconds=time.monotonic() - begun)
    with store.writing() as session:
        row = LevelRow(at=now, on=dt.date(today.year, today.month, today.day), rests_on=rests_on)
        queries.keep_level(session, row, found)
    return True


def levelled(session: Session, today: dt.date) -> list[NoTimeRow]:
    """The tasks for which there is no time, of all live runs and then the prepared ones."""
    everybody = staff(session)
    runs: list[RunOfWork] = []
    ids: list[int] = []
    for state in ("live", "prepared"):
        for number in queries.runs_with_work(session, state):
            run = run_by_id(session, number, alone=False)
            if run is None:
                continue
            work = everybody.work_of(run, plan_of(run, today))
            if any(True for _ in work.open()):
                runs.append(work)
                ids.append(number)
            session.expire(run)
    answer = level(runs, today.toordinal())
    return [_row(everybody, ids, one, runs[one.run]) for one in no_time(runs, answer, today.toordinal())]


def _row(everybody: Staff, ids: list[int], one: NoTime, run: RunOfWork) -> NoTimeRow:
    until = None if one.until in (None, UNDATED) else dt.date.fromordinal(one.until or 1)
    own = run.doers.get(one.key)
    person = everybody.ids.get(one.who) or (everybody.ids.get(own.name) if own is not None else None)
    return NoTimeRow(
        run_id=ids[one.run],
        task_key=one.key,
        title=one.title[:400],
        until_on=until,
        person_id=person,
        words=one.words[:1000],
    )
