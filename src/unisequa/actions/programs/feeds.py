"""Feeds: calendars for calendar programs, at secret addresses that are renewed or shut by one click."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.actions.subjects import subject_row
from unisequa.core.errors import NotThere, Refused
from unisequa.store.documents import Latest
from unisequa.store.queries import programs as queries
from unisequa.store.queries.history import last_of_runs
from unisequa.store.queries.people import people_by_id
from unisequa.store.store import Session
from unisequa.store.tables import FeedRow, now

MOST = 100
SEEN_EVERY = dt.timedelta(hours=1)


@dataclass(frozen=True, slots=True)
class FeedSeen:
    """A feed in its owner's list."""

    id: int
    name: str
    kind: str
    events: bool
    anchors: bool
    used: dt.datetime | None


@dataclass(frozen=True, slots=True)
class Feed:
    """A feed that is asked for: whose, of what, and the versions of the runs in it, which say if it has changed."""

    id: int
    name: str
    person: Actor
    kind: str
    events: bool
    anchors: bool
    versions: tuple[tuple[int, int], ...]
    unseen: bool


def make_feed(
    session: Session, actor: Actor, kind: str, about_id: int | None, today: dt.date, *, events: bool, anchors: bool
) -> str:
    """A new feed; gives its secret, which is kept nowhere.

    Raises
    ------
    Refused
    """
    if kind == "run":
        name = see_run(session, actor, about_id or 0, today).name
    elif kind == "subject":
        name = f"Runs about {subject_row(session, actor, about_id or 0).name}"
    elif kind == "person":
        name, about_id = f"Tasks of {actor.name}", None
    else:
        raise Refused({"kind": "A feed is of your tasks, a run, or a subject's runs."})
    if len(queries.feeds_of(session, actor.id)) >= MOST:
        raise Refused({"kind": f"You have {MOST} feeds already; shut one first."})
    secret = secrets.token_urlsafe(24)
    session.add(
        FeedRow(digest=_digest(secret), person_id=actor.id, kind=kind, about_id=about_id, name=name[:200],
                events=events, anchors=anchors)
    )  # fmt: skip
    return secret


def feeds(session: Session, actor: Actor) -> tuple[FeedSeen, ...]:
    """One's own feeds."""
    rows = queries.feeds_of(session, actor.id)
    return tuple(FeedSeen(row.id, row.name, row.kind, row.events, row.anchors, row.used_at) for row in rows)


def renew_feed(session: Session, actor: Actor, number: int) -> str:
    """Give a feed another address; the one before leads nowhere any more. Gives its secret."""
    row = _own(session, actor, number)
    secret = secrets.token_urlsafe(24)
    row.digest = _digest(secret)
    return secret


def shut_feed(session: Session, actor: Actor, number: int) -> None:
    """Have a feed lead nowhere any more."""
    session.delete(_own(session, actor, number))


def _own(session: Session, actor: Actor, number: int) -> FeedRow:
    row = session.get(FeedRow, number)
    if row is None or row.person_id != actor.id:
        raise NotThere("There is no such feed of yours.")
    return row


def feed_at(session: Session, secret: str) -> Feed:
    """The feed at an address.

    Raises
    ------
    NotThere
        Where there is none, or its person has left, or sees no longer what it is about.
    """
    row = queries.feed_by_digest(session, _digest(secret))
    if row is None or not row.person.active:
        raise NotThere("There is no feed at this address.")
    versions = tuple(queries.versions_for(session, row.person_id, row.kind, row.about_id))
    if row.kind == "run" and not versions:
        raise NotThere("There is no feed at this address.")
    unseen = row.used_at is None or now() - row.used_at > SEEN_EVERY
    return Feed(row.id, row.name, as_actor(row.person), row.kind, row.events, row.anchors, versions, unseen)


_KEPT: Latest[bytes] = Latest(64)


def kept(etag: str, make: Callable[[], bytes]) -> bytes:
    """A calendar as it was made for an ETag, or made now."""
    found = _KEPT.get(etag)
    return found if found is not None else _KEPT.keep(etag, make())


def asked_for(session: Session, number: int) -> None:
    """Say that a feed was asked for."""
    row = session.get(FeedRow, number)
    if row is not None:
        row.used_at = now()


def runs_of_feed(session: Session, feed: Feed, today: dt.date) -> list[RunSeen]:
    """The runs in a feed, as its person sees them."""
    return [see_run(session, feed.person, number, today) for number, _ in feed.versions]


def changed_at(session: Session, runs: Sequence[RunSeen]) -> dict[int, dt.datetime]:
    """When something last happened in each of some runs, in UTC."""
    return last_of_runs(session, [run.id for run in runs])


def addresses_of(session: Session, runs: Sequence[RunSeen]) -> dict[int, str]:
    """The mail addresses of whoever does something in some runs, by their ids."""
    wanted = {task.person_id for run in runs for task in run.tasks.values() if task.person_id}
    return {number: person.email for number, person in people_by_id(session, wanted).items()}


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
