"""The house's own data on its pages: places of people, teams, positions, calendars, leave; and how a house begins."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import holidays
from fastapi.testclient import TestClient

from tests.site import PASSWORD, TODAY, Browser, Site
from unisequa.actions.people.accounts import add_person
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.settings import Settings
from unisequa.store.queries.people import calendars
from unisequa.store.tables import AuditRow, Calendar, Leave, Person
from unisequa.web.app import create_app
from unisequa.web.calendars.year import draw_year


def administered(site: Site) -> Browser:
    with site.store.writing() as session:
        session.get(Person, site.people["Cleo"]).administrator = True
    return site.client("Cleo")


def test_teams_are_named_filled_and_taken_away_once_empty(site: Site) -> None:
    cleo = administered(site)
    assert "no teams yet" in cleo.get("/teams").text
    cleo.post("/teams", {"name": "  Night   shift "})
    again = cleo.post("/teams", {"name": "night SHIFT"})
    assert again.status_code == 422 and "already" in again.text and 'value="night SHIFT"' in again.text
    assert "Take Ada out" in cleo.post("/teams/1/put", {"person": "ada@EXAMPLE.org"}).text
    assert "Night shift" in cleo.get("/people").text
    held = cleo.post("/teams/1/remove")
    assert held.status_code == 422 and "Ada would be left" in held.text
    nobody = cleo.post("/teams/1/put", {"person": "Nobody Known"})
    assert nobody.status_code == 422 and 'value="Nobody Known"' in nobody.text and "called that" in nobody.text
    with site.store.writing() as session:
        session.get(Person, site.people["Bela"]).name = "Ada"
    assert "Several people" in cleo.post("/teams/1/put", {"person": "Ada"}).text
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).active = False  # who has left is taken out like anybody
    cleo.post("/teams/1/take", {"person": str(site.people["Ada"])})
    assert cleo.post("/teams/1/rename", {"name": "Dawn shift"}).is_success and "Dawn shift" in cleo.get("/teams").text
    assert cleo.post("/teams/1/remove").is_success and "no teams yet" in cleo.get("/teams").text
    assert cleo.post("/teams/1/rename", {"name": "x"}).status_code == 404


def test_nobody_is_their_own_manager_and_a_position_is_held_until_it_is_given_up(site: Site) -> None:
    cleo, ada, bela = administered(site), site.people["Ada"], site.people["Bela"]
    cleo.get("/positions")
    cleo.post("/positions", {"name": "Head of press"})
    place = {"name": "Ada", "title": "Editor", "position": "1", "manager": str(bela)}
    assert "Head of press" in cleo.post(f"/people/{ada}/describe", place).text
    round_ = cleo.post(f"/people/{bela}/describe", {"name": "Bela", "manager": str(ada)})
    assert round_.status_code == 422 and "their own manager" in round_.text
    assert cleo.post(f"/people/{bela}/describe", {"name": "Bela", "position": "9"}).status_code == 422
    assert "Ada" in cleo.get("/positions").text and cleo.post("/positions/1/remove").status_code == 422
    cleo.post(f"/people/{ada}/describe", {"name": "Ada"})
    assert cleo.post("/positions/1/remove").is_success and "no positions yet" in cleo.get("/positions").text


def test_leave_is_said_by_oneself_and_reaches_what_looks_at_it(site: Site) -> None:
    bela, other = site.client("Bela"), site.people["Ada"]
    bela.get("/account")
    for typed, said in (
        ({"first": "x"}, "is no date"), ({"first": "12 jun", "last": "11 jun"}, "lies before the first"),
        ({"first": "2 jan 2026"}, "These days are over"),
        ({"first": "1 jul", "last": "1 aug 2028"}, "longer than two years"),
    ):  # fmt: skip
        answer = bela.post("/account/leave", typed)
        assert answer.status_code == 422 and said in answer.text and f'value="{typed["first"]}"' in answer.text
    bela.post("/account/leave", {"first": "8 jun", "last": "+2", "label": "Dentist"})
    assert "Mon 8 – Wed 10 Jun" in bela.get("/account").text
    assert "already" in bela.post("/account/leave", {"first": "10 jun"}).text
    with site.store.reading() as session:
        row = session.query(Leave).one()
        assert (row.first_on, row.last_on) == (dt.date(2026, 6, 8), dt.date(2026, 6, 10))
    cleo = administered(site)
    cleo.get(f"/people/{site.people['Bela']}")
    assert "Dentist" in cleo.get(f"/people/{site.people['Bela']}").text
    cleo.post(f"/people/{other}/leave", {"first": "15 jun"})
    assert bela.post("/account/leave/off", {"leave": "2"}).status_code == 404  # another's
    assert bela.post("/account/leave/off", {"leave": "1"}).is_success and "No leave" in bela.get("/account").text


def test_a_calendar_is_put_together_and_counts_from_then_on(site: Site) -> None:
    cleo = administered(site)
    assert "house" in cleo.get("/calendars").text
    cleo.post("/calendars", {"name": "Fjord", "holidays": "NO"})
    page = cleo.get("/calendars/2?year=2027").text
    for day, name in holidays.country_holidays("NO", years=2027).items():
        assert day.isoweekday() > 5 or name in page.replace("&#39;", "'")
    for what, typed, said in (
        ("days", {"week": [], "hours": ""}, "no day of the week"),
        ("days", {"week": ["0"], "hours": "9"}, "no stretch of hours"),
        ("days", {"week": ["0"], "hours": "12-9, 10-11"}, "must not overlap"),
        ("holidays", {"holidays": "ZZ"}, "no public holidays known"),
        ("close", {"first": "soon"}, "is no date"),
        ("work", {"day": "30 feb"}, "no such day"),
        ("rename", {"name": "HOUSE"}, "already"),
    ):
        answer = cleo.post(f"/calendars/2/{what}", typed)
        assert answer.status_code == 422 and said in answer.text, (what, typed)
    cleo.post("/calendars/2/days", {"week": ["0", "1", "2", "3", "4", "5"], "hours": "8 to 12, 13:00-17:30"})
    cleo.post("/calendars/2/close", {"first": "4 jun", "last": "+1", "label": "Stock taking"})
    cleo.post("/calendars/2/work", {"day": "7 jun"})
    with site.store.reading() as session:
        document = CalendarDocument.model_validate(session.get(Calendar, 2).document)
    assert document.hours == (("08:00", "12:00"), ("13:00", "17:30")) and document.week == "1111110"
    working = document.working()
    worked = [day for day in range(1, 10) if working.is_working_day(dt.date(2026, 6, day).toordinal())]
    assert worked == [1, 2, 3, 6, 7, 8, 9]
    assert "Thu 4 – Fri 5 Jun 2026 · Stock taking" in cleo.get("/calendars/2").text
    assert "by administrators: Cleo." in site.client("Bela").get("/calendars/2").text
    cleo.post("/calendars/2/open", {"from": "2026-06-04", "to": "2026-06-05"})
    cleo.post("/calendars/2/rest", {"day": "2026-06-07"})
    assert "Stock taking" not in cleo.get("/calendars/2").text
    assert cleo.post("/calendars/1/remove").status_code == 422  # the usual one
    cleo.post("/calendars/2/usual")
    with site.store.reading() as session:
        assert [row.name for row in calendars(session)] == ["Fjord", "house"]
        assert session.query(AuditRow).filter_by(what="calendar").count() >= 7
    assert cleo.post("/calendars/1/remove").is_success and cleo.get("/calendars/1").status_code == 404
    ada = site.client("Ada")
    assert "Fjord" in ada.get("/calendars/2").text and "Take off" not in ada.get("/calendars/2").text


def test_a_calendar_that_templates_name_keeps_its_name(site: Site) -> None:
    from unisequa.actions.templates import drafts

    cleo = administered(site)
    with site.store.writing() as session:
        drafts.edit_draft(
            session, site.person("Ada"), site.template, lambda t: t.model_copy(update={"calendar": "house"})
        )
    cleo.get("/calendars/1")
    held = cleo.post("/calendars/1/rename", {"name": "Home"})
    assert held.status_code == 422 and "named by Issue of the bulletin" in held.text


def test_the_year_drawn_is_the_calendars_own() -> None:
    document = CalendarDocument.model_validate(
        {"name": "x", "holidays": {"country": "GB", "subdivision": "ENG"}, "closures": ["2026-12-28"],
         "extra_working_days": ["2026-12-26"]}
    )  # fmt: skip
    year, working = draw_year(document, 2026), document.working()
    assert len(year.days) == 365
    kinds = {(mark.y // 24 + 1, mark.number): mark.kind for mark in year.days}
    for (month, number), kind in kinds.items():
        assert (kind in {"work", "extra"}) == working.is_working_day(dt.date(2026, month, number).toordinal())
    assert [kinds[12, day] for day in (24, 25, 26, 27, 28)] == ["work", "holiday", "extra", "rest", "closed"]


def test_a_house_begins_with_its_first_person_and_says_what_comes_next(tmp_path: Path) -> None:
    app = create_app(Settings(data=tmp_path, today=TODAY))
    browser = Browser(TestClient(app, base_url="http://localhost"))
    assert "unisequa person add" in browser.get("/sign-in").text
    add_person(app.state.store, "Ada", "ada@example.org", PASSWORD)
    browser.sign_in("Ada")
    first = browser.get("/runs").text
    assert first.count('aria-label="Done"') == 0 and "working calendar" in first and "Add the people" in first
    assert "What comes next" in browser.get("/").text
    assert "no calendar yet" in browser.get("/calendars").text
    browser.post("/calendars", {"name": "House", "holidays": "GB-ENG"})
    browser.post("/people", {"name": "Bela", "email": "bela@example.org", "password": "seven herons on a jetty"})
    assert browser.get("/runs").text.count('aria-label="Done"') == 2
    browser.post("/library", {"name": "Close the month"})
    assert browser.get("/runs").text.count('aria-label="Done"') == 3
    assert "What comes next" not in browser.get("/").text
    app.state.store.engine.dispose()
