"""Steps that were copied, kept until they are put in; and who is looking at which template."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from dataclasses import dataclass

from unisequa.core.design.clip import Clip

MOST_CLIPS = 200
HERE_SECONDS = 12.0


class Clips:
    """The latest clips, each known to who copied it by the name the browser gave it."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[int, str], Clip] = OrderedDict()
        self._lock = threading.Lock()

    def keep(self, person_id: int, name: str, clip: Clip) -> None:
        """Keep a clip; the oldest makes room."""
        with self._lock:
            self._kept[person_id, name] = clip
            while len(self._kept) > MOST_CLIPS:
                self._kept.popitem(last=False)

    def find(self, person_id: int, name: str) -> Clip | None:
        """The clip of that name, while it is kept."""
        with self._lock:
            return self._kept.get((person_id, name))


@dataclass(frozen=True, slots=True)
class Here:
    """Somebody with a template open, and the step they are at."""

    name: str
    at: str


class Presence:
    """Who has looked at a template within the last seconds."""

    def __init__(self) -> None:
        self._seen: dict[int, dict[int, tuple[float, Here]]] = {}
        self._lock = threading.Lock()

    def look(self, template_id: int, person_id: int, here: Here) -> list[Here]:
        """Say that somebody is here; gives who else is."""
        now = time.monotonic()
        with self._lock:
            seen = self._seen.setdefault(template_id, {})
            seen[person_id] = (now, here)
            for person in [p for p, (at, _) in seen.items() if now - at > HERE_SECONDS]:
                del seen[person]
            return [other for person, (_, other) in seen.items() if person != person_id]
