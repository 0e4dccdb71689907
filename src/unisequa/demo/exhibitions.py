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
    ``through`` are tasks that somebody finished although something held them back."""

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
    crew: Mapping[str, str] = field(default_factory=lambda: CREW)


EARLY = {
    "object-list": -3, "insurance": -6, "condition-out": -30, "route": -22, "brief": -9, "layout": -12, "texts": -16,
}  # fmt: skip
SHOWS = (
    Show(
        "The Glass Reef", "Coralline Trust", 46, 180_000, 7, {"pictures": NEVER},
        (("strike", 2, "The carpenters are at the Old Mill until Tuesday"),),
    ),
    Show("Nets and Knots", "Harbourmaster's Guild", 38, 60_000, -26, {"walls": 2, "poster": 1}, state="finished"),
    Show("Seventeen Clocks", "Bellfounders' Trust", 17, 420_000, -9, {"texts-check": 3}, state="finished"),
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

LOANS = (("Seventeen Clocks", "Bellfounders' Trust", -3), ("Nets and Knots", "Harbourmaster's Guild", 3))
"""Title, lender, and in how many weeks the show closes."""
DAYS_SHOWN = 121


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

    for show in SHOWS:
        _show(session, template_id, people, show, friday(show.weeks), today)
    coming = min((show for show in SHOWS if show.state == "live" and show.weeks > 0), key=lambda show: show.weeks)
    _evening(session, evening_id, people, coming, friday(coming.weeks), today)
    going_back = [(title, lender, friday(weeks), False) for title, lender, weeks in LOANS]
    going_back.append((coming.title, coming.lender, friday(coming.weeks) + dt.timedelta(days=DAYS_SHOWN), True))
    for title, lender, closing, prepared in going_back:
        choices = Choices(
            anchors={"closing": closing, "collection": closing + dt.timedelta(days=26)},
            facts={"title": title, "lender": lender, "objects": "38"},
            crew={
                "registrar": str(people["Maud Ferreira"].id), "technician": str(people["Jory Pellew"].id),
                "lead": str(people["Ines Okafor"].id), "lending_party": lender,
            },
            subject=title,
            prepared=prepared,
        )  # fmt: skip
        keeper = people["Maud Ferreira"]
        begun = today - dt.timedelta(days=20)
        with on_day(begun):
            number = start_run(session, keeper, loan_id, 1, choices, begun)
        if not prepared:
            work_off(session, number, keeper, today)


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
    closing = {"closing": opening + dt.timedelta(days=DAYS_SHOWN)} if show.weeks > 0 else {}
    choices = Choices(
        anchors={"opening": opening, **closing},
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
        set_run_state(session, lead, number, Becoming(show.state, why, drop_open=True), today)


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
