"""Passwords: kept as argon2 hashes, strong enough to be worth it, and never more than a few looked at at once."""

from __future__ import annotations

from functools import lru_cache

from pwdlib import PasswordHash

from unisequa.room import Room

SHORTEST, LONGEST = 10, 1000
WEAKEST = 2
"""The least strength of a password from 0 to 4, as zxcvbn judges how many guesses it takes."""
_AT_ONCE = Room(at_once=2, waiting=8, seconds=10)
"""Each takes a processor and much memory for a while."""


@lru_cache(maxsize=1)
def hasher() -> PasswordHash:
    """Argon2id with the parameters that its library recommends."""
    return PasswordHash.recommended()


def hash_password(password: str) -> str:
    """An argon2 hash, slow to make on purpose."""
    with _AT_ONCE.place():
        return hasher().hash(password)


def fits(password: str, hashed: str | None) -> bool:
    """Whether a password is the one that was hashed; the same work where there is none.

    Raises
    ------
    Busy
        When too many are being looked at.
    """
    with _AT_ONCE.place():
        return hasher().verify(password[:LONGEST], hashed or _nobodys()) and hashed is not None


@lru_cache(maxsize=1)
def _nobodys() -> str:
    return hasher().hash("nobody signs in with this")


def weakness(password: str, *words: str) -> str:
    """What is wrong with a new password, in words; nothing when it is good. ``words`` are what others may guess of."""
    if len(password) < SHORTEST:
        return f"A password has at least {SHORTEST} characters."
    if len(password) > LONGEST:
        return f"A password has at most {LONGEST} characters."
    from zxcvbn import zxcvbn

    judged = zxcvbn(password[:72], user_inputs=[word for word in words if word])
    if judged["score"] >= WEAKEST:
        return ""
    advice = " ".join(judged["feedback"]["suggestions"][:1]) or "Use a few words that do not belong together."
    return f"This password is easily guessed. {advice}"
