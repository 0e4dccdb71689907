"""A calendar changed with the runs that go by it: shown before, shifted together or left and listed."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import pytest

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.calendar_changes import change_with_runs, left_runs, touched
from unisequa.actions.checking import check_data
from unisequa.actions.house.calendars import Change, calendar, closing, number_of, opening_again, working_on
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.life import give_keeper
from unisequa.actions.runs.proposing import applied, proposal
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import apply_shift, take_back
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import NotAllowed
from unisequa.core.shift.edits import Close, MoveAnchor
from unisequa.store.tables import Person, Run


@pytest.fixture
def admin(site: Site) -> Actor:
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).administrator = True
    return replace(site.person("Ada"), administrator=True)


def starts(site: Site, who: Actor) -> dict[str, str]:
    with site.store.reading() as session:
        plan = see_run(session, who, site.run, TODAY).plan
    return {task.key: plan.grid.iso(plan.read(i)[0]) for i, task in enumerate(plan.tasks)}


def house(site: Site) -> int:
    with site.store.reading() as session:
        return number_of(session, "house")


def put(site: Site, who: Actor, how: Change, *, shift: bool):
    with site.store.writing() as session:
        return change_with_runs(session, who, house(site), how, TODAY, shift=shift)


CLOSED = closing("2026-06-08", "2026-06-09", "Stocktaking", TODAY)  # Monday and Tuesday, when the print begins


def test_what_a_closure_would_move_is_shown_day_by_day_and_moved_together(site: Site, admin: Actor) -> None:
    before = starts(site, admin)
    assert before["print"] == "2026-06-08"
    with site.store.reading() as session:
        seen = touched(session, admin, house(site), CLOSED, TODAY)
    assert [(day.becomes, day.tasks, day.titles) for day in seen.days] == [("closed", 1, ("Print (Bulletin 7)",))] * 2
    (run,) = seen.runs
    assert (run.moved, run.asks, run.needs) == (1, "", 0) and starts(site, admin) == before
    carried = put(site, admin, CLOSED, shift=True)
    assert (carried.shifted, carried.asked) == (1, 0)
    assert starts(site, admin) == before | {"print": "2026-06-10"}
    with site.store.writing() as session:
        assert session.get(Run, site.run).shifts[-1].why.startswith("The calendar house has changed: Mon 8 Jun closed")
        take_back(session, admin, site.run, 1, TODAY)
    assert starts(site, admin) == before
    with site.store.reading() as session:
        assert list(check_data(session, TODAY)) == []


def test_runs_that_are_left_are_listed_with_their_shift_made_ready(site: Site, admin: Actor) -> None:
    before = starts(site, admin)
    assert put(site, admin, CLOSED, shift=False).asked == 1 and starts(site, admin) == before
    more = closing("2026-06-12", "", "", TODAY)
    assert put(site, admin, more, shift=False).asked == 1
    with site.store.reading() as session:
        (left,) = left_runs(session, admin, house(site))  # the second asks for both
        sent = proposal(session, admin, site.run, left.proposal)
    with site.store.writing() as session:
        apply_shift(session, admin, site.run, 1, sent.edits, TODAY, mode=sent.mode)
        applied(session, admin, site.run, sent.number)
    assert starts(site, admin)["print"] == "2026-06-10"
    with site.store.reading() as session:
        assert left_runs(session, admin, house(site)) == ()
        run, kept = see_run(session, admin, site.run, TODAY), calendar(session, house(site)).document
        assert run.plan.calendars.documents[0].closures == kept.closures


def test_a_run_of_somebody_else_is_asked_and_one_that_follows_by_itself_moves(site: Site, admin: Actor) -> None:
    with site.store.writing() as session:
        give_keeper(session, admin, site.run, site.people["Bela"], TODAY)
        session.get(Run, site.run).edition.template.owner_id = site.people["Bela"]
    with site.store.reading() as session:
        assert [run.asks for run in touched(session, admin, house(site), CLOSED, TODAY).runs] == ["Bela"]
    assert put(site, admin, CLOSED, shift=True).asked == 1
    with site.store.writing() as session:
        session.get(Run, site.run).follow = "late"
    assert put(site, admin, closing("2026-06-12", "", "", TODAY), shift=True).shifted == 1
    assert starts(site, admin)["print"] == "2026-06-10"


def test_days_of_a_runs_own_stay_and_what_lies_on_no_task_is_carried_over_quietly(site: Site, admin: Actor) -> None:
    with site.store.writing() as session:
        own = Close(dt.date(2026, 6, 16).toordinal(), dt.date(2026, 6, 16).toordinal(), "Our own")
        apply_shift(session, admin, site.run, 1, [own], TODAY)
    put(site, admin, CLOSED, shift=True)
    carried = put(site, admin, opening_again("2026-06-08", "2026-06-09"), shift=True)
    assert carried.shifted + carried.quiet == 1
    assert put(site, admin, working_on("2027-05-01", TODAY), shift=True).quiet == 1  # a Saturday, long after
    with site.store.reading() as session:
        document = see_run(session, admin, site.run, TODAY).plan.calendars.documents[0]
    assert [str(one) for one in document.extra_working_days] == ["2027-05-01"]
    assert [one.label for one in document.closures if hasattr(one, "label")] == ["Our own"]


def test_only_administrators_change_calendars(site: Site, admin: Actor) -> None:
    with pytest.raises(NotAllowed), site.store.writing() as session:
        change_with_runs(session, site.person("Bela"), house(site), CLOSED, TODAY, shift=True)


def test_an_anchor_given_a_date_of_its_own_keeps_it_and_a_measured_one_goes_along(site: Site, admin: Actor) -> None:
    anchors = [
        {"key": "go", "label": "Go"},
        {"key": "back", "label": "Back", "from": {"anchor": "go", "offset": 8}},
    ]
    after = {"anchor": "back", "offset": 1, "edge": "start"}
    steps = [step("a", 1, 0), {"key": "z", "title": "Z", "duration": 1, "when": after}]
    with site.store.writing() as session:
        made = read_template({**document(steps, name="Loan"), "anchors": anchors})
        template = keep_template(session, admin, made, released=True).template_id
        days = {"go": dt.date(2026, 6, 4)}
        measured = start_run(session, admin, template, None, Choices(anchors=days), TODAY)
        given = start_run(session, admin, template, None, Choices(anchors={**days, "back": dt.date(2026, 7, 1)}), TODAY)
    put(site, admin, CLOSED, shift=True)
    with site.store.writing() as session:
        moved = [MoveAnchor("go", dt.date(2026, 6, 5).toordinal())]
        version = session.get(Run, given).version
        apply_shift(session, admin, given, version, moved, TODAY)
    with site.store.reading() as session:
        dates = [session.get(Run, number).anchors["back"] for number in (measured, given)]
    assert dates == ["2026-06-18", "2026-07-01"]  # 8 working days behind Thursday the 4th, two of them closed
