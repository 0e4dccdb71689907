"""People: added, signed in, no longer with us."""

from __future__ import annotations

import pytest

from tests.site import PASSWORD, Site
from unisequa.actions.people import people
from unisequa.core.errors import NotThere, Refused
from unisequa.store.tables import Person


def test_somebody_added_signs_in_until_they_leave(site: Site) -> None:
    with site.store.writing() as session:
        made = people.add_person(session, " Dora ", " Dora@Example.org ", "long enough for us", "Registrar")
    with site.store.reading() as session:
        assert [person.name for person in people.people(session)] == ["Ada", "Bela", "Cleo", "Dora"]
        who = people.sign_in(session, "DORA@example.org", "long enough for us")
        assert (who.actor.id, who.actor.name) == (made.id, "Dora") and people.visitor(session, made.id) == who
        for email, password in (("dora@example.org", PASSWORD), ("nobody@example.org", "long enough for us")):
            with pytest.raises(Refused, match="No one signs in with this address and password"):
                people.sign_in(session, email, password)
    with site.store.writing() as session:
        session.get(Person, made.id).active = False
    with site.store.reading() as session:
        assert people.visitor(session, made.id) is None and len(people.people(session)) == 3
        with pytest.raises(Refused):
            people.sign_in(session, "dora@example.org", "long enough for us")
        with pytest.raises(NotThere):
            people.sign_in_as_sample(session, 99)


def test_what_is_wrong_with_somebody_is_told_by_field_and_nobody_is_added(site: Site) -> None:
    with site.store.writing() as session, pytest.raises(Refused) as caught:
        people.add_person(session, "  ", "ada", "short")
    assert set(caught.value.faults) == {"name", "email", "password"}
    with site.store.writing() as session, pytest.raises(Refused) as caught:
        people.add_person(session, "Another Ada", "ADA@example.org", "long enough for us")
    assert caught.value.faults == {"email": "ada@example.org signs in already."}
    with site.store.reading() as session:
        assert session.query(Person).count() == 3
