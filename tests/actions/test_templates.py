"""Templates: drafts and their edits, editions, rights, and what includes others."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any

import pytest

from tests.plans import document, step
from tests.site import Site, job
from unisequa.actions.history import of_template
from unisequa.actions.lookback import run_as_template
from unisequa.actions.runs.seeing import list_runs, run_of, task_of
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates import drafts, editions, files, rights
from unisequa.actions.templates import library as templates
from unisequa.actions.templates.seeing import edition_of
from unisequa.actions.templates.sheet import see_sheet
from unisequa.core.design import editing
from unisequa.core.design.rows import Line, Place, insert
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.template import Attachment, Template
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.store.documents import template_of
from unisequa.store.of_run import template_of_run
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import Leave, Person
from unisequa.web.template.view import as_sent

TODAY = dt.date(2026, 6, 3)

A_FILE = Attachment(name="a.txt", sha256="0" * 64, size=1)


def edit(site: Site, change: Callable[[Template], Template], who: str = "Ada") -> None:
    with site.store.writing() as session:
        drafts.edit_draft(session, site.person(who), site.template, change)


def rename(site: Site, who: str = "Ada", title: str = "Write it", key: str = "draft") -> None:
    edit(site, lambda t: editing.change_step(t, key, title=title), who)


def back(site: Site, who: str = "Ada", *, again: bool = False) -> drafts.TakenBack:
    with site.store.writing() as session:
        return (drafts.redo if again else drafts.undo)(session, site.person(who), site.template)


def titles(site: Site, who: str = "Ada", number: int | None = None) -> list[str]:
    with site.store.reading() as session:
        edition = edition_of(session, site.person(who), site.template, number)
        return [step.title for step in template_of(edition).steps]


def let(site: Site, who: str, right: str) -> None:
    with site.store.writing() as session:
        rights.give_right(session, site.person("Ada"), site.template, site.people[who], right)


def release(site: Site, note: str = "") -> None:
    with site.store.writing() as session:
        editions.release(session, site.person("Ada"), site.template, note)


def test_editing_a_released_template_opens_a_draft_that_only_its_editors_see(site: Site) -> None:
    rename(site)
    assert titles(site)[0] == "Write it"
    assert titles(site, "Bela")[0] == "Draft"
    with pytest.raises(NotThere):
        titles(site, "Bela", 2)
    let(site, "Bela", "edit")
    assert titles(site, "Bela", 2)[0] == "Write it"


def test_a_released_edition_and_the_runs_made_from_it_never_change(site: Site) -> None:
    rename(site)
    release(site, "clearer")
    assert titles(site, "Bela")[0] == "Write it" and titles(site, "Bela", 1)[0] == "Draft"
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run.edition.number == 1 and run.tasks[0].title == "Draft"


def test_a_refused_edit_leaves_the_draft_as_it_was(site: Site) -> None:
    rename(site)
    with pytest.raises(Refused) as caught:
        rename(site, title=" ")
    assert set(caught.value.faults) == {"title"}
    assert titles(site)[0] == "Write it"


def test_a_draft_may_wait_for_what_its_texts_name_but_is_not_released_so(site: Site) -> None:
    rename(site, title="Tell {{ nobody }}")
    with pytest.raises(Refused, match="nobody"):
        release(site)


def test_edits_are_undone_one_after_the_other_to_the_first_and_done_again(site: Site) -> None:
    before = titles(site)
    for n in range(30):
        rename(site, title=f"Draft {n}")
    edit(site, lambda t: editing.remove_steps(t, ["check"]))
    assert len(titles(site)) == 3
    while True:
        try:
            back(site)
        except Refused:
            break
    assert titles(site) == before
    for _ in range(31):
        back(site, again=True)
    assert titles(site) == ["Draft 29", "Print", "Party"]
    back(site)
    rename(site, title="Another way")  # a new edit: what was undone is out of reach
    with pytest.raises(Refused, match="nothing to do again"):
        back(site, again=True)


def test_two_people_on_one_draft_lose_nothing_and_undo_only_their_own(site: Site) -> None:
    let(site, "Bela", "edit")
    rename(site, title="By Ada")
    edit(site, lambda t: insert(t, [Line("By Bela")], Place("print", "paper"))[0], "Bela")
    rename(site, "Bela", "Checked by Bela", "check")
    assert back(site).text == "step By Ada changed: title By Ada, was Draft"
    assert titles(site) == ["Draft", "Checked by Bela", "Print", "By Bela", "Party"]


def test_undoing_what_somebody_else_has_changed_again_is_passed_over_and_said(site: Site) -> None:
    let(site, "Bela", "edit")
    rename(site, title="First", key="print")
    rename(site, title="By Ada")
    rename(site, "Bela", "By Bela")
    assert "Bela has since changed the same thing" in back(site).passed_over
    assert titles(site)[0] == "By Bela"
    assert back(site).text.startswith("step First changed")  # the edit before it is next
    assert titles(site)[:3] == ["By Bela", "Check", "Print"]


def test_who_may_look_start_edit_and_own_is_held_to_that(site: Site) -> None:
    with pytest.raises(NotAllowed, match="Ask Ada"):
        rename(site, "Bela")
    with site.store.writing() as session:
        rights.open_to(session, site.person("Ada"), site.template, "nothing")
    with pytest.raises(NotThere):
        titles(site, "Bela")
    let(site, "Bela", "look")
    assert titles(site, "Bela")
    with pytest.raises(NotAllowed), site.store.writing() as session:
        choices = Choices(anchors={"go": TODAY}, facts={"number": "1"})
        start_run(session, site.person("Bela"), site.template, None, choices, TODAY)
    with site.store.reading() as session:
        cleo, lead = site.person("Cleo"), site.person("Bela")
        assert list_runs(session, lead) and list_runs(session, cleo)  # Cleo is in the crew
        run_of(session, site.run, cleo).crew[2].person_id = None
        session.flush()
        assert not list_runs(session, cleo) and list_runs(session, lead)
        assert not templates.library(session, cleo).any_at_all and templates.library(session, lead).entries
    with site.store.writing() as session:
        rights.hand_over(session, site.person("Ada"), site.template, site.people["Bela"])
    rename(site, "Bela")
    rename(site, "Ada", "Still mine to edit")
    with pytest.raises(NotAllowed, match="Only Bela"):
        let(site, "Cleo", "edit")


def test_a_retired_edition_is_not_started_until_it_is_used_again(site: Site) -> None:
    def start() -> None:
        with site.store.writing() as session:
            choices = Choices(anchors={"go": TODAY}, facts={"number": "1"})
            start_run(session, site.person("Bela"), site.template, None, choices, TODAY)

    with site.store.writing() as session:
        editions.retire(session, site.person("Ada"), site.template, 1)
    with pytest.raises(Refused, match="retired"):
        start()
    with site.store.writing() as session:
        editions.retire(session, site.person("Ada"), site.template, 1, back=True)
    start()


def test_going_back_to_an_edition_is_an_edit_that_can_be_undone_and_compared(site: Site) -> None:
    rename(site)
    edit(site, lambda t: editing.remove_steps(t, ["party"]))
    release(site)
    with site.store.reading() as session:
        found = [
            str(line) for line in editions.see_editions(session, site.person("Bela"), site.template, 1, 2).changes or ()
        ]
    assert found == ["step Party removed", "step Write it changed: title Write it, was Draft"]
    with site.store.writing() as session:
        editions.go_back(session, site.person("Ada"), site.template, 1)
    assert titles(site) == ["Draft", "Check", "Print", "Party"]
    back(site)
    assert titles(site)[0] == "Write it"


def test_a_template_with_nothing_in_it_is_not_released(site: Site) -> None:
    with site.store.writing() as session:
        number = templates.create_template(session, site.person("Bela"), "Empty")
    with pytest.raises(Refused, match="no steps"), site.store.writing() as session:
        editions.release(session, site.person("Bela"), number)


def test_a_draft_is_discarded_and_the_released_edition_stands(site: Site) -> None:
    rename(site)
    with site.store.writing() as session:
        editions.discard_draft(session, site.person("Ada"), site.template)
    assert titles(site)[0] == "Draft"


def outer() -> dict[str, Any]:
    """A template that contains the bulletin and goes on behind it."""
    return document(
        [step("announce", 1, role="boss")],
        "b>announce",
        name="Anniversary",
        anchors=[{"key": "day", "label": "Day"}],
        roles=[{"key": "boss", "label": "Boss", "fill": {"by": "keeper"}}],
        includes=[
            {"key": "b", "template": "Issue of the bulletin", "anchors": {"go": "day"}, "roles": {"lead": "boss"}}
        ],
    )


def test_a_run_has_the_steps_of_included_templates_and_keeps_the_editions_it_was_started_with(site: Site) -> None:
    with site.store.writing() as session:
        ada = site.person("Ada")
        number = templates.keep_template(session, ada, read_template(outer())).template_id
        editions.release(session, ada, number)
        assert not see_sheet(session, ada, number, TODAY).newer
    rename(site, title="Write it")
    release(site)
    with site.store.writing() as session:
        shown = see_sheet(session, site.person("Ada"), number, TODAY)
        assert [head["newer"] for head in as_sent(shown)["includes"]] == [True]
        choices = Choices({"day": dt.date(2026, 6, 8)}, {"b.number": "8"}, {"b.writer": str(site.people["Bela"])})
        run = run_by_id(session, start_run(session, site.person("Ada"), number, None, choices, TODAY))
        assert run
        found = {task.key: task for task in run.tasks}
        assert [task.key for task in run.tasks] == ["announce", "b.draft", "b.check", "b.print", "b.party"]
        assert found["b.draft"].title == "Draft"  # the edition there was when the outer one was released
        assert found["announce"].start_on == dt.date(2026, 6, 25)  # behind the party, twelve days after the start
        assert (found["b.check"].sign_off_role, found["b.party"].role) == ("boss", "boss")
        assert {member.role: member.name for member in run.crew} == {"boss": "Ada", "b.writer": "Bela", "b.editor": ""}
        opened = template_of_run(run)
        assert [phase.label for phase in opened.phases] == ["Words", "Paper"]


def test_a_template_made_of_a_run_goes_into_its_draft_or_becomes_a_new_one(site: Site) -> None:
    with site.store.writing() as session:
        run = run_by_id(session, site.run)
        task_of(run, "print").finish_on = dt.date(2026, 6, 12)
    with site.store.writing() as session:
        ada = site.person("Ada")
        drawn = run_as_template.drawn(session, ada, site.run, TODAY, keep_dropped=False)
        assert [line.key for line in drawn.lines if not line.same] == ["print"]
        number = run_as_template.make(session, ada, site.run, TODAY, keep_dropped=False, name="", into=False)
        made = edition_of(session, ada, number)
        assert (template_of(made).name, made.state) == ("Bulletin 7, as it went", "draft")
        run_as_template.make(session, ada, site.run, TODAY, keep_dropped=False, name="", into=True)
    assert back(site).text.startswith("step Print changed: duration 5")


def test_a_rehearsal_knows_who_is_away_and_what_is_missing(site: Site) -> None:
    from unisequa.actions.templates.rehearsals import Rehearsal, rehearsed
    from unisequa.store.linked import Linked

    with site.store.writing() as session:
        session.add(
            Leave(person_id=site.people["Bela"], first_on=dt.date(2026, 6, 8), last_on=dt.date(2026, 6, 9), label="")
        )
    with site.store.reading() as session:
        ask = lambda **more: rehearsed(  # noqa: E731
            session, site.person("Ada"), read_template(job()), Linked(), Rehearsal.model_validate(more), TODAY
        )
        assert ask().faults == {
            "anchors.go": '"Go" is required; give its date', "facts.number": '"Number" is required; fill it in',
        }  # fmt: skip
        assert "is no date" in ask(anchors={"go": "soon"}).faults["anchors.go"]
        draft = editing.change_step(read_template(job()), "print", title="Print for {{ nobody }}")
        given = Rehearsal(anchors={"go": "8 jun"}, facts={"number": "3"})
        plan = rehearsed(session, site.person("Ada"), draft, Linked(), given, TODAY).plan
        assert plan and [task.title for task in plan.tasks][2] == "Print for ‹ nobody ›"
        found = ask(anchors={"go": "8 jun"}, facts={"number": "3"}, crew={"writer": str(site.people["Bela"])})
        assert [w.text for w in found.warnings if w.kind == "away"] == ["Draft: Bela is away Mon 8 – Tue 9 Jun"]


ACTS: dict[str, tuple[str, Callable[[Any, Any, Site], Any]]] = {
    "edit": ("edit", lambda s, who, site: drafts.edit_draft(s, who, site.template, lambda t: t)),
    "undo": ("edit", lambda s, who, site: drafts.undo(s, who, site.template)),
    "redo": ("edit", lambda s, who, site: drafts.redo(s, who, site.template)),
    "release": ("edit", lambda s, who, site: editions.release(s, who, site.template)),
    "retire": ("edit", lambda s, who, site: editions.retire(s, who, site.template, 1)),
    "go back": ("edit", lambda s, who, site: editions.go_back(s, who, site.template, 1)),
    "discard": ("edit", lambda s, who, site: editions.discard_draft(s, who, site.template)),
    "what a release changes": ("edit", lambda s, who, site: editions.releasable(s, who, site.template)),
    "open": ("own", lambda s, who, site: rights.open_to(s, who, site.template, "look")),
    "give": ("own", lambda s, who, site: rights.give_right(s, who, site.template, site.people["Cleo"], "edit")),
    "hand over": ("own", lambda s, who, site: rights.hand_over(s, who, site.template, site.people["Cleo"])),
    "attach": ("edit", lambda s, who, site: files.attach(s, who, site.template, "draft", A_FILE)),
    "see": ("look", lambda s, who, site: templates.shown_template(s, who, site.template)),
    "editions": ("look", lambda s, who, site: editions.see_editions(s, who, site.template)),
    "copy": ("look", lambda s, who, site: templates.duplicate(s, who, site.template)),
}


@pytest.mark.parametrize("name", ACTS)
def test_nothing_is_done_with_a_template_by_who_may_not(name: str, site: Site) -> None:
    needs, act = ACTS[name]
    if needs == "own":
        let(site, "Bela", "edit")
    if needs != "look":
        with pytest.raises(NotAllowed), site.store.writing() as session:
            act(session, site.person("Bela"), site)
    let(site, "Bela", "nothing")
    with site.store.writing() as session:
        rights.open_to(session, site.person("Ada"), site.template, "nothing")
        run_of(session, site.run, site.person("Ada")).crew[1].person_id = None
    with pytest.raises(NotThere), site.store.writing() as session:
        act(session, site.person("Bela"), site)


def test_rights_are_given_to_somebody_active_who_is_not_the_owner_and_told(site: Site) -> None:
    for who, right, field in (("Ada", "look", "person"), ("Bela", "rule", "right")):
        with pytest.raises(Refused) as caught:
            let(site, who, right)
        assert set(caught.value.faults) == {field}
    with site.store.writing() as session:
        session.get(Person, site.people["Cleo"]).active = False
    with pytest.raises(Refused, match="nobody with that number"):
        let(site, "Cleo", "look")
    let(site, "Bela", "edit")
    rename(site, "Bela")
    release(site, "Shorter")
    with site.store.reading() as session:
        told = [one.text for one in of_template(session, site.template)]
    assert told[0].startswith("edition 2") and "Bela may edit it" in told
    assert told[-1] == "Issue of the bulletin begun"


def test_the_library_shows_the_newest_released_edition_else_the_newest_retired(site: Site) -> None:
    rename(site)
    release(site)
    rename(site, title="Not yet released")

    def shown() -> tuple[int, str]:
        with site.store.reading() as session:
            seen = templates.shown_template(session, site.person("Cleo"), site.template)
            return seen.number, seen.state

    assert shown() == (2, "released")
    for number in (2, 1):
        with site.store.writing() as session:
            editions.retire(session, site.person("Ada"), site.template, number)
        assert shown() == ((1, "released") if number == 2 else (2, "retired"))
