"""People looked after by an administrator on their pages."""

from __future__ import annotations

from tests.site import Site
from unisequa.store.queries.history import of_run
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.templates import template_by_id
from unisequa.store.tables import Person

GOOD = "seven herons on a jetty"


def administered(site: Site) -> None:
    with site.store.writing() as session:
        session.get(Person, site.people["Cleo"]).administrator = True


def test_somebody_is_added_and_signs_in(site: Site) -> None:
    administered(site)
    browser = site.client("Cleo")
    assert (
        'href="/teams"' in browser.get("/joiners").text
        and 'href="/teams"' not in site.client("Ada").get("/joiners").text
    )
    wrong = browser.post("/people", {"name": "Dora", "email": "ada@example.org", "password": "short"})
    assert wrong.status_code == 422 and "signs in already" in wrong.text and 'value="Dora"' in wrong.text
    added = browser.post("/people", {"name": "Dora", "email": "dora@example.org", "password": GOOD, "title": "Porter"})
    assert added.is_success and "No template, no run under way" in added.text
    assert site.client().sign_in("Dora", GOOD).is_success
    assert site.client("Ada").get("/people").status_code == 403


def test_somebody_who_leaves_hands_over_what_they_hold_first(site: Site) -> None:
    administered(site)
    browser, ada = site.client("Cleo"), site.people["Ada"]
    page = browser.get(f"/people/{ada}").text
    assert "owns the template" in page and "keeps" in page and "is Lead in" in page
    held = browser.post(f"/people/{ada}/deactivate")
    assert held.status_code == 422 and "hand it over first" in held.text
    assert browser.post(f"/people/{ada}/hand-over", {"to": str(ada)}).status_code == 422
    given = browser.post(f"/people/{ada}/hand-over", {"to": str(site.people["Bela"])})
    assert given.is_success and "No template, no run under way" in given.text
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run.keeper.name == "Bela" and template_by_id(session, site.template).owner.name == "Bela"
        assert {member.name for member in run.crew} == {"Bela", "Cleo"}
        assert any("Bela keeps it instead of Ada" in one.text for one in of_run(session, site.run, 20))
    gone = site.client("Ada")
    assert browser.post(f"/people/{ada}/deactivate").is_success
    gone.client.follow_redirects = False
    assert gone.get("/runs").status_code == 303
    assert "cannot deactivate yourself" in browser.post(f"/people/{site.people['Cleo']}/deactivate").text
    assert "last administrator" in browser.post(f"/people/{site.people['Cleo']}/no-administrator").text
    back = browser.post(f"/people/{ada}/activate")
    assert back.is_success and "Deactivate" in back.text


def test_leave_that_an_administrator_enters_leads_to_handing_over_what_lies_in_it(site: Site) -> None:
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).administrator = True
    browser, bela = site.client("Ada"), site.people["Bela"]
    led = browser.post(f"/people/{bela}/leave", {"first": "1 jun 2026", "last": "12 jun 2026"})
    assert str(led.url).endswith(f"/hand-over?person={bela}&first=2026-06-01&last=2026-06-12") and "Draft" in led.text
    stays = browser.post(f"/people/{bela}/leave", {"first": "1 sep 2026", "last": "4 sep 2026"})
    assert str(stays.url).endswith(f"/people/{bela}")


def test_a_lost_password_is_set_anew_and_a_name_mended(site: Site) -> None:
    administered(site)
    browser, bela = site.client("Cleo"), site.people["Bela"]
    browser.get(f"/people/{bela}")
    assert browser.post(f"/people/{bela}/password", {"password": "password123"}).status_code == 422
    assert browser.post(f"/people/{bela}/password", {"password": GOOD}).is_success
    assert site.client().sign_in("Bela", GOOD).is_success
    named = browser.post(f"/people/{bela}/describe", {"name": "Béla  Várkonyi", "title": "Editor"})
    assert "Béla Várkonyi" in named.text
    assert browser.post(f"/people/{bela}/describe", {"name": "\x00"}).status_code == 422
    assert browser.get("/people/999").status_code == 404
