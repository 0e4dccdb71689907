"""People brought in as a table, all or none."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from unisequa.actions.access import check_administrator
from unisequa.actions.house import people as managing
from unisequa.actions.house import teams as groups
from unisequa.actions.people import accounts
from unisequa.actions.people.passwords import hash_password
from unisequa.actions.people.people import Actor
from unisequa.core.errors import DocumentError, Fault, Refused
from unisequa.store.queries import people as rows
from unisequa.store.store import Session, Store
from unisequa.store.tables import Person

COLUMNS = ("name", "email", "title", "position", "manager", "teams")
"""What a row may have: ``manager`` by mail address, ``teams`` with semicolons between."""


def bring_in(store: Store, actor: Actor, table: Sequence[Mapping[str, str]], secret: str) -> tuple[int, int]:
    """Add people, or change what the table says of those whose address is there; positions and teams that are new are
    made. Nobody added has a password that anybody knows (``secret`` is thrown away): they set one by a link.

    Returns
    -------
    tuple of int
        How many were added, and how many were there.

    Raises
    ------
    DocumentError
        With every row's fault; nothing is changed then.
    """
    check_administrator(actor)
    hashed = hash_password(secret)
    faults: list[Fault] = []
    added = 0
    with store.writing() as session:
        for number, row in enumerate(table, 2):
            added += _person(session, row, hashed, number, faults)
        session.flush()
        for number, row in enumerate(table, 2):
            try:
                _place(session, actor, row)
            except Refused as error:
                faults.extend(Fault(f"row {number}, {where or 'name'}", what) for where, what in error.faults.items())
        if faults:
            raise DocumentError(faults)
        accounts.audit(session, "added", None, f"{added} people added from a table by {actor.name}")
    return added, len(table) - added


def _person(session: Session, row: Mapping[str, str], hashed: str, number: int, faults: list[Fault]) -> int:
    name, address = " ".join(row.get("name", "").split()), row.get("email", "").strip().lower()
    wrong = {"name": accounts.name_fault(name), "email": accounts.address_fault(address)}
    faults.extend(Fault(f"row {number}, {where}", what) for where, what in wrong.items() if what)
    if any(wrong.values()) or rows.address_is_taken(session, address):
        return 0
    session.add(Person(name=name, email=address, password_hash=hashed))
    session.flush()
    return 1


def _place(session: Session, actor: Actor, row: Mapping[str, str]) -> None:
    person = rows.person_by_address(session, row.get("email", "").strip().lower())
    if person is None:
        return
    held, above = person.position_id, person.manager_id
    if "position" in row:
        position = " ".join(row["position"].split())
        held = groups.number_or_new(session, actor, "position", position) if position else None
    if manager := row.get("manager", "").strip().lower():
        found = rows.person_by_address(session, manager)
        if found is None:
            raise Refused({"manager": f"nobody here has the address {manager}"})
        above = found.id
    elif "manager" in row:
        above = None
    managing.describe(session, actor, person.id, row.get("name", ""), row.get("title", person.title), held, above)
    for team in filter(None, (" ".join(one.split()) for one in row.get("teams", "").split(";"))):
        number = groups.number_or_new(session, actor, "team", team)
        groups.put_in(session, actor, number, person.id)
