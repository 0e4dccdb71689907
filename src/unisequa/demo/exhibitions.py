"""Exhibitions and loans: shown and over, on their way in every state, and to come."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.people.people import Actor
from unisequa.actions.runs import shifts
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.core.errors import Refused
from unisequa.core.plan.calendars import Calendars
from unisequa.core.shift.edits import Move
from unisequa.demo.by_itself import handed_off, loan_goes_back
from unisequa.demo.working import NEVER, on_day, work_off
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session, savepoint

CREW = {
    "lead": "Ines Okafor",
    "registrar": "Maud Ferreira",
    "technician": "Bao Lindqvist",
    "lighting": "Sunniva Adeyemi",
    "educator": "Teo Marchetti",
    "press": "Priya Halloran",
}
SECOND = {**CREW, "registrar": "Fenna Oddy", "technician": "Jory Pellew"}
DOORS = dt.time(18, 30)
LEADING_WEEKS = 14
"""So many weeks before its opening an exhibition is started."""


@dataclass(frozen=True, slots=True)
class Show:
    """An exhibition: what it is, in how many weeks it opens, how its work went, what became of it;
    ``through`` are tasks that somebody finished although something held them back; it is ``shown`` for so many days,
    and one that is over has handed its loan off where it had closed by then."""

    title: str
    lender: str
    objects: int
    value: int
    weeks: int
    late: Mapping[str, int] = field(default_factory=dict)
    shifts: tuple[tuple[str, int, str], ...] = ()
    state: str = "live"
    living: str = "no"
    through: tuple[str, ...] = ()
    shown: int = 121
    crew: Mapping[str, str] = field(default_factory=lambda: CREW)


EARLY = {
    "object-list": -3, "insurance": -6, "condition-out": -30, "route": -22, "brief": -9, "layout": -12, "texts": -16,
}  # fmt: skip
SHOWS = (
    Show(
        "The Glass Reef", "Coralline Trust", 46, 180_000, 7, {"pictures": NEVER},
        (("strike", 2, "The carpenters are at the Old Mill until Tuesday"),),
    ),
    Show(
        "Nets and Knots", "Harbourmaster's Guild", 38, 60_000, -26, {"walls": 2, "poster": 1}, state="finished",
        shown=160,
    ),
    Show(
        "Seventeen Clocks", "Bellfounders' Trust", 17, 420_000, -9, {"texts-check": 3}, state="finished", shown=41,
    ),
    Show(
        "Paper Harbours", "Tidewater Archive", 118, 640_000, 2,
        {"crates": NEVER, "texts-check": NEVER, "translate": NEVER, "pictures": NEVER, "poster": NEVER, "walls": NEVER},
        through=("labels-up", "courier", "lights"),
    ),
    Show("Ovens of the Coast", "Salthouse Collection", 31, 72_000, 5, {"pictures": NEVER}, crew=SECOND),
    Show(
        "Feather and Rope", "Rookery Museum", 54, 130_000, 11, EARLY,
        (("strike", 1, "The floor plan comes a little later"),),
        crew=SECOND,
    ),
    Show("A Century of Kites", "Windward Society", 60, 50_000, 9, state="called off", crew=SECOND),
    Show("Moss and Lantern", "Fernbank Collection", 23, 95_000, 21, state="prepared", living="yes"),
    Show("Salt and Signal", "Lightkeepers' Guild", 64, 310_000, 30, state="on hold"),
)  # fmt: skip

HANDED_OFF_SINCE = dt.timedelta(days=60)
CLEARED = dt.timedelta(days=9)
"""So long after it has closed a show is packed."""


def fill_exhibitions(
    session: Session, template_id: int, loan_id: int, evening_id: int, people: dict[str, Actor], today: dt.date
) -> None:
    """All shows, the loans that go back, and the evening of the next opening."""
    calendar = Calendars(calendar_documents(session, None))[None]

    def friday(weeks: int) -> dt.date:
        day = today + dt.timedelta(weeks=weeks)
        found = day.toordinal() + (4 - day.weekday()) % 7
        while not calendar.is_working_day(found):
            found += 7
        return dt.date.fromordinal(found)

    loan_goes_back(session, template_id, loan_id, people, today - HANDED_OFF_SINCE)
    for show in SHOWS:
        _show(session, template_id, people, show, friday(show.weeks), today)
    coming = min((show for show in SHOWS if show.state == "live" and show.weeks > 0), key=lambda show: show.weeks)
    _evening(session, evening_id, people, coming, friday(coming.weeks), today)
    closing = friday(coming.weeks) + dt.timedelta(days=coming.shown)
    choices = Choices(
        anchors={"closing": closing, "collection": closing + dt.timedelta(days=26)},
        facts={"title": coming.title, "lender": coming.lender, "objects": str(coming.objects)},
        crew={
            "registrar": str(people["Maud Ferreira"].id), "technician": str(people["Jory Pellew"].id),
            "lead": str(people["Ines Okafor"].id), "lending_party": coming.lender,
        },
        subject=coming.title,
        prepared=True,
    )  # fmt: skip
    begun = today - dt.timedelta(days=20)
    with on_day(begun):
        start_run(session, people["Maud Ferreira"], loan_id, 1, choices, begun)


def _evening(
    session: Session, template_id: int, people: dict[str, Actor], show: Show, opening: dt.date, today: dt.date
) -> None:
    """The night on which a show opens, hour by hour."""
    crew = {"technician": "Bao Lindqvist", "hosts": "Ilse Marrow", "press": "Priya Halloran"}
    choices = Choices(
        anchors={"doors": dt.datetime.combine(opening, DOORS)},
        facts={"title": show.title, "speakers": "3"},
        crew={**{role: str(people[name].id) for role, name in crew.items()}, "caterer": "Sandbar Kitchen"},
        subject=show.title,
    )
    start_run(session, people["Ines Okafor"], template_id, None, choices, today)


def _show(
    session: Session, template_id: int, people: dict[str, Actor], show: Show, opening: dt.date, today: dt.date
) -> None:
    lead = people["Ines Okafor"]
    begun = min(today, opening - dt.timedelta(weeks=LEADING_WEEKS))
    closing = opening + dt.timedelta(days=show.shown)
    cleared = closing + CLEARED
    over = show.state == "finished" and cleared <= today
    choices = Choices(
        anchors={"opening": opening, **({"closing": closing} if show.weeks > 0 or over else {})},
        facts={
            "title": show.title, "lender": show.lender, "objects": str(show.objects), "value": str(show.value),
            "living": show.living,
        },
        crew={**{role: str(people[name].id) for role, name in show.crew.items()}, "lending_party": show.lender},
        subject=show.title,
        prepared=show.state == "prepared",
    )  # fmt: skip
    with on_day(begun):
        number = start_run(session, lead, template_id, None, choices, begun)
    if show.state == "prepared":
        return
    work_off(session, number, lead, today, show.late)
    for key in show.through:
        _let_through(session, number, lead, key, today)
    for key, days, why in show.shifts:
        _shift(session, lead, number, today, key, days, why)
    if show.state != "live":
        why = "The lender has withdrawn" if show.state == "called off" else "The house waits for the grant"
        day = cleared if over else today
        with on_day(min(day, today - dt.timedelta(days=1))):  # what is told of it is past, whatever the hour
            set_run_state(session, lead, number, Becoming(show.state, why, drop_open=True), day)
            loans = handed_off(session, number, day)
        for loan in loans:
            _going_back(session, loan, people["Maud Ferreira"], day, today)


def _going_back(session: Session, loan: int, registrar: Actor, day: dt.date, today: dt.date) -> None:
    """What was handed off to her, she opens and works off."""
    with on_day(day):
        set_run_state(session, registrar, loan, Becoming("live"), day)
    work_off(session, loan, registrar, today)


def _let_through(session: Session, number: int, lead: Actor, key: str, today: dt.date) -> None:
    """Somebody says it is done although something holds it back, where the step only warns."""
    with suppress(Refused), savepoint(session):
        deed = Deed("finish", [key], why="We could not wait any longer", confirmed=True)
        act_on_tasks(session, lead, number, deed, today)


def _shift(session: Session, actor: Actor, number: int, today: dt.date, key: str, days: int, why: str) -> None:
    run = run_by_id(session, number)
    assert run is not None
    row = next((row for row in run.tasks if row.key == key), None)
    if row is not None and row.state == "waiting" and row.start_on and row.start_on > today:
        edit = Move(key, row.start_on.toordinal() + days)
        shifts.apply_shift(session, actor, run.id, run.version, [edit], today, why)
