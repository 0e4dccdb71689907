"""Files that were brought for importing, kept while somebody looks at what would come of them."""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict
from dataclasses import dataclass

from unisequa.core.documents.template import Template
from unisequa.formats.tables_in import Table

MOST = 40


@dataclass(frozen=True, slots=True)
class Upload:
    """A file that was read: a whole template, or a table of steps."""

    name: str
    template: Template | None = None
    table: Table | None = None


class Uploads:
    """The latest uploads, each known to who brought it by a random name."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[int, str], Upload] = OrderedDict()
        self._lock = threading.Lock()

    def keep(self, person_id: int, upload: Upload) -> str:
        """Keep an upload; gives its name."""
        name = secrets.token_urlsafe(12)
        with self._lock:
            self._kept[person_id, name] = upload
            while len(self._kept) > MOST:
                self._kept.popitem(last=False)
        return name

    def find(self, person_id: int, name: str) -> Upload | None:
        """The upload of that name, while it is kept."""
        with self._lock:
            return self._kept.get((person_id, name))
