"""The clock in the served process: every minute what is due is done, and what waits leaves."""

from __future__ import annotations

import datetime as dt
import json
import sys
import traceback
from collections.abc import Iterator
from contextlib import contextmanager

from unisequa.core.errors import UnisequaError
from unisequa.settings import Settings
from unisequa.store.store import Store


@contextmanager
def clock_of(store: Store, settings: Settings) -> Iterator[None]:
    """Have the clock go while the server does, unless the settings stop it.

    Several processes may each have one: what is due is taken by one of them.
    """
    if not settings.clock:
        yield
        return
    from apscheduler.schedulers.background import BackgroundScheduler  # type: ignore[import-untyped]

    scheduler = BackgroundScheduler(timezone=dt.UTC)
    scheduler.add_job(
        beat_once, "cron", second=0, args=(store, settings), coalesce=True, max_instances=1, misfire_grace_time=None
    )
    scheduler.add_job(beat_once, args=(store, settings), misfire_grace_time=None)
    scheduler.start()
    try:
        yield
    finally:
        scheduler.shutdown(wait=True)


def beat_once(store: Store, settings: Settings) -> None:
    """One beat; what goes wrong is written to the log, and the next beat comes all the same."""
    from unisequa.actions.clock.sending import beat

    try:
        beat(store, settings.day(), settings.leaving())
    except UnisequaError as error:
        print(json.dumps({"clock": str(error)}), file=sys.stderr, flush=True)
    except Exception:
        traceback.print_exc(file=sys.stderr)
