"""The people of Quillhaven Museums: who they are, where they work, whom they answer to, when they are away."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.house import teams
from unisequa.actions.house.people import describe, set_hours
from unisequa.actions.people.passwords import hash_password
from unisequa.actions.people.people import Actor, as_actor
from unisequa.store.store import Session
from unisequa.store.tables import Leave, Person

PASSWORD = "quillhaven-demo"

PEOPLE: dict[str, tuple[str, str, tuple[str, ...]]] = {
    "Ines Okafor": ("Exhibition lead", "Hester Lund", ()),
    "Maud Ferreira": ("Registrar", "Ines Okafor", ("Collections",)),
    "Bao Lindqvist": ("Technician", "Mina Osei", ("Workshop", "Collections")),
    "Sunniva Adeyemi": ("Lighting", "Mina Osei", ("Workshop", "Collections")),
    "Teo Marchetti": ("Educator", "Noor Castellan", ("Visitors",)),
    "Priya Halloran": ("Press officer", "Hester Lund", ("Visitors",)),
    "Dunstan Vale": ("Controller", "Hester Lund", ("Finance",)),
    "Rosalind Achterberg": ("Bookkeeper", "Dunstan Vale", ("Finance",)),
    "Kofi Brennan": ("Shop and ticket office", "Dunstan Vale", ("Finance", "Visitors")),
    "Hester Lund": ("Director", "", ()),
    "Noor Castellan": ("Head of visitors", "Hester Lund", ("Visitors",)),
    "Mina Osei": ("Head of workshop", "Hester Lund", ("Workshop",)),
    "Jory Pellew": ("Carpenter", "Mina Osei", ("Workshop",)),
    "Lark Benning": ("Conservator", "Ines Okafor", ("Collections",)),
    "Fenna Oddy": ("Second registrar", "Ines Okafor", ("Collections",)),
    "Wim Castor": ("House desk", "Hester Lund", ("House systems",)),
    "Sol Imrie": ("House desk, nights", "Wim Castor", ("House systems",)),
    "Ilse Marrow": ("Gallery host", "Noor Castellan", ("Visitors",)),
    "Pell Aduba": ("Gallery host", "Noor Castellan", ("Visitors",)),
    "Otto Quist": ("Carpenter", "Mina Osei", ("Workshop",)),
    "Edda Rasch": ("Bookkeeper, part time", "Dunstan Vale", ("Finance",)),
    "Tamsin Roe": ("Shop, Old Mill", "Kofi Brennan", ("Visitors",)),
    "Anselm Dory": ("Translator", "Priya Halloran", ("Visitors",)),
    "Gwenda Sable": ("Photographer", "Priya Halloran", ("Collections",)),
}
"""Name → what they are, whom they answer to, the teams they are in."""

PART_TIME = {"Edda Rasch": 50, "Sunniva Adeyemi": 80, "Gwenda Sable": 60, "Mina Osei": 80}
"""Name → how much of a working day's hours is theirs, in per cent."""

POSITIONS = {
    "Director": "Hester Lund",
    "Head of exhibitions": "Ines Okafor",
    "Head of finance": "Dunstan Vale",
    "Head of shops": "Kofi Brennan",
    "Head of visitors": "Noor Castellan",
    "Head of workshop": "Mina Osei",
    "Registrar of loans": "Maud Ferreira",
}

LEAVE = (
    ("Maud Ferreira", 3, 4, "Leave"),
    ("Bao Lindqvist", 1, 2, "Course"),
    ("Teo Marchetti", 6, 9, "Leave"),
    ("Rosalind Achterberg", 4, 4, "Leave"),
    ("Mina Osei", 2, 18, "Leave"),
    ("Jory Pellew", 7, 4, "Leave"),
    ("Priya Halloran", 9, 9, "Leave"),
)
"""Who, in how many weeks from this one, for how many days more, what it is called."""


def fill_people(session: Session, today: dt.date) -> dict[str, Actor]:
    """Everybody, with teams, positions, managers and leave; by name."""
    hashed = hash_password(PASSWORD)
    people = {name: _person(session, name, title, hashed) for name, (title, _, _) in PEOPLE.items()}
    director = people["Hester Lund"]
    held = {holder: teams.add(session, director, "position", name) for name, holder in POSITIONS.items()}
    made: dict[str, int] = {}
    for name, (title, manager, of) in PEOPLE.items():
        above = people[manager].id if manager else None
        describe(session, director, people[name].id, name, title, held.get(name), above)
        if name in PART_TIME:
            set_hours(session, director, people[name].id, None, str(PART_TIME[name]))
        for team in of:
            if team not in made:
                made[team] = teams.add(session, director, "team", team)
            teams.put_in(session, director, made[team], people[name].id)
    monday = today - dt.timedelta(days=today.weekday())
    for name, weeks, days, label in LEAVE:
        first = monday + dt.timedelta(weeks=weeks)
        away = Leave(person_id=people[name].id, first_on=first, last_on=first + dt.timedelta(days=days), label=label)
        session.add(away)
    session.flush()
    return people


def _person(session: Session, name: str, title: str, hashed: str) -> Actor:
    address = name.lower().replace(" ", ".") + "@example.org"
    person = Person(name=name, email=address, password_hash=hashed, title=title, administrator=title == "Director")
    session.add(person)
    session.flush()
    return as_actor(person)
