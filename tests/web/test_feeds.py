"""Feeds at secret addresses: what their person sees, kept until something changes, shut by one click."""

from __future__ import annotations

from fastapi.testclient import TestClient
from icalendar import Calendar

from tests.site import TODAY, Site
from unisequa.actions.people.accounts import set_active
from unisequa.actions.runs.work import Deed, act_on_tasks


def made(site: Site, name: str, **fields: str) -> str:
    page = site.client(name).post("/account/feeds", {"events": "yes", **fields}).text
    return "/feeds/" + page.split("/feeds/")[1].split('"')[0]


def test_a_feed_of_ones_own_tasks_of_a_run_and_of_a_subjects_runs(site: Site) -> None:
    plain = TestClient(site.app, base_url="http://localhost")
    mine, run = made(site, "Bela", kind="person"), made(site, "Ada", kind="run", about=str(site.run))
    answer = plain.get(mine)
    assert answer.headers["content-type"] == "text/calendar; charset=utf-8"
    assert [str(one["summary"]) for one in Calendar.from_ical(answer.text).walk("VTODO")] == ["Draft", "Print"]
    assert len(Calendar.from_ical(plain.get(run).text).walk("VTODO")) == 4
    etag = answer.headers["etag"]
    assert plain.get(mine, headers={"if-none-match": etag}).status_code == 304
    with site.store.writing() as session:
        act_on_tasks(session, site.person("Ada"), site.run, Deed("finish", ["draft"]), TODAY)
    changed = plain.get(mine, headers={"if-none-match": etag})
    assert changed.status_code == 200 and "STATUS:COMPLETED" in changed.text and "COMPLETED:2" in changed.text
    assert changed.text.count(f"SEQUENCE:{2}") == 2
    assert site.client("Ada").post("/account/feeds", {"kind": "run", "about": "99"}).status_code == 404
    assert site.client("Ada").post("/account/feeds", {"kind": "subject", "about": "99"}).status_code == 404


def test_an_address_leads_nowhere_once_it_is_renewed_shut_or_its_person_has_left(site: Site) -> None:
    plain = TestClient(site.app, base_url="http://localhost")
    first, browser = made(site, "Bela", kind="person"), site.client("Bela")
    assert plain.get("/feeds/nothing.ics").status_code == 404
    page = browser.post("/account/feeds/1/renew").text
    second = "/feeds/" + page.split("/feeds/")[1].split('"')[0]
    assert plain.get(first).status_code == 404 and plain.get(second).status_code == 200
    assert site.client("Ada").post("/account/feeds/1/shut").status_code == 404
    with site.store.writing() as session:
        set_active(session, site.people["Bela"], "a test", active=False)
    assert plain.get(second).status_code == 404
    with site.store.writing() as session:
        set_active(session, site.people["Bela"], "a test", active=True)
    site.client("Bela").post("/account/feeds/1/shut")
    assert plain.get(second).status_code == 404


def test_uids_are_of_this_installation_and_stay(site: Site) -> None:
    plain = TestClient(site.app, base_url="http://localhost")
    path = made(site, "Ada", kind="run", about=str(site.run))
    uids = {str(one["uid"]) for one in Calendar.from_ical(plain.get(path).text).walk("VTODO")}
    download = site.client("Ada").get(f"/runs/{site.run}/tasks.ics").text
    assert {str(one["uid"]) for one in Calendar.from_ical(download).walk("VTODO")} == uids
