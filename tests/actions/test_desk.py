"""Somebody's desk: what is theirs, who waits, what they sign off, what lies in their queues, which runs need them."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import document, step
from tests.site import TODAY, Site, make_site
from unisequa.actions.desk import Desk, desk, done_lately
from unisequa.actions.house.people import hand_over, holdings
from unisequa.actions.people.people import Actor
from unisequa.actions.runs import handing
from unisequa.actions.runs.crew import fill_roles
from unisequa.actions.runs.life import Becoming, name_deputies, set_run_state
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.talking import mentioned, see_more, tick, write_comment
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.errors import NotAllowed, Refused
from unisequa.core.people.laying import Effort, laid
from unisequa.store.tables import Person, Team, TeamMember


def of(site: Site, who: str) -> Desk:
    with site.store.reading() as session:
        return desk(session, site.person(who), TODAY)


def titles(tasks: Any) -> list[tuple[str, str, str]]:
    return [(task.title, task.state, task.waits) for task in tasks]


def act(site: Site, who: str, what: Any, *keys: str, **more: Any) -> None:
    with site.store.writing() as session:
        act_on_tasks(session, site.person(who), site.run, Deed(what, keys, **more), TODAY)


@pytest.fixture
def workshop(site: Site) -> Site:
    """Writing is what anybody of the press team does: Bela and Ada."""
    with site.store.writing() as session:
        session.add(Team(id=1, name="Press"))
        session.flush()
        session.add_all(TeamMember(team_id=1, person_id=site.people[name]) for name in ("Ada", "Bela"))
    with site.store.writing() as session:
        fill_roles(
            session, site.person("Ada"), site.run, {"writer": "team 1", "editor": str(site.people["Cleo"])}, TODAY
        )
    return site


def test_each_sees_what_is_theirs_and_who_or_what_waits(site: Site) -> None:
    assert titles(of(site, "Bela").mine) == [
        ("Draft", "ready", "Cleo waits for it"), ("Print", "waiting", "waits for Check"),
    ]  # fmt: skip
    assert titles(of(site, "Cleo").mine) == [("Check", "waiting", "waits for Draft")]
    late = of(site, "Bela").mine[0]
    assert late.late == 1 and late.run == "Bulletin 7"
    act(site, "Bela", "finish", "draft")
    act(site, "Cleo", "finish", "check")
    assert titles(of(site, "Ada").signing) == [("Check", "in review", "Cleo, since Wed 3 Jun")]
    assert titles(of(site, "Cleo").mine) == [("Check", "in review", "waits for its sign-off")]
    with site.store.reading() as session:
        assert [task.title for task in done_lately(session, site.person("Bela"), TODAY)] == ["Draft"]


def test_what_is_due_in_more_than_half_a_year_says_in_which(tmp_path: Path) -> None:
    roles = [{"key": "r", "label": "Curator", "fill": {"by": "keeper"}}]
    far = [step("near", 1, 100, role="r"), {**step("far", 1, 200, role="r"), "ready": "on its day"}]
    page = make_site(tmp_path, content=document(far, roles=roles)).client("Ada").get("/").text
    assert "Mon 19 Oct<" in page and "Mon 8 Mar 2027<" in page and "on its day, Mon 8 Mar 2027" in page


def test_a_run_on_hold_is_on_nobodys_desk(site: Site) -> None:
    with site.store.writing() as session:
        set_run_state(session, site.person("Ada"), site.run, Becoming("on hold"), TODAY)
    assert of(site, "Bela").mine == ()


def test_a_run_says_on_its_keepers_and_deputies_desks_why_it_needs_them(site: Site) -> None:
    assert [(run.name, run.why, run.late) for run in of(site, "Ada").needing] == [
        ("Bulletin 7", "2 tasks can no longer hold; behind: 1 task late", True)
    ]
    assert of(site, "Cleo").needing == ()
    with site.store.writing() as session:
        name_deputies(session, site.person("Ada"), site.run, [site.people["Cleo"]])
    with site.store.writing() as session:
        fill_roles(session, site.person("Cleo"), site.run, {"editor": ""}, TODAY)  # a deputy does what the keeper does
    assert "Editor not filled" in of(site, "Cleo").needing[0].why
    assert [task.title for task in of(site, "Ada").unfilled] == ["Check"]


def test_what_a_team_is_given_lies_in_its_queue_until_one_of_it_takes_it(workshop: Site) -> None:
    site = workshop
    assert of(site, "Bela").mine == ()
    assert [(team, [task.title for task in tasks]) for team, tasks in of(site, "Bela").queues] == [
        ("Press", ["Draft", "Print"])
    ]
    with pytest.raises(NotAllowed, match="lies in the queue of Press"), site.store.writing() as session:
        handing.take(session, site.person("Cleo"), site.run, ["draft"], TODAY)
    with site.store.writing() as session:
        handing.take(session, site.person("Bela"), site.run, ["draft"], TODAY)
    with pytest.raises(Refused, match="Somebody of Press has just taken Draft"), site.store.writing() as session:
        handing.take(session, site.person("Ada"), site.run, ["draft"], TODAY)
    assert [task.title for task in of(site, "Bela").mine] == ["Draft"]
    act(site, "Bela", "begin", "draft")
    with site.store.writing() as session:
        handing.put_back(session, site.person("Bela"), site.run, ["draft"], TODAY)
    assert titles(of(site, "Ada").queues[0][1])[0][:2] == ("Draft", "under way")


def test_the_keeper_hands_to_anybody_and_a_doer_to_their_own_team(workshop: Site) -> None:
    site = workshop
    with site.store.writing() as session:
        handing.take(session, site.person("Bela"), site.run, ["draft"], TODAY)
    with pytest.raises(NotAllowed, match="Cleo is in none of your teams"), site.store.writing() as session:
        handing.hand_over(session, site.person("Bela"), site.run, ["draft"], site.people["Cleo"], TODAY)
    with site.store.writing() as session:
        handing.hand_over(session, site.person("Bela"), site.run, ["draft"], site.people["Ada"], TODAY)
        done = handing.hand_over(session, site.person("Ada"), site.run, ["draft", "print"], site.people["Cleo"], TODAY)
    assert done.words == "2 tasks handed to Cleo"
    assert [task.title for task in of(site, "Cleo").mine] == ["Draft", "Check", "Print"]
    act(site, "Cleo", "finish", "draft")
    with pytest.raises(Refused, match="nothing left to hand over"), site.store.writing() as session:
        handing.hand_over(session, site.person("Ada"), site.run, ["draft"], site.people["Bela"], TODAY)


def test_who_was_given_one_task_sees_the_run_and_does_that_task_only(site: Site) -> None:
    with site.store.writing() as session:
        session.add(Person(id=9, name="Dora", email="dora@example.org", password_hash="-"))
        session.flush()
        handing.hand_over(session, site.person("Ada"), site.run, ["party"], 9, TODAY)
    site.people["Dora"] = 9
    with pytest.raises(NotAllowed):
        act(site, "Dora", "begin", "draft")
    act(site, "Dora", "begin", "party", confirmed=True)
    with site.store.reading() as session:
        assert see_run(session, site.person("Dora"), site.run, TODAY).tasks["party"].who == "Dora"


def test_what_somebody_who_leaves_was_given_apart_is_handed_over_too(site: Site) -> None:
    boss = Actor(site.people["Ada"], "Ada", administrator=True)
    with site.store.writing() as session:
        handing.hand_over(session, site.person("Ada"), site.run, ["party"], site.people["Cleo"], TODAY)
        name_deputies(session, site.person("Ada"), site.run, [site.people["Cleo"]])
        held = holdings(session, site.people["Cleo"])
        assert [label for _, _, label in held.roles] == ["Editor", "Party"]
        hand_over(session, boss, site.people["Cleo"], site.people["Bela"], TODAY)
        assert not holdings(session, site.people["Cleo"])
    assert [task.title for task in of(site, "Bela").mine] == ["Draft", "Check", "Print", "Party"]
    assert of(site, "Cleo").kept == 0


def test_words_stay_with_the_task_and_boxes_stay_ticked(site: Site) -> None:
    ada, bela = site.person("Ada"), site.person("Bela")
    with site.store.writing() as session:
        write_comment(session, ada, site.run, "draft", "  @Bela, the **second** page? ")
        tick(session, bela, site.run, "draft", 0, on=True)
        with pytest.raises(Refused, match="no such box"):
            tick(session, bela, site.run, "draft", 1, on=True)
        with pytest.raises(NotAllowed):
            tick(session, site.person("Cleo"), site.run, "draft", 0, on=True)
        with pytest.raises(Refused, match="Write something"):
            write_comment(session, ada, site.run, "draft", "  ")
    with site.store.reading() as session:
        seen = see_run(session, bela, site.run, TODAY)
        more = see_more(session, bela, seen, "draft")
        words = desk(session, bela, dt.datetime.now(dt.UTC).date()).words
        assert [(one.who, one.where) for one in words] == [("Ada", "Draft")]
        assert desk(session, ada, dt.datetime.now(dt.UTC).date()).words == ()
    assert [(one.who, one.text) for one in more.comments] == [("Ada", "@Bela, the **second** page?")]
    assert seen.tasks["draft"].checked == {0}


@pytest.mark.parametrize(
    "text, named",
    [
        ("@Ann", set()),
        ("@Ann Lee and @bo", {1, 3}),
        ("@Ann Leeds", {2}),
        ("mail a@Bo", {3}),
        ("@Boris", set()),
        ("@", set()),
    ],
)
def test_a_mention_is_a_whole_name_or_a_first_name_that_only_one_has(text: str, named: set[int]) -> None:
    people = [Person(id=n, name=name) for n, name in enumerate(("Ann Lee", "Ann Leeds", "Bo Ruiz"), 1)]
    assert mentioned(text, people) == named


MONDAY = dt.date(2026, 6, 1).toordinal()


@pytest.mark.parametrize(
    "effort, today, days",
    [
        (Effort(600, MONDAY, MONDAY + 1, 2, "ready"), MONDAY, {0: 300, 1: 300}),
        (Effort(601, MONDAY, MONDAY + 1, 2, "ready"), MONDAY, {0: 300, 1: 301}),  # rounded down day by day
        (Effort(480, MONDAY, MONDAY, 1, "waiting"), MONDAY + 2, {2: 480}),  # past: over its duration from today on
        (Effort(480, MONDAY, MONDAY + 3, 4, "under way"), MONDAY + 2, {2: 120, 3: 120}),  # half of it is left
        (Effort(480, MONDAY, MONDAY + 1, 2, "under way"), MONDAY + 3, {3: 240}),  # at least a day
        (Effort(60, MONDAY + 5, MONDAY + 6, 1, "ready"), MONDAY, {5: 60}),  # no hours on any of its days
        (Effort(480, MONDAY, MONDAY, 1, "in review"), MONDAY, {}),
    ],
)
def test_effort_is_laid_on_the_days_that_are_left(effort: Effort, today: int, days: dict[int, int]) -> None:
    found = laid(effort, today, WorkingCalendar(), lambda day: 480 if WorkingCalendar().is_working_day(day) else 0)
    assert found == {MONDAY + day: minutes for day, minutes in days.items()}


@given(st.integers(1, 9999), st.integers(0, 20), st.integers(0, 20), st.integers(0, 25))
def test_the_parts_of_what_is_laid_add_up(minutes: int, first: int, length: int, today: int) -> None:
    effort = Effort(minutes, MONDAY + first, MONDAY + first + length, max(1, length), "ready")
    found = laid(effort, MONDAY + today, WorkingCalendar(), lambda day: 60 * (day % 5))
    assert sum(found.values()) == minutes and all(day >= MONDAY + today for day in found)


def test_a_queue_without_a_team_is_none(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=document([step("a", 1, 0)]))
    with pytest.raises(Refused, match="lies in no queue"), site.store.writing() as session:
        handing.take(session, site.person("Ada"), site.run, ["a"], TODAY)
