"""The page of the desk."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, replace

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.desk import Desk, DeskTask, NeedsMe, WordForMe, desk, done_lately
from unisequa.actions.house.beginning import Beginning, beginning
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.in_hand import AtHand
from unisequa.actions.runs.proposing import Proposal
from unisequa.core.calendars.words import count_words, day_words
from unisequa.core.work.task_states import ACTS
from unisequa.store.store import Session
from unisequa.web.desk.sheet import DeskLine, DeskSheet, days_of_load, desk_sheet, hours_words
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()

VIEWS = ("mine", "queue", "sign-off", "waiting", "done")


@dataclass(frozen=True, slots=True)
class Tab:
    """A view of the desk, and how many tasks it has."""

    key: str
    label: str
    count: str


@dataclass(frozen=True, slots=True)
class Queue:
    """What lies in a team's queue."""

    team: str
    lines: tuple[DeskLine, ...]


@dataclass(frozen=True, slots=True)
class DeskWork:
    """The part of the desk that a script swaps.

    Parameters
    ----------
    days : tuple
        The next fourteen days for a phone: letter, number, whether it is off, its load and what is over it in percent.
    """

    date: str
    late: int
    today: int
    hours: str
    next_off: str
    tabs: tuple[Tab, ...]
    view: str
    sheet: DeskSheet
    empty: str
    proposals: tuple[Proposal, ...]
    words: tuple[WordForMe, ...]
    needing: tuple[NeedsMe, ...]
    at_hand: tuple[AtHand, ...]
    kept: int
    signing: tuple[tuple[DeskLine, str], ...]
    queues: tuple[Queue, ...]
    unfilled: tuple[DeskLine, ...]
    days: tuple[tuple[str, str, bool, int, int], ...]
    toast: str = ""
    undo: int = 0
    faults: tuple[DeskFault, ...] = ()
    beginning: Beginning | None = None


@dataclass(frozen=True, slots=True)
class DeskFault:
    """What is wrong with what was tried: of which field, in words, and what does it all the same, where that may be."""

    name: str
    words: str
    act: str = ""
    all_the_same: str = ""


@dataclass(frozen=True, slots=True)
class DeskPage:
    """The desk."""

    section: str
    work: DeskWork


@router.get("/")
def desk_page(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, view: str = "mine") -> Response:
    """The desk in one of its views."""
    with store.reading() as session:
        work = desk_work(session, me, settings.day(), view)
    return render(request, "desk/page.html", DeskPage("desk", work))


def desk_work(session: Session, me: Actor, today: dt.date, view: str, *, toast: str = "", undo: int = 0) -> DeskWork:
    """What a desk shows in a view."""
    view = view if view in VIEWS else "mine"
    seen = desk(session, me, today)
    queued = [task for _, tasks in seen.queues for task in tasks]
    waiting = [task for task in seen.mine if task.state == "waiting"]
    shown: dict[str, list[DeskTask]] = {
        "mine": list(seen.mine), "queue": queued, "sign-off": list(seen.signing), "waiting": waiting,
    }  # fmt: skip
    tasks = list(done_lately(session, me, today)) if view == "done" else shown[view]
    late = sum(task.late > 0 and task.state != "in review" for task in seen.mine)
    now = sum(_is_for_today(task, seen.today) for task in seen.mine)
    asked, has = (seen.load[0].asked, seen.load[0].has) if seen.load else (0, 0)
    return DeskWork(
        date=_date(today),
        late=late,
        today=now,
        hours=_hours(asked, has, seen),
        next_off=f"{seen.next_off[1]}, {day_words(seen.next_off[0])}" if seen.next_off else "",
        tabs=(
            Tab("mine", "Mine", ""),
            *([Tab("queue", "Queue", str(len(queued) or ""))] if seen.queues else []),
            Tab("sign-off", "To sign off", str(len(seen.signing) or "")),
            Tab("waiting", "Waiting", str(len(waiting) or "")),
            Tab("done", "Done", ""),
        ),
        view=view,
        sheet=desk_sheet(seen, tasks, grouped=view != "done"),
        empty="" if tasks else _EMPTY[view],
        proposals=seen.proposals,
        words=seen.words,
        needing=seen.needing,
        at_hand=seen.at_hand,
        kept=seen.kept,
        signing=tuple((line, task.waits) for line, task in zip(_lines(seen, seen.signing), seen.signing, strict=True)),
        queues=tuple(Queue(team, _lines(seen, tasks)) for team, tasks in seen.queues if tasks),
        unfilled=_lines(seen, seen.unfilled),
        days=days_of_load(seen.load, seen),
        toast=toast,
        undo=undo,
        beginning=_still_to_do(session, me) if view == "mine" and not tasks and not seen.kept else None,
    )


def _still_to_do(session: Session, me: Actor) -> Beginning | None:
    """What an administrator of a house that has just begun does next; None once all of it is there."""
    begun = beginning(session, me) if me.administrator else None
    return None if begun is None or begun.all_there else begun


_EMPTY = {
    "mine": "Nothing is yours to do just now. What others give you, and what becomes ready, stands here.",
    "queue": "Nothing lies in your teams' queues.",
    "sign-off": "Nothing waits for your sign-off.",
    "waiting": "Nothing of yours waits for anything.",
    "done": "What you finish stands here for thirty days.",
}


def with_faults(work: DeskWork, faults: Mapping[str, str], tried: str) -> DeskWork:
    """The same desk, with what was refused."""
    button = next((f"{row.button} all the same" for row in ACTS if row.act == tried), "")
    told = [
        DeskFault(name, words, tried, button) if name == "gate" and button else DeskFault(name, words)
        for name, words in faults.items()
    ]
    return replace(work, faults=tuple(told))


def _is_for_today(task: DeskTask, today: int) -> bool:
    return not task.late and task.state in {"ready", "under way"} and (task.last or 0) <= today


def _lines(seen: Desk, tasks: tuple[DeskTask, ...]) -> tuple[DeskLine, ...]:
    lines = desk_sheet(seen, tasks, grouped=False).lines
    return tuple(line for line in lines if isinstance(line, DeskLine))


def _date(today: dt.date) -> str:
    return f"{today:%A} {today.day} {today:%B}"


def _hours(asked: int, has: int, seen: Desk) -> str:
    if not has:
        return "a day off" if not asked else f"{hours_words(asked)} hours of work on a day off"
    words = f"{hours_words(asked)} hours of work for a day of {hours_words(has)}"
    if seen.without_effort:
        words += f", {count_words(seen.without_effort, 'task')} without effort given"
    return words
