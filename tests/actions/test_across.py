"""Across runs: lines, load and levelling against a slow reckoner; proposals and hand-overs carried out; leave."""

from __future__ import annotations

import datetime as dt
import re
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from tests import slow_reckoner
from tests.plans import document, step
from tests.site import TODAY, Site, make_site
from unisequa.actions.across import leave as leaving
from unisequa.actions.across.considering import take_in_hand
from unisequa.actions.across.horizon import Asked, horizon
from unisequa.actions.across.load import Period, loads, proposals
from unisequa.actions.across.overview import overview
from unisequa.actions.across.sums import lay_all
from unisequa.actions.clock.levelling import level_if_due
from unisequa.actions.clock.ticking import tick
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.in_hand import in_hand
from unisequa.actions.runs.no_time import told_of_person, told_of_run
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import apply_shift, take_back
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.actions.templates.rights import open_to
from unisequa.core.calendars.today import Today
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import Refused
from unisequa.core.people.laying import Effort
from unisequa.formats.apart import read_apart
from unisequa.store.plans import minutes_of
from unisequa.store.queries.runs import all_run_ids, run_by_id
from unisequa.store.store import Store
from unisequa.store.tables import CrewMember, Leave, LineOfRun, NoTimeRow, Person, Run, TaskRow, Team, TemplateRow

DAY = TODAY.toordinal()


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory, filled: Path) -> Iterator[Store]:
    store = Store(f"sqlite:///{shutil.copy(filled, tmp_path_factory.mktemp('across'))}")
    yield store
    store.engine.dispose()


def leaves(run: Run) -> list[TaskRow]:
    parents = {row.parent for row in run.tasks}
    return [row for row in run.tasks if row.key not in parents]


def test_the_line_of_every_run_is_what_its_tasks_say(demo: Store) -> None:
    with demo.reading() as session:
        for number in all_run_ids(session):
            run = run_by_id(session, number, alone=False)
            assert run is not None and run.line is not None
            tasks = leaves(run)
            dated = [row for row in tasks if row.start_on and row.finish_on and row.state != "dropped"]
            assert run.line.first == min(row.start_on for row in dated if row.start_on).toordinal(), run.name
            assert run.line.last == max(row.finish_on for row in dated if row.finish_on).toordinal(), run.name
            assert run.line.tasks == len(tasks)
            over = [
                row for row in tasks if row.state in {"done", "dropped"} or (row.counts_on and row.counts_on <= TODAY)
            ]
            assert run.line.over == len(over), run.name
            assert {phase.key for phase in run.phases} == {row.phase for row in tasks if row.phase}


def test_earned_schedule_is_what_a_slow_reckoner_says(demo: Store) -> None:
    compared = 0
    with demo.reading() as session:
        for number in all_run_ids(session):
            run = run_by_id(session, number, alone=False)
            assert run is not None and run.line is not None
            rows = {row.key: row for row in leaves(run)}
            if run.state != "live" or not run.baselines or any(row.minutes for row in rows.values()):
                continue
            works = slow_reckoner.works_by(run.calendars[0])
            kept = {k: v for k, v in run.baselines[-1].dates.items() if k in rows and rows[k].state != "dropped"}
            pieces = [
                (dt.date.fromisoformat(last).toordinal(), length, rows[key].state == "done")
                for key, (_, last, length) in kept.items()
                if length
            ]
            first = min(dt.date.fromisoformat(first).toordinal() for first, _, _ in kept.values())
            found = slow_reckoner.ahead(pieces, works, first, DAY)
            if found is not None and any(row.state not in {"done", "dropped"} for row in rows.values()):
                assert run.line.ahead == round(found), run.name
                compared += 1
    assert compared >= 8


def test_the_load_of_everybody_is_what_a_slow_reckoner_says(demo: Store) -> None:
    last = TODAY + dt.timedelta(days=400)
    with demo.reading() as session:
        _, found = lay_all(session, TODAY, last)
        people = {person.id: person for person in session.scalars(select(Person))}
        teams = {team.id: [one.id for one in team.members if one.active] for team in session.scalars(select(Team))}
        calendars = session.execute(select(Run.calendars).limit(1)).scalar_one()
        works = slow_reckoner.works_by(calendars[0])
        away = {(one.person_id, d) for one in session.scalars(select(Leave))
                for d in range(one.first_on.toordinal(), one.last_on.toordinal() + 1)}  # fmt: skip
        per_day = sum((int(b[:2]) - int(a[:2])) * 60 + int(b[3:]) - int(a[3:]) for a, b in calendars[0]["hours"])

        def hours(person: int, d: int) -> int:
            return per_day * people[person].share // 100 if works(d) and (person, d) not in away else 0

        asked: dict[tuple[str, int, int], int] = {}
        rows = session.execute(select(TaskRow, Run.state).join(Run).where(Run.state.in_(("live", "prepared"))))
        for row, state in rows.all():
            minutes = minutes_of(row.effort)
            members = [row.person_id] if row.person_id else teams.get(row.team_id or 0, [])
            if row.counts_on and row.counts_on <= TODAY:
                continue
            if not minutes or not members or row.state not in {"waiting", "under way"} or row.start_on is None:
                continue
            if row.start_on > last or not row.duration:
                continue
            first, end = row.start_on.toordinal(), row.finish_on.toordinal()
            length = sum(works(d) for d in range(first, end + 1)) if row.minutes else row.duration
            effort = Effort(minutes, first, end, length, row.state, minutes_of(row.chunk) or 0, row.left)
            days = slow_reckoner.laid(effort, lambda d, m=members: sum(hours(one, d) for one in m), works, DAY)
            for d, part in days.items():
                weights = [hours(one, d) for one in members]
                weights = weights if any(weights) else [1] * len(members)
                done = 0
                for n, one in enumerate(members):
                    upto = part * sum(weights[: n + 1]) // sum(weights)
                    asked[state, one, d] = asked.get((state, one, d), 0) + upto - done
                    done = upto
        ours = {("live", p, d): m for p, days in found.asked.items() for d, m in days.items()}
        ours |= {("prepared", p, d): m for p, days in found.expected.items() for d, m in days.items()}
    assert len(asked) > 200
    assert ours == {key: minutes for key, minutes in asked.items() if minutes}


def crowded(site: Site) -> int:
    """A run in which Bela has two days' work on one day, and Cleo is of the same team."""
    made = document(
        [*(step(key, 1, 2, role="writer", effort="8h") for key in ("paint", "hang")), step("open", 0)],
        "paint>open", "hang>open", name="A small show",
        roles=[{"key": "writer", "label": "Writer"}],
    )  # fmt: skip
    with site.store.writing() as session:
        ada = site.person("Ada")
        number = keep_template(session, ada, read_template(made), released=True).template_id
        people = [session.get(Person, site.people[name]) for name in ("Bela", "Cleo")]
        session.add(Team(name="Workshop", members=[one for one in people if one]))
        choices = Choices(anchors={"go": dt.date(2026, 6, 8)}, crew={"writer": str(site.people["Bela"])})
        return start_run(session, ada, number, None, choices, TODAY)


def weeks(n: int = 4) -> list[Period]:
    return [Period(DAY - 2 + 7 * k, DAY + 4 + 7 * k) for k in range(n)]


def test_a_proposal_is_taken_in_hand_applied_and_taken_back(site: Site) -> None:
    run_id = crowded(site)
    ada = site.person("Ada")
    with site.store.reading() as session:
        roles = {one.label: {p.name for p in one.people} for one in loads(session, TODAY, weeks(), "role").groups}
        filled = {(m.label, m.person.name) for m in session.scalars(select(CrewMember)) if m.person is not None}
        assert {
            (label, name) for label, names in roles.items() if label != "in no role now" for name in names
        } == filled
        found = loads(session, TODAY, weeks())
        bela = found.everybody[site.people["Bela"]]
        overload = bela.overloads[0]
        assert (overload.asked, overload.has, overload.first) == (960, 480, dt.date(2026, 6, 10).toordinal())
        offered, ids, names = proposals(session, ada, found, overload, TODAY)
        assert ids == [run_id] and names == ["A small show"]
        given = next(one for one in offered if one.kind == "handed over")
        assert (given.text, given.solves) == ("Hang, to Cleo", 480)
    with site.store.writing() as session:
        edits = [{"edit": "give", "task": "hang", "person": "Cleo"}]
        take_in_hand(session, ada, run_id, edits, TODAY)
        seen = see_run(session, ada, run_id, TODAY)
        held = in_hand(session, ada, seen).held
        assert [dict(edit) for edit in held.edits] == edits
        apply_shift(session, ada, run_id, seen.version, held.edits, TODAY, "", held.mode)
    with site.store.reading() as session:
        row = session.scalars(select(TaskRow).where(TaskRow.run_id == run_id, TaskRow.key == "hang")).one()
        assert row.assigned_id == row.person_id == site.people["Cleo"]
        after = loads(session, TODAY, weeks())
        assert not after.everybody[site.people["Bela"]].overloads
        version = see_run(session, ada, run_id, TODAY).version
    stranger = [{"edit": "give", "task": "paint", "person": "Nobody"}]
    with pytest.raises(Refused, match="nobody is called Nobody"), site.store.writing() as session:
        apply_shift(session, ada, run_id, version, stranger, TODAY)
    with pytest.raises(Refused), site.store.writing() as session:
        take_in_hand(session, ada, run_id, stranger, TODAY)
    with site.store.writing() as session:
        take_back(session, ada, run_id, 1, TODAY)
    with site.store.reading() as session:
        row = session.scalars(select(TaskRow).where(TaskRow.run_id == run_id, TaskRow.key == "hang")).one()
        assert row.assigned_id is None and row.person_id == site.people["Bela"]


def test_what_there_is_no_time_for_is_worked_out_when_something_changes(site: Site) -> None:
    run_id = crowded(site)
    with site.store.writing() as session:
        session.add(Leave(person_id=site.people["Bela"], first_on=dt.date(2026, 6, 11), last_on=dt.date(2026, 6, 12)))

    def at(minutes: int) -> Today:
        return Today.of(dt.datetime(2026, 6, 3, 12, tzinfo=dt.UTC) + dt.timedelta(minutes=minutes))

    assert level_if_due(site.store, at(0))
    assert not level_if_due(site.store, at(1)) and not level_if_due(site.store, at(7))  # nothing has changed since
    with site.store.reading() as session:
        told = told_of_run(session, run_id)
        assert set(told.values()) == {"no time before Mon 15 Jun: Bela has 16 h of 8 h; holds up Open"}
        assert set(told) <= {"paint", "hang"}
        assert [one.run_id for one in told_of_person(session, site.person("Bela"), site.people["Bela"])] == [run_id]
    with site.store.writing() as session:
        session.add(Leave(person_id=site.people["Bela"], first_on=dt.date(2026, 6, 15), last_on=dt.date(2026, 6, 15)))
    assert not level_if_due(site.store, at(4)) and level_if_due(site.store, at(8))
    with site.store.reading() as session:
        assert [str(row.until_on) for row in session.scalars(select(NoTimeRow))] == ["2026-06-16"]
    page = site.client("Bela").get("/").text
    assert "no time before Tue 16 Jun" in page
    of_bela = f"/load?who={site.people['Bela']}&at=2026-06-08"
    assert "Paint, A small show: no time before Tue 16 Jun" in site.client("Cleo").get(of_bela).text
    with site.store.writing() as session:
        template = session.get_one(Run, run_id).edition.template_id
        open_to(session, site.person("Ada"), template, "nothing")
    of_cleo = site.client("Cleo").get(of_bela).text
    assert "Bela" in of_cleo and not [name for name in ("Paint", "Hang", "A small show") if name in of_cleo]
    assert "no time" in site.client("Ada").get(f"/runs/{run_id}").text


def test_the_clock_brings_lines_to_the_day(site: Site) -> None:
    later = Today.of(dt.datetime(2026, 6, 5, 5, tzinfo=dt.UTC))
    tick(site.store, later)
    with site.store.reading() as session:
        assert {line.as_of for line in session.scalars(select(LineOfRun))} == {dt.date(2026, 6, 5)}
        assert session.get(LineOfRun, site.run).late == 2  # type: ignore[union-attr]


def test_the_horizon_groups_sorts_and_hides_what_is_not_ones_own(site: Site) -> None:
    run_id = crowded(site)
    with site.store.reading() as session:
        seen = horizon(session, site.person("Ada"), Asked(("live",)), "template", "name", TODAY)
        assert [(group.label, group.ids) for group in seen.groups] == [
            ("A small show", (run_id,)), ("Issue of the bulletin", (site.run,)),
        ]  # fmt: skip
        words = [phase[1] for phase in seen.rows[1].phases]
        assert words == ["Words", "Paper"] and seen.rows[1].deadline is None
        assert horizon(session, site.person("Ada"), Asked(("live",), text="bulletin"), "", "end", TODAY).total == 1
        for asked in (Asked(phase="Words"), Asked(ends=f"{dt.date.fromordinal(seen.rows[1].last or 0):%Y-%m}")):
            found = horizon(session, site.person("Ada"), asked, "", "end", TODAY)
            assert site.run in {row.id for row in found.rows}
            assert {"Words"} <= {label for label, _ in found.choices["phase"]} and found.choices["ends"]
        for asked in (Asked(phase="Paper and ink"), Asked(ends="2031-01"), Asked(ends="soon")):
            assert horizon(session, site.person("Ada"), asked, "", "end", TODAY).total == 0
    with site.store.writing() as session:
        for number in {one.id for one in session.scalars(select(TemplateRow))}:
            open_to(session, site.person("Ada"), number, "nothing")
    with site.store.reading() as session:
        stranger = Actor(9_999, "Nobody")
        assert horizon(session, stranger, Asked(), "", "end", TODAY).total == 0
        assert overview(session, stranger, TODAY).by_run == ()


CALENDAR = b"""BEGIN:VCALENDAR\r
VERSION:2.0\r
PRODID:-//example.org//leave//EN\r
BEGIN:VEVENT\r
UID:a@example.org\r
DTSTART;VALUE=DATE:20260608\r
DTEND;VALUE=DATE:20260611\r
SUMMARY:Away\r
END:VEVENT\r
BEGIN:VEVENT\r
UID:b@example.org\r
DTSTART:20260701T090000\r
DTEND:20260701T110000\r
SUMMARY:Course\r
RRULE:FREQ=WEEKLY;UNTIL=20260715T235959Z\r
END:VEVENT\r
BEGIN:VEVENT\r
UID:c@example.org\r
DTSTART;VALUE=DATE:20260801\r
TRANSP:TRANSPARENT\r
SUMMARY:A birthday\r
END:VEVENT\r
END:VCALENDAR\r
"""


def test_leave_is_shown_before_it_is_entered_and_read_from_a_calendar(site: Site) -> None:
    crowded(site)
    bela = Actor(site.people["Bela"], "Bela")
    with site.store.reading() as session:
        found = leaving.effects(session, bela, bela.id, "2026-06-10", "2026-06-12", TODAY)
    assert found.hours == 3 * 480 and {task.key for task in found.tasks} == {"paint", "hang", "print"}
    assert [(one.asked, one.has) for one in found.over] == [(960, 0)]
    spans = read_apart(CALENDAR, "leave.ics").leave
    assert spans == (
        ("2026-06-08", "2026-06-10", "Away", 0), ("2026-07-01", "2026-07-01", "Course", 120),
        ("2026-07-08", "2026-07-08", "Course", 120), ("2026-07-15", "2026-07-15", "Course", 120),
    )  # fmt: skip
    page = site.client("Bela").post("/leave/read", files={"file": ("leave.ics", CALENDAR)}).text
    boxes = re.findall("<input type=.checkbox.*?</label>", page)
    assert [("checked" in box, "only 2 h" in box) for box in boxes] == [(True, False), *[(False, True)] * 3]
    assert "3 tasks on these days" in page
    days = [(first, last, label) for first, last, label, _ in spans]
    with site.store.writing() as session:
        assert leaving.take_in(session, bela, bela.id, days, TODAY) == (4, [])
        added, left = leaving.take_in(session, bela, bela.id, days[:1], TODAY)
    assert added == 0 and "already" in left[0]


def test_the_pages_show_it(tmp_path: Path) -> None:
    site = make_site(tmp_path)
    run_id = crowded(site)
    browser: Any = site.client("Ada")
    load = browser.get(f"/load?who={site.people['Bela']}&at=2026-06-08").text
    assert "on single days Bela" in load and "Bela is 8 h over, on Wed 10 Jun" in load and "Hang, to Cleo" in load
    went = browser.post("/consider", {"run": str(run_id), "edits": '[{"edit": "shift", "to": "2026-06-15"}]'})
    assert went.url.path == f"/runs/{run_id}" and "A shift is being considered" in went.text
    for edits in (
        "nothing",
        "[]",
        "[1]",
        '[{"edit": "sing"}]',
        '[{"edit": "move", "task": "no", "start": "2026-06-15"}]',
    ):
        assert browser.post("/consider", {"run": str(run_id), "edits": edits}).status_code == 422, edits
    assert "A small show" in browser.get("/horizon").text
    assert browser.get(f"/horizon/rows?ids={run_id},999").json()[0]["n"] == "A small show"
    told = browser.get(f"/runs/{site.run}/phase?key=words").json()
    assert told[0].startswith("Words: Mon 1 –")
    leave = browser.get("/leave?first=2026-06-10&last=2026-06-12").text
    assert "24 h of work would be missing; no task lies on these days" in leave
    assert "nobody is away" in browser.get("/leave").text.lower()
    assert "Late, by whom" in browser.get("/overview").text
    assert "A small show</text>" in browser.get("/horizon/paper?paper=letter").text
    drawing = browser.get("/load/sheet.svg")
    assert drawing.headers["content-type"] == "image/svg+xml" and "16 of 40</text>" in drawing.text
    assert browser.get("/horizon/sheet.svg?by=keeper").text.count("<svg ") == 1
    for path in (
        "/load?unit=day",
        "/load?unit=month&by=position",
        "/load?by=role",
        "/load?from=nonsense",
        "/horizon?rows=group&by=keeper",
    ):
        assert browser.get(path).status_code == 200, path
