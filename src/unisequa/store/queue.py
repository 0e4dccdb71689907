"""Writers one behind the other, in the order they came."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

from unisequa.core.errors import Busy

MOST_WAITING = 24
LONGEST_WAIT = 10.0
"""How many writers may wait, and for how many seconds; a page that is only read never waits for them."""


class Queue:
    """A place for one at a time; who comes first is first."""

    def __init__(self, most: int = MOST_WAITING, seconds: float = LONGEST_WAIT) -> None:
        self.most, self.seconds = most, seconds
        self._lock = threading.Lock()
        self._taken = False
        self._waiting: deque[threading.Event] = deque()

    @contextmanager
    def place(self) -> Iterator[None]:
        """The place, as long as the block lasts.

        Raises
        ------
        Busy
            When too many wait already, or it took too long.
        """
        turn = threading.Event()
        with self._lock:
            if not self._taken:
                self._taken = True
                turn.set()
            elif len(self._waiting) >= self.most:
                raise Busy
            else:
                self._waiting.append(turn)
        if not turn.wait(self.seconds) and not self._late(turn):
            raise Busy
        try:
            yield
        finally:
            self._leave()

    def _late(self, turn: threading.Event) -> bool:
        """Whether one who no longer waits was given the place just then."""
        with self._lock:
            if turn.is_set():
                return True
            self._waiting.remove(turn)
            return False

    def _leave(self) -> None:
        with self._lock:
            if self._waiting:
                self._waiting.popleft().set()
            else:
                self._taken = False
