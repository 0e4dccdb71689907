"""Calendars as other programs read them: icalendar, vobject and ics, and RFC 5545 line by line."""

from __future__ import annotations

import datetime as dt
import re

import ics
import vobject
from icalendar import Calendar

from tests.plans import document, step
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.includes import Library
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan
from unisequa.formats.icalendar import Part, Told, Wanted, calendar_ics

STAMP = dt.datetime(2026, 6, 1, 8, tzinfo=dt.UTC)
LONG = "Crates für die Ausstellung, mit Schrauben; und “allem”, was dazu gehört: " + "ä" * 90


def plan() -> Plan:
    steps = [step("crates", 3, 0), step("pack", 1), step("gone", 0, 9), step("later", 1, 2)]
    steps[0]["title"] = LONG
    steps[3]["when"]["anchor"] = "back"
    made = document(
        steps,
        name="Loan",
        anchors=[{"key": "go", "label": "Collected"}, {"key": "back", "label": "Back", "required": False}],
    )
    made["links"] = [
        {"from": "crates", "to": "pack", "lag": 2}, {"from": "pack", "to": "gone", "lag": 1, "unit": "elapsed"},
    ]  # fmt: skip
    return assemble(read_template(made), Occasion(anchors={"go": dt.date(2026, 6, 8)}), Library([]))


def content(wanted: Wanted = Wanted(events=True, anchors=True)) -> str:
    def told(key: str) -> Told:
        done = dt.datetime(2026, 6, 3, 9) if key == "crates" else None
        return Told("- [ ] labels\n- keys", "Bela", "bela@example.org", f"https://plan.example.org/runs/1?task={key}",
                    ("Loans", "Out"), completed=done, modified=dt.datetime(2026, 6, 2, 7))  # fmt: skip

    return calendar_ics("Loans", [Part(plan(), "here/run-1", told, 4)], stamp=STAMP, wanted=wanted).decode()


def test_every_line_is_one_of_the_standards() -> None:
    text = content()
    assert text.endswith("\r\n") and "\n" not in text.replace("\r\n", "")
    assert all(len(line.encode()) <= 75 for line in text.split("\r\n"))  # RFC 5545, 3.1
    lines = text.replace("\r\n ", "").split("\r\n")[:-1]
    name = re.compile(r'^[A-Z0-9-]+(;[A-Z0-9-]+=("[^"]*"|[^";:,]*)(,("[^"]*"|[^";:,]*))*)*:')
    assert [line for line in lines if not name.match(line)] == []
    depth = [line for line in lines if line.startswith(("BEGIN:", "END:"))]
    assert depth[0] == "BEGIN:VCALENDAR" and depth[-1] == "END:VCALENDAR"


def test_icalendar_reads_it_back_with_links_and_their_clocks() -> None:
    calendar = Calendar.from_ical(content())
    todos = {str(one["summary"]): one for one in calendar.walk("VTODO")}
    pack = next(one for name, one in todos.items() if name == "Pack")
    related = pack["related-to"]
    assert related.params["RELTYPE"] == "FINISHTOSTART" and related.params["GAP"] == "P2D"
    assert related.params["X-UNISEQUA-LAG"] == "WORKING" and str(related) == str(todos[LONG]["uid"])
    gone = next(one for one in calendar.walk("VEVENT") if str(one["summary"]) == "Gone")
    assert gone["related-to"].params["X-UNISEQUA-LAG"] == "ELAPSED"
    crates = todos[LONG]
    assert crates["completed"].dt == dt.datetime(2026, 6, 3, 9, tzinfo=dt.UTC) and int(crates["sequence"]) == 4
    assert str(crates["attendee"]) == "mailto:bela@example.org" and crates["attendee"].params["CN"] == "Bela"
    assert str(crates["description"]) == "- [ ] labels\n- keys"
    anchor = next(one for one in calendar.walk("VEVENT") if str(one["summary"]).startswith("Collected"))
    assert anchor["dtstart"].dt == dt.date(2026, 6, 8)
    assert len({str(one["uid"]) for one in calendar.walk() if "uid" in one}) == 5  # the undated one too


def test_vobject_and_ics_read_the_same_days() -> None:
    text = content()
    read = vobject.readOne(text)
    days = {todo.summary.value: todo.due.value for todo in read.vtodo_list if hasattr(todo, "due")}
    expected = {task.title: plan().days(i)[1] for i, task in enumerate(plan().tasks) if task.key in {"crates", "pack"}}
    assert {name: day.toordinal() for name, day in days.items()} == expected
    others = ics.Calendar(text)
    assert {event.name for event in others.events} == {"Gone", "Collected, Loan"}
    assert {todo.name for todo in others.todos} >= set(expected)
