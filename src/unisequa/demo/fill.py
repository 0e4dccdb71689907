"""Fills an empty store with Quillhaven's people, templates and runs, their dates around today."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path
from typing import Any

from unisequa.actions.house import teams
from unisequa.actions.house.people import describe
from unisequa.actions.people.passwords import hash_password
from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.runs import shifts
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.seeing import run_of, task_of
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import keep_template
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.design.editing import change_step
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.reading import read_document
from unisequa.core.shift.edits import Move
from unisequa.store.lists import bring_up
from unisequa.store.queries.people import active_people
from unisequa.store.store import Session, Store
from unisequa.store.tables import Calendar, Leave, Person

DOCUMENTS = Path(__file__).parent / "documents"
PASSWORD = "quillhaven-demo"

PEOPLE = (
    ("Ines Okafor", "Exhibition lead"),
    ("Maud Ferreira", "Registrar"),
    ("Bao Lindqvist", "Technician"),
    ("Sunniva Adeyemi", "Lighting"),
    ("Teo Marchetti", "Educator"),
    ("Priya Halloran", "Press officer"),
    ("Dunstan Vale", "Controller"),
    ("Rosalind Achterberg", "Bookkeeper"),
    ("Kofi Brennan", "Shop and ticket office"),
    ("Hester Lund", "Director"),
)


POSITIONS = {
    "Director": "Hester Lund",
    "Head of exhibitions": "Ines Okafor",
    "Head of finance": "Dunstan Vale",
    "Registrar of loans": "Maud Ferreira",
}
MANAGERS = {
    "Ines Okafor": "Hester Lund",
    "Dunstan Vale": "Hester Lund",
    **dict.fromkeys(("Maud Ferreira", "Bao Lindqvist", "Sunniva Adeyemi", "Teo Marchetti"), "Ines Okafor"),
    "Priya Halloran": "Hester Lund",
    **dict.fromkeys(("Rosalind Achterberg", "Kofi Brennan"), "Dunstan Vale"),
}
TEAMS = {
    "Collections": ("Maud Ferreira", "Bao Lindqvist", "Sunniva Adeyemi"),
    "Finance": ("Dunstan Vale", "Rosalind Achterberg", "Kofi Brennan"),
    "Visitors": ("Teo Marchetti", "Priya Halloran", "Kofi Brennan"),
}


def document(name: str) -> Any:
    """One of the documents that ship with the demo."""
    return json.loads((DOCUMENTS / f"{name}.json").read_text("utf-8"))


def fill(store: Store, today: dt.date) -> None:
    """Fill an empty store, whole or not at all; one that has people is left as it is."""
    with store.writing() as session:
        if active_people(session):
            return
        hashed = hash_password(PASSWORD)
        people = {name: _person(session, name, title, hashed) for name, title in PEOPLE}
        _places(session, people)
        house = read_document(CalendarDocument, document("quillhaven-calendar"))
        for calendar in (house, read_document(CalendarDocument, document("evening-calendar"))):
            session.add(Calendar(name=calendar.name, document=calendar.written(), usual=calendar is house))
        session.flush()
        exhibition = _template(session, people["Ines Okafor"], "open-a-visiting-exhibition")
        close = _template(session, people["Dunstan Vale"], "month-end-close")
        _template(session, people["Dunstan Vale"], "quarter-end-close")
        _return_of_a_loan(session, people["Maud Ferreira"])
        keep_template(session, people["Ines Okafor"], read_template(document("opening-night")))
        _leave(session, people, today)
        _exhibitions(session, exhibition, people, today, house.working())
        _closes(session, close, people, today)


def _person(session: Session, name: str, title: str, hashed: str) -> Actor:
    address = name.lower().replace(" ", ".") + "@example.org"
    administrator = title == "Director"
    person = Person(name=name, email=address, password_hash=hashed, title=title, administrator=administrator)
    session.add(person)
    session.flush()
    return as_actor(person)


def _places(session: Session, people: dict[str, Actor]) -> None:
    """Positions, managers and teams, said by the director."""
    director = people["Hester Lund"]
    held = {holder: teams.add(session, director, "position", name) for name, holder in POSITIONS.items()}
    for name, person in people.items():
        manager = people[MANAGERS[name]].id if name in MANAGERS else None
        describe(session, director, person.id, person.name, person.title, held.get(name), manager)
    for name, members in TEAMS.items():
        number = teams.add(session, director, "team", name)
        for member in members:
            teams.put_in(session, director, number, people[member].id)


def _template(session: Session, owner: Actor, name: str) -> int:
    return keep_template(session, owner, read_template(document(name)), released=True).template_id


def _return_of_a_loan(session: Session, owner: Actor) -> None:
    """A job that is still being written: a draft with some things to mend."""
    edition = keep_template(session, owner, read_template(document("return-a-loan")))
    title = "Letter of thanks from {{ director }}"
    edit_draft(session, owner, edition.template_id, lambda t: change_step(t, "thanks", title=title))


def _leave(session: Session, people: dict[str, Actor], today: dt.date) -> None:
    for name, weeks, days, label in (
        ("Maud Ferreira", 3, 4, "Leave"),
        ("Bao Lindqvist", 1, 2, "Course"),
        ("Teo Marchetti", 6, 9, "Leave"),
        ("Rosalind Achterberg", 4, 4, "Leave"),
    ):
        monday = today - dt.timedelta(days=today.weekday()) + dt.timedelta(weeks=weeks)
        last = monday + dt.timedelta(days=days)
        session.add(Leave(person_id=people[name].id, first_on=monday, last_on=last, label=label))


def _exhibitions(
    session: Session, template_id: int, people: dict[str, Actor], today: dt.date, house: WorkingCalendar
) -> None:
    lead = people["Ines Okafor"]
    crew = {
        "lead": lead,
        "registrar": people["Maud Ferreira"],
        "technician": people["Bao Lindqvist"],
        "lighting": people["Sunniva Adeyemi"],
        "educator": people["Teo Marchetti"],
        "press": people["Priya Halloran"],
    }
    ids = {role: str(person.id) for role, person in crew.items()}

    def start(title: str, lender: str, objects: int, value: int, weeks: int, **more: Any) -> int:
        opening = _open_friday(today + dt.timedelta(weeks=weeks), house)
        choices = Choices(
            anchors={"opening": opening, **({"closing": opening + dt.timedelta(days=121)} if weeks > 0 else {})},
            facts={
                "title": title, "lender": lender, "objects": str(objects), "value": str(value),
                "living": more.get("living", "no"),
            },
            crew={**ids, "lending_party": lender},
            prepared=more.get("prepared", False),
        )  # fmt: skip
        return start_run(session, lead, template_id, None, choices, today)

    reef = start("The Glass Reef", "Coralline Trust", 46, 180_000, 7)
    _work_off(session, lead, reef, today, late=("pictures",))
    _shift(session, lead, reef, today, "strike", 2, "The carpenters are at the Old Mill until Tuesday")
    harbours = start("Paper Harbours", "Tidewater Archive", 118, 640_000, 2)
    late = ("crates", "texts-check", "translate", "pictures", "poster", "walls")
    _work_off(session, lead, harbours, today, late)
    start("Moss and Lantern", "Fernbank Collection", 23, 95_000, 21, living="yes", prepared=True)
    signal = start("Salt and Signal", "Lightkeepers' Guild", 64, 310_000, 30)
    set_run_state(session, lead, signal, Becoming("on hold"), today)


def _closes(session: Session, template_id: int, people: dict[str, Actor], today: dt.date) -> None:
    keeper = people["Dunstan Vale"]
    crew = {
        "bookkeeper": people["Rosalind Achterberg"],
        "shop_lead": people["Kofi Brennan"],
        "ticket_lead": people["Kofi Brennan"],
        "controller": keeper,
        "director": people["Hester Lund"],
    }
    this_month = today.replace(day=1) - dt.timedelta(days=1)
    next_month = (today.replace(day=1) + dt.timedelta(days=32)).replace(day=1) - dt.timedelta(days=1)
    for period_end, entity in ((this_month, "Harbour House"), (next_month, "Harbour House"), (next_month, "Old Mill")):
        choices = Choices(
            anchors={"period_end": period_end},
            facts={"entity": entity},
            crew={role: str(person.id) for role, person in crew.items()},
            prepared=entity == "Old Mill",
        )
        number = start_run(session, keeper, template_id, None, choices, today)
        run = run_of(session, number, keeper)
        if entity != "Old Mill":
            _work_off(session, keeper, number, today)
        if all(row.state == "done" for row in run.tasks):
            set_run_state(session, keeper, number, Becoming("finished"), today)


def _work_off(session: Session, keeper: Actor, number: int, today: dt.date, late: tuple[str, ...] = ()) -> None:
    """Done what was due before today, begun what is running, except for what is late and what hangs on it."""
    run = run_of(session, number, keeper)
    before: dict[int, list[int]] = {}
    for link in run.links:
        before.setdefault(link.target_id, []).append(link.source_id)
    by_id = {row.id: row for row in run.tasks}

    def open_before(task_id: int) -> bool:
        return any(by_id[source].state != "done" for source in before.get(task_id, []))

    crew = {member.role: member.person_id for member in run.crew}
    for row in sorted(run.tasks, key=lambda r: (r.finish_on or dt.date.max, r.start_on or dt.date.max)):
        if row.start_on is None or row.finish_on is None or open_before(row.id):
            continue
        if row.key in late or row.start_on <= today <= row.finish_on:
            if row.start_on <= today and row.duration:
                row.state, row.begun_at = "under way", dt.datetime.combine(row.start_on, dt.time(9))
        elif row.finish_on < today:
            row.state = "done"
            row.begun_at = dt.datetime.combine(row.start_on, dt.time(9))
            row.done_at = dt.datetime.combine(row.finish_on, dt.time(16))
            row.done_by_id = crew.get(row.role or "")
    bring_up(run, today)


def _shift(session: Session, actor: Actor, number: int, today: dt.date, key: str, days: int, why: str) -> None:
    run = run_of(session, number, actor)
    row = task_of(run, key)
    if row.state == "waiting" and row.start_on and row.start_on > today:
        edit = Move(key, row.start_on.toordinal() + days)
        session.flush()
        shifts.apply_shift(session, actor, run.id, run.version, [edit], today, why)


def _open_friday(day: dt.date, house: WorkingCalendar) -> dt.date:
    friday = day.toordinal() + (4 - day.weekday()) % 7
    while not house.is_working_day(friday):
        friday += 7
    return dt.date.fromordinal(friday)
