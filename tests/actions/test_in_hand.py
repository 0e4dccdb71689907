"""A shift that is not applied is kept for its maker, with its steps back and on; others are kept aside."""

from __future__ import annotations

import pytest

from tests.site import TODAY, Site
from unisequa.actions.runs import in_hand
from unisequa.actions.runs.in_hand import MOST_ASIDE, Held
from unisequa.actions.runs.seeing import see_run
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.shift.edits.codec import Document

DRAFT: Document = {"edit": "move", "task": "draft", "start": "2026-06-05"}
CHECK: Document = {"edit": "move", "task": "check", "start": "2026-06-10"}


def holds(site: Site, held: Held, who: str = "Ada") -> None:
    with site.store.writing() as session:
        in_hand.hold(session, site.person(who), see_run(session, site.person(who), site.run, TODAY), held)


def found(site: Site, who: str = "Ada") -> in_hand.InHand:
    with site.store.reading() as session:
        return in_hand.in_hand(session, site.person(who), see_run(session, site.person(who), site.run, TODAY))


def stepped(site: Site, *, back: bool) -> Held:
    with site.store.writing() as session:
        ada = site.person("Ada")
        return in_hand.step(session, ada, see_run(session, ada, site.run, TODAY), back=back).held


def test_it_is_there_again_for_its_maker_and_for_nobody_else(site: Site) -> None:
    holds(site, Held((DRAFT,), "carry", "The ferry"))
    assert found(site).held == Held((DRAFT,), "carry", "The ferry") and found(site, "Bela").held == Held()
    with site.store.reading() as session:
        assert [(one.run, one.edits) for one in in_hand.at_hand_anywhere(session, site.person("Ada"))] == [
            ("Bulletin 7", 1)
        ]
        assert in_hand.at_hand_anywhere(session, site.person("Bela")) == ()


def test_each_step_is_undone_and_done_again_and_a_new_one_forgets_what_was_undone(site: Site) -> None:
    first, second = Held((DRAFT,)), Held((DRAFT, CHECK))
    for held in (first, second, second, Held()):
        holds(site, held)
    assert (found(site).undo, found(site).redo) == (3, 0)
    assert [stepped(site, back=True), stepped(site, back=True)] == [second, first]
    assert stepped(site, back=False) == second
    holds(site, Held((CHECK,), why="Or so"))
    assert (found(site).undo, found(site).redo) == (3, 0)
    holds(site, Held((CHECK,), why="Or otherwise"))  # a word alone is no step
    assert found(site).undo == 3
    with pytest.raises(Refused, match="nothing to do again"):
        stepped(site, back=False)


def test_shifts_are_kept_aside_under_names_and_taken_up_again(site: Site) -> None:
    ada = site.person("Ada")
    holds(site, Held((DRAFT,)))
    with site.store.writing() as session:
        run = see_run(session, ada, site.run, TODAY)
        in_hand.keep_aside(session, ada, run, Held((DRAFT,)), "If the  ferry is late")
        in_hand.keep_aside(session, ada, run, Held((DRAFT, CHECK)), "if the ferry is late")
        for n in range(MOST_ASIDE - 1):
            in_hand.keep_aside(session, ada, run, Held((CHECK,)), f"Way {n}")
        with pytest.raises(Refused, match="drop one first"):
            in_hand.keep_aside(session, ada, run, Held((CHECK,)), "One more")
        with pytest.raises(Refused, match="no edit"):
            in_hand.keep_aside(session, ada, run, Held(), "Nothing")
    seen = found(site)
    assert seen.held == Held() and len(seen.aside) == MOST_ASIDE
    ferry = next(one for one in seen.aside if one.name == "if the ferry is late")
    with site.store.writing() as session:
        assert in_hand.aside(session, ada, site.run, ferry.number) == Held((DRAFT, CHECK))
        with pytest.raises(NotThere):
            in_hand.aside(session, site.person("Bela"), site.run, ferry.number)
        in_hand.drop_aside(session, ada, site.run, ferry.number)
    assert len(found(site).aside) == MOST_ASIDE - 1


def test_who_may_only_look_holds_nothing(site: Site) -> None:
    with site.store.reading() as session:
        run = see_run(session, site.person("Bela"), site.run, TODAY)
        assert run.may_propose and not run.may_change
    holds(site, Held((DRAFT,)), "Bela")
    assert found(site, "Bela").held == Held((DRAFT,))
    with site.store.writing() as session:
        bela = site.person("Bela")
        seen = see_run(session, bela, site.run, TODAY)
        object.__setattr__(seen, "may_comment", False)
        with pytest.raises(NotAllowed):
            in_hand.keep_aside(session, bela, seen, Held((DRAFT,)), "Mine")
