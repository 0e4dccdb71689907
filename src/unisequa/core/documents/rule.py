"""The documents of rules: a recurrence, and what is started by it."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal, get_args

from dateutil.rrule import DAILY, MONTHLY, WEEKLY, YEARLY, rrulestr
from dateutil.rrule import rrule as Recurrence
from pydantic import AfterValidator, Field, StrictInt
from pydantic import StringConstraints as Str

from unisequa.core.documents.template import DottedKey, Key, Model
from unisequa.core.terms import Roll

FREQUENCIES = {DAILY: "DAILY", WEEKLY: "WEEKLY", MONTHLY: "MONTHLY", YEARLY: "YEARLY"}


def _readable(text: str) -> str:
    try:
        rule = recurrence_of(text, dt.date(2026, 1, 1))
    except (ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError) as error:
        raise ValueError(f"is no recurrence rule such as FREQ=MONTHLY;BYMONTHDAY=-1: {error}") from None
    if rule._freq not in FREQUENCIES:  # type: ignore[attr-defined]
        raise ValueError("repeats within a day; use DAILY, WEEKLY, MONTHLY or YEARLY")
    return text


def recurrence_of(text: str, first: dt.date) -> Recurrence:
    """The recurrence of an RRULE, counted from a day.

    Raises
    ------
    ValueError
    """
    if "\n" in text or ":" in text:
        raise ValueError("give the rule alone, without a name or a start")
    rule = rrulestr(text, dtstart=dt.datetime.combine(first, dt.time()), ignoretz=True)
    if not isinstance(rule, Recurrence):
        raise ValueError("give one rule")
    return rule


class RepeatRule(Model):
    """A recurrence: ``rrule`` as in RFC 5545 without a start, from the day ``first``. A date on a day off is rolled, or
    with ``skip`` there is none."""

    format: Literal["unisequa-rule/1"] = "unisequa-rule/1"
    rrule: Annotated[str, Str(max_length=500), AfterValidator(_readable)]
    first: dt.date
    working_day: Annotated[StrictInt, Field(ge=-260, le=260)] | None = None
    roll: Roll | Literal["skip"] = "following"


class StartRule(Model):
    """What a repeat rule starts on each of its dates: the date is that of ``anchor``, the first required one without
    it; the run is opened ``lead`` working days before, at ``at`` o'clock of the house.

    ``crew`` and ``facts`` are as somebody chooses them at a start (role → a person's id, ``team 3``, a name); roles
    that are not in it are filled as in the run before (``crew_as`` last) or by the template's own rules. After a sleep
    it starts all that it owes, oldest first, or only the ``latest``.
    """

    when: RepeatRule
    anchor: Key | None = None
    lead: Annotated[StrictInt, Field(ge=0, le=260)] = 0
    at: Annotated[str, Str(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")] = "06:00"
    opened: Literal["prepared", "live"] = "prepared"
    name: Annotated[str, Str(max_length=200)] = ""
    subject: Annotated[str, Str(max_length=200)] = ""
    calendar: Annotated[str, Str(max_length=200)] = ""
    crew: dict[Key, Annotated[str, Str(max_length=200)]] = Field(default_factory=dict)
    crew_as: Literal["last", "template"] = "last"
    facts: dict[Key, Annotated[str, Str(max_length=2000)]] = Field(default_factory=dict)
    catch_up: Literal["all", "latest"] = "all"


Event = Literal[
    "run opened", "run finished", "run called off", "phase opens", "phase closes", "task ready", "task begun",
    "task done", "task sent back", "task dropped", "record changes", "day", "call",
]  # fmt: skip
"""What may happen, that a hand-off listens to."""
OF_A_RUN: frozenset[str] = frozenset(get_args(Event)) - {"record changes", "call"}
OF_A_TASK: frozenset[str] = frozenset(name for name in get_args(Event) if name.startswith("task "))


RECORD_FIELDS = ("position", "unit", "kind")
"""What a condition may name of a subject's record, beside ``subject``."""


class HandOff(Model):
    """When something happens, start a template, add it to the run, send a message or leave a word.

    Parameters
    ----------
    event : str
        What must happen; with ``task`` or ``phase``, to that one alone. ``record changes`` of a subject: its ``field``,
        to ``value`` where one is given. ``day``: ``days`` working days after (before, where negative) ``of``, an anchor
        of the run or, as ``record:First day``, a date of its subject.
    only_if : str
        A condition over the run's facts, as steps have it.
    then : str
        ``start`` a run of its own, ``within`` the run, ``under`` the task, a ``message``, or a ``word`` in the run.
    dated : str
        What its anchor's date is: the day of it (``day``), the task's ``due`` day, ``anchor:KEY`` of the run,
        ``record:LABEL`` of the subject, ``call:KEY`` of what was sent.
    facts, crew : mapping
        What is given; the rest is carried over by name.
    to, subject, text : str
        Of a message: a role of the run or ``keeper``; ``text`` also of a word.
    depth : int
        How often the same rule may stand in the ancestry of what it is about, for the same subject.
    """

    event: Event
    task: DottedKey | None = None
    phase: Key | None = None
    field: Annotated[str, Str(max_length=200)] = ""
    value: Annotated[str, Str(max_length=200)] = ""
    of: Annotated[str, Str(max_length=220)] = ""
    days: Annotated[StrictInt, Field(ge=-260, le=260)] = 0
    only_if: Annotated[str, Str(max_length=2000)] = ""
    then: Literal["start", "within", "under", "message", "word"] = "start"
    anchor: Key | None = None
    dated: Annotated[str, Str(max_length=220, pattern=r"^(day|due|(anchor|record|call):.+)$")] = "day"
    opened: Literal["prepared", "live"] = "prepared"
    name: Annotated[str, Str(max_length=200)] = ""
    facts: dict[Key, Annotated[str, Str(max_length=2000)]] = Field(default_factory=dict)
    crew: dict[Key, Annotated[str, Str(max_length=200)]] = Field(default_factory=dict)
    to: Annotated[str, Str(max_length=80)] = ""
    subject: Annotated[str, Str(max_length=200)] = ""
    text: Annotated[str, Str(max_length=4000)] = ""
    depth: Annotated[StrictInt, Field(ge=1, le=20)] = 1
    secret: Annotated[str, Str(max_length=64)] = ""
