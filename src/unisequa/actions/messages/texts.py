"""Texts that are used again and again: kept once, under a name, and sent in place of a message's own words."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.core.documents.checks import MESSAGE_NAMES
from unisequa.core.documents.placeholders import names_in, text_fault
from unisequa.core.errors import NotAllowed, NotThere, Refused, Stale
from unisequa.store.queries import texts as queries
from unisequa.store.queries.subjects import folded
from unisequa.store.store import Session
from unisequa.store.tables import SharedText, now

LONGEST = 10_000


@dataclass(frozen=True, slots=True)
class TextSeen:
    """A shared text. ``asks_for`` are the facts, roles and anchors it names beside what every message knows: where a
    job has no such, its message says what it said when the text was chosen."""

    id: int
    name: str
    subject: str
    text: str
    owner: str
    version: int
    may_change: bool
    asks_for: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TextDraft:
    """What a shared text is to say; ``version`` is the one that was seen, 0 for a new one."""

    name: str
    subject: str
    text: str
    version: int = 0


def see_texts(session: Session, actor: Actor) -> tuple[TextSeen, ...]:
    """All of them, by name; everybody may choose them."""
    return tuple(_seen(row, actor) for row in queries.shared_texts(session))


def see_text(session: Session, actor: Actor, number: int) -> TextSeen:
    """One of them."""
    return _seen(_row(session, number), actor)


def keep_text(session: Session, actor: Actor, number: int | None, draft: TextDraft) -> int:
    """Keep a new text, or have one say something else; gives its id.

    Raises
    ------
    Refused
        Fields ``name``, ``subject``, ``text``.
    Stale
        When somebody else has changed it since it was seen.
    """
    name, subject = " ".join(draft.name.split()), " ".join(draft.subject.split())
    _check(name, subject, draft.text)
    other = queries.texts_named(session, [name]).get(folded(name))
    if other is not None and other.id != number:
        raise Refused({"name": f'There is a text "{other.name}" already.'})
    if number is None:
        row = SharedText(name=name, folded=folded(name), subject=subject, text=draft.text, owner_id=actor.id)
        session.add(row)
    else:
        row = _row(session, number)
        _check_may_change(row, actor)
        if row.version != draft.version:
            raise Stale
        row.name, row.folded, row.subject, row.text, row.changed_at = (
            name, folded(name), subject, draft.text, now(),
        )  # fmt: skip
    session.flush()
    note(session, actor, "text", f'The text "{name}" {"kept" if number is None else "changed"}')
    return row.id


def remove_text(session: Session, actor: Actor, number: int) -> None:
    """Take a text away; messages that chose it say what it said when they did."""
    row = _row(session, number)
    _check_may_change(row, actor)
    note(session, actor, "text", f'The text "{row.name}" taken away')
    session.delete(row)


def _check(name: str, subject: str, text: str) -> None:
    faults = {}
    for field, value, most in (("name", name, 200), ("subject", subject, 200), ("text", text, LONGEST)):
        if not value.strip():
            faults[field] = "Say something here."
        elif len(value) > most:
            faults[field] = f"This is longer than {most} characters."
        elif field != "name" and (fault := text_fault(value, names_in(value))):
            faults[field] = f"It {fault}."
    if faults:
        raise Refused(faults)


def _row(session: Session, number: int) -> SharedText:
    row = queries.text_by_id(session, number)
    if row is None:
        raise NotThere("There is no such text any more.")
    return row


def _check_may_change(row: SharedText, actor: Actor) -> None:
    if row.owner_id != actor.id and not actor.administrator:
        raise NotAllowed(f"Only {row.owner.name}, whose text it is, and administrators change it.")


def _seen(row: SharedText, actor: Actor) -> TextSeen:
    asked = (names_in(row.subject) | names_in(row.text)) - MESSAGE_NAMES - {"subject"}
    return TextSeen(
        row.id, row.name, row.subject, row.text, row.owner.name, row.version,
        row.owner_id == actor.id or actor.administrator, tuple(sorted(asked)),
    )  # fmt: skip
