"""Starting runs: together and once, from records and from the end, with what was mended and what is waited for."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest

from tests.plans import dates, document, step
from tests.site import TODAY, Site
from unisequa.actions.runs.proposing import proposals_to
from unisequa.actions.runs.together import Source, consider_together, move_together
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.creating import start_run, start_runs
from unisequa.actions.starting.looks import Looked, noticed
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.starting.results import alike, crew_of_last, see_start
from unisequa.actions.subjects import Record, add_subject, change_subject, subject_of
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Leave, Person, Position, Run, Subject, TaskRow, Team

FIRST = dt.date(2026, 7, 6)  # a Monday


def welcome(name: str = "A new colleague", **more: Any) -> dict[str, Any]:
    """A joiner's template: asked for before the first day, met on it, talked to a month later."""
    anchor = {"key": "start", "label": "First day"}
    when = {"anchor": "start", "edge": "start"}
    steps = [
        step("badge", 2, role="desk", when={**when, "offset": -5}, effort="4h"),
        step("meet", 1, role="lead", when={**when, "offset": 0}),
        step("talk", 1, role="lead", when={**when, "offset": 20}, only_if="talks"),
    ]
    roles = [{"key": "lead", "label": "Lead", "fill": {"by": "manager"}}, {"key": "desk", "label": "Desk"}]
    facts = [{"key": "talks", "label": "Talks", "kind": "yes-no"}]
    return document(steps, name=name, anchors=[anchor], roles=roles, facts=facts, naming="Welcome {{ subject }}") | more


def kept(session: Session, site: Site, content: dict[str, Any]) -> int:
    return keep_template(session, site.person("Ada"), read_template(content), released=True).template_id


def wanted(template_id: int, **more: Any) -> Wanted:
    given: dict[str, Any] = {"anchors": {"start": FIRST}, "subject": "Ansel Whitby", **more}
    return Wanted(template_id, None, Choices(**given))


def two(site: Site) -> tuple[int, int, int]:
    """Two templates started together on one subject: their ids, and that of the start."""
    with site.store.writing() as session:
        ids = [kept(session, site, welcome(name)) for name in ("A new colleague", "What comes on top")]
        start = start_runs(session, site.person("Ada"), [wanted(number) for number in ids], TODAY, "form-1")
    return ids[0], ids[1], start


def test_a_form_sent_twice_makes_its_runs_once_and_the_result_says_what_was_left_out(site: Site) -> None:
    first, second, start = two(site)
    with site.store.writing() as session:
        again = start_runs(session, site.person("Ada"), [wanted(first), wanted(second)], TODAY, "form-1")
        assert again == start and session.query(Run).count() == 3
        with pytest.raises(Refused, match="open the start page again"):
            start_runs(session, site.person("Bela"), [wanted(first), wanted(second)], TODAY, "form-1")
        changed = start_runs(session, site.person("Ada"), [wanted(first, name="Once more")], TODAY, "form-1")
        assert changed != start  # gone back to, and changed
    with site.store.reading() as session:
        made = see_start(session, site.person("Ada"), start, TODAY)
        assert [(one.name, one.tasks, one.left) for one in made] == [
            ("Welcome Ansel Whitby", 2, (("Talk", "only where Talks is yes"),))
        ] * 2
        assert made[0].who == (("Desk, nobody yet", 1), ("Lead, nobody yet", 1))
        assert (made[0].ready, made[0].first) == (0, FIRST - dt.timedelta(days=7))
        with pytest.raises(NotThere):
            see_start(session, site.person("Bela"), start, TODAY)


def test_of_several_runs_none_is_made_when_one_cannot_be(site: Site) -> None:
    with site.store.writing() as session:
        ids = [kept(session, site, welcome(name)) for name in ("A new colleague", "What comes on top")]
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        start_runs(session, site.person("Ada"), [wanted(ids[0]), wanted(ids[1], anchors={})], TODAY)
    assert set(caught.value.faults) == {f"{ids[1]}:anchors.start"}
    with site.store.reading() as session:
        assert session.query(Run).count() == 1 and session.query(Subject).count() == 0


def test_a_new_first_day_moves_every_run_that_holds_it_and_is_proposed_to_other_keepers(site: Site) -> None:
    two(site)
    with site.store.writing() as session:
        second = session.query(Run).order_by(Run.id.desc()).first()
        second.keeper_id, second.edition.template.owner_id = site.people["Bela"], site.people["Bela"]
        second.edition.template.open_to = "nothing"
        subject = session.query(Subject).one()
        assert subject.first_on == FIRST
        source = Source("subject", subject.id, "First day")
        later = FIRST + dt.timedelta(days=7)
        seen = consider_together(session, site.person("Ada"), source, later, TODAY)
        assert [(one.day, len(one.result.changes)) for one in seen.holders] == [(FIRST, 2)]  # the other is hidden
        done = move_together(session, site.person("Ada"), source, later, {}, TODAY)
        assert (done.moved, done.proposed) == (1, 1)
    with site.store.reading() as session:
        runs = session.query(Run).order_by(Run.id).all()[1:]
        assert [run.anchors["start"] for run in runs] == ["2026-07-13", "2026-07-06"]
        assert session.query(Subject).one().first_on == later
        (proposal,) = proposals_to(session, site.person("Bela"))
        assert "First day of Ansel Whitby is Mon 13 Jul 2026" in proposal.why
    with pytest.raises(NotThere), site.store.reading() as session:
        consider_together(session, site.person("Cleo"), Source("start", 1, "First day"), FIRST, TODAY)


def test_runs_started_together_share_the_dates_that_no_record_gives(site: Site) -> None:
    with site.store.writing() as session:
        ids = [kept(session, site, welcome(name)) for name in ("A new colleague", "What comes on top")]
        start = start_runs(session, site.person("Ada"), [wanted(n, subject="") for n in ids], TODAY)
        later = FIRST + dt.timedelta(days=1)
        done = move_together(session, site.person("Ada"), Source("start", start, "First day"), later, {}, TODAY)
        assert (done.moved, done.proposed) == (2, 0)


def test_a_record_fills_manager_and_dates_and_keeps_names_apart(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        record = Record("Juno Tarrant", "Educator", "Harbour House", site.people["Cleo"], FIRST)
        number = add_subject(session, ada, record, TODAY)
        with pytest.raises(Refused, match="Juno Tarrant is there already"):
            add_subject(session, ada, Record("juno  tarrant"), TODAY)
        run_id = start_run(
            session, ada, kept(session, site, welcome()), None,
            Choices(anchors={"start": FIRST}, subject="juno tarrant"), TODAY,
        )  # fmt: skip
        crew = {member.role: member.name for member in run_by_id(session, run_id).crew}
        assert crew == {"lead": "Cleo", "desk": ""} and run_by_id(session, run_id).subject_id == number
        with pytest.raises(NotAllowed):
            change_subject(session, site.person("Bela"), number, record, TODAY)
        with pytest.raises(Refused, match="last day would be before the first"):
            change_subject(
                session, ada, number, Record("Juno Tarrant", last=FIRST - dt.timedelta(days=1), first=FIRST), TODAY
            )
        assert subject_of(session, site.person("Cleo"), "Juno Tarrant") is not None  # may start the bulletin


def test_a_position_is_filled_by_the_one_who_holds_it(site: Site) -> None:
    role = {"key": "desk", "label": "Desk", "fill": {"by": "position", "position": "front desk"}}
    with site.store.writing() as session:
        session.get(Person, site.people["Bela"]).position = Position(name="Front desk")
        session.flush()
        number = kept(session, site, welcome(roles=[role, {"key": "lead", "label": "Lead"}]))
        on = Startable(session, site.person("Ada"), number, None, TODAY)
        assert on.members(Choices())["desk"].name == "Bela"
        session.get(Person, site.people["Cleo"]).position = session.get(Person, site.people["Bela"]).position
        session.flush()
        on = Startable(session, site.person("Ada"), number, None, TODAY)
        assert on.members(Choices())["desk"].name == ""  # two hold it, so it is asked


def test_what_was_mended_for_this_run_is_what_is_created(site: Site) -> None:
    ada = site.person("Ada")
    choices = Choices(
        anchors={"go": dt.date(2026, 6, 8)}, facts={"number": "8"}, without=frozenset({"check"}),
        put={"party": dt.date(2026, 7, 1)}, given={"print": site.people["Cleo"]},
    )  # fmt: skip
    with site.store.writing() as session:
        shown = Startable(session, ada, site.template, None, TODAY).plan(choices)
        run_id = start_run(session, ada, site.template, None, choices, TODAY)
    with site.store.reading() as session:
        run = run_by_id(session, run_id)
        assert dates(plan_of(run, TODAY)) == dates(shown) and dates(shown)["party"] == ("2026-07-01",) * 2
        assert [row.key for row in run.tasks] == ["draft", "print", "party"]
        rows = {row.key: row for row in run.tasks}
        assert rows["print"].person_id == site.people["Cleo"] and rows["party"].put
        assert {(k.source_id, k.target_id) for k in run.links} >= {(rows["draft"].id, rows["print"].id)}


def test_from_the_end_the_opening_is_the_last_day_that_still_makes_it(site: Site) -> None:
    end = dt.date(2026, 8, 14)
    with site.store.reading() as session:
        on = Startable(session, site.person("Ada"), site.template, None, TODAY)
        choices = on.opened_by_end(Choices(facts={"number": "8"}, end=end), "go")
        reached = on.plan(choices).reach()
        later = {"go": choices.anchors["go"] + dt.timedelta(days=1)}
        assert reached[1] <= end.toordinal() < on.plan(Choices(anchors=later, facts={"number": "8"})).reach()[1]


def test_what_deserves_a_look_comes_with_what_mends_it(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        session.add(Leave(person_id=site.people["Bela"], first_on=dt.date(2026, 6, 1), last_on=dt.date(2026, 6, 12)))
        session.add(Team(name="Press", members=[session.get(Person, site.people[n]) for n in ("Bela", "Cleo")]))
        session.flush()
        on = Startable(session, ada, site.template, None, TODAY)
        choices = Choices(
            anchors={"go": dt.date(2026, 6, 1)}, facts={"number": "8"}, crew={"writer": str(site.people["Bela"])}
        )
        run = Looked(on, choices, on.plan(choices), on.members(choices))
        found = {(one.kind, one.task): one for one in noticed(session, [run, run], TODAY)[0]}
        away = found["away", "draft"]
        assert away.text == "Draft: Bela is away Mon 1 – Fri 12 Jun"
        assert [(offer.what, offer.value) for offer in away.offers] == [
            ("give", str(site.people["Cleo"])), ("put", "2026-06-15"), ("without", "yes"),
        ]  # fmt: skip
        assert found["past", "draft"].offers[0].value == TODAY.isoformat() and ("nobody", None) in found
        assert {one.kind for one in noticed(session, [run, run], TODAY)[1]} >= {"twice"}


def test_too_much_in_a_week_counts_what_lies_with_somebody_already(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        number = kept(session, site, welcome())
        for row in session.query(TaskRow).filter(TaskRow.key == "print"):
            row.effort, row.start_on, row.finish_on = "38h", dt.date(2026, 6, 29), dt.date(2026, 7, 3)
        session.flush()
        on = Startable(session, ada, number, None, TODAY)
        choices = Choices(anchors={"start": FIRST}, crew={"desk": str(site.people["Bela"])})
        run = Looked(on, choices, on.plan(choices), on.members(choices))
        (full,) = [one for one in noticed(session, [run], TODAY)[0] if one.kind == "full"]
        assert full.text == "Bela: 42 of 40 h in the week of 29 Jun" and full.task == "badge"


def test_a_run_waits_for_the_run_that_was_chosen_whatever_its_date(site: Site) -> None:
    ada = site.person("Ada")
    wait = {"template": "Issue of the bulletin", "step": "print", "anchor": "go"}
    with site.store.writing() as session:
        number = kept(session, site, document([step("send", 1, 0, waits_for=[wait])], name="Post"))
        on = Startable(session, ada, number, None, TODAY)
        far = Choices(anchors={"go": dt.date(2026, 9, 1)})
        assert on.plan(far).tasks[0].waits[0].found is False
        chosen = Choices(anchors=far.anchors, awaits={site.template: site.run})
        run_id = start_run(session, ada, number, None, chosen, TODAY)
    with site.store.reading() as session:
        (awaited,) = plan_of(run_by_id(session, run_id), TODAY).tasks[0].waits
        assert awaited.run == "Bulletin 7" and awaited.finish is not None


def test_the_last_crew_is_offered_and_a_run_that_is_there_already_is_said(site: Site) -> None:
    ada = site.person("Ada")
    first, _, _ = two(site)
    with site.store.reading() as session:
        name, crew = crew_of_last(session, ada, site.template)
        assert name == "Bulletin 7" and crew["writer"] == (str(site.people["Bela"]), "Bela")
        there = alike(session, ada, [first], "ansel whitby", {first: FIRST})
        assert [one.name for one in there] == ["Welcome Ansel Whitby"]
        assert alike(session, ada, [first], "Ansel Whitby", {first: FIRST + dt.timedelta(days=1)}) == []
        go = dict.fromkeys([site.template], dt.date.fromisoformat(str(run_by_id(session, site.run).anchors["go"])))
        assert [one.id for one in alike(session, ada, [site.template], "", go, ["Bulletin 7"])] == [site.run]
        assert alike(session, ada, [site.template], "", go, ["Bulletin 8"]) == []  # as those of other facts are called
