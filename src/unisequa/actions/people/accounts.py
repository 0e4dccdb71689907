"""Signing in and out, sessions, passwords, and who may sign in at all."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from unisequa.actions.people.passwords import fits, hash_password, weakness
from unisequa.actions.people.people import Actor, as_actor
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import accounts as rows
from unisequa.store.queries import people as queries
from unisequa.store.store import Session, Store
from unisequa.store.tables import AuditRow, Person, SessionRow, now

FREE_TRIES, LONGEST_PAUSE = 5, 900
NO_MATCH = "No one signs in with this address and password. Check both and try again."


@dataclass(frozen=True, slots=True)
class Source:
    """Where somebody is: the address that they come from, and what their browser calls itself."""

    address: str = ""
    agent: str = ""


@dataclass(frozen=True, slots=True)
class Limits:
    """How long a session lasts without being used, and at all."""

    idle: dt.timedelta
    whole: dt.timedelta


@dataclass(frozen=True, slots=True)
class SessionSeen:
    """A session in one's own list."""

    id: int
    begun: dt.datetime
    seen: dt.datetime
    source: str
    agent: str
    this: bool


def audit(session: Session, what: str, person_id: int | None, text: str, source: str = "") -> None:
    """Write down what was done with an account."""
    session.add(AuditRow(what=what, person_id=person_id, text=text[:500], source=source[:80]))


def digest_of(name: str) -> str:
    """What a session is found by in the store; its name is in its cookie only."""
    return hashlib.sha256(name.encode()).hexdigest()


def sign_in(store: Store, email: str, password: str, source: Source) -> tuple[Actor, str]:
    """The person with this address and password, and the name of a new session of theirs; no name yet where they have a
    second factor (:mod:`second_factor`).

    The password is looked at outside any transaction that writes.

    Raises
    ------
    Refused
        With the same words, after the same work, whichever of the two is wrong; after some wrong ones only later.
    """
    address = email.strip().lower()[:200]
    keys = (f"address {address}", f"source {source.address}"[:300])
    with store.reading() as session:
        check_pause(session, keys, "password", "passwords")
        person = queries.person_by_address(session, address, active=True)
        hashed = person.password_hash if person else None
    if not fits(password, hashed) or person is None:
        with store.writing() as session:
            for key in keys:
                count_attempt(session, key)
            audit(session, "refused", person.id if person else None, f"sign-in as {address}", source.address)
        raise Refused({"password": NO_MATCH})
    with store.writing() as session:
        rows.drop_attempts(session, keys[0])
        return as_actor(person), "" if person.second_factor else begin_session(session, person.id, source)


def check_pause(session: Session, keys: tuple[str, ...], where: str, what: str) -> None:
    """Refuse who has guessed too often by one of these keys, until their pause is over."""
    pause = max([(one.until - now()).total_seconds() for one in rows.attempts_of(session, keys)], default=0)
    if pause > 0:
        wait = f"{pause // 60 + 1:.0f} min" if pause > 60 else f"{pause:.0f} s"
        raise Refused({where: f"Too many {what} did not fit. Try again in {wait}."})


def count_attempt(session: Session, key: str) -> None:
    """Count a guess; after some, the next is looked at only after a pause, which grows."""
    row = rows.attempt_for(session, key)
    stale = row.until < now() - dt.timedelta(seconds=LONGEST_PAUSE)
    free = FREE_TRIES * (4 if key.startswith(("source ", "reset source ")) else 1)
    row.fails = 1 if stale else row.fails + 1
    pause = min(2 ** (row.fails - free), LONGEST_PAUSE) if row.fails >= free else 0
    row.until = now() + dt.timedelta(seconds=pause)


def begin_session(session: Session, person_id: int, source: Source) -> str:
    """A new session of somebody; gives its name."""
    name = secrets.token_urlsafe(32)
    agent = " ".join(source.agent.split())[:200]
    session.add(SessionRow(digest=digest_of(name), person_id=person_id, source=source.address[:80], agent=agent))
    audit(session, "signed in", person_id, "signed in", source.address)
    return name


def sign_in_as_sample(session: Session, person_id: int, source: Source) -> str:
    """A session of one of the demo's people, without a password."""
    person = queries.person_by_id(session, person_id)
    if person is None or not person.active:
        raise NotThere("That person does not exist.")
    return begin_session(session, person.id, source)


def who(session: Session, name: str, limits: Limits) -> tuple[Actor, bool] | None:
    """Whose session it is, if it still counts, and whether it is time to say that it was seen."""
    row = rows.session_by_digest(session, digest_of(name))
    moment = now()
    if row is None or not row.person.active or row.begun_at < moment - limits.whole:
        return None
    if row.seen_at < moment - limits.idle:
        return None
    return as_actor(row.person), row.seen_at < moment - limits.idle / 50


def seen(session: Session, name: str, limits: Limits) -> None:
    """Say that a session was used, and end those that no longer count."""
    row = rows.session_by_digest(session, digest_of(name))
    if row is not None:
        row.seen_at = now()
    rows.drop_sessions_before(session, now() - limits.whole, now() - limits.idle)


def sign_out(session: Session, name: str) -> None:
    """End a session."""
    row = rows.session_by_digest(session, digest_of(name))
    if row is not None:
        audit(session, "signed out", row.person_id, "signed out", row.source)
        session.delete(row)


def sessions(session: Session, actor: Actor, name: str) -> tuple[SessionSeen, ...]:
    """Where somebody is signed in; ``name`` is the session that asks."""
    return tuple(
        SessionSeen(row.id, row.begun_at, row.seen_at, row.source, row.agent, row.digest == digest_of(name))
        for row in rows.sessions_of(session, actor.id)
    )


def end_sessions(session: Session, actor: Actor, name: str, number: int | None = None) -> None:
    """End one of one's own sessions, or all but the one that asks."""
    rows.drop_sessions(session, actor.id, but=digest_of(name), number=number)
    audit(session, "sessions ended", actor.id, "one session ended" if number else "all other sessions ended")


def set_habit(session: Session, actor: Actor, *, month_first: bool) -> None:
    """Have days between slashes read as this person writes them."""
    person_row(session, actor.id).month_first = month_first


def widths_of(session: Session, actor: Actor) -> dict[str, int]:
    """How wide somebody has the columns of the template sheet, in px."""
    return dict(person_row(session, actor.id).widths)


def set_widths(session: Session, actor: Actor, widths: Mapping[str, int]) -> None:
    """Have the columns of the template sheet be so wide wherever this person sees it."""
    person_row(session, actor.id).widths = dict(widths)


def change_password(store: Store, actor: Actor, old: str, new: str, name: str) -> None:
    """Give oneself another password; every other session ends."""
    with store.reading() as session:
        person = queries.person_by_id(session, actor.id)
        hashed = person.password_hash if person else None
    if not fits(old, hashed):
        raise Refused({"old": "That is not your password now."})
    if fault := weakness(new, *actor.name.split(), actor.email):
        raise Refused({"new": fault})
    made = hash_password(new)
    with store.writing() as session:
        person = person_row(session, actor.id)
        person.password_hash = made
        rows.drop_sessions(session, actor.id, but=digest_of(name))
        rows.drop_resets(session, actor.id, now())
        audit(session, "password changed", actor.id, "password changed by themselves")


def set_password(
    store: Store, person_id: int, password: str, by: str, check: Callable[[Session], object] = lambda _: None
) -> None:
    """Give somebody another password; their sessions end, and the links by which they could set one. It is hashed
    outside the transaction that writes, in which ``check`` may still refuse."""
    with store.reading() as session:
        person = person_row(session, person_id)
        known = (*person.name.split(), person.email)
    if fault := weakness(password, *known):
        raise Refused({"password": fault})
    made = hash_password(password)
    with store.writing() as session:
        check(session)
        person_row(session, person_id).password_hash = made
        rows.drop_sessions(session, person_id)
        rows.drop_resets(session, person_id, now())
        audit(session, "password changed", person_id, f"password changed by {by}")


def set_active(session: Session, person_id: int, by: str, *, active: bool) -> None:
    """Let somebody sign in, or no longer."""
    person = person_row(session, person_id)
    if not active and person.administrator and len(queries.active_administrators(session)) == 1 and person.active:
        raise Refused({"person": f"{person.name} is the last administrator; make somebody else one first."})
    person.active = active
    if not active:
        rows.drop_sessions(session, person_id)
    audit(session, "active", person_id, f"{'activated' if active else 'deactivated'} by {by}")


def set_administrator(session: Session, person_id: int, by: str, *, administrator: bool) -> None:
    """Make somebody an administrator, or no longer."""
    person = person_row(session, person_id)
    alone = person.administrator and len(queries.active_administrators(session)) == 1
    if not administrator and alone:
        raise Refused({"person": f"{person.name} is the last administrator; make somebody else one first."})
    person.administrator = administrator
    audit(session, "administrator", person_id, f"{'made' if administrator else 'no longer'} administrator by {by}")


def person_row(session: Session, person_id: int) -> Person:
    """Somebody's row by id."""
    person = queries.person_by_id(session, person_id)
    if person is None:
        raise NotThere("That person does not exist.")
    return person


def person_at(session: Session, email: str) -> Actor:
    """Somebody by mail address."""
    person = queries.person_by_address(session, email.strip().lower())
    if person is None:
        raise Refused({"email": f"nobody here has the address {email}"})
    return as_actor(person)


def acting_administrator(session: Session, otherwise: Actor, email: str = "") -> Actor:
    """The administrator in whose name a command changes what runs go by; the first one unless an address is given.
    ``otherwise`` where nobody is there yet.

    Raises
    ------
    Refused
        Field ``by``.
    """
    found = queries.active_administrators(session)
    if email:
        found = [person for person in found if person.email == email.strip().lower()]
        if not found:
            raise Refused({"by": f"{email} does not administer here; name somebody who does."})
    return as_actor(min(found, key=lambda person: person.id)) if found else otherwise


def end_all_sessions(session: Session, person_id: int, by: str) -> None:
    """Sign somebody out everywhere."""
    rows.drop_sessions(session, person_id)
    audit(session, "sessions ended", person_id, f"all sessions ended by {by}")


def name_fault(name: str) -> str:
    """What is wrong with somebody's name; nothing when it is good."""
    good = name and len(name) <= 200 and name.isprintable()
    return "" if good else "A name of up to 200 characters is needed."


def address_fault(address: str) -> str:
    """What is wrong with a mail address; nothing when it is good."""
    good = "@" in address.strip("@") and len(address) <= 200 and address.isprintable() and " " not in address
    return "" if good else f'"{address[:200]}" is no mail address.'


def add_person(
    store: Store, name: str, email: str, password: str | None, title: str = "", *, administrator: bool = False
) -> Actor:
    """Add somebody who can sign in; the first is an administrator. The password is hashed outside the transaction;
    without one they set it by a link, or sign in elsewhere."""
    faults = {}
    name, address = " ".join(name.split()), email.strip().lower()
    if fault := name_fault(name):
        faults["name"] = fault
    if fault := address_fault(address):
        faults["email"] = fault
    with store.reading() as session:
        if "email" not in faults and queries.address_is_taken(session, address):
            faults["email"] = f"{address} signs in already."
    if password is not None and (fault := weakness(password, *name.split(), address)):
        faults["password"] = fault
    if faults:
        raise Refused(faults)
    made = hash_password(secrets.token_urlsafe(32) if password is None else password)
    with store.writing() as session:
        if queries.address_is_taken(session, address):
            raise Refused({"email": f"{address} signs in already."})
        first = not queries.active_administrators(session)
        added = Person(
            name=name, email=address, password_hash=made, title=title[:200], administrator=administrator or first
        )
        session.add(added)
        session.flush()
        audit(session, "added", added.id, f"{name} added" + (" as administrator" if added.administrator else ""))
        return as_actor(added)
