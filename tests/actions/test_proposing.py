"""Who may not shift proposes; the keeper finds it, applies it or answers with a word. Runs that change their state."""

from __future__ import annotations

import datetime as dt

import pytest

from tests.site import TODAY, Site
from unisequa.actions.desk import desk
from unisequa.actions.runs import proposing
from unisequa.actions.runs.facts import correct_facts
from unisequa.actions.runs.life import Becoming, delete_run, give_keeper, set_follow, set_run_state
from unisequa.actions.runs.shifts import apply_shift
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.core.errors import NotAllowed, Refused
from unisequa.core.shift.edits import Move
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import Run

FRIDAY = dt.date(2026, 6, 5)


def proposed(site: Site, who: str = "Bela", by: str = "5 jun", left: str = "") -> int:
    with site.store.writing() as session:
        actor = site.person(who)
        return proposing.propose_for_task(
            session, actor, site.run, "draft", TODAY, by=by, left=left, why="The archive is shut"
        )


def test_a_doer_says_by_when_and_the_keeper_finds_it_and_applies_it(site: Site) -> None:
    number = proposed(site)
    with site.store.reading() as session:
        found = desk(session, site.person("Ada"), TODAY).proposals
        assert [(one.who, one.words, one.why) for one in found] == [
            ("Bela", "Draft by Fri 5 Jun, which moves 3 tasks", "The archive is shut")
        ]
        assert desk(session, site.person("Bela"), TODAY).proposals == ()
    with site.store.writing() as session:
        ada = site.person("Ada")
        run = run_by_id(session, site.run)
        assert run
        sent = proposing.proposal(session, ada, site.run, number)
        apply_shift(session, ada, site.run, run.version, sent.edits, TODAY, mode=sent.mode)
        proposing.applied(session, ada, site.run, number)
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run and next(row.finish_on for row in run.tasks if row.key == "draft") == FRIDAY
        assert proposing.open_proposals(session, site.person("Ada"), site.run) == ()


def test_what_is_left_is_said_of_what_is_under_way_and_a_later_word_replaces_the_first(site: Site) -> None:
    with pytest.raises(Refused, match="not under way"):
        proposed(site, by="", left="3")
    with site.store.writing() as session:
        act_on_tasks(session, site.person("Bela"), site.run, Deed("begin", ["draft"]), TODAY)
    first, second = proposed(site), proposed(site, by="", left="3")
    with site.store.reading() as session:
        found = proposing.open_proposals(session, site.person("Ada"), site.run)
        assert [(one.number, one.words) for one in found] == [(second, "Draft: 3 days left, which moves 3 tasks")]
        assert proposing.proposal(session, site.person("Ada"), site.run, first).state == "withdrawn"


def test_a_proposal_is_declined_with_a_word_or_taken_back_by_its_maker(site: Site) -> None:
    number = proposed(site)
    with pytest.raises(NotAllowed), site.store.writing() as session:
        proposing.decline(session, site.person("Cleo"), site.run, number, "No")
    with pytest.raises(Refused, match="Say why"), site.store.writing() as session:
        proposing.decline(session, site.person("Ada"), site.run, number, " ")
    with site.store.writing() as session:
        proposing.decline(session, site.person("Ada"), site.run, number, "The printer cannot wait")
    with pytest.raises(Refused, match="declined already"), site.store.writing() as session:
        proposing.applied(session, site.person("Ada"), site.run, number)
    again = proposed(site)
    with site.store.writing() as session:
        proposing.decline(session, site.person("Bela"), site.run, again, "")
    with site.store.reading() as session:
        assert proposing.proposal(session, site.person("Ada"), site.run, again).state == "withdrawn"


def test_nothing_is_proposed_that_changes_nothing(site: Site) -> None:
    with pytest.raises(Refused, match="changes nothing"), site.store.writing() as session:
        move = Move("draft", dt.date(2026, 6, 1).toordinal())
        proposing.propose(session, site.person("Bela"), site.run, [move], TODAY)


def become(site: Site, state: str, why: str = "", who: str = "Ada", **more: bool) -> object:
    with site.store.writing() as session:
        return set_run_state(session, site.person(who), site.run, Becoming(state, why, **more), TODAY)


def states(site: Site) -> set[str]:
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run
        return {row.state for row in run.tasks}


def test_a_run_is_not_finished_without_saying_what_becomes_of_what_is_open(site: Site) -> None:
    with pytest.raises(Refused) as caught:
        become(site, "finished")
    assert caught.value.faults == {
        "open": "Draft, Check, Print and 1 more are still open. Finish what was done, or drop the rest with a reason."
    }
    with pytest.raises(Refused) as caught:
        become(site, "finished", drop_open=True)
    assert set(caught.value.faults) == {"why"}
    become(site, "finished", "The bulletin is given up", drop_open=True)
    assert states(site) == {"dropped"}


def test_a_run_is_called_off_with_a_reason_only(site: Site) -> None:
    with pytest.raises(Refused) as caught:
        become(site, "called off")
    assert set(caught.value.faults) == {"why"}
    become(site, "called off", "No paper")
    assert states(site) == {"dropped"}


def test_going_on_offers_the_shift_by_the_days_that_it_was_held(site: Site) -> None:
    become(site, "on hold")
    with site.store.writing() as session:
        session.get_one(Run, site.run).held_on = TODAY - dt.timedelta(days=7)
    offer = become(site, "live")
    assert (offer.text, offer.edits) == ("It was held for 5 working days", ({"edit": "shift", "by": 5},))  # type: ignore[attr-defined]


def test_only_a_prepared_run_that_was_never_live_is_deleted(site: Site) -> None:
    with pytest.raises(Refused), site.store.writing() as session:
        delete_run(session, site.person("Ada"), site.run, TODAY)
    with site.store.writing() as session:
        choices = Choices(anchors={"go": TODAY}, facts={"number": "8"}, prepared=True)
        prepared = start_run(session, site.person("Ada"), site.template, None, choices, TODAY)
    with site.store.writing() as session:
        assert delete_run(session, site.person("Ada"), prepared, TODAY) == "Bulletin 8 is deleted, with 4 tasks"


def test_an_administrator_gives_a_run_another_keeper_and_changes_nothing_else(site: Site) -> None:
    with site.store.writing() as session:
        boss = site.person("Cleo").__class__(site.people["Cleo"], "Cleo", administrator=True)
        give_keeper(session, boss, site.run, site.people["Bela"], TODAY)
        with pytest.raises(NotAllowed):
            set_follow(session, boss, site.run, "both")
        set_follow(session, site.person("Bela"), site.run, "both")


def test_corrected_facts_are_followed_by_titles_and_the_name(site: Site) -> None:
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        correct_facts(session, site.person("Ada"), site.run, {"number": "-3"}, "")
    assert caught.value.faults == {"facts.number": '"Number" must be 0 or more, not -3.'}
    with site.store.writing() as session:
        correct_facts(session, site.person("Ada"), site.run, {"number": "12"}, "Spring")
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run and (run.name, run.subject, run.facts) == ("Bulletin 12", "Spring", {"number": 12})
