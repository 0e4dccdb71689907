"""The clock: what is due is carried out in order of time, each thing once, each in a transaction of its own.

====================  ======================================================================
what can happen       what follows
====================  ======================================================================
it is done            its row says so, in the same transaction
another tick is there the row is taken, or done already: it passes on
it fails              nothing of it stays but why; it is tried again (:data:`PAUSES`)
it fails too often    it is set aside, and whom it concerns is told
the process ends      the row waits as before
====================  ======================================================================
"""

from __future__ import annotations

import datetime as dt
import sys
import traceback
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.clock.gathering import gather
from unisequa.actions.clock.handing_off import hand_off
from unisequa.actions.clock.levelling import level_if_due
from unisequa.actions.clock.opening import open_run
from unisequa.actions.clock.renewing import renew_lines
from unisequa.actions.clock.repeating import start_by_rule
from unisequa.actions.clock.step_messages import ADDRESS, send_step_message
from unisequa.actions.clock.the_day import begin_day, write_digest
from unisequa.actions.clock.whom import concerned
from unisequa.actions.due import CarryOut, HeldBack
from unisequa.actions.messages.bundling import bundle
from unisequa.actions.messages.posting import Word, tell
from unisequa.core.calendars.today import utc_of
from unisequa.core.calendars.words import count_words
from unisequa.core.clock.due import next_try
from unisequa.core.errors import Busy, DocumentError, UnisequaError, Unwell
from unisequa.store.queries.clock import next_due, people_to_write, taken_due
from unisequa.store.store import Session, Store
from unisequa.store.tables import DueRow, now

KINDS: Mapping[str, CarryOut] = {
    "day": begin_day,
    "digest": write_digest,
    "open": open_run,
    "repeat": start_by_rule,
    "message": send_step_message,
    "hand-off": hand_off,
    "renew": renew_lines,
}
"""Kind of what is due → who carries it out."""
MOST_IN_A_TICK = 5_000
LOOKED_AT = 100
"""How much of what is due is listed at a time; what becomes due by it comes with the next."""


@dataclass(slots=True)
class Ticked:
    """What one tick came to."""

    done: int = 0
    held: int = 0
    failed: int = 0
    written: int = 0

    @property
    def words(self) -> str:
        """As it is printed."""
        written = count_words(self.written, "message")
        return f"{self.done} done, {self.held} held back, {self.failed} failed, {written} put together"


def tick(store: Store, today: dt.date, address: str = "") -> Ticked:
    """Carry out all that is due on a day, at its moment (:class:`unisequa.core.calendars.today.Today`).

    Parameters
    ----------
    address : str
        Where people find this server, for links in messages.

    Raises
    ------
    Busy, Unwell
        When the data cannot be written; what was due waits.
    """
    ticked, seen, moment = Ticked(), set[int](), utc_of(today)
    gather(store, today)
    while len(seen) < MOST_IN_A_TICK:
        with store.reading() as session:
            numbers = [number for number in next_due(session, moment, LOOKED_AT + len(seen)) if number not in seen]
        if not numbers:
            break
        for number in numbers[:LOOKED_AT]:
            seen.add(number)
            _carry_out(store, number, today, ticked, address)
    level_if_due(store, today)
    with store.reading() as session:
        people = people_to_write(session, now())
    for person_id in people:
        with store.writing() as session:
            ticked.written += bundle(session, person_id, address)
    return ticked


def _carry_out(store: Store, number: int, today: dt.date, ticked: Ticked, address: str) -> None:
    """Carry one thing out; where that fails its transaction is gone, and another keeps why."""
    moment = utc_of(today)
    try:
        with store.writing() as session:
            session.info[ADDRESS] = address
            row = taken_due(session, number, moment)
            if row is None:
                return
            row.told = KINDS[row.kind](session, row, today)[:1000]
            row.state, row.error, row.done_at = "done", "", moment
        ticked.done += 1
        return
    except HeldBack as error:
        why, state = str(error), "held back"
    except (Busy, Unwell):
        raise
    except UnisequaError as error:
        why, state = words_of(error), "failed"
    except Exception:
        traceback.print_exc(file=sys.stderr)
        why, state = "Something went wrong here; the server's log says what.", "failed"
    with store.writing() as session:
        session.info[ADDRESS] = address
        row = taken_due(session, number, moment)
        if row is None:
            return
        if state == "held back":
            row.state, row.told, row.done_at = state, why[:1000], moment
            ticked.held += 1
            return
        ticked.failed += 1
        _failed(session, row, why, today)


def words_of(error: UnisequaError) -> str:
    """An error in one line."""
    if isinstance(error, DocumentError):
        return "; ".join(f"{fault.message[:1].upper()}{fault.message[1:]}" for fault in error.faults)
    return str(error)


def _failed(session: Session, row: DueRow, why: str, today: dt.date) -> None:
    """Keep why something failed, and when it is tried again; whom it concerns is told at the first failure and when it
    is set aside."""
    row.tries += 1
    row.error = why[:1000]
    again = next_try(row.tries, utc_of(today))
    if again is None:
        row.state, row.done_at = "set aside", utc_of(today)
    else:
        row.try_at = again
    if row.tries > 1 and again is not None:
        return
    about, people = concerned(session, row)
    end = "It is tried again." if again is not None else "It is set aside after six tries; look at it under By itself."
    for person in people:
        key = f"failed:{row.key}:{row.tries}"
        word = Word(key, "keeper", f"{about}: {why}", end, row.run_id, path="" if row.run_id else "/by-itself")
        tell(session, person, word)
