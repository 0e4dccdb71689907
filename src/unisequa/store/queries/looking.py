"""What a session that only looks has read already."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TypeVar

from sqlalchemy.orm import Session

T = TypeVar("T")
LOOKS = "unisequa only looks"
"""Under which a session that changes nothing keeps what it has read; it sees the same all the while."""


def read_once(session: Session, key: Hashable, read: Callable[[], list[T]]) -> list[T]:
    """The same list again where the session only looks; read anew where it may have changed something."""
    if LOOKS not in session.info:
        return read()
    kept: dict[Hashable, list[T]] = session.info[LOOKS]
    if key not in kept:
        kept[key] = read()
    return list(kept[key])
