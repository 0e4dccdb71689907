"""A shift that is not applied is not lost: it is kept for its maker with the run, whatever becomes of the page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import RunSeen
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.shift.edits.codec import Document
from unisequa.core.shift.result import MODES, Mode
from unisequa.store.queries import in_hand as queries
from unisequa.store.queries.runs import seen_among
from unisequa.store.queries.taking import add_once
from unisequa.store.store import Session
from unisequa.store.tables import ShiftInHand, now

MOST_STEPS, MOST_EDITS = 60, 4000
"""How many steps back are kept, and how many edits in all of them."""
MOST_ASIDE = 12
LONGEST_NAME = 80


@dataclass(frozen=True, slots=True)
class Held:
    """A shift as it is held: its edits, its mode, the word on why."""

    edits: tuple[Document, ...] = ()
    mode: Mode = "push"
    why: str = ""

    def kept(self) -> dict[str, Any]:
        """As plain JSON values."""
        return {"edits": [dict(edit) for edit in self.edits], "mode": self.mode, "why": self.why}


@dataclass(frozen=True, slots=True)
class Aside:
    """A shift that somebody keeps aside under a name."""

    number: int
    name: str
    held: Held


@dataclass(frozen=True, slots=True)
class InHand:
    """What somebody considers for a run: the shift at hand, how many steps of it can be undone and done again, and
    those kept aside."""

    held: Held = field(default_factory=Held)
    undo: int = 0
    redo: int = 0
    aside: tuple[Aside, ...] = ()


NOTHING = InHand()


def in_hand(session: Session, actor: Actor, run: RunSeen) -> InHand:
    """What somebody considers for a run that they see."""
    if not run.may_consider:
        return NOTHING
    return _seen(queries.in_hand_of(session, run.id, actor.id))


def _seen(rows: Sequence[ShiftInHand]) -> InHand:
    aside = tuple(Aside(row.id, row.name, _held(row.held)) for row in rows if row.name)
    for row in rows:
        if not row.name:
            return InHand(_held(row.held), len(row.before), len(row.behind or ()), aside)
    return InHand(aside=aside)


@dataclass(frozen=True, slots=True)
class AtHand:
    """A run in which somebody has a shift at hand, and how many edits it has."""

    run_id: int
    run: str
    edits: int


def at_hand_anywhere(session: Session, actor: Actor) -> tuple[AtHand, ...]:
    """The runs in which somebody has a shift at hand, the latest first."""
    found = [(row, name) for row, name in queries.at_hand_of(session, actor.id) if row.held.get("edits")]
    seen = seen_among(session, {row.run_id for row, _ in found}, actor.id) if found else set()
    return tuple(AtHand(row.run_id, name, len(row.held["edits"])) for row, name in found if row.run_id in seen)


def hold(session: Session, actor: Actor, run: RunSeen, *helds: Held) -> InHand:
    """Keep the shift at hand as it became, one thing after the other; what it was can be undone."""
    if not run.may_consider:
        return NOTHING
    rows = queries.in_hand_of(session, run.id, actor.id)
    row = next((one for one in rows if not one.name), None)
    for held in helds:
        if row is None and held.edits:
            row = ShiftInHand(run_id=run.id, person_id=actor.id, name="", held=held.kept(), before=[Held().kept()])
            add_once(session, row)
            rows.append(row)
        elif row is not None and row.held != held.kept():
            if row.held["edits"] != held.kept()["edits"] or row.held["mode"] != held.mode:
                row.before, row.behind = _cut([*row.before, row.held]), []
            row.held, row.at = held.kept(), now()
    return _seen(rows)


def step(session: Session, actor: Actor, run: RunSeen, *, back: bool) -> InHand:
    """Undo the last thing done to the shift at hand, or do it again; gives what is then in hand."""
    rows = queries.in_hand_of(session, run.id, actor.id) if run.may_consider else []
    row = next((one for one in rows if not one.name), None)
    if row is None or not (row.before if back else row.behind):
        raise Refused({"shift": f"There is nothing to {'undo' if back else 'do again'} in this shift."})
    if back:
        row.behind = _cut([*row.behind, row.held])
        row.held, row.before = row.before[-1], row.before[:-1]
    else:
        row.before = _cut([*row.before, row.held])
        row.held, row.behind = row.behind[-1], row.behind[:-1]
    row.at = now()
    return _seen(rows)


def let_go(session: Session, actor: Actor, run_id: int) -> None:
    """Forget the shift at hand: it was applied, or sent."""
    for row in queries.in_hand_of(session, run_id, actor.id):
        if not row.name:
            session.delete(row)


def keep_aside(session: Session, actor: Actor, run: RunSeen, held: Held, name: str) -> None:
    """Keep a shift aside under a name, in place of the one of that name; nothing is at hand then.

    Raises
    ------
    Refused
        Field ``name``, ``shift``.
    """
    name = " ".join(name.split())
    if not run.may_consider:
        raise NotAllowed("You may look at this run, but shift nothing in it.")
    if not name or len(name) > LONGEST_NAME:
        raise Refused({"name": f"Give it a name of up to {LONGEST_NAME} characters."})
    if not held.edits:
        raise Refused({"shift": "This shift has no edit, so there is nothing to keep."})
    rows = queries.in_hand_of(session, run.id, actor.id)
    same = next((row for row in rows if row.name.casefold() == name.casefold()), None)
    if same is None and sum(bool(row.name) for row in rows) >= MOST_ASIDE:
        raise Refused({"name": f"You keep {MOST_ASIDE} shifts of this run aside already; drop one first."})
    if same is None:
        session.add(ShiftInHand(run_id=run.id, person_id=actor.id, name=name, held=held.kept()))
    else:
        same.held, same.name, same.at = held.kept(), name, now()
    let_go(session, actor, run.id)


def drop_aside(session: Session, actor: Actor, run_id: int, number: int) -> str:
    """Drop a shift that is kept aside; gives its name."""
    row = _aside(session, actor, run_id, number)
    session.delete(row)
    return row.name


def aside(session: Session, actor: Actor, run_id: int, number: int) -> Held:
    """A shift that is kept aside, to be considered again."""
    return _held(_aside(session, actor, run_id, number).held)


def _aside(session: Session, actor: Actor, run_id: int, number: int) -> ShiftInHand:
    for row in queries.in_hand_of(session, run_id, actor.id):
        if row.id == number and row.name:
            return row
    raise NotThere("This shift is not kept any more.")


def _held(kept: dict[str, Any]) -> Held:
    mode: Mode = kept["mode"] if kept.get("mode") in MODES else "push"
    return Held(tuple(kept.get("edits", ())), mode, str(kept.get("why", "")))


def _cut(steps: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """The latest steps, as many as are kept."""
    kept: list[dict[str, Any]] = []
    edits = 0
    for one in reversed(steps):
        edits += len(one["edits"])
        if len(kept) >= MOST_STEPS or edits > MOST_EDITS:
            break
        kept.append(one)
    return kept[::-1]
