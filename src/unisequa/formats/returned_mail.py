"""Mail that came back: which of our mails it is about, and why that could not be delivered.

Read are delivery reports (RFC 3464, within ``multipart/report`` of RFC 6522), and what older servers write in words of
their own with the mail behind it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import Message

LONGEST_REASON = 300
_ID = re.compile(r"<([^<>\s@]{1,200})@[^<>\s]{1,250}>")
_SERVERS = ("mailer-daemon@", "postmaster@")
_BEGINS = re.compile(r"^[45]\d\d[ -]")


@dataclass(frozen=True, slots=True)
class Returned:
    """What a mail says that came back: ``about`` holds what may be our Message-IDs in front of their @, ``lasting``
    whether it will not be tried any more, ``why`` the server's words."""

    about: tuple[str, ...]
    lasting: bool
    why: str


def read_returned(raw: bytes) -> Returned | None:
    """Read a mail; gives nothing where it is no report of a mail that could not be delivered, or no mail at all."""
    mail = message_from_bytes(raw, policy=policy.default)
    report = next((part for part in mail.walk() if part.get_content_type() == "message/delivery-status"), None)
    if report is not None:
        return _of_report(mail, report)
    if not _header(mail, "From").lower().rpartition("<")[2].startswith(_SERVERS):
        return None
    text = "\n".join(_texts(mail))
    about = tuple(dict.fromkeys(_ID.findall(text)))
    return Returned(about, lasting=True, why=_first_reason(text)) if about else None


def _of_report(mail: Message, report: Message) -> Returned | None:
    blocks = report.get_payload()
    whom = [block for block in blocks if isinstance(block, Message)] if isinstance(blocks, list) else []
    failed = [block for block in whom if _header(block, "Action").strip().lower() == "failed"]
    delayed = [block for block in whom if _header(block, "Action").strip().lower() == "delayed"]
    about = tuple(dict.fromkeys(_ID.findall("\n".join(_originals(mail)))))
    if not about or not (failed or delayed):
        return None
    return Returned(about, lasting=bool(failed), why=_reason(failed[0] if failed else delayed[0]))


def _reason(block: Message) -> str:
    """A server's words of ``Diagnostic-Code``, behind ``smtp;``, with the status where they do not hold it."""
    status = " ".join(_header(block, "Status").split()[:1])
    words = " ".join(_header(block, "Diagnostic-Code").partition(";")[2].split())
    if not words:
        return status or "the server did not say why"
    return (words if not status or status in words else f"{status} {words}")[:LONGEST_REASON]


def _originals(mail: Message) -> Iterator[str]:
    """The Message-IDs of the mail that came back: of what is enclosed, whole or its head, and what is answered."""
    for part in mail.walk():
        kind = part.get_content_type()
        if kind == "message/rfc822":
            inner = part.get_payload()
            if isinstance(inner, list) and inner and isinstance(inner[0], Message):
                yield _header(inner[0], "Message-ID")
        elif kind in {"text/rfc822-headers", "message/rfc822-headers"}:
            yield _text(part)
    yield _header(mail, "In-Reply-To")
    yield _header(mail, "References")


def _texts(mail: Message) -> Iterator[str]:
    for part in mail.walk():
        if part.get_content_maintype() == "text":
            yield _text(part)
        if part.get_content_type() == "message/rfc822":
            yield from _originals(part)


def _text(part: Message) -> str:
    content = part.get_payload(decode=True)
    return content.decode("utf-8", "replace") if isinstance(content, bytes) else ""


def _header(part: Message, name: str) -> str:
    """A header's text; what the library cannot read, as if it were not there."""
    try:
        return str(part.get(name, ""))
    except (ValueError, TypeError, IndexError, AttributeError):
        return ""


def _first_reason(text: str) -> str:
    """The first line that begins as an answer of a mail server does (RFC 5321, 4.2), or the first line of all."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return next((line for line in lines if _BEGINS.match(line)), lines[0] if lines else "")[:LONGEST_REASON]
