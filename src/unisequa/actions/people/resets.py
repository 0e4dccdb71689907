"""A lost password, set anew by a link that goes to its owner's address and counts once."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Callable

from unisequa.actions.mail import Mail, post_mail
from unisequa.actions.people import accounts
from unisequa.actions.people.accounts import Source, audit, check_pause, count_attempt, digest_of
from unisequa.actions.people.people import Actor, as_actor
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import accounts as rows
from unisequa.store.queries import people as queries
from unisequa.store.store import Session, Store
from unisequa.store.tables import ResetRow, now

LASTS, INVITED = dt.timedelta(hours=1), dt.timedelta(days=7)
"""How long a link counts that was asked for, and one that somebody new gets."""
GONE = "This link counts no longer: it was used, or is too old. Ask for another."


def ask(store: Store, email: str, source: Source, link: Callable[[str], str]) -> None:
    """Send a link to whoever signs in with an address; who does not gets none, and whoever asks is told neither.

    Raises
    ------
    Refused
        When too many were asked for from where this comes from.
    """
    address = email.strip().lower()[:200]
    keys = f"reset address {address}", f"reset source {source.address}"[:300]
    with store.writing() as session:
        check_pause(session, keys[1:], "email", "requests")
        paused = any(one.until > now() for one in rows.attempts_of(session, keys[:1]))
        for key in keys:
            count_attempt(session, key)
        person = queries.person_by_address(session, address, active=True)
        audit(session, "reset", person.id if person else None, f"another password asked for {address}", source.address)
        if person is None or paused:
            return
        token = make(session, person.id, "a mail")
        text = (
            f"Hello {person.name},\n\nsomebody, probably you, asked for another password in Unisequa. "
            f"Set it here within an hour:\n\n{link(token)}\n\n"
            "If it was not you, do nothing: your password stays as it is.\n"
        )
        post_mail(
            session, f"reset:{digest_of(token)[:32]}", Mail(address, "Another password", text), person.id, secret=True
        )


def invite(session: Session, person: Actor, by: Actor, link: Callable[[str], str]) -> None:
    """Send somebody new a link by which they set their first password."""
    token = make(session, person.id, by.name, INVITED)
    text = (
        f"Hello {person.name},\n\n{by.name} has added you in Unisequa. Set your password here within a week:\n\n"
        f"{link(token)}\n\nYou then sign in with the address {person.email}.\n"
    )
    key = f"invited:{digest_of(token)[:32]}"
    post_mail(session, key, Mail(person.email, "Your account in Unisequa", text), person.id, secret=True)


def make(session: Session, person_id: int, by: str, lasts: dt.timedelta = LASTS) -> str:
    """The token of a new link for somebody; the one before counts no longer."""
    person = accounts.person_row(session, person_id)
    if not person.active:
        raise Refused({"email": f"{person.name} cannot sign in."})
    token = secrets.token_urlsafe(32)
    rows.drop_resets(session, person_id, now())
    session.add(ResetRow(digest=digest_of(token), person_id=person_id, until=now() + lasts))
    audit(session, "reset", person_id, f"a link to another password made by {by}")
    return token


def whose(session: Session, token: str) -> Actor:
    """Whose link it is.

    Raises
    ------
    NotThere
        When it counts no longer.
    """
    row = rows.reset_by_digest(session, digest_of(token), now())
    if row is None or not row.person.active:
        raise NotThere(GONE)
    return as_actor(row.person)


def use(store: Store, token: str, password: str) -> None:
    """Set the password; the link and all sessions end. A second factor stays."""
    with store.reading() as session:
        person = whose(session, token)
    accounts.set_password(store, person.id, password, "a link", check=lambda session: whose(session, token))
