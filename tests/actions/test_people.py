"""People: added, signed in, no longer with us; their sessions and passwords."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable

import pytest
from pwdlib import PasswordHash

from tests.site import PASSWORD, Site
from unisequa.actions.people import accounts, passwords
from unisequa.actions.people.accounts import Limits, Source
from unisequa.actions.people.people import people
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries.accounts import audit_trail
from unisequa.store.tables import AttemptRow, AuditRow, Person, SessionRow

GOOD = "seven herons on a jetty"
LIMITS = Limits(dt.timedelta(hours=72), dt.timedelta(days=14))
HERE = Source("192.0.2.1", "a test")


def whose(site: Site, name: str) -> str | None:
    with site.store.reading() as session:
        found = accounts.who(session, name, LIMITS)
        return found[0].name if found else None


def test_somebody_added_signs_in_until_they_leave(site: Site) -> None:
    made = accounts.add_person(site.store, " Dora ", " Dora@Example.org ", GOOD, "Registrar")
    with site.store.reading() as session:
        assert session.get(Person, made.id).administrator  # nobody was one
        assert [person.name for person in people(session)] == ["Ada", "Bela", "Cleo", "Dora"]
    who, name = accounts.sign_in(site.store, "DORA@example.org", GOOD, HERE)
    assert (who.id, whose(site, name)) == (made.id, "Dora")
    for email, password in (("dora@example.org", PASSWORD), ("nobody@example.org", GOOD)):
        with pytest.raises(Refused, match="No one signs in with this address and password"):
            accounts.sign_in(site.store, email, password, HERE)
    with site.store.writing() as session, pytest.raises(Refused, match="the last administrator"):
        accounts.set_active(session, made.id, "a test", active=False)
    with site.store.writing() as session:
        accounts.set_administrator(session, site.people["Ada"], "a test", administrator=True)
        accounts.set_active(session, made.id, "a test", active=False)
    assert whose(site, name) is None
    with pytest.raises(Refused):
        accounts.sign_in(site.store, "dora@example.org", GOOD, HERE)
    with site.store.writing() as session, pytest.raises(NotThere):
        accounts.sign_in_as_sample(session, made.id, HERE)
    with site.store.reading() as session:
        told = [(row.what, row.person_id) for row in reversed(audit_trail(session))]
    assert ("added", made.id) in told and ("refused", None) in told and ("active", made.id) in told


def test_what_is_wrong_with_somebody_is_told_by_field_and_nobody_is_added(site: Site) -> None:
    with pytest.raises(Refused) as caught:
        accounts.add_person(site.store, "  ", "ada", "short")
    assert set(caught.value.faults) == {"name", "email", "password"}
    with pytest.raises(Refused) as caught:
        accounts.add_person(site.store, "Another Ada", "ADA@example.org", GOOD)
    assert caught.value.faults == {"email": "ada@example.org signs in already."}
    with site.store.reading() as session:
        assert session.query(Person).count() == 3


@pytest.mark.parametrize("weak", ["password123", "qwertyuiop", "adaadaada1", "1234567890", "short", "x" * 2000])
def test_a_password_that_is_easily_guessed_is_refused(weak: str) -> None:
    assert passwords.weakness(weak, "Ada", "ada@example.org")


def test_another_password_ends_every_other_session(site: Site) -> None:
    (ada, here), (_, there) = (accounts.sign_in(site.store, "ada@example.org", PASSWORD, HERE) for _ in "12")
    with pytest.raises(Refused) as caught:
        accounts.change_password(site.store, ada, "not it", GOOD, here)
    assert set(caught.value.faults) == {"old"}
    with pytest.raises(Refused) as caught:
        accounts.change_password(site.store, ada, PASSWORD, "password123", here)
    assert set(caught.value.faults) == {"new"}
    accounts.change_password(site.store, ada, PASSWORD, GOOD, here)
    assert whose(site, here) == "Ada" and whose(site, there) is None
    accounts.set_password(site.store, ada.id, "nine otters in a mill race", "a test")
    assert whose(site, here) is None


def test_sessions_end_when_they_are_not_used_and_after_their_time(site: Site) -> None:
    _, name = accounts.sign_in(site.store, "ada@example.org", PASSWORD, HERE)
    row = accounts.digest_of(name)
    for begun, seen, lives in ((13, 1, True), (15, 0, False), (5, 4, False)):
        with site.store.writing() as session:
            held = session.query(SessionRow).filter_by(digest=row).one()
            held.begun_at = accounts.now() - dt.timedelta(days=begun)
            held.seen_at = accounts.now() - dt.timedelta(days=seen)
        assert (whose(site, name) == "Ada") is lives, (begun, seen)
    with site.store.writing() as session:
        accounts.seen(session, "another", LIMITS)
        assert session.query(SessionRow).filter_by(digest=row).count() == 0  # swept with the others


def test_guesses_are_slowed_for_an_address_and_for_where_they_come_from(site: Site) -> None:
    for _ in range(accounts.FREE_TRIES):
        with pytest.raises(Refused, match="No one signs in"):
            accounts.sign_in(site.store, "ada@example.org", "a guess", HERE)
    with pytest.raises(Refused, match="Too many passwords did not fit"):
        accounts.sign_in(site.store, "ada@example.org", PASSWORD, Source("192.0.2.9"))
    assert accounts.sign_in(site.store, "bela@example.org", PASSWORD, HERE)  # others are not held up
    with site.store.writing() as session:
        for row in session.query(AttemptRow):
            row.until = accounts.now()
    assert accounts.sign_in(site.store, "ada@example.org", PASSWORD, HERE)
    with site.store.reading() as session:
        assert session.query(AttemptRow).filter_by(key="address ada@example.org").count() == 0
        assert session.query(AuditRow).filter_by(what="refused").count() == accounts.FREE_TRIES


def test_a_session_is_seen_and_ended_on_the_account_page(site: Site) -> None:
    here, there = site.client("Ada"), site.client("Ada")
    page = here.get("/account").text
    assert page.count("this one") == 1 and page.count(">End<") == 1
    other = page.partition('name="session" value="')[2].partition('"')[0]
    assert here.post("/account/sessions", {"session": other}).is_success
    there.client.follow_redirects = False
    assert there.get("/runs").headers["location"].startswith("/sign-in")
    assert here.get("/runs").is_success
    stolen = dict(here.client.cookies)
    here.post("/sign-out")
    again = site.client()
    again.client.cookies.update(stolen)
    again.client.follow_redirects = False
    assert again.get("/runs").status_code == 303  # signing out ends the session, not only its cookie


def test_the_password_is_changed_on_the_account_page(site: Site) -> None:
    browser = site.client("Ada")
    browser.get("/account")
    short = browser.post("/account/password", {"old": PASSWORD, "new": "short", "again": "short"})
    assert short.status_code == 422 and "at least 10 characters" in short.text
    unlike = browser.post("/account/password", {"old": PASSWORD, "new": GOOD, "again": PASSWORD})
    assert unlike.status_code == 422 and "not the same" in unlike.text
    done = browser.post("/account/password", {"old": PASSWORD, "new": GOOD, "again": GOOD})
    assert done.is_success and "Your password is changed" in done.text
    assert site.client().sign_in("Ada", GOOD).is_success


def test_passwords_are_kept_as_argon2id_of_at_least_what_owasp_asks(real_hasher: Callable[[], PasswordHash]) -> None:
    """OWASP Password Storage Cheat Sheet (from memory): argon2id with at least 19 MiB and 2 passes."""
    made = real_hasher().hash("any")
    memory, passes = (int(re.search(rf"\b{name}=(\d+)", made)[1]) for name in "mt")  # type: ignore[index]
    assert made.startswith("$argon2id$") and memory >= 19 * 1024 and passes >= 2
