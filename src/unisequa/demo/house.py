"""The house itself: who joins and who leaves, the rounds of the buildings, the quarter's close."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.own import NewTask, Place, add_tasks
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.creating import start_run, start_runs
from unisequa.actions.starting.from_nothing import start_from_nothing
from unisequa.actions.subjects import Record, add_subject
from unisequa.demo.working import NEVER, on_day, work_off
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.subjects import runs_of_start
from unisequa.store.store import Session


@dataclass(frozen=True, slots=True)
class Comer:
    """Somebody who joins or leaves: what they are, where, when (in weeks), by which jobs, what of it is late."""

    name: str
    position: str
    unit: str
    manager: str
    weeks: int
    jobs: tuple[str, ...]
    late: Mapping[str, int] = field(default_factory=dict)
    leaves: bool = False
    prepared: bool = False
    van: str = "no"


COMERS = (
    Comer("Lark Benning", "Conservator", "Seed Store", "Ines Okafor", -11, ("host",)),
    Comer(
        "Pell Aduba", "Gallery host", "Seed Store", "Noor Castellan", -2, ("host",), {"till": NEVER, "stories": NEVER}
    ),
    Comer("Ilse Marrow", "Gallery host", "Harbour House", "Noor Castellan", 0, ("host",)),
    Comer(
        "Ansel Whitby", "Gallery host and workshop", "Old Mill", "Noor Castellan", 6, ("host", "workshop"),
        prepared=True, van="yes",
    ),
    Comer("Juno Tarrant", "Educator", "Harbour House", "Noor Castellan", 10, ()),
    Comer("Tamsin Roe", "Shop", "Old Mill", "Kofi Brennan", -8, ("host",)),
    Comer("Otto Quist", "Carpenter", "Old Mill", "Mina Osei", 5, ("leaver",), {"successor": NEVER}, leaves=True),
    Comer("Edda Rasch", "Bookkeeper", "Harbour House", "Dunstan Vale", 13, (), leaves=True),
)  # fmt: skip

CASES = (
    ("Old cases out of the east gallery", 0, 2, "14h"),
    ("New cases wired and levelled", 2, 2, "15h"),
    ("Cases lit and sealed", 4, 1, "6h"),
)
"""A job without a template, in three weeks: task, days from its Monday, working days, effort."""
ROUNDS = (("Harbour House", -6), ("Old Mill", -1), ("Seed Store", 3))
"""Site, and in how many weeks its round begins."""


def fill_house(
    session: Session, jobs: Mapping[str, int], quarter: int, people: dict[str, Actor], today: dt.date
) -> None:
    """All of it."""
    monday = today - dt.timedelta(days=today.weekday())
    for comer in COMERS:
        _comer(session, jobs, people, comer, monday + dt.timedelta(weeks=comer.weeks), today)
    keeper = people["Mina Osei"]
    for site, weeks in ROUNDS:
        begins = monday + dt.timedelta(weeks=weeks)
        choices = Choices(anchors={"monday": begins}, facts={"site": site}, subject=site, prepared=weeks > 0)
        day = min(today, begins - dt.timedelta(days=3))
        with on_day(day):
            number = start_run(session, keeper, jobs["round"], None, choices, day)
        if weeks <= 0:
            work_off(session, number, keeper, today)
            _finish(session, number, keeper, today)
    _cases(session, people, monday + dt.timedelta(weeks=3), today)
    quarter_end = dt.date(today.year, (today.month - 1) // 3 * 3 + 3, 1) + dt.timedelta(days=32)
    ends = quarter_end.replace(day=1) - dt.timedelta(days=1)
    crew = {"controller": str(people["Dunstan Vale"].id), "director": str(people["Hester Lund"].id)}
    choices = Choices(
        anchors={"quarter_end": ends, "board": ends + dt.timedelta(days=21)}, facts={"entity": "Harbour House"},
        crew=crew, prepared=True,
    )  # fmt: skip
    start_run(session, people["Dunstan Vale"], quarter, None, choices, today)


def _cases(session: Session, people: dict[str, Actor], monday: dt.date, today: dt.date) -> None:
    """What no template knows, and somebody has too much with, while others have room."""
    keeper = people["Maud Ferreira"]
    number = start_from_nothing(session, keeper, "New cases for the east gallery", today)
    tasks = [
        NewTask(title, "Bao Lindqvist", monday + dt.timedelta(days=days), takes, effort=effort)
        for title, days, takes, effort in CASES
    ]
    add_tasks(session, keeper, number, tasks, Place(), today)


def _comer(
    session: Session, jobs: Mapping[str, int], people: dict[str, Actor], comer: Comer, day: dt.date, today: dt.date
) -> None:
    keeper = people["Noor Castellan"]
    day += dt.timedelta(days=3 if comer.leaves else 0)
    dates = {"last" if comer.leaves else "first": day}
    record = Record(
        comer.name,
        comer.position,
        comer.unit,
        people[comer.manager].id,
        **dates,
        kind="leaver" if comer.leaves else "joiner",
    )
    add_subject(session, people["Hester Lund"], record, today)
    if not comer.jobs:
        return
    begun = min(today, day - dt.timedelta(weeks=6))
    site = {"site": comer.unit, "van": comer.van, "hours": "28", "uniform": "M"}
    wanted = [
        Wanted(
            jobs[job], None,
            Choices(
                anchors={"last" if job == "leaver" else "first": day},
                facts=site if job == "host" else {},
                crew={"buddy": str(people["Ilse Marrow" if comer.name != "Ilse Marrow" else "Tamsin Roe"].id)}
                if job == "host" else {},
                subject=comer.name,
                prepared=comer.prepared,
            ),
        )
        for job in comer.jobs
    ]  # fmt: skip
    with on_day(begun):
        start = start_runs(session, keeper, wanted, begun, f"demo {comer.name}")
    for made in runs_of_start(session, start, keeper.id):
        if not comer.prepared:
            work_off(session, made.id, keeper, today, comer.late)
            _finish(session, made.id, keeper, today)


def _finish(session: Session, number: int, keeper: Actor, today: dt.date) -> None:
    """Close a run of which nothing is open: what nobody does is over with its day."""
    run = run_by_id(session, number)
    past = [row for row in run.tasks if row.role is None and row.finish_on and row.finish_on <= today] if run else []
    if run is not None and all(row.state in {"done", "dropped"} or row in past for row in run.tasks):
        set_run_state(session, keeper, number, Becoming("finished"), today)
