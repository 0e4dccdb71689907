"""The part of a run's page that a script swaps: sheet, panel, tray, foot."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from unisequa.actions.people.people import Actor
from unisequa.actions.people.people import people as everybody
from unisequa.actions.runs.baselines import Against, against
from unisequa.actions.runs.beyond import Beyond, beyond
from unisequa.actions.runs.in_hand import NOTHING, InHand, in_hand
from unisequa.actions.runs.no_time import told_of_run
from unisequa.actions.runs.proposing import Proposal, open_proposals
from unisequa.actions.runs.reaching import elsewhere
from unisequa.actions.runs.seeing import Baseline, RunSeen, see_run, shift_words
from unisequa.actions.runs.shifts import Considered, consider, fitting, read_edits, read_kept
from unisequa.actions.runs.talking import TaskMore, see_more
from unisequa.actions.runs.views import View, views
from unisequa.core.calendars.words import count_words
from unisequa.core.shift.edits.codec import written
from unisequa.store.store import Session
from unisequa.web.drawing.scale import PX, ZOOMS, zoom_on
from unisequa.web.run.asked import Asked
from unisequa.web.run.board import Column, Month, board, month
from unisequa.web.run.head import RunHead, run_head
from unisequa.web.run.looking import COLUMNS, GROUPS, SHOWS, SORTS, WHOLE, Look
from unisequa.web.run.panel import TaskPanel, task_panel
from unisequa.web.run.sheet import RunSheet, TaskLine, run_sheet
from unisequa.web.run.small_fields import SmallFields, small_fields
from unisequa.web.run.tray import Tray, tray

People = tuple[tuple[int, str], ...]
"""Those whom tasks may be given to: ids and names."""


@dataclass(frozen=True, slots=True)
class LastLine:
    """The last shift that was applied and can be taken back."""

    number: int
    words: str


@dataclass(frozen=True, slots=True)
class Work:
    """The part of the page that a script swaps: sheet, panel, tray, foot."""

    head: RunHead
    sheet: RunSheet
    px: float
    tray: Tray | None
    panel: TaskPanel | None
    selected: str
    version: int
    zoom: str
    zooms: tuple[tuple[str, str], ...]
    edits: str
    mode: str
    last: LastLine | None
    view: str = "sheet"
    toast: str = ""
    undo: int = 0
    proposal: Proposal | None = None
    proposals: tuple[Proposal, ...] = ()
    fault: str = ""
    refused: bool = False
    look: Look = WHOLE
    shows: Mapping[str, str] = field(default_factory=lambda: SHOWS)
    groups: Mapping[str, str] = field(default_factory=lambda: GROUPS)
    sorts: Mapping[str, str] = field(default_factory=lambda: SORTS)
    columns: Mapping[str, str] = field(default_factory=lambda: COLUMNS)
    named: tuple[View, ...] = ()
    people: tuple[tuple[int, str], ...] = ()
    count: int = 0
    board: tuple[Column, ...] = ()
    month: Month | None = None
    hand: InHand = NOTHING
    whole: bool = False
    baselines: tuple[Baseline, ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)
    rides: bool = False
    short: Mapping[str, str] = field(default_factory=dict)
    calendars: tuple[str, ...] = ()
    narrow: bool = False
    small: SmallFields | None = None


def last_line(run: RunSeen) -> LastLine | None:
    """The shift that can be taken back, in words."""
    last = run.last_shift
    return LastLine(last.number, shift_words(last)) if last else None


def see_work(session: Session, me: Actor, run_id: int, today: dt.date, asked: Asked) -> Work:
    """A run as it stands, with the shift being considered worked out on it, and its selected task."""
    run = see_run(session, me, run_id, today)
    return work_on(session, me, run, asked)


def at_hand(run: RunSeen, asked: Asked, found: InHand) -> Asked:
    """What is asked, with the shift that is at hand; of edits that say nothing any more it is told."""
    read, lost = read_kept(found.held.edits, run.plan)
    edits = fitting(run.plan, read, found.held.mode)
    lost += len(read) - len(edits)
    documents = tuple(written(edit, run.plan.grid) for edit in edits)
    toast = (
        f"{count_words(lost, 'edit')} of your shift no longer fit{'s' if lost == 1 else ''}." if lost else asked.toast
    )
    return replace(asked, documents=documents, mode=found.held.mode, why=found.held.why, toast=toast)


def considered_of(run: RunSeen, asked: Asked) -> Considered:
    """The shift that is asked about, worked out."""
    documents = asked.documents if run.may_consider else ()
    return consider(run, read_edits(documents, run.plan), asked.mode)


def work_on(
    session: Session,
    me: Actor,
    run: RunSeen,
    asked: Asked,
    hand: InHand | None = None,
    considered: Considered | None = None,
) -> Work:
    """The same of a run that is seen already; ``hand`` is what is in hand, ``considered`` the shift worked out, where
    those are known."""
    more = see_more(session, me, run, asked.selected) if asked.selected in run.tasks else TaskMore()
    waiting = open_proposals(session, me, run.id)
    people = tuple((one.id, one.name) for one in everybody(session)) if run.may_change else ()
    beside = against(session, run, asked.look.against) if asked.look.against else None
    considered = considered or considered_of(run, asked)
    if considered.result is not None:
        reached = elsewhere(session, me, run.id, run.plan, considered.after, run.today)
        considered = replace(considered, elsewhere=reached)
    there = beyond(session, me, run) if asked.view == "sheet" else ()
    made = work(considered, asked, more, waiting, people, beside, there)
    kept = run.baselines if asked.view == "sheet" else ()
    short = told_of_run(session, run.id) if considered.result is None else {}
    return replace(made, named=views(session, me), hand=hand or in_hand(session, me, run), baselines=kept, short=short)


_IN_PANEL = frozenset(
    {"move", "due", "end", "duration", "shift", "fix", "free", "drop", "give", "remaining", "lag", "after", "unlink",
     "by", "left", "state", "why", "day", "undo", "gate", "comment", "to"}
)  # fmt: skip
"""The faults that have their place in the panel of a task."""


def _told(faults: Mapping[str, str], panel: bool) -> str:
    """What is wrong and has no place of its own on the page."""
    return next((text for name, text in faults.items() if not (panel and name in _IN_PANEL)), "")


def _both(fault: str, toast: str) -> str:
    """What is wrong and what else is said, each once."""
    return toast if fault in toast else f"{fault} {toast}".rstrip()


def work(
    considered: Considered,
    asked: Asked,
    more: TaskMore,
    waiting: tuple[Proposal, ...],
    people: People,
    beside: Against | None = None,
    there: Sequence[Beyond] = (),
) -> Work:
    """What the page shows of a shift that is worked out; ``more`` of the task that is selected, ``beside`` the baseline
    that it is looked at beside, ``there`` the tasks of other runs that hang on its."""
    run = considered.run
    faults = dict(asked.faults)
    if considered.fault:
        faults.setdefault("shift", considered.fault)
    selected = asked.selected if asked.selected in run.tasks else ""
    panel = task_panel(considered, selected, more, faults, dict(asked.typed)) if selected else None
    head, zoom = run_head(run, closely=not considered.edits), zoom_on(run.plan.grid.name, asked.zoom)
    drawn = run_sheet(
        considered,
        asked.look,
        whole=asked.whole or asked.view != "sheet",
        beside=beside,
        beyond=there,
        only=asked.only,
        rides=asked.rides,
    )
    count = sum(isinstance(line, TaskLine) and not line.parent for line in drawn.lines)
    return Work(
        head,
        drawn,
        PX[zoom],
        tray(considered, asked.why, asked.stale, asked.only),
        panel,
        selected,
        run.version,
        zoom,
        ZOOMS[run.plan.grid.name],
        json.dumps([written(edit, run.plan.grid) for edit in considered.edits]),
        asked.mode,
        last_line(run) if head.may_change else None,
        asked.view,
        _both(_told(faults, panel is not None), asked.toast),
        asked.undo,
        next((one for one in waiting if one.number == asked.proposal), None),
        waiting,
        faults.get("answer", ""),
        bool(faults),
        asked.look,
        board=board(considered, asked.look) if asked.view == "board" else (),
        month=month(considered, asked.look) if asked.view == "month" else None,
        people=people,
        count=count,
        whole=asked.whole,
        faults=faults,
        rides=asked.rides,
        calendars=tuple(document.name for document in run.plan.calendars.documents),
        narrow=asked.narrow,
        small=small_fields(considered) if asked.narrow else None,
    )
