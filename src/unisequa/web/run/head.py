"""What stands above every view of a run."""

from __future__ import annotations

import json
from dataclasses import dataclass

from unisequa.actions.runs.seeing import RunSeen, how_it_stands
from unisequa.core.calendars.words import day_words, slot_words
from unisequa.core.shift.edits.codec import written
from unisequa.web.run.sheet import progress_words

VIEWS = (
    ("sheet", "Sheet"),
    ("list", "List"),
    ("board", "Board"),
    ("month", "Month"),
    ("crew", "Crew"),
    ("facts", "Facts"),
    ("history", "History"),
)


@dataclass(frozen=True, slots=True)
class RunHead:
    """What stands above every view of a run. ``mending`` says what of it can no longer hold, ``mend`` are the edits
    that would mend it, as JSON; ``calendar`` is the one that it goes by where a task names none."""

    id: int
    name: str
    state: str
    keeper: str
    edition: int
    template_id: int
    template: str
    subject: str
    anchors: tuple[tuple[str, str], ...]
    progress: str
    ends: str
    standing: str
    outlook: str
    may_change: bool
    may_consider: bool
    mending: str
    mend: str
    hours: bool
    dates: tuple[tuple[str, str, str], ...]
    windows: tuple[tuple[str, str, str], ...]
    calendar: str


def run_head(run: RunSeen, *, closely: bool = True) -> RunHead:
    """Name, dates and outlook of a run."""
    plan, stands = run.plan, how_it_stands(run, closely=closely)
    mending = stands.mending
    anchors = tuple(
        (plan.labels[key], slot_words(day, plan.grid, year=True) if day is not None else "date open")
        for key, day in plan.anchors.items()
    )
    reach, said = plan.reach(), plan.dates_in_words().of_days
    phases = {phase.key: phase.label for phase in run.template.phases}
    return RunHead(
        run.id,
        run.name,
        run.state,
        run.keeper,
        run.edition,
        run.template_id,
        run.template_name,
        run.subject,
        anchors,
        progress_words(plan, run.ready.states),
        day_words(reach[1], year=True) if reach else "",
        stands.standing,
        stands.reason,
        run.may_change,
        run.may_consider,
        mending.text if mending else "",
        json.dumps([written(edit, plan.grid) for edit in mending.edits]) if mending else "[]",
        plan.grid.per_day > 1,
        tuple((key, label, day) for key, (label, day) in zip(plan.anchors, anchors, strict=True)),
        tuple(
            (phase.key, phases.get(phase.key, phase.key), said.span(*phase.window))
            for phase in plan.phases
            if phase.window is not None
        ),
        plan.calendars.default,
    )
