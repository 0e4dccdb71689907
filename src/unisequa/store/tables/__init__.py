"""The tables, by subject.

A template's edition is a document and is kept whole; a run is rows, since its tasks are asked for
across runs. Dates are kept as people read them, both ends included; :mod:`unisequa.store.plans` turns
them into the core's boundaries and back.
"""

from unisequa.store.tables.accounts import AttemptRow, AuditRow, Identity, RecoveryCode, ResetRow, SessionRow
from unisequa.store.tables.across import LevelRow, LineOfRun, NoTimeRow
from unisequa.store.tables.base import Base, as_of, now
from unisequa.store.tables.calendars import Calendar
from unisequa.store.tables.clock import DueRow, RuleRow
from unisequa.store.tables.held import HeldRow, PresenceRow
from unisequa.store.tables.history import HistoryRow
from unisequa.store.tables.in_hand import ShiftInHand
from unisequa.store.tables.outbox import OutboxRow, SharedText
from unisequa.store.tables.people import Leave, Person, Position, Team, TeamMember
from unisequa.store.tables.programs import AnswerRow, FeedRow, PartyLink, TokenRow, WebhookRow
from unisequa.store.tables.runs import (
    ActRow,
    AwaitedTask,
    BaselineRow,
    CommentRow,
    CrewMember,
    Deputy,
    LinkRow,
    Mention,
    ProposalRow,
    Run,
    RunPhase,
    RunWait,
    ShiftRow,
    TaskFile,
    TaskRow,
)
from unisequa.store.tables.subjects import AnchorSource, StartRow, Subject
from unisequa.store.tables.templates import Edition, FileOfTemplate, TeamRight, TemplateEdit, TemplateRight, TemplateRow
from unisequa.store.tables.views import ViewRow

__all__ = [
    "ActRow",
    "AnchorSource",
    "AnswerRow",
    "AttemptRow",
    "AuditRow",
    "AwaitedTask",
    "Base",
    "BaselineRow",
    "Calendar",
    "CommentRow",
    "CrewMember",
    "Deputy",
    "DueRow",
    "Edition",
    "FeedRow",
    "FileOfTemplate",
    "HeldRow",
    "HistoryRow",
    "Identity",
    "Leave",
    "LevelRow",
    "LineOfRun",
    "LinkRow",
    "Mention",
    "NoTimeRow",
    "OutboxRow",
    "PartyLink",
    "Person",
    "Position",
    "PresenceRow",
    "ProposalRow",
    "RecoveryCode",
    "ResetRow",
    "RuleRow",
    "Run",
    "RunPhase",
    "RunWait",
    "SessionRow",
    "SharedText",
    "ShiftInHand",
    "ShiftRow",
    "StartRow",
    "Subject",
    "TaskFile",
    "TaskRow",
    "Team",
    "TeamMember",
    "TeamRight",
    "TemplateEdit",
    "TemplateRight",
    "TemplateRow",
    "TokenRow",
    "ViewRow",
    "WebhookRow",
    "as_of",
    "now",
]  # fmt: skip
