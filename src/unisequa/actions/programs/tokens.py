"""Tokens by which programs act as somebody: shown once, kept hashed, with scopes and an end."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from collections.abc import Collection
from dataclasses import dataclass

from unisequa.actions.people.accounts import audit
from unisequa.actions.people.people import Actor, as_actor
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import programs as queries
from unisequa.store.store import Session
from unisequa.store.tables import TokenRow, now

SCOPES = {
    "read": "look at everything that I may see",
    "work": "begin, finish, sign off, comment",
    "start": "start runs, keep records of subjects",
    "shift": "apply shifts, and take them back",
    "design": "write templates",
}
"""Scope → what a token with it may do, beside what its person may."""
BEGINS = "usq_"
SEEN_EVERY = dt.timedelta(minutes=5)


@dataclass(frozen=True, slots=True)
class Caller:
    """Whoever a program acts as, and what its token lets it do."""

    actor: Actor
    token_id: int
    scopes: frozenset[str]
    unseen: bool


@dataclass(frozen=True, slots=True)
class TokenSeen:
    """A token in its owner's list."""

    id: int
    name: str
    start: str
    scopes: tuple[str, ...]
    until: dt.date | None
    made: dt.datetime
    used: dt.datetime | None
    over: bool


def make_token(
    session: Session, person: Actor, name: str, scopes: Collection[str], until: dt.date | None, today: dt.date
) -> str:
    """A new token of somebody; what is given back is shown once and kept nowhere.

    Raises
    ------
    Refused
        Fields ``name``, ``scopes``, ``until``.
    """
    unknown = sorted(set(scopes) - SCOPES.keys())
    faults = {}
    if not name.strip():
        faults["name"] = "Say what it is for, so that you know it again."
    if unknown or not scopes:
        faults["scopes"] = f"Choose among {', '.join(SCOPES)}."
    if until is not None and until < today:
        faults["until"] = "That day is past."
    if faults:
        raise Refused(faults)
    token = BEGINS + secrets.token_urlsafe(32)
    kept = [scope for scope in SCOPES if scope in set(scopes)]
    session.add(
        TokenRow(digest=_digest(token), start=token[:9], person_id=person.id, name=name.strip()[:200], scopes=kept,
                 until=until)
    )  # fmt: skip
    audit(session, "token made", person.id, f"token {name.strip()[:100]}: {', '.join(kept)}")
    return token


def caller_by(session: Session, token: str, today: dt.date) -> Caller | None:
    """Whom a token stands for, while it counts and they are here."""
    row = queries.token_by_digest(session, _digest(token)) if token.startswith(BEGINS) else None
    if row is None or not row.person.active or (row.until is not None and row.until < today):
        return None
    unseen = row.used_at is None or now() - row.used_at > SEEN_EVERY
    return Caller(as_actor(row.person), row.id, frozenset(row.scopes), unseen)


def used(session: Session, token_id: int) -> None:
    """Say that a token was used."""
    row = session.get(TokenRow, token_id)
    if row is not None:
        row.used_at = now()


def tokens(session: Session, actor: Actor, today: dt.date) -> tuple[TokenSeen, ...]:
    """One's own tokens."""
    return tuple(
        TokenSeen(row.id, row.name, row.start, tuple(row.scopes), row.until, row.made_at, row.used_at,
                  row.until is not None and row.until < today)
        for row in queries.tokens_of(session, actor.id)
    )  # fmt: skip


def end_token(session: Session, actor: Actor, number: int) -> None:
    """Have one of one's own tokens count no more."""
    row = session.get(TokenRow, number)
    if row is None or row.person_id != actor.id:
        raise NotThere("There is no such token of yours.")
    audit(session, "token ended", actor.id, f"token {row.name}")
    session.delete(row)


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
