"""What happens, for the hand-offs that listen to it: a row each among what is due, in the transaction of its cause."""

from __future__ import annotations

import datetime as dt
import hashlib
import hmac
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from unisequa.actions.due import appoint
from unisequa.core.calendars.today import utc_of
from unisequa.core.documents.rule import OF_A_TASK, HandOff
from unisequa.store.queries.clock import called, listeners
from unisequa.store.store import Session
from unisequa.store.tables import RuleRow, Run, Subject


@dataclass(frozen=True, slots=True)
class Happening:
    """Something that happened in a run: which event, to which task or phase, on which day, due when."""

    event: str
    thing: str
    day: dt.date
    due: dt.date | None = None


def happened(session: Session, run: Run, events: Iterable[Happening], today: dt.date) -> None:
    """Have what happened in a run reach the hand-offs that listen: each once per rule and thing."""
    every = list(events)
    if not every or run.id is None:
        return
    for rule in listeners(session, run.edition.template_id, {one.event for one in every}):
        document = HandOff.model_validate(rule.document)
        for one in every:
            if one.event == document.event and _is_meant(document, one):
                content = {
                    "thing": one.thing,
                    "day": one.day.isoformat(),
                    "due": one.due.isoformat() if one.due else None,
                }
                fire(session, rule, f"{run.id}:{one.thing}", today, content, run_id=run.id)


def _is_meant(document: HandOff, one: Happening) -> bool:
    wanted = document.task if one.event in OF_A_TASK else document.phase if one.event.startswith("phase") else None
    return wanted is None or wanted == one.thing


def record_changed(
    session: Session, row: Subject, before: Mapping[str, str], after: Mapping[str, str], today: dt.date
) -> None:
    """Have a change of a record reach the hand-offs that listen: field → what it said, and says now."""
    fields = {name for name in {*before, *after} if before.get(name, "") != after.get(name, "")}
    for rule in listeners(session, None, {"record changes"}) if fields else ():
        document = HandOff.model_validate(rule.document)
        name = next((one for one in fields if one.casefold() == document.field.strip().casefold()), None)
        said = after.get(name, "") if name is not None else ""
        if name is None or (document.value and said.casefold() != document.value.strip().casefold()):
            continue
        content = {"subject": row.id, "day": dt.date(today.year, today.month, today.day).isoformat(), "said": said}
        fire(session, rule, f"subject:{row.id}:{name}:{said}", today, content)


def call(session: Session, secret: str, sent: Mapping[str, Any], key: str, today: dt.date) -> bool:
    """A call from outside at a secret address; gives whether there is such an address.

    Parameters
    ----------
    key : str
        By which the same call is known again.
    """
    digest = hashlib.sha256(secret.encode()).hexdigest()
    rule = next((one for one in called(session) if hmac.compare_digest(one.document.get("secret", ""), digest)), None)
    if rule is None:
        return False
    content = {"day": dt.date(today.year, today.month, today.day).isoformat(), "sent": dict(sent)}
    fire(session, rule, f"call:{key}", today, content)
    return True


def fire(
    session: Session, rule: RuleRow, thing: str, today: dt.date, content: Mapping[str, Any], run_id: int | None = None
) -> bool:
    """Write down that a hand-off is to be carried out now, once for a thing; gives whether it was new."""
    key = f"hand:{rule.id}:{thing}"
    if len(key) > 200:
        key = f"hand:{rule.id}:{hashlib.sha256(thing.encode()).hexdigest()}"
    return appoint(session, key, "hand-off", utc_of(today), content=content, rule_id=rule.id, run_id=run_id)
