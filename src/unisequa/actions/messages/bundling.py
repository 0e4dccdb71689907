"""Words that leave together: one person, one moment, one message."""

from __future__ import annotations

from collections.abc import Sequence

from unisequa.actions.mail import Mail, post_mail
from unisequa.actions.outbox import post
from unisequa.core.terms import FINISHED
from unisequa.store.queries.clock import tasks_named, words_waiting
from unisequa.store.queries.people import person_by_id
from unisequa.store.store import Session
from unisequa.store.tables import OutboxRow, Person

ABOUT_OPEN_WORK = frozenset({"ready", "queue", "review"})
LONGEST_TEXT = 300
"""Characters of a short text message."""


def bundle(session: Session, person_id: int, address: str = "") -> int:
    """Put the words that wait for somebody into one mail and one short text message; gives how many messages were made.

    Parameters
    ----------
    address : str
        Where people find this server, for links.
    """
    person = person_by_id(session, person_id)
    words = words_waiting(session, person_id, ("at once", "text"))
    if person is None or not words:
        return 0
    words = _still_true(session, words)
    made = 0
    if mailed := [word for word in words if word.how == "at once" or not person.phone]:
        made += _mail(session, person, mailed, address)
    if texted := [word for word in words if word not in mailed]:
        made += _text(session, person, texted)
    return made


def letter_of(words: Sequence[OutboxRow], address: str) -> tuple[str, str]:
    """Subject and text of the one mail that some words make."""
    said = [said_of(word) for word in words]
    runs = {word.content.get("run") or "" for word in words}
    about = f"{runs.pop()}: " if len(runs) == 1 and runs != {""} else ""
    first = words[0].content["said"]
    subject = first if len(words) == 1 else f"{about}{len(words)} messages, the first: {first}"
    lines = []
    for word, text in zip(words, said, strict=True):
        lines += [text, *(f"  {line}" for line in word.content.get("more", "").splitlines())]
        if address and word.content.get("path"):
            lines.append(f"  {address.rstrip('/')}{word.content['path']}")
        lines.append("")
    return " ".join(subject.split())[:200], "\n".join(lines)


def said_of(word: OutboxRow) -> str:
    """A word in one line, with its run where it does not name it."""
    run, said = word.content.get("run") or "", str(word.content["said"])
    return said if not run or run in said else f"{run}: {said}"


def _mail(session: Session, person: Person, words: Sequence[OutboxRow], address: str) -> bool:
    key = f"mail:{words[0].key}"[:200]
    subject, text = letter_of(words, address)
    runs = {word.run_id for word in words}
    files = dict.fromkeys((name, digest) for word in words for name, digest in word.content.get("files", ()))
    mail = Mail(person.email, subject, text, tuple(files))
    new = post_mail(session, key, mail, person.id, run_id=runs.pop() if len(runs) == 1 else None)
    _sent_in(words, key)
    return new


def _text(session: Session, person: Person, words: Sequence[OutboxRow]) -> bool:
    key = f"text:{words[0].key}"[:200]
    more = f" (and {len(words) - 1} more)" if len(words) > 1 else ""
    text = said_of(words[0])[: LONGEST_TEXT - len(more)] + more
    new = post(session, key, "text", {"to": person.phone, "text": text}, person_id=person.id)
    _sent_in(words, key)
    return new


def _sent_in(words: Sequence[OutboxRow], key: str) -> None:
    for word in words:
        word.state, word.sent_in = "sent", key


def _still_true(session: Session, words: Sequence[OutboxRow]) -> list[OutboxRow]:
    """The words without those about work that is over meanwhile, or whose run does not go on: those are held back."""
    about = {(w.run_id, w.task_key) for w in words if w.line in ABOUT_OPEN_WORK and w.run_id and w.task_key}
    states = tasks_named(session, about)
    kept = []
    for word in words:
        key = (word.run_id or 0, word.task_key or "")
        if word.line in ABOUT_OPEN_WORK and word.task_key and word.run_id:
            state, run = states.get(key, ("gone", ""))
            if (
                run != "live"
                or state in FINISHED
                or state == "gone"
                or (word.line != "review" and state == "in review")
            ):
                word.state, word.error = "held back", "It was over before this left."
                continue
        kept.append(word)
    return kept
