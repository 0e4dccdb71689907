"""Runs that wait for each other: a shift goes through all that it reaches, each by its own rule."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import pytest
from sqlalchemy import select

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.checking import check_data
from unisequa.actions.runs.beyond import beyond
from unisequa.actions.runs.drawn_waits import draw_wait, drawable, take_wait_out
from unisequa.actions.runs.life import delete_run, give_keeper, set_follow
from unisequa.actions.runs.proposing import applied, open_proposals
from unisequa.actions.runs.reaching import elsewhere
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shift_history import shift_lines
from unisequa.actions.runs.shifts import apply_shift, consider, take_back
from unisequa.actions.runs.undoing import undo
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.shift.edits import Fix, Move, MoveAnchor, codec
from unisequa.store.queries.awaited import hanging_on
from unisequa.store.store import Session
from unisequa.store.tables import AnchorSource, OutboxRow, Run

MON = dt.date(2026, 6, 1)


def waiting(
    session: Session, site: Site, name: str, *, of: str, key: str, who: str = "Ada", follow: str = "late"
) -> int:
    """A run of two steps, pack and send, that begins once a step of another template's run is over."""
    wait = {"template": of, "step": key, "anchor": "go"}
    steps = [step("pack", 2, 3, waits_for=[wait]), step("send", 1)]
    made = read_template(document(steps, "pack>send", name=name, follow=follow))
    edition = keep_template(session, site.person("Ada"), made, released=True)
    edition.template.open_to = "nothing"
    return start_run(session, site.person(who), edition.template_id, None, Choices(anchors={"go": MON}), TODAY)


def days(site: Site, run: int) -> dict[str, str]:
    with site.store.reading() as session:
        seen = see_run(session, replace(site.person("Ada"), administrator=True), run, TODAY)
        return {task.key: seen.plan.grid.iso(seen.plan.read(i)[0]) for i, task in enumerate(seen.plan.tasks)}


def waits(site: Site, run: int) -> list[str]:
    """What the last task of a run waits for elsewhere."""
    with site.store.reading() as session:
        seen = see_run(session, site.person("Ada"), run, TODAY)
        return [one.words for one in seen.plan.tasks[-1].waits]


def shift(site: Site, *edits: object, run: int | None = None):
    with site.store.writing() as session:
        version = session.get(Run, run or site.run).version
        return apply_shift(session, site.person("Ada"), run or site.run, version, edits, TODAY)


def all_kept(site: Site) -> list[str]:
    with site.store.reading() as session:
        return list(check_data(session, TODAY))


@pytest.fixture
def chain(site: Site) -> tuple[Site, int, int]:
    """The bulletin's run; posting waits for its print; thanking waits for the posting to be sent."""
    with site.store.writing() as session:
        posting = waiting(session, site, "Posting", of="Issue of the bulletin", key="print")
        thanks = waiting(session, site, "Thanking", of="Posting", key="send")
    return site, posting, thanks


def test_a_shift_goes_through_all_runs_that_wait_and_is_taken_back_through_them(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    before = [days(site, run) for run in (site.run, posting, thanks)]
    assert before[1:] == [{"pack": "2026-06-11", "send": "2026-06-15"}, {"pack": "2026-06-16", "send": "2026-06-18"}]
    made = shift(site, Move("print", dt.date(2026, 6, 10).toordinal()))
    assert (made.elsewhere, made.asked) == (2, 0)
    assert days(site, posting) == {"pack": "2026-06-15", "send": "2026-06-17"}  # print ends Fri 12 Jun
    assert days(site, thanks) == {"pack": "2026-06-18", "send": "2026-06-22"}
    with site.store.writing() as session:
        assert take_back(session, site.person("Ada"), site.run, made.number, TODAY) == []
    assert [days(site, run) for run in (site.run, posting, thanks)] == before
    assert all_kept(site) == []


def test_what_rests_on_what_followed_stands_and_is_named(chain: tuple[Site, int, int]) -> None:
    site, posting, _ = chain
    made = shift(site, Move("print", dt.date(2026, 6, 10).toordinal()))
    shift(site, Move("send", dt.date(2026, 6, 19).toordinal()), run=posting)
    with site.store.writing() as session:
        stands = take_back(session, site.person("Ada"), site.run, made.number, TODAY)
    assert [text.partition(" since")[0] for text in stands] == [
        "Posting: Send has moved again", "Thanking: Pack has moved again",
    ]  # fmt: skip
    assert days(site, posting)["send"] == "2026-06-19" and all_kept(site) == []


def test_who_is_asked_first_gets_a_proposal_that_makes_it_hold(site: Site) -> None:
    with site.store.writing() as session:
        posting = waiting(session, site, "Posting", of="Issue of the bulletin", key="print", follow="ask")
    made = shift(site, Move("print", dt.date(2026, 6, 10).toordinal()))
    assert (made.elsewhere, made.asked) == (0, 1)
    assert days(site, posting)["pack"] == "2026-06-11"  # a conflict until then
    with site.store.reading() as session:
        run = see_run(session, site.person("Ada"), posting, TODAY)
        (sent,) = open_proposals(session, site.person("Ada"), posting)
        assert "2 tasks can no longer hold" in sent.words and run.summary.mend == 2
        assert "before Print of Bulletin 7 lets it" in run.summary.standing(TODAY.toordinal())[1]
        result = consider(run, [codec.read(edit, run.plan) for edit in sent.edits], sent.mode).result
    assert result is not None and [change.key for change in result.changes] == ["pack", "send"]
    assert result.reason(result.changes[0]) == "waits for Print of Bulletin 7 until Fri 12 Jun"
    shift(site, Move("print", dt.date(2026, 6, 15).toordinal()))
    with site.store.reading() as session:
        assert len(open_proposals(session, site.person("Ada"), posting)) == 1  # in place of the one before
    for number, left in ((2, 1), (1, 0)):  # what the first shift asks for is asked again
        with site.store.writing() as session:
            take_back(session, site.person("Ada"), site.run, number, TODAY)
        with site.store.reading() as session:
            assert len(open_proposals(session, site.person("Ada"), posting)) == left


def test_who_went_along_when_asked_is_asked_whether_that_comes_back(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        posting = waiting(session, site, "Posting", of="Issue of the bulletin", key="print", follow="ask")
    shift(site, Move("print", dt.date(2026, 6, 10).toordinal()))
    with site.store.writing() as session:
        (sent,) = open_proposals(session, ada, posting)
        apply_shift(session, ada, posting, 1, sent.edits, TODAY, mode=sent.mode)
        applied(session, ada, posting, sent.number)
    with site.store.writing() as session:
        take_back(session, ada, site.run, 1, TODAY)
    with site.store.reading() as session:
        (back,) = open_proposals(session, ada, posting)
    assert "2 tasks could come forward" in back.words and back.mode == "tighten"


def test_a_shift_that_follows_says_from_what(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    shift(site, Move("print", dt.date(2026, 6, 10).toordinal()))
    with site.store.reading() as session:
        lines = [shift_lines(session, see_run(session, site.person("Ada"), run, TODAY)) for run in (posting, thanks)]
    assert [line[0].cause for line in lines] == ["follows from shift 1 of Bulletin 7"] * 2


def test_a_shift_says_before_it_is_applied_what_it_does_elsewhere(chain: tuple[Site, int, int]) -> None:
    site, posting, _ = chain
    ada, bela = site.person("Ada"), site.person("Bela")
    with site.store.reading() as session:
        run = see_run(session, ada, site.run, TODAY)
        seen = consider(run, [Move("print", dt.date(2026, 6, 10).toordinal())])
        told = elsewhere(session, ada, run.id, run.plan, seen.after, TODAY)
        hidden = elsewhere(session, bela, run.id, run.plan, seen.after, TODAY)
        stays = consider(run, [Move("party", dt.date(2026, 6, 19).toordinal())])
        assert elsewhere(session, ada, run.id, run.plan, stays.after, TODAY) == ()
    assert [(one.moved, one.later, one.asks) for one in told] == [(2, 2, ""), (2, 2, "")]
    assert told[0].run_id == posting and hidden[0].run_id is None and hidden[0].name == "a run elsewhere"


def test_finishing_late_reaches_other_runs_and_is_undone_with_them(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    later = dt.date(2026, 6, 16)
    before = [days(site, run) for run in (site.run, posting, thanks)]
    with site.store.writing() as session:
        set_follow(session, site.person("Ada"), posting, "both")
        deed = Deed("finish", ["draft", "check", "print"], why="late", confirmed=True)
        done = act_on_tasks(session, site.person("Ada"), site.run, deed, later)
    assert done.elsewhere == 2
    assert days(site, posting)["pack"] == "2026-06-17" and days(site, thanks)["pack"] == "2026-06-22"
    with site.store.writing() as session:
        undo(session, site.person("Ada"), done.number, later)
    assert [days(site, run) for run in (posting, thanks)] == before[1:]


def test_what_cannot_follow_reaches_its_keeper(chain: tuple[Site, int, int]) -> None:
    site, posting, _ = chain
    shift(site, Fix("send", dt.date(2026, 6, 15).toordinal()), run=posting)
    shift(site, Move("print", dt.date(2026, 6, 10).toordinal()))
    with site.store.reading() as session:
        mail = session.scalars(select(OutboxRow).where(OutboxRow.key.like("conflicts:%"))).all()
    assert [row.content["to"] for row in mail] == ["ada@example.org"]
    assert "Send is fixed on Mon 15 Jun" in mail[0].content["text"]


def test_a_fixed_task_that_cannot_follow_is_asked_about(site: Site) -> None:
    with site.store.writing() as session:
        posting = waiting(session, site, "Posting", of="Issue of the bulletin", key="print", follow="late")
    shift(site, Fix("pack", dt.date(2026, 6, 11).toordinal()), run=posting)
    assert shift(site, Move("print", dt.date(2026, 6, 10).toordinal())).elsewhere == 0
    with site.store.reading() as session:
        (sent,) = open_proposals(session, site.person("Ada"), posting)
        run = see_run(session, site.person("Ada"), posting, TODAY)
        result = consider(run, [codec.read(edit, run.plan) for edit in sent.edits], sent.mode).result
    assert "1 fixed task can no longer hold" in sent.words
    assert result is not None and [c.kind for c in result.conflicts] == ["fixed"]


def test_who_waits_for_a_run_goes_on_waiting_when_its_date_moves(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    shift(site, MoveAnchor("go", dt.date(2026, 6, 8).toordinal()))
    with site.store.reading() as session:
        assert list(hanging_on(session, site.run).awaited) == [posting]
    assert days(site, posting)["pack"] == "2026-06-18" and days(site, thanks)["pack"] == "2026-06-23"
    assert all_kept(site) == []


def test_tasks_of_other_runs_stand_beside_and_say_no_more_than_one_may_know(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    with site.store.writing() as session:
        later = Choices(anchors={"go": dt.date(2026, 9, 7)})
        template = session.get(Run, posting).edition.template_id
        alone = start_run(session, site.person("Ada"), template, None, later, TODAY)
        give_keeper(session, replace(site.person("Ada"), administrator=True), thanks, site.people["Bela"], TODAY)

    def beside(who: str, run: int) -> list[tuple[str, bool, str, str, str]]:
        with site.store.reading() as session:
            found = beyond(session, site.person(who), see_run(session, site.person(who), run, TODAY))
        return [(one.key, one.waits, one.run, one.title, str(one.last)) for one in found]

    awaited = ("pack", False, "Bulletin 7", "Print", "2026-06-10")
    assert beside("Ada", posting) == [awaited, ("send", True, "Thanking", "Pack", "2026-06-17")]
    assert beside("Bela", site.run) == [("print", True, "elsewhere", "A task", "2026-06-12")]
    assert beside("Bela", thanks) == [("pack", False, "elsewhere", "a task", "2026-06-15")]
    assert beside("Ada", alone) == [("pack", False, "Issue of the bulletin: no run of that date yet", "Print", "None")]


def test_an_anchor_taken_from_another_run_goes_along_for_who_may_shift_both(site: Site) -> None:
    with site.store.writing() as session:
        posting = waiting(session, site, "Posting", of="Issue of the bulletin", key="print", follow="ask")
        session.get(Run, posting).sources = [AnchorSource(anchor="go", kind="run", source_id=site.run, name="go")]
    made = shift(site, MoveAnchor("go", dt.date(2026, 6, 8).toordinal()))
    assert made.elsewhere == 1 and days(site, posting)["pack"] == "2026-06-18"
    with site.store.writing() as session:
        assert session.get(Run, posting).anchors["go"] == "2026-06-08"
        run = session.get(Run, posting)
        run.keeper_id = run.edition.template.owner_id = site.people["Bela"]
    again = shift(site, MoveAnchor("go", dt.date(2026, 6, 15).toordinal()))
    assert (again.elsewhere, again.asked) == (0, 1)
    with site.store.reading() as session:
        assert session.get(Run, posting).anchors["go"] == "2026-06-08"
        (sent,) = open_proposals(session, site.person("Bela"), posting)
    assert sent.edits[0] == {"edit": "anchor", "anchor": "go", "on": "2026-06-15"}


def test_dropped_and_called_off_work_holds_nobody(site: Site) -> None:
    with site.store.writing() as session:
        posting = waiting(session, site, "Posting", of="Issue of the bulletin", key="print", follow="both")
        deed = Deed("drop", ["print"], why="nobody reads it")
        act_on_tasks(session, site.person("Ada"), site.run, deed, TODAY)
    assert days(site, posting) == {"pack": "2026-06-04", "send": "2026-06-08"}  # where the template has it


def test_a_link_drawn_between_two_runs_holds_as_a_templates_does(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    ada = site.person("Ada")
    with site.store.writing() as session:
        template = session.get(Run, posting).edition.template_id
        later = start_run(session, ada, template, None, Choices(anchors={"go": dt.date(2026, 6, 22)}), TODAY)
    with site.store.reading() as session:
        found = drawable(session, ada, thanks, later, TODAY)
    assert (found.awaited[0].title, found.waiting[0].title) == ("Send", "Pack")
    before = days(site, later)
    with site.store.writing() as session:
        assert draw_wait(session, ada, later, "send", thanks, "send", TODAY) == "Send: waits for Send of Thanking"
    assert days(site, later) == before  # no date moves unseen
    made = shift(site, Move("print", dt.date(2026, 6, 22).toordinal()))  # through posting and thanking
    assert made.elsewhere == 3
    assert days(site, later)["send"] > days(site, thanks)["send"]
    with site.store.writing() as session:
        session.get(Run, later).follow = "ask"
        for wanted, said in (
            ((later, "send", thanks, "send"), "waits for Send of Thanking already"),
            ((posting, "pack", later, "send"), "would be a circle: Pack → Send → Pack"),
            ((thanks, "pack", later, "send"), "would be a circle: Pack → Send → Send → Pack"),
            ((later, "pack", later, "send"), "does not wait for itself"),
        ):
            with pytest.raises(Refused, match=said):
                draw_wait(session, ada, *wanted, TODAY)
        with pytest.raises((NotAllowed, NotThere)):
            draw_wait(session, site.person("Bela"), later, "send", site.run, "print", TODAY)
    with site.store.writing() as session:
        assert (
            take_wait_out(session, ada, later, "send", thanks, "send", TODAY)
            == "Send: no longer waits for Send of Thanking"
        )
        with pytest.raises(Refused, match="because its template says so"):
            take_wait_out(session, ada, posting, "pack", site.run, "print", TODAY)
    with site.store.reading() as session:
        assert later not in hanging_on(session, thanks).awaited
    assert all_kept(site) == []


def test_a_drawn_link_goes_with_the_run_that_it_comes_from(chain: tuple[Site, int, int]) -> None:
    site, posting, thanks = chain
    ada = site.person("Ada")
    with site.store.writing() as session:
        template = session.get(Run, posting).edition.template_id
        choices = Choices(anchors={"go": dt.date(2026, 6, 8)}, prepared=True)
        prepared = start_run(session, ada, template, None, choices, TODAY)
        draw_wait(session, ada, thanks, "send", prepared, "send", TODAY)
    assert waits(site, thanks) == ["Send of Posting"]
    with site.store.writing() as session:
        delete_run(session, ada, prepared, TODAY)
    assert waits(site, thanks) == [] and all_kept(site) == []
