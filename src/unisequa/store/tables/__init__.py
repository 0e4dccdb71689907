"""The tables, by subject.

A template's edition is a document and is kept whole; a run is rows, since its tasks are asked for
across runs. Dates are kept as people read them, both ends included; :mod:`unisequa.store.plans` turns
them into the core's boundaries and back.
"""

from unisequa.store.tables.base import Base, now
from unisequa.store.tables.calendars import Calendar
from unisequa.store.tables.held import HeldRow, PresenceRow
from unisequa.store.tables.history import HistoryRow
from unisequa.store.tables.outbox import OutboxRow
from unisequa.store.tables.people import Leave, Person
from unisequa.store.tables.runs import CrewMember, LinkRow, Run, RunPhase, ShiftRow, TaskRow
from unisequa.store.tables.templates import Edition, TemplateEdit, TemplateRight, TemplateRow

__all__ = [
    "Base", "Calendar", "CrewMember", "Edition", "HeldRow", "HistoryRow", "Leave", "LinkRow", "OutboxRow", "Person",
    "PresenceRow", "Run", "RunPhase", "ShiftRow", "TaskRow", "TemplateEdit", "TemplateRight", "TemplateRow", "now",
]  # fmt: skip
