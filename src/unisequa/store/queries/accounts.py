"""Sessions, guesses at passwords, and the audit trail."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.queries.taking import add_once
from unisequa.store.tables import AttemptRow, AuditRow, Identity, RecoveryCode, ResetRow, SessionRow


def session_by_digest(session: Session, digest: str) -> SessionRow | None:
    """A session with who it is of."""
    query = select(SessionRow).where(SessionRow.digest == digest).options(joinedload(SessionRow.person))
    return session.scalar(query)


def sessions_of(session: Session, person_id: int) -> list[SessionRow]:
    """Where somebody is signed in, the latest seen first."""
    query = select(SessionRow).where(SessionRow.person_id == person_id)
    return list(session.scalars(query.order_by(SessionRow.seen_at.desc(), SessionRow.id.desc())))


def drop_sessions(session: Session, person_id: int, *, but: str = "", number: int | None = None) -> None:
    """End somebody's sessions: all, all but one, or one of them."""
    gone = delete(SessionRow).where(SessionRow.person_id == person_id, SessionRow.digest != but)
    session.execute(gone if number is None else gone.where(SessionRow.id == number))


def drop_sessions_before(session: Session, begun: dt.datetime, seen: dt.datetime) -> None:
    """End those begun, or last seen, before some moments."""
    session.execute(delete(SessionRow).where((SessionRow.begun_at < begun) | (SessionRow.seen_at < seen)))


def attempts_of(session: Session, keys: tuple[str, ...]) -> list[AttemptRow]:
    """The guesses made by some keys."""
    return list(session.scalars(select(AttemptRow).where(AttemptRow.key.in_(keys))))


def attempt_for(session: Session, key: str) -> AttemptRow:
    """The guesses made by a key, to count one more."""
    add_once(session, AttemptRow(key=key, fails=0))
    return session.scalars(select(AttemptRow).where(AttemptRow.key == key)).one()


def drop_attempts(session: Session, key: str) -> None:
    """Forget the guesses made by a key."""
    session.execute(delete(AttemptRow).where(AttemptRow.key == key))


def reset_by_digest(session: Session, digest: str, moment: dt.datetime) -> ResetRow | None:
    """A link to another password that still counts, with who it is for."""
    query = select(ResetRow).where(ResetRow.digest == digest, ResetRow.until > moment)
    return session.scalar(query.options(joinedload(ResetRow.person)))


def drop_resets(session: Session, person_id: int, moment: dt.datetime) -> None:
    """Void all links of somebody, and forget those of anybody that are too old."""
    session.execute(delete(ResetRow).where((ResetRow.person_id == person_id) | (ResetRow.until <= moment)))


def recovery_codes_left(session: Session, person_id: int) -> int:
    """How many codes somebody has left."""
    query = select(func.count()).select_from(RecoveryCode).where(RecoveryCode.person_id == person_id)
    return int(session.scalar(query) or 0)


def use_recovery_code(session: Session, person_id: int, digest: str) -> bool:
    """Take one of somebody's codes out; whether it was there."""
    query = select(RecoveryCode).where(RecoveryCode.person_id == person_id, RecoveryCode.digest == digest)
    if row := session.scalar(query):
        session.delete(row)
    return row is not None


def drop_recovery_codes(session: Session, person_id: int) -> None:
    """Take all of somebody's codes out."""
    session.execute(delete(RecoveryCode).where(RecoveryCode.person_id == person_id))


def identity(session: Session, issuer: str, subject: str) -> Identity | None:
    """Who somebody of another sign-in is here."""
    return session.scalar(select(Identity).where(Identity.issuer == issuer, Identity.subject == subject))


def audit_trail(session: Session, most: int = 200) -> list[AuditRow]:
    """The latest of what was done with accounts."""
    return list(session.scalars(select(AuditRow).order_by(AuditRow.id.desc()).limit(most)))
