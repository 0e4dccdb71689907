"""Who did what, when."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.store.queries import history as queries
from unisequa.store.store import Session
from unisequa.store.tables import HistoryRow

LONGEST = 2000
MOST_OF_RUN, MOST_OF_TEMPLATE = 500, 200


@dataclass(frozen=True, slots=True)
class Happened:
    """One thing that was done; ``order`` tells two of one moment apart."""

    at: dt.datetime
    who: str
    text: str
    order: tuple[int, int] = (0, 0)
    undone: bool = False


def note(
    session: Session,
    actor: Actor,
    what: str,
    text: str,
    *,
    template_id: int | None = None,
    run_id: int | None = None,
    task_key: str | None = None,
) -> None:
    """Write down something that was done, in the transaction that does it."""
    session.add(
        HistoryRow(
            person_id=actor.id,
            what=what,
            text=text[:LONGEST],
            template_id=template_id,
            run_id=run_id,
            task_key=task_key,
        )
    )


def of_run(session: Session, run_id: int) -> tuple[Happened, ...]:
    """What was done in a run, the latest first."""
    return tuple(_happened(row) for row in queries.of_run(session, run_id, MOST_OF_RUN))


def of_template(session: Session, template_id: int) -> tuple[Happened, ...]:
    """What was done with a template beside its edits, the latest first."""
    return tuple(_happened(row) for row in queries.of_template(session, template_id, MOST_OF_TEMPLATE))


def _happened(row: HistoryRow) -> Happened:
    return Happened(row.at, row.person.name, row.text, (0, row.id))
