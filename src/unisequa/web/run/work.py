"""The part of a run's page that a script swaps: sheet, panel, tray, foot."""

from __future__ import annotations

import json
from dataclasses import dataclass

from unisequa.actions.runs.seeing import RunSeen, shift_words
from unisequa.actions.runs.shifts import Considered, consider, read_edits
from unisequa.core.shift.edits.codec import written
from unisequa.web.drawing.scale import PX
from unisequa.web.run.asked import Asked
from unisequa.web.run.head import RunHead, run_head
from unisequa.web.run.panel import TaskPanel, task_panel
from unisequa.web.run.sheet import RunSheet, run_sheet
from unisequa.web.run.tray import Tray, tray


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
    edits: str
    mode: str
    last: LastLine | None
    view: str = "sheet"
    toast: str = ""


def last_line(run: RunSeen) -> LastLine | None:
    """The shift that can be taken back, in words."""
    last = run.last_shift
    return LastLine(last.number, shift_words(last)) if last else None


def work_on(run: RunSeen, asked: Asked) -> Work:
    """The run as it stands, with the shift being considered worked out on it."""
    return work(consider(run, read_edits(asked.documents, run.plan), asked.mode), asked)


def work(considered: Considered, asked: Asked) -> Work:
    """What the page shows of a shift that is worked out."""
    run = considered.run
    faults = dict(asked.faults)
    if considered.fault:
        faults.setdefault("shift", considered.fault)
    selected = asked.selected if asked.selected in run.tasks else ""
    panel = task_panel(considered, selected, faults, dict(asked.typed)) if selected else None
    head = run_head(run)
    return Work(
        head,
        run_sheet(considered),
        PX[asked.zoom],
        tray(considered, asked.why, asked.stale),
        panel,
        selected,
        run.version,
        asked.zoom,
        json.dumps([written(edit, run.plan.grid) for edit in considered.edits]),
        asked.mode,
        last_line(run) if head.may_change else None,
        asked.view,
        asked.toast or ("" if panel else faults.get("shift", "")),
    )
