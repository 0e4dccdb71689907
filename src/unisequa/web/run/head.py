"""What stands above every view of a run."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.runs.seeing import RunSeen
from unisequa.core.calendars.words import day_words
from unisequa.core.work.outlook import outlook
from unisequa.web.run.sheet import progress_words

VIEWS = (("sheet", "Sheet"), ("list", "List"), ("crew", "Crew"), ("facts", "Facts"), ("history", "History"))


@dataclass(frozen=True, slots=True)
class RunHead:
    """What stands above every view of a run."""

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
    outlook: str
    may_change: bool


def run_head(run: RunSeen) -> RunHead:
    """Name, dates and outlook of a run."""
    plan = run.plan
    anchors = tuple(
        (plan.labels[key], day_words(day, year=True) if day is not None else "date open")
        for key, day in plan.anchors.items()
    )
    reach = plan.reach()
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
        progress_words(plan),
        day_words(reach[1], year=True) if reach else "",
        outlook(plan),
        run.may_change,
    )
