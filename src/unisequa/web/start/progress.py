"""How far starts are that are under way: kept in memory while they are, for the page that waits for them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Lock


class Progress:
    """Tasks made so far, by person and form."""

    def __init__(self) -> None:
        self._made: dict[tuple[int, str], int] = {}
        self._lock = Lock()

    @contextmanager
    def of(self, person_id: int, token: str) -> Iterator[Callable[[int], None]]:
        """Gives what is to be told how many tasks there are, for as long as the start takes."""
        key = (person_id, token)

        def told(tasks: int) -> None:
            with self._lock:
                self._made[key] = tasks

        told(0)
        try:
            yield told
        finally:
            with self._lock:
                self._made.pop(key, None)

    def now(self, person_id: int, token: str) -> int | None:
        """How many there are by now; None for a start that is not under way."""
        with self._lock:
            return self._made.get((person_id, token))


PROGRESS = Progress()
