"""A second factor, for those who want one: by the clock (TOTP, RFC 6238), and codes on paper in case it is lost."""

from __future__ import annotations

import hmac
import secrets
import time
from dataclasses import dataclass

from unisequa.actions.people.accounts import (
    Source,
    audit,
    begin_session,
    check_pause,
    count_attempt,
    digest_of,
    person_row,
)
from unisequa.actions.people.passwords import fits
from unisequa.actions.people.people import Actor
from unisequa.core.errors import Refused
from unisequa.store.queries import accounts as rows
from unisequa.store.store import Session, Store
from unisequa.store.tables import Person, RecoveryCode

SECONDS = 30
CODES = 10
WRONG = "This code does not fit. A code counts for half a minute and is taken once; is the clock of your device right?"


@dataclass(frozen=True, slots=True)
class Factor:
    """Whether somebody has a second factor, and how many codes on paper are left."""

    on: bool
    left: int


def factor_of(session: Session, actor: Actor) -> Factor:
    """The second factor of somebody."""
    on = bool(person_row(session, actor.id).second_factor)
    return Factor(on, rows.recovery_codes_left(session, actor.id) if on else 0)


def new_secret() -> str:
    """A secret for an authenticator: 160 bits in base 32, as RFC 4226 recommends."""
    import pyotp

    return pyotp.random_base32()


def address_of(secret: str, actor: Actor) -> str:
    """What an authenticator reads from a picture: an ``otpauth`` address."""
    import pyotp

    return pyotp.TOTP(secret).provisioning_uri(name=actor.email or actor.name, issuer_name="Unisequa")


def turn_on(store: Store, actor: Actor, secret: str, code: str, name: str) -> tuple[str, ...]:
    """Have sign-ins ask for a code from now on, once one shows that the secret arrived; gives the codes for paper.
    Every other session than ``name`` ends.

    Raises
    ------
    Refused
        When the code does not fit, or there is a second factor already.
    """
    used = _half_minute(secret, code, 0)
    if used is None:
        raise Refused({"code": WRONG})
    with store.writing() as session:
        person = person_row(session, actor.id)
        if person.second_factor:
            raise Refused({"code": "There is a second factor already; take it off first."})
        person.second_factor, person.second_factor_used = secret, used
        rows.drop_sessions(session, actor.id, but=digest_of(name))
        audit(session, "second factor", actor.id, "second factor put on")
        return _write_codes(session, actor.id)


def turn_off(store: Store, actor: Actor, password: str) -> None:
    """Ask for no code any more; needs the password."""
    _check_password(store, actor, password)
    with store.writing() as session:
        take_off(session, actor.id, "themselves")


def take_off(session: Session, person_id: int, by: str) -> None:
    """Ask somebody for no code any more, who has lost both device and paper."""
    person = person_row(session, person_id)
    person.second_factor, person.second_factor_used = "", 0
    rows.drop_recovery_codes(session, person_id)
    audit(session, "second factor", person_id, f"second factor taken off by {by}")


def new_codes(store: Store, actor: Actor, password: str) -> tuple[str, ...]:
    """Other codes for paper; those before count no longer. Needs the password."""
    _check_password(store, actor, password)
    with store.writing() as session:
        if not person_row(session, actor.id).second_factor:
            raise Refused({"password": "There is no second factor for which codes could stand in."})
        audit(session, "second factor", actor.id, "other recovery codes written")
        return _write_codes(session, actor.id)


def _check_password(store: Store, actor: Actor, password: str) -> None:
    key = (f"password of {actor.id}",)
    with store.reading() as session:
        check_pause(session, key, "password", "passwords")
        hashed = person_row(session, actor.id).password_hash
    if not fits(password, hashed):
        with store.writing() as session:
            count_attempt(session, key[0])
        raise Refused({"password": "That is not your password."})


def _write_codes(session: Session, person_id: int) -> tuple[str, ...]:
    rows.drop_recovery_codes(session, person_id)
    alphabet = "abcdefghjkmnpqrstuvwxyz23456789"
    codes = ["".join(secrets.choice(alphabet) for _ in range(16)) for _ in range(CODES)]
    session.add_all(RecoveryCode(digest=digest_of(f"{person_id} {code}"), person_id=person_id) for code in codes)
    return tuple("-".join(code[n : n + 4] for n in range(0, 16, 4)) for code in codes)


def marks(session: Session, person_id: int) -> str:
    """What changes when somebody's password or second factor does: a sign-in begun before counts no longer."""
    person = person_row(session, person_id)
    return digest_of(f"{person.password_hash} {person.second_factor}")[:32]


def finish_sign_in(store: Store, person_id: int, marked: str, code: str, source: Source) -> str:
    """The name of a new session for somebody whose password fitted, by a code.

    Raises
    ------
    Refused
        When it does not fit, after some wrong ones only later, or when password or factor changed meanwhile.
    """
    key = f"code {person_id}"
    fault = ""
    with store.writing() as session:
        check_pause(session, (key,), "code", "codes")
        person = person_row(session, person_id)
        if not person.active or marks(session, person_id) != marked:
            raise Refused({"code": "This sign-in is too old; begin again with your password."})
        if _takes(session, person, code):
            rows.drop_attempts(session, key)
            return begin_session(session, person_id, source)
        count_attempt(session, key)
        audit(session, "refused", person_id, "a second factor did not fit", source.address)
        fault = WRONG
    raise Refused({"code": fault})


def _takes(session: Session, person: Person, code: str) -> bool:
    """Whether a code counts; it then never counts again."""
    typed = "".join(one for one in code.lower() if one.isalnum())
    if len(typed) == 16:
        return rows.use_recovery_code(session, person.id, digest_of(f"{person.id} {typed}"))
    used = _half_minute(person.second_factor, typed, person.second_factor_used)
    if used is None:
        return False
    person.second_factor_used = used
    return True


def _half_minute(secret: str, code: str, after: int) -> int | None:
    """The half minute, of this one and those beside it, that has this code and comes after the one used last."""
    import pyotp

    digits = code.replace(" ", "")
    if not (digits.isascii() and digits.isdigit()):
        return None
    totp, this = pyotp.TOTP(secret), int(time.time()) // SECONDS
    for step in (this, this - 1, this + 1):
        if step > after and hmac.compare_digest(totp.generate_otp(step), digits):
            return step
    return None
