"""What follows a task after something was done with it moves as the run's ``follow`` says; else it is offered."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import cast

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.keeping import keep_shift
from unisequa.actions.runs.reaching import tell_keeper
from unisequa.core.calendars.words import some_names
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits.codec import Document, written
from unisequa.core.shift.finishing import moved, what_follows
from unisequa.core.shift.result import Mode
from unisequa.core.terms import Follow
from unisequa.core.work.task_states import Act
from unisequa.store.store import Session
from unisequa.store.tables import Run

MOVING: dict[Act, str] = {"begin": "begun", "finish": "finished", "sign off": "signed off"}
"""Acts after which dates behind a task may move by themselves, as the cause says it."""


@dataclass(frozen=True, slots=True)
class Offer:
    """A shift made ready for whoever may apply it: ``2 tasks could come forward``."""

    text: str
    edits: tuple[Document, ...]
    mode: Mode


@dataclass(frozen=True, slots=True)
class Followed:
    """What followed: the plan as it then stands, the shift that moved by itself and how many tasks it moved, or what is
    offered."""

    after: Plan
    shift: int | None = None
    moved: int = 0
    offer: Offer | None = None


def let_follow(
    session: Session, actor: Actor, run: Run, plan: Plan, keys: Collection[str], act: Act, *, early: bool
) -> Followed:
    """Let what follows some tasks move, or say what could.

    Parameters
    ----------
    plan : Plan
        As it stands with that done.
    early : bool
        Whether one of them was over before it was planned to be.
    """
    if act not in MOVING:
        return Followed(plan)
    found = what_follows(plan, keys, cast(Follow, run.follow), early=early)
    if found.moves is not None:
        after = found.moves.after()
        titles = [plan.tasks[plan.position(key)].title for key in keys]
        why = f"By itself: {some_names(titles)} {'was' if len(titles) == 1 else 'were'} {MOVING[act]}"
        shift = keep_shift(session, actor, run, found.moves, after, why)
        tell_keeper(session, actor, run, shift, [c.text for c in found.moves.needs])
        return Followed(after, shift.number, moved(found.moves))
    if found.offers is None or act == "begin":
        return Followed(plan)
    edits = tuple(written(edit, plan.grid) for edit in found.offers.edits)
    return Followed(plan, offer=Offer(found.text, edits, found.offers.mode))
