"""A glance at what became of a step in past runs, for whoever writes its template."""

from __future__ import annotations

from dataclasses import dataclass
from statistics import median

from unisequa.actions.people.people import Actor
from unisequa.store.queries.past import past_tasks, past_words
from unisequa.store.store import Session

RUNS, WORDS = 12, 3
"""How many of the last runs are counted, and how many of the last words shown."""


@dataclass(frozen=True, slots=True)
class PastWord:
    """What somebody wrote on the step in a run."""

    run_id: int
    run: str
    who: str
    text: str


@dataclass(frozen=True, slots=True)
class Glance:
    """What became of a step in the last runs in which it was over.

    ``late`` are the runs in which it was over behind its template's day: id, name, by how many days, the latest first;
    ``by`` the median of those days.
    """

    done: int
    dropped: int
    late: tuple[tuple[int, str, int], ...]
    by: int
    words: tuple[PastWord, ...]


def glance(session: Session, actor: Actor, template_id: int, key: str) -> Glance | None:
    """What became of a step in the runs that somebody sees; None before there are any."""
    past = past_tasks(session, template_id, key, actor.id, RUNS)
    words = past_words(session, template_id, key, actor.id, WORDS)
    if not past and not words:
        return None
    over = [one for one in past if one.state == "done"]
    late = tuple(
        (one.run_id, one.run, (one.over - one.target).days)
        for one in over
        if one.over is not None and one.target is not None and one.over > one.target
    )
    by = round(median(days for _, _, days in late)) if late else 0
    return Glance(len(over), len(past) - len(over), late, by, tuple(PastWord(*word) for word in words))
