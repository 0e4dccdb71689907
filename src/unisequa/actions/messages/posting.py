"""A word to somebody: a row of the outbox in the transaction of its cause, in one of the lines of messages."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from unisequa.actions.messages.lines import how_for
from unisequa.actions.outbox import post
from unisequa.store.queries.clock import count_in_bell
from unisequa.store.store import Session
from unisequa.store.tables import Person, now

TOGETHER = dt.timedelta(minutes=5)
"""What would leave for one person so soon after the first leaves with it."""


@dataclass(frozen=True, slots=True)
class Word:
    """Something that somebody is told.

    Parameters
    ----------
    key : str
        What it is, with the date it speaks of, if any: nobody is told twice of one key.
    line : str
        In which line (:data:`unisequa.actions.messages.lines.LINES`).
    said : str
        The word itself, one line.
    more : str
        What stands below it, line by line.
    run_id, task_key, run : int, str and str, optional
        What it is about, and the run's name.
    path : str
        Where it leads; the task, or the run, without one.
    at_once : bool
        Whether it leaves without waiting for others, as in a job of hours.
    files : tuple of (str, str)
        What goes with it: names, and the digests by which they are kept.
    """

    key: str
    line: str
    said: str
    more: str = ""
    run_id: int | None = None
    task_key: str | None = None
    run: str = ""
    path: str = ""
    at_once: bool = False
    files: tuple[tuple[str, str], ...] = ()

    @property
    def leads_to(self) -> str:
        """The path of the page that it is about."""
        if self.path or self.run_id is None:
            return self.path
        return f"/runs/{self.run_id}" + (f"?task={self.task_key}" if self.task_key else "")


def tell(session: Session, person: Person, word: Word) -> bool:
    """Tell somebody, as they want it; gives whether it was new. Whoever has left is told nothing."""
    how = how_for(person, word.line)
    if not person.active or how == "none":
        return False
    content: dict[str, Any] = {"said": word.said[:500], "more": word.more, "run": word.run, "path": word.leads_to}
    if word.files:
        content["files"] = [list(file) for file in word.files]
    new = post(
        session,
        f"{word.key}:{person.id}"[:200],
        "word",
        content,
        run_id=word.run_id,
        person_id=person.id,
        due=now() + (dt.timedelta(0) if word.at_once else TOGETHER),
        line=word.line,
        how=how,
        task_key=word.task_key,
    )
    if new:
        count_in_bell(session, person.id)
    return new
