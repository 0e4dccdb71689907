"""Room for a few at a time, and for a few more who wait: who finds both full is told so at once.

Each request that waits holds one of the server's threads; were all of them to wait, nobody's page would be made.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from unisequa.core.errors import Busy


class Room:
    """Places for so many at once, so many waiting, each for so many seconds."""

    def __init__(self, at_once: int, waiting: int, seconds: float) -> None:
        self._all = threading.BoundedSemaphore(at_once + waiting)
        self._inside = threading.BoundedSemaphore(at_once)
        self._seconds = seconds

    @contextmanager
    def place(self) -> Iterator[None]:
        """A place, as long as the block lasts.

        Raises
        ------
        Busy
            When too many wait already, or it took too long.
        """
        if not self._all.acquire(blocking=False):
            raise Busy
        try:
            if not self._inside.acquire(timeout=self._seconds):
                raise Busy
            try:
                yield
            finally:
                self._inside.release()
        finally:
            self._all.release()
