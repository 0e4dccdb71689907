"""The demo grown to two thousand runs with 120,000 tasks, to try what many runs are like and how fast pages are.

The same templates as in the small demo, and one more with a step for every room; runs over three years, started and
finished by the same actions as by hand, all that was due in a run in one act. The same for the same day.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import count
from typing import Any

from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.template import Fact, Template
from unisequa.core.errors import Refused
from unisequa.core.terms import FINISHED
from unisequa.store.documents import template_of
from unisequa.store.queries.people import active_people
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.templates import newest_released
from unisequa.store.store import Session, Store, savepoint
from unisequa.store.tables import Run

RUNS, TASKS, AT_ONCE = 2000, 120_000, 10
WEEKS_BACK, WEEKS_AHEAD = 110, 46
ROOMS = (
    "Long Gallery", "Tide Room", "Map Room", "Boat Hall", "Upper Loft", "Rope Walk", "Salt Store", "Engine House",
    "Print Room", "Glass Stair", "Chapel", "Reading Room", "Kiln", "Court", "Lantern Room", "Sail Loft",
)  # fmt: skip
WORK = (
    ("empty", "Empty", 2, "technician"), ("cases", "Move the cases of", 1, "technician"),
    ("paint", "Paint", 3, "workshop"), ("wires", "Lay the wires in", 1, "workshop"),
    ("lamps", "Aim the lamps in", 1, "lighting"), ("hang", "Hang", 2, "technician"),
    ("labels", "Labels for", 1, "texts"), ("check", "Check", 1, "lead"),
)  # fmt: skip
FIRST = (
    "Quiet", "Northern", "Hidden", "Second", "Winter", "Copper", "Paper", "Open", "Little", "Far", "Blue", "Long",
    "Green", "Early", "Broken", "Painted", "Narrow", "Loud", "Woven", "Slow",
)  # fmt: skip
THEN = (
    "Harbours", "Kites", "Clocks", "Gardens", "Maps", "Bells", "Nets", "Ladders", "Ovens", "Lanterns", "Bridges",
    "Wheels", "Shells", "Feathers", "Doors", "Tides", "Birds", "Mills", "Songs", "Roofs",
)  # fmt: skip


def rehang() -> dict[str, Any]:
    """A job with a step for each work in each room."""
    steps, links = [], []
    for n, room in enumerate(ROOMS):
        for m, (key, verb, days, role) in enumerate(WORK):
            when = {"when": {"anchor": "opening", "offset": -60 + 3 * n, "edge": "start"}} if not m else {}
            title = f"{verb} the {room}"
            steps.append(
                {"key": f"{key}-{n}", "title": title, "duration": days, "role": role, "phase": f"room-{n}", **when}
            )
            if m:
                links.append({"from": f"{WORK[m - 1][0]}-{n}", "to": f"{key}-{n}"})
    steps.append({"key": "open", "title": "The house opens again", "duration": 0, "phase": "room-0",
                  "when": {"anchor": "opening", "offset": 0}})  # fmt: skip
    roles = {"lead": "Exhibition lead", "technician": "Technician", "workshop": "Workshop", "lighting": "Lighting",
             "texts": "Texts"}  # fmt: skip
    return {
        "format": "unisequa-template/1",
        "name": "Rehang of a whole house",
        "category": "Exhibitions",
        "naming": "Rehang: {{ subject }}",
        "anchors": [{"key": "opening", "label": "House opens again"}],
        "roles": [{"key": key, "label": label} for key, label in roles.items()],
        "phases": [{"key": f"room-{n}", "label": room} for n, room in enumerate(ROOMS)],
        "steps": steps,
        "links": links,
    }


def fill_large(store: Store, today: dt.date, told: Callable[[int, int], None]) -> None:
    """Grow a filled demo; ``told`` is told now and then how many runs and tasks there are."""
    with store.writing() as session:
        everybody = sorted(active_people(session), key=lambda one: one.name)
        people = [as_actor(one) for one in everybody]
        lead = next(one for one in people if one.name == "Ines Okafor")
        keep_template(session, lead, read_template(rehang()), released=True)
        newest = newest_released(session)
        kinds = [
            (row.template_id, row.number, made)
            for row in newest
            if (made := template_of(row)).grid == "day" and made.steps
        ]
        runs = session.query(Run).count()
        tasks = sum(len(run.tasks) for run in session.query(Run))
    long = [kind for kind in kinds if len(kind[2].steps) > 100]
    numbers = count()
    while runs < RUNS:
        with store.writing() as session:
            for n in _few(numbers, min(AT_ONCE, RUNS - runs)):
                wanted = (TASKS - tasks) / (RUNS - runs)  # tasks a run, so that both numbers are reached together
                some = long if wanted > 60 and n % 2 else kinds
                run = _run(session, some[n // 2 % len(some)], people, n, today)
                tasks, runs = tasks + len(run.tasks), runs + 1
        told(runs, tasks)


def _few(numbers: Iterator[int], most: int) -> Iterator[int]:
    for _ in range(most):
        yield next(numbers)


def _run(session: Session, kind: tuple[int, int, Template], people: list[Actor], n: int, today: dt.date) -> Run:
    """A run somewhere in three years; what was due in it is done."""
    template_id, number, template = kind
    weeks = n * 7 % (WEEKS_BACK + WEEKS_AHEAD) - WEEKS_BACK
    day = today + dt.timedelta(weeks=weeks, days=n % 5 - today.weekday())
    name = f"{FIRST[n % 20]} {THEN[n // 20 % 20]}" + (f" {n // 400 + 1}" if n >= 400 else "")
    keeper = people[n % len(people)]
    choices = Choices(
        anchors={anchor.key: day for anchor in template.anchors if anchor.required and anchor.from_ is None},
        facts={fact.key: _fact(fact, name, n, day) for fact in template.facts if fact.required},
        crew={
            role.key: str(people[(n * 3 + m) % len(people)].id)
            for m, role in enumerate(template.roles)
            if role.fill.by == "ask"
        },
        subject=name,
        prepared=weeks > 20,
    )
    begun = min(today, day - dt.timedelta(weeks=14))
    run = run_by_id(session, start_run(session, keeper, template_id, number, choices, begun))
    assert run is not None
    if not choices.prepared:
        _work_off(session, run, keeper, people, n, today)
    session.flush()
    return run


def _work_off(session: Session, run: Run, keeper: Actor, people: list[Actor], n: int, today: dt.date) -> None:
    """All that was due is finished in one act by the keeper, and signed off; some of it is late in every fifth run."""
    parents = {row.parent for row in run.tasks}
    last = max((row.finish_on for row in run.tasks if row.finish_on), default=today)
    late = n % 5 == 0 and last >= today
    due = today - dt.timedelta(days=10 if late else 0)
    over = [
        row.key for row in run.tasks
        if row.finish_on and row.finish_on < due and row.key not in parents and row.state == "waiting" and row.duration
    ]  # fmt: skip
    if over:
        _act(session, keeper, run, Deed("finish", over, min(last, today), confirmed=True), today)
    for signer in people:
        if mine := [row.key for row in run.tasks if row.state == "in review" and row.signer_id == signer.id]:
            _act(session, signer, run, Deed("sign off", mine), today)
    if last < today and all(row.state in FINISHED or row.key in parents or not row.duration for row in run.tasks):
        with suppress(Refused):
            set_run_state(session, keeper, run.id, Becoming("finished"), today)


def _act(session: Session, actor: Actor, run: Run, deed: Deed, today: dt.date) -> None:
    """Done, where nothing bars it: what waits for another run stays open."""
    with suppress(Refused), savepoint(session):
        act_on_tasks(session, actor, run.id, deed, today)


def _fact(fact: Fact, name: str, n: int, day: dt.date) -> str:
    """Something that a fact may be."""
    if fact.choices:
        return fact.choices[n % len(fact.choices)]
    return {"number": str(10 + n % 90), "date": day.isoformat(), "yes-no": "no"}.get(fact.kind, name)
