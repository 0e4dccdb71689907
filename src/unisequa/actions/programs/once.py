"""A write that comes with a key of its program's own is done once, and its answer given again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from threading import Lock
from typing import Any

from unisequa.core.errors import ActionError, Refused
from unisequa.store.queries.programs import answer_kept, forget_answers
from unisequa.store.store import Session, Store
from unisequa.store.tables import AnswerRow, now

KEPT = dt.timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Answer:
    """What a write is answered with."""

    status: int
    body: Any
    headers: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Once:
    """A write as its program names it: by which token, where, by which key, and the SHA-256 of what it asks."""

    token_id: int
    route: str
    key: str
    asked: str


class StillRunning(ActionError):
    """The first of that key is still under way."""

    status = 409


_RUNNING: set[tuple[int, str, str]] = set()
_LOCK = Lock()


def done_once(
    store: Store, once: Once | None, act: Callable[[Session], Answer], refused: Callable[[ActionError], Answer | None]
) -> Answer:
    """Do something in one transaction with its answer, or give the answer that it had before.

    Parameters
    ----------
    refused : callable
        What is kept as the answer to an error; None for one that is not, so that it is tried again.

    Raises
    ------
    Refused
        Where that key was used for something else.
    StillRunning
    """
    if once is None:
        with store.writing() as session:
            return act(session)
    with _running(once):
        try:
            with store.writing() as session:
                if (before := _before(session, once)) is not None:
                    return before
                answer = act(session)
                _keep(session, once, answer)
                return answer
        except ActionError as error:
            kept = refused(error)
            if kept is not None and not isinstance(error, StillRunning | _OtherUse):
                with store.writing() as session:
                    _keep(session, once, kept)
            raise


class _OtherUse(Refused):
    """A key that stands for something else."""


def _before(session: Session, once: Once) -> Answer | None:
    row = answer_kept(session, once.token_id, once.route, once.key)
    if row is not None and row.at < now() - KEPT:
        session.delete(row)
        session.flush()
        return None
    if row is None:
        return None
    if row.asked != once.asked:
        raise _OtherUse({"Idempotency-Key": "This key was used for something else; use a new one."})
    return Answer(row.status, row.body, row.headers)


def _keep(session: Session, once: Once, answer: Answer) -> None:
    forget_answers(session, now() - KEPT)
    session.add(
        AnswerRow(token_id=once.token_id, route=once.route[:300], key=once.key, asked=once.asked, status=answer.status,
                  headers=dict(answer.headers), body=answer.body)
    )  # fmt: skip
    session.flush()


@contextmanager
def _running(once: Once) -> Iterator[None]:
    """Only one of a key at a time; in another process the database has it wait, or refuses it."""
    name = (once.token_id, once.route, once.key)
    with _LOCK:
        if name in _RUNNING:
            raise StillRunning("The first of this Idempotency-Key is still under way; ask again in a moment.")
        _RUNNING.add(name)
    try:
        yield
    finally:
        with _LOCK:
            _RUNNING.discard(name)
