"""Joiners and leavers, and work handed over between two days."""

from __future__ import annotations

import datetime as dt

import pytest

from tests.actions.test_starting import kept, wanted, welcome
from tests.site import TODAY, Site
from unisequa.actions.handing_over import asks_for, considered, hand_all
from unisequa.actions.joiners import Comers, comers
from unisequa.actions.starting.creating import start_runs
from unisequa.actions.subjects import Record, add_subject
from unisequa.core.errors import Refused
from unisequa.store.lists import bring_up
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Leave, Person, Run, Team

JOINED = TODAY - dt.timedelta(days=2)


def names(group: tuple[object, ...]) -> list[str]:
    return [one.subject.name for one in group]  # type: ignore[attr-defined]


def house(session: Session, site: Site) -> Comers:
    """One who joined and something of it is late, one to come without a run, one who leaves with work left."""
    ada, bela = site.person("Ada"), site.people["Bela"]
    number = kept(session, site, welcome())
    late = wanted(number, anchors={"start": JOINED}, subject="Pell Aduba", crew={"desk": str(bela)})
    start_runs(session, ada, [late], JOINED - dt.timedelta(days=20))
    add_subject(session, ada, Record("Juno Tarrant", unit="Old Mill", first=TODAY + dt.timedelta(days=40)), TODAY)
    add_subject(session, ada, Record("Bela", last=TODAY), TODAY)
    add_subject(session, ada, Record("Long ago", first=TODAY - dt.timedelta(days=91)), TODAY)
    bring_up(run_by_id(session, session.query(Run).count()), TODAY)
    return comers(session, ada, TODAY)


def test_overdue_comes_first_then_who_joins_and_who_leaves(site: Site) -> None:
    with site.store.writing() as session:
        seen = house(session, site)
        assert (names(seen.overdue), names(seen.joining), names(seen.leaving)) == (
            ["Pell Aduba"], ["Juno Tarrant"], ["Bela"],
        )  # fmt: skip
        (run,) = seen.overdue[0].runs
        assert [(task.title, task.who, task.days) for task in run.late] == [("Badge", "Bela", 8), ("Meet", "", 2)]
        assert run.standing == "behind" and seen.joining[0].start[1] == "A new colleague"
        assert seen.leaving[0].outlasting == 1  # printing the bulletin ends after their last day
        assert names(comers(session, site.person("Ada"), TODAY, "leaving").every) == ["Bela"]
        assert names(comers(session, site.person("Ada"), TODAY, unit="Old Mill").every) == ["Juno Tarrant"]


def test_who_starts_nothing_sees_only_those_whose_runs_they_see(site: Site) -> None:
    with site.store.writing() as session:
        house(session, site)
        for run in session.query(Run):
            run.edition.template.open_to = "nothing"
        session.flush()
        assert names(comers(session, site.person("Bela"), TODAY).every) == ["Pell Aduba"]
        assert names(comers(session, site.person("Cleo"), TODAY).every) == []


def test_work_is_shared_among_those_who_are_there_and_handed_over_in_one(site: Site) -> None:
    ada, bela, cleo = site.person("Ada"), site.people["Bela"], site.people["Cleo"]
    with site.store.writing() as session:
        session.add(Leave(person_id=cleo, first_on=dt.date(2026, 6, 9), last_on=dt.date(2026, 6, 30)))
        session.flush()
        seen = considered(session, ada, bela, None, None, among=[cleo, ada.id])
        assert [(task.key, task.to) for task in seen.tasks] == [("draft", cleo), ("print", ada.id)]
        assert next(one for one in seen.heirs if one.id == cleo).away == "Tue 9 – Tue 30 Jun"
        assert [task.key for task in considered(session, ada, bela, dt.date(2026, 6, 5), None).tasks] == ["print"]
        assert considered(session, site.person("Cleo"), bela, None, None).tasks == ()  # keeps none of it
        chosen = {(site.run, task.key): task.to for task in seen.tasks}
        assert hand_all(session, ada, bela, chosen, TODAY) == "2 tasks in 1 run handed to 2 people"
        rows = {row.key: row.person_id for row in run_by_id(session, site.run).tasks}
        assert (rows["draft"], rows["print"]) == (cleo, ada.id)


def test_none_is_handed_over_when_one_may_not_be(site: Site) -> None:
    bela = site.person("Bela")
    with site.store.writing() as session:
        session.add(Person(name="Dora", email="dora@example.org", password_hash="-"))
        session.add(Team(name="Press", members=[session.get(Person, site.people[n]) for n in ("Bela", "Cleo")]))
        session.flush()
        dora = session.query(Person).filter(Person.name == "Dora").one().id
    chosen = {(site.run, "draft"): site.people["Cleo"], (site.run, "print"): dora}
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        hand_all(session, bela, bela.id, chosen, TODAY)
    assert set(caught.value.faults) == {f"{site.run}/print"}
    with site.store.reading() as session:
        assert {row.assigned_id for row in run_by_id(session, site.run).tasks} == {None}
        assert asks_for(session, bela, bela.id, dt.date(2026, 6, 8), dt.date(2026, 6, 9)) == 1
