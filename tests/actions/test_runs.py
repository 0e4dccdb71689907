"""Starting runs, and working on their tasks."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from tests.plans import dates, document, step
from tests.site import TODAY, Site, make_site
from unisequa.actions.runs import shifts
from unisequa.actions.runs.crew import fill_role
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.seeing import see_run, task_of
from unisequa.actions.runs.work import Acted, Deed, act_on_task, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.starting.rehearsing import rehearse
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import keep_template
from unisequa.core.calendars.grid import Grid
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.includes import name_key
from unisequa.core.documents.template import Step, Wait
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.shift.edits import Window
from unisequa.core.work.readiness import readiness
from unisequa.store.lists import bring_up
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import HistoryRow, Person, Run, Team
from unisequa.store.waits import AwaitedElsewhere


def act(site: Site, who: str, key: str, what: Any, **more: Any) -> Acted:
    with site.store.writing() as session:
        return act_on_tasks(session, site.person(who), site.run, Deed(what, [key], **more), TODAY)


def states(site: Site) -> dict[str, str]:
    with site.store.reading() as session:
        plan = plan_of(run_by_id(session, site.run), TODAY)
        return {task.key: state for task, state in zip(plan.tasks, readiness(plan).states, strict=True)}


def test_a_run_keeps_the_dates_that_were_shown_before_it_was_started(site: Site) -> None:
    ada = site.person("Ada")
    choices = Choices(anchors={"go": dt.date(2026, 6, 5)}, facts={"number": "8"})
    with site.store.writing() as session:
        shown = rehearse(session, ada, site.template, None, choices, TODAY)
        started = start_run(session, ada, site.template, None, choices, TODAY)
    with site.store.reading() as session:
        kept = plan_of(run_by_id(session, started), TODAY)
    assert kept.name == shown.name == "Bulletin 8"
    assert dates(kept) == dates(shown)
    assert list(kept.schedule.total_slack) == list(shown.schedule.total_slack)
    assert [kept.drift(i) for i in range(4)] == [shown.drift(i) for i in range(4)]


def test_a_run_that_cannot_be_started_leaves_nothing_behind(site: Site) -> None:
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        start_run(session, site.person("Ada"), site.template, None, Choices(facts={"number": "many"}), TODAY)
    assert set(caught.value.faults) == {"anchors.go", "facts.number"}
    with site.store.reading() as session:
        assert session.query(Run).count() == 1


def test_finishing_makes_what_follows_ready_at_once(site: Site) -> None:
    assert states(site) == {"draft": "ready", "check": "waiting", "print": "waiting", "party": "waiting"}
    act(site, "Bela", "draft", "finish")
    assert states(site)["check"] == "ready"


def test_a_barred_task_is_not_finished_before_what_it_waits_for(site: Site) -> None:
    with pytest.raises(Refused, match="waits for Draft, which is not done"):
        act(site, "Cleo", "check", "finish")
    assert states(site)["check"] == "waiting"


def test_a_warning_gate_lets_through_who_confirms(site: Site) -> None:
    with pytest.raises(Refused) as caught:
        act(site, "Ada", "party", "finish")
    assert set(caught.value.faults) == {"gate"}
    act(site, "Ada", "party", "finish", confirmed=True)
    assert states(site)["party"] == "done"


def test_a_sign_off_takes_a_second_person_in_that_role(site: Site) -> None:
    act(site, "Bela", "draft", "finish")
    done = act(site, "Cleo", "check", "finish")
    assert (states(site)["check"], done.words) == ("in review", "Check: done, now to be signed off")
    with pytest.raises(Refused, match="second person"):
        act(site, "Cleo", "check", "sign off")
    act(site, "Ada", "check", "sign off")
    assert states(site)["check"] == "done" and states(site)["print"] == "ready"


def test_an_open_draft_is_started_only_where_it_is_asked_for(site: Site) -> None:
    ada = site.person("Ada")
    choices = Choices(anchors={"go": dt.date(2026, 6, 5)}, facts={"number": "8"})
    odd = Step(key="draft", title="{{ printer }} writes")
    with site.store.writing() as session:
        edit_draft(session, ada, site.template, lambda t: t.model_copy(update={"steps": [odd, *t.steps[1:]]}))
        released = start_run(session, ada, site.template, None, choices, TODAY)
        assert session.get_one(Run, released).edition.state == "released"
        with pytest.raises(Refused, match='writes" cannot be filled in: no fact'):
            start_run(session, ada, site.template, 2, choices, TODAY)


@pytest.mark.parametrize(
    ("signer", "keeper", "owner", "now"),
    [
        ("Ada", "Bela", "Bela", "Ada"),
        ("Cleo", "Bela", "Ada", "Bela"),
        ("Cleo", "Cleo", "Ada", "Ada"),
        ("Cleo", "Cleo", "Cleo", "an administrator"),
    ],
)
def test_where_the_signer_did_it_the_next_in_turn_signs_off(
    site: Site, signer: str, keeper: str, owner: str, now: str
) -> None:
    act(site, "Bela", "draft", "finish")
    with site.store.writing() as session:
        run = session.get_one(Run, site.run)
        run.keeper_id, run.edition.template.owner_id = site.people[keeper], site.people[owner]
        next(member for member in run.crew if member.role == "lead").person_id = site.people[signer]
    act(site, "Cleo", "check", "finish")
    with site.store.reading() as session:
        assert see_run(session, site.person("Ada"), site.run, TODAY).task("check").signs == now
    for name in {"Ada", "Bela", "Cleo"} - {now}:
        with pytest.raises((Refused, NotAllowed)):
            act(site, name, "check", "sign off")
    if now in site.people:
        act(site, now, "check", "sign off")
        assert states(site)["check"] == "done"


def test_only_who_does_it_and_the_keeper_work_on_a_task(site: Site) -> None:
    with pytest.raises(NotAllowed):
        act(site, "Cleo", "draft", "begin")
    act(site, "Ada", "draft", "begin")
    assert states(site)["draft"] == "under way"


def test_only_what_may_be_skipped_is_dropped_and_what_follows_goes_on(site: Site) -> None:
    with pytest.raises(Refused):
        act(site, "Ada", "draft", "drop")
    act(site, "Ada", "print", "drop")
    assert states(site)["party"] == "waiting"  # it now follows what the print followed
    act(site, "Ada", "draft", "finish")
    act(site, "Cleo", "check", "finish")
    act(site, "Ada", "check", "sign off")
    assert states(site)["party"] == "ready"


def test_what_is_begun_and_done_takes_its_actual_dates_and_moves_nobody_else(site: Site) -> None:
    def stand() -> Any:
        with site.store.reading() as session:
            return dates(plan_of(run_by_id(session, site.run), TODAY))

    before = stand()
    act(site, "Bela", "draft", "begin")
    assert stand() == before | {"draft": ("2026-06-03", "2026-06-04")}
    act(site, "Bela", "draft", "finish")
    assert stand() == before | {"draft": ("2026-06-03", "2026-06-03")}


def test_a_run_keeps_its_sub_steps_and_only_they_are_worked_on(tmp_path: Path, database: str | None) -> None:
    steps = [step("whole"), step("part", 2, 0, parent="whole"), step("rest", 1, parent="whole"), step("then")]
    site = make_site(tmp_path, content=document(steps, "part>rest", "whole>then"), database=database)
    assert states(site) == {"whole": "ready", "part": "ready", "rest": "waiting", "then": "waiting"}
    with pytest.raises(Refused, match="Whole spans its sub-steps; work on those"):
        act(site, "Ada", "whole", "finish")
    act(site, "Ada", "part", "finish")
    assert states(site)["whole"] == "under way"
    act(site, "Ada", "rest", "finish")
    assert (states(site)["whole"], states(site)["then"]) == ("done", "ready")


def test_what_cannot_be_started_here_says_so(site: Site) -> None:
    change = {"includes": [{"key": "m", "template": "other"}]}
    with site.store.writing() as session:
        ada = site.person("Ada")
        made = keep_template(session, ada, read_template(document([step("a")]) | change), released=True).template_id
        with pytest.raises(Refused, match='o template "other"'):
            start_run(session, ada, made, None, Choices(anchors={"go": TODAY}), TODAY)


def test_every_act_is_written_down_with_who_and_when(site: Site) -> None:
    act(site, "Bela", "draft", "begin")
    act(site, "Bela", "draft", "finish")
    with site.store.reading() as session:
        rows = session.query(HistoryRow).filter(HistoryRow.task_key == "draft").all()
        assert [(row.person.name, row.what) for row in rows] == [("Bela", "task begun"), ("Bela", "task done")]


def test_a_run_on_hold_is_not_worked_on(site: Site) -> None:
    with site.store.writing() as session:
        set_run_state(session, site.person("Ada"), site.run, Becoming("on hold", "so", drop_open=True), TODAY)
    with pytest.raises(Refused, match="on hold"):
        act(site, "Bela", "draft", "begin")


def test_nobody_is_put_into_a_role_by_a_number_that_nobody_has(site: Site) -> None:
    ada = site.person("Ada")
    with pytest.raises(Refused, match="nobody"), site.store.writing() as session:
        fill_role(session, ada, site.run, "writer", "999", TODAY)
    choices = Choices(anchors={"go": TODAY}, facts={"number": "8"}, crew={"writer": "999"})
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        start_run(session, ada, site.template, None, choices, TODAY)
    assert set(caught.value.faults) == {"crew.writer"}


WAIT = Wait(template="Mailing", step="post", anchor="go")


def mailing(site: Site, go: dt.date, **sign_off: Any) -> int:
    """A run of another job, whose packing waits for the bulletin of the same day to be printed."""
    wait = {"template": "issue-of-the-bulletin", "step": "print", "anchor": "go"}
    packing = step("pack", 1, 0, role="lead", waits_for=[wait])
    posting = step("post", 1, 0, role="lead", **({"sign_off": {"role": "signer", **sign_off}} if sign_off else {}))
    roles = [{"key": "lead", "label": "Lead", "fill": {"by": "keeper"}}, {"key": "signer", "label": "Signer"}]
    facts = [{"key": "copies", "label": "Copies", "kind": "number"}]
    job = document([packing, posting], name="Mailing", roles=roles, facts=facts)
    with site.store.writing() as session:
        bela = site.person("Bela")
        made = keep_template(session, bela, read_template(job), released=True).template_id
        choices = Choices(anchors={"go": go}, crew={"signer": str(site.people["Ada"])})
        return start_run(session, bela, made, None, choices, TODAY)


def test_a_task_waits_for_the_run_of_another_job_with_the_same_date(site: Site) -> None:
    with site.store.reading() as session:
        bulletin = session.get(Run, site.run)
        assert bulletin
        go = dt.date.fromisoformat(bulletin.anchors["go"])
        printed = next(row.finish_on for row in bulletin.tasks if row.key == "print")
        name = bulletin.name
    run = mailing(site, go)
    with site.store.reading() as session:
        found = run_by_id(session, run)
        assert printed and found.tasks[0].start_on and found.tasks[0].start_on > printed
        assert readiness(plan_of(found, TODAY)).states[0] == "waiting"
    with site.store.writing() as session, pytest.raises(Refused, match=f"waits for Print of {name}"):
        act_on_task(session, site.person("Bela"), run, "pack", "finish", TODAY)
    for key, who in (("draft", "Bela"), ("check", "Cleo")):
        act(site, who, key, "finish")
    act(site, "Ada", "check", "sign off")
    act(site, "Bela", "print", "finish")
    with site.store.reading() as session:
        assert readiness(plan_of(run_by_id(session, run), TODAY)).states[0] == "ready"
        assert run_by_id(session, run).tasks[0].ready_on is not None  # kept with the act in the other run
    with site.store.writing() as session:  # a draft with another name is still the same template
        edit_draft(session, site.person("Ada"), site.template, lambda t: t.model_copy(update={"name": "Newsletter"}))
    with site.store.reading() as session:
        assert plan_of(run_by_id(session, run), TODAY).tasks[0].waits[0].run == name
        printing = WAIT.model_copy(update={"template": "Newsletter", "step": "print"})
        ids = {"newsletter": site.template}
        finishes = [AwaitedElsewhere(session, [printing], ids, TODAY, Grid(n))(printing, go).finish for n in (1, 1440)]
        assert finishes[0] and finishes[1] == finishes[0] * 1440
    alone = mailing(site, go + dt.timedelta(days=1))
    with site.store.reading() as session:
        awaited = plan_of(run_by_id(session, alone), TODAY).tasks[0].waits[0]
        assert awaited.words == "Print of Newsletter, which has no run of that date yet"


def test_of_several_runs_of_a_date_the_one_of_the_same_subject_is_waited_for(site: Site) -> None:
    made = {}
    with site.store.writing() as session:
        go = dt.date.fromisoformat(session.get_one(Run, site.run).anchors["go"])
        for subject in ("Spring issue", "Extra sheet"):
            choices = Choices(anchors={"go": go}, facts={"number": "8"}, subject=subject)
            made[subject] = start_run(session, site.person("Ada"), site.template, None, choices, TODAY)
    with site.store.reading() as session:
        ids = {name_key(WAIT.template): site.template}

        def found(subject: str) -> int | None:
            run = AwaitedElsewhere(session, [WAIT], ids, TODAY, subject=subject).run_for(WAIT, go)
            return run.id if run is not None else None

        assert found("spring  Issue") == made["Spring issue"]
        assert found("") == found("of nobody") == made["Extra sheet"]  # the latest


def test_a_sign_off_happens_by_itself_after_its_days_unless_it_is_held(site: Site) -> None:
    run = mailing(site, TODAY, by_itself=2, until="copies > 10")

    def state(day: int) -> str:
        with site.store.reading() as session:
            return plan_of(run_by_id(session, run), TODAY + dt.timedelta(days=day)).tasks[1].state

    with site.store.writing() as session:
        act_on_task(session, site.person("Bela"), run, "post", "finish", TODAY)
        row = task_of(run_by_id(session, run), "post")
        row.done_at = dt.datetime.combine(TODAY, dt.time(16))
        bring_up(row.run, TODAY)
    assert state(30) == "in review"
    with site.store.writing() as session, pytest.raises(Refused, match="held in review until Copies is over 10"):
        act_on_task(session, site.person("Ada"), run, "post", "sign off", TODAY)
    with site.store.writing() as session:
        row = run_by_id(session, run)
        row.facts = {"copies": 12}
        bring_up(row, TODAY)
    with site.store.reading() as session:
        ids = {name_key(WAIT.template): run_by_id(session, run).edition.template_id}
        awaited = AwaitedElsewhere(session, [WAIT], ids, TODAY + dt.timedelta(days=3))(WAIT, TODAY)
        assert awaited.done and awaited.run == "Mailing"
        assert not AwaitedElsewhere(session, [WAIT], ids, TODAY + dt.timedelta(days=2))(WAIT, TODAY).done
    # done on a Wednesday: Thursday and Friday pass without an objection, so it is signed off on Saturday
    assert [state(day) for day in (0, 1, 2, 3)] == ["in review", "in review", "in review", "done"]


def test_a_task_reopened_or_sent_back_is_no_longer_done_by_anybody(site: Site) -> None:
    def row(key: str) -> tuple[str, bool, bool, Any]:
        with site.store.reading() as session:
            found = task_of(run_by_id(session, site.run), key)
            return found.state, found.begun_at is not None, found.done_at is not None, found.done_by_id

    act(site, "Bela", "draft", "begin")
    act(site, "Bela", "draft", "finish")
    assert row("draft") == ("done", True, True, site.people["Bela"])
    act(site, "Cleo", "check", "finish")
    act(site, "Ada", "check", "send back", why="The second page is missing")
    assert row("check") == ("under way", False, False, None)
    act(site, "Ada", "draft", "reopen", confirmed=True)
    assert row("draft") == ("waiting", False, False, None)
    with site.store.reading() as session:
        told = [one.text for one in session.query(HistoryRow).filter_by(run_id=site.run).order_by(HistoryRow.id)]
        assert told[-5:] == [
            "Draft: begun",
            "Draft: done",
            "Check: done",
            "Check: sent back: The second page is missing",
            "Draft: reopened",
        ]
        assert run_by_id(session, site.run).version == 6


def test_only_somebody_active_comes_into_a_crew_and_only_by_who_changes_the_run(site: Site) -> None:
    with site.store.writing() as session:
        session.get(Person, site.people["Cleo"]).active = False
    for chosen in (str(site.people["Cleo"]), "99"):
        with pytest.raises(Refused, match="There is nobody to fill Writer"), site.store.writing() as session:
            fill_role(session, site.person("Ada"), site.run, "writer", chosen, TODAY)
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        crew = {"writer": str(site.people["Cleo"])}
        choices = Choices(anchors={"go": TODAY}, facts={"number": "9"}, crew=crew)
        start_run(session, site.person("Ada"), site.template, None, choices, TODAY)
    assert set(caught.value.faults) == {"crew.writer"}
    with pytest.raises(NotAllowed), site.store.writing() as session:
        fill_role(session, site.person("Bela"), site.run, "writer", "", TODAY)
    with pytest.raises(NotThere, match="no such role"), site.store.writing() as session:
        fill_role(session, site.person("Ada"), site.run, "nobody", "", TODAY)
    with site.store.writing() as session:
        fill_role(session, site.person("Ada"), site.run, "writer", "An agency", TODAY)
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert [member.name for member in run.crew if member.role == "writer"] == ["An agency"]
        assert run.version == 2


def test_rows_stand_phase_by_phase_and_instructions_name_dates_facts_and_people(
    tmp_path: Path, database: str | None
) -> None:
    steps = [
        step("late", phase="two", instructions="On {{ go | date }} of number {{ number }}, ask {{ lead }}."),
        step("early", phase="one"), step("loose"), step("last", phase="two"),
    ]  # fmt: skip
    content = document(
        steps, phases=[{"key": "one", "label": "One"}, {"key": "two", "label": "Two"}],
        roles=[{"key": "lead", "label": "Lead", "fill": {"by": "outside"}}],
        facts=[{"key": "number", "label": "Number", "kind": "number"}],
    )  # fmt: skip
    site = make_site(tmp_path, content=content, database=database)
    choices = Choices(anchors={"go": dt.date(2026, 6, 5)}, facts={"number": "8"}, crew={"lead": "Mo Outside"})
    with site.store.writing() as session:
        started = start_run(session, site.person("Ada"), site.template, None, choices, TODAY)
    with site.store.reading() as session:
        rows = run_by_id(session, started).tasks
        assert [row.key for row in rows] == ["loose", "early", "late", "last"]
        assert [row.position for row in rows] == [0, 1, 2, 3]
        said = next(row.instructions for row in rows if row.key == "late")
    assert said == "On Fri 5 Jun 2026 of number 8, ask Mo Outside."
    site.store.engine.dispose()


def test_a_run_keeps_ties_windows_and_what_it_does_on_a_finish(site: Site) -> None:
    n = 12
    steps = [*(step(f"a{i}", 1, phase="one") for i in range(n)), step("x", 1, only_if="False")]
    steps += [step(f"b{i}", 1, phase="two") for i in range(n)] + [step("late", 1, phase="three")]
    links = [*(f"a{i}>x" for i in range(n)), *(f"x>b{i}" for i in range(n))]
    phases = [{"key": key, "label": key.title(), "span": 3} for key in ("one", "two", "three")]
    job = read_template(document(steps, *links, name="Tied", phases=phases, follow="both"))
    with site.store.writing() as session:
        ada = site.person("Ada")
        made = keep_template(session, ada, job, released=True).template_id
        choices = Choices(anchors={"go": dt.date(2026, 6, 1)})
        shown = rehearse(session, ada, made, None, choices, TODAY)
        started = start_run(session, ada, made, None, choices, TODAY)
    with site.store.reading() as session:
        run = run_by_id(session, started)
        assert run is not None
        kept = plan_of(run, TODAY)
    assert len(run.links) == 0 and len(kept.links) == 2 * n == len(shown.links)
    assert (kept.ties, kept.phases, kept.follow) == (shown.ties, shown.phases, "both")
    assert list(kept.schedule.start) == list(shown.schedule.start)
    assert list(kept.schedule.total_slack) == list(shown.schedule.total_slack)
    edits = [Window("three", dt.date(2026, 6, 22).toordinal(), dt.date(2026, 6, 24).toordinal())]
    with site.store.writing() as session:
        number = shifts.apply_shift(session, ada, started, 1, edits, TODAY).number
    with site.store.writing() as session:
        run = run_by_id(session, started)
        assert run is not None and plan_of(run, TODAY).phases[2].put
        assert plan_of(run, TODAY).read(2 * n) == (dt.date(2026, 6, 22).toordinal(),) * 2
        shifts.take_back(session, ada, started, number, TODAY)
        assert plan_of(run, TODAY).phases == shown.phases


def test_roles_are_filled_by_their_rules_unless_somebody_is_chosen(site: Site) -> None:
    rules = [("keeper", {}), ("subject", {}), ("manager", {}), ("team", {"team": "press"}), ("ask", {})]
    roles = [{"key": f"by-{by}", "label": by.title(), "fill": {"by": by, **more}} for by, more in rules]
    steps = [step(by, 1, 0, role=f"by-{by}") for by, _ in rules]
    with site.store.writing() as session:
        session.add(Team(id=1, name="Press"))
        session.get_one(Person, site.people["Bela"]).manager_id = site.people["Cleo"]
        ada = site.person("Ada")
        made = keep_template(session, ada, read_template(document(steps, name="Joiner", roles=roles)), released=True)
        choices = Choices(anchors={"go": TODAY}, subject="bela")
        run = start_run(session, ada, made.template_id, None, choices, TODAY)
        crew = {member.role[3:]: member.name for member in run_by_id(session, run).crew}
        assert crew == {"keeper": "Ada", "subject": "Bela", "manager": "Cleo", "team": "Press", "ask": ""}
        with pytest.raises(Refused) as caught:
            start_run(session, ada, made.template_id, None, replace(choices, crew={"by-ask": "team 9"}), TODAY)
    assert set(caught.value.faults) == {"crew.by-ask"}
