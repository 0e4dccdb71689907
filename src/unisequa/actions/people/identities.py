"""Signing in by what the house signs in with elsewhere (OpenID Connect)."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.people.accounts import Source, audit, begin_session
from unisequa.core.errors import Refused
from unisequa.store.queries import accounts as rows
from unisequa.store.queries import people as queries
from unisequa.store.store import Store
from unisequa.store.tables import Identity


@dataclass(frozen=True, slots=True)
class Claims:
    """What a provider says of somebody, its signature and audience looked at before."""

    issuer: str
    subject: str
    email: str
    verified: bool


def sign_in_as(store: Store, claims: Claims, source: Source) -> str:
    """The name of a new session for who somebody is elsewhere: known by the provider's own name for them, the first
    time by a mail address that the provider has verified. Nobody is added by it.

    Raises
    ------
    Refused
        Where nobody here is meant.
    """
    address = claims.email.strip().lower()[:200]
    with store.writing() as session:
        known = rows.identity(session, claims.issuer, claims.subject)
        person = known.person if known else None
        if known is None and claims.verified:
            person = queries.person_by_address(session, address, active=True)
            if person is not None:
                session.add(Identity(issuer=claims.issuer, subject=claims.subject, person_id=person.id))
                audit(session, "identity", person.id, f"known by {claims.issuer} from now on", source.address)
        if person is not None and person.active:
            return begin_session(session, person.id, source)
        audit(session, "refused", person.id if person else None, f"sign-in elsewhere as {address}", source.address)
    said = f"{address} has" if address else "You have"
    hint = "" if claims.verified or known else " (the address is not verified there)"
    raise Refused({"": f"{said} no account here{hint}. An administrator adds people on the page People."})
