"""What somebody was told, in their bell; how they want it; the outbox as they may see it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.messages.lines import HOWS, LINES, How, check_choices, how_for
from unisequa.actions.outbox import TAKEN_OUT
from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.store.queries import clock as queries
from unisequa.store.queries.people import person_by_id
from unisequa.store.store import Session
from unisequa.store.tables import OutboxRow, now

MOST_TOLD, MOST_LETTERS = 200, 300


@dataclass(frozen=True, slots=True)
class Told:
    """Something that somebody was told; ``fresh`` while they have not looked at it."""

    at: dt.datetime
    said: str
    more: tuple[str, ...]
    run: str
    path: str
    about: str
    fresh: bool


def bell(session: Session, actor: Actor) -> tuple[Told, ...]:
    """What somebody was told, the latest first."""
    person = person_by_id(session, actor.id)
    fresh = person.unseen if person else 0
    rows = queries.bell_of(session, actor.id, MOST_TOLD)
    return tuple(_told(row, n < fresh) for n, row in enumerate(rows))


def _told(row: OutboxRow, fresh: bool) -> Told:
    content = row.content
    more = tuple(line for line in content.get("more", "").splitlines() if line.strip())
    line = LINES.get(row.line)
    return Told(row.made_at, content["said"], more, content.get("run") or "", content.get("path") or "",
                line.about if line else "", fresh)  # fmt: skip


def look(session: Session, actor: Actor) -> None:
    """Count nothing in one's bell any more."""
    queries.empty_bell(session, actor.id)


@dataclass(frozen=True, slots=True)
class Choice:
    """A line of messages and how somebody wants it."""

    line: str
    about: str
    how: How
    options: tuple[tuple[str, str], ...]


def choices(session: Session, actor: Actor) -> tuple[str, tuple[Choice, ...]]:
    """Somebody's phone, and how they want each line."""
    person = person_by_id(session, actor.id)
    assert person is not None
    made = []
    for name, line in LINES.items():
        options = tuple((how, words) for how, words in HOWS.items()
                        if not (how == "none" and line.must) and not (how == "text" and not person.phone))  # fmt: skip
        made.append(Choice(name, line.about, how_for(person, name), options))
    return person.phone, tuple(made)


def choose(session: Session, actor: Actor, phone: str, wanted: Mapping[str, str]) -> None:
    """Have messages reach one as one wants.

    Raises
    ------
    Refused
        Fields ``phone``, ``line.NAME``.
    """
    person = person_by_id(session, actor.id)
    assert person is not None
    plain = " ".join(phone.split())
    if plain and (not plain.lstrip("+").replace(" ", "").replace("-", "").isdigit() or len(plain) > 40):
        raise Refused({"phone": "Write the number with digits alone, such as +44 20 7946 0000."})
    person.notices = check_choices(wanted, plain)
    person.phone = plain


@dataclass(frozen=True, slots=True)
class LetterSeen:
    """A row of the outbox.

    Parameters
    ----------
    kind : str
        mail, text or word.
    state : str
        waiting, digest (waiting for it), bell, sent, held back, failed.
    error : str
        Why it was refused or held back, in the words of the server that did.
    """

    id: int
    at: dt.datetime
    kind: str
    state: str
    to: str
    subject: str
    text: str
    why: str
    run_id: int | None
    run: str
    left: dt.datetime | None
    tries: int
    error: str
    may_resend: bool


def outbox(session: Session, actor: Actor, state: str = "", run_id: int | None = None) -> tuple[LetterSeen, ...]:
    """What left and what is to leave, as far as somebody may see it, the latest first."""
    rows = queries.letters(
        session, actor.id, administrator=actor.administrator, state=state, run_id=run_id, most=MOST_LETTERS
    )
    return tuple(_letter(one, actor) for one in rows)


def counts(session: Session, actor: Actor) -> dict[str, int]:
    """How many there are in each state."""
    return queries.letter_counts(session, actor.id, administrator=actor.administrator)


def _letter(one: queries.Letter, actor: Actor) -> LetterSeen:
    row, content = one.row, one.row.content
    secret = bool(content.get("secret")) or (TAKEN_OUT in content.get("text", "") and not content.get("link"))
    subject = content.get("subject") or content.get("said") or content.get("text", "")[:80]
    text = TAKEN_OUT if content.get("secret") else content.get("text") or content.get("more", "")
    if content.get("files"):
        text += "\n\nWith it: " + ", ".join(name for name, _ in content["files"])
    state = "digest" if row.state == "waiting" and row.how == "digest" else row.state
    line = LINES.get(row.line)
    return LetterSeen(
        row.id, row.made_at, row.kind, state, one.who or content.get("to", ""), subject, text,
        line.about if line else "", row.run_id, one.run or "", row.left_at, row.tries, row.error,
        row.kind in {"mail", "text"} and row.state in {"failed", "held back"} and not secret,
    )  # fmt: skip


def send_again(session: Session, actor: Actor, number: int) -> None:
    """Have a message that failed tried again: whoever may see it."""
    found = queries.letter_by_id(session, actor.id, number, administrator=actor.administrator)
    if found is None:
        raise NotThere("There is no such message, or it is not yours to see.")
    if found.kind not in {"mail", "text"} or found.state not in {"failed", "held back"}:
        raise Refused({"state": "Only what failed is sent again."})
    if found.content.get("secret"):
        raise NotAllowed("A link that lets somebody in is not sent again; they ask for another.")
    found.state, found.tries, found.due_at, found.error, found.how = "waiting", 0, now(), "", ""
    found.left_at = None
