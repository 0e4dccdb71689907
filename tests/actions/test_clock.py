"""What happens by itself: each thing once, at its moment, made up for after sleep, shown where it fails."""

from __future__ import annotations

import datetime as dt
import threading
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from sqlalchemy import select

from tests.plans import document, step
from tests.site import Site
from unisequa.actions.clock import ticking
from unisequa.actions.clock.rules import RuleDraft, Writing, past, save_rule, see_rule, switch
from unisequa.actions.clock.ticking import tick
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.actions.templates.rights import give_right, open_to
from unisequa.core.calendars.today import Today
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import NotAllowed, Refused
from unisequa.store.store import Session, Store
from unisequa.store.tables import Calendar, DueRow, OutboxRow, Person, Run, TaskRow

OSLO = ZoneInfo("Europe/Oslo")


def at(text: str) -> Today:
    """A moment by the clock of the house."""
    return Today.of(dt.datetime.fromisoformat(text).replace(tzinfo=OSLO))


def template(site: Site, **more: Any) -> int:
    """A close with one anchor, its owner Ada."""
    made = document(
        [step("count", 1, 0, role="clerk"), step("report", 1, 2, role="clerk")], "count>report", name="Cash count",
        naming="Cash count {{ end | month }}", anchors=[{"key": "end", "label": "Month's end"}],
        roles=[{"key": "clerk", "label": "Clerk"}], **more,
    )  # fmt: skip
    for one in made["steps"]:
        one["when"]["anchor"] = "end"
    with site.store.writing() as session:
        return keep_template(session, site.person("Ada"), read_template(made), released=True).template_id


def rule(site: Site, number: int, since: str, *, on: bool = True, **more: Any) -> int:
    """A rule of Ada's for the last day of each month, rolled back, opened three working days before."""
    when = {"rrule": "FREQ=MONTHLY;BYMONTHDAY=-1", "first": "2026-01-01", "roll": "preceding"}
    crew = {"clerk": str(site.people["Bela"])}
    given = {"when": when, "lead": 3, "at": "06:00", "opened": "live", "crew": crew, **more}
    with site.store.writing() as session:
        made = save_rule(session, site.person("Ada"), RuleDraft("Cash count", number, given), at(since))
        if on:
            switch(session, site.person("Ada"), made, at(since), on=True)
        return made


def runs(site: Site, number: int) -> list[tuple[str, str, str]]:
    """Name, state and anchor of the runs of a template."""
    with site.store.reading() as session:
        found = [run for run in session.scalars(select(Run).order_by(Run.id)) if run.edition.template_id == number]
        return [(run.name, run.state, run.anchors["end"]) for run in found]


def told(site: Site) -> list[tuple[str, str]]:
    with site.store.reading() as session:
        return [(row.state, row.told or row.error) for row in past(session, site.person("Ada"))]


def words(site: Site, name: str) -> list[tuple[str, str]]:
    """Line and word of what somebody was told."""
    with site.store.reading() as session:
        rows = session.scalars(select(OutboxRow).where(OutboxRow.kind == "word").order_by(OutboxRow.id))
        return [(row.line, row.content["said"]) for row in rows if row.person_id == site.people[name]]


def test_a_rule_starts_its_run_on_its_day_at_its_hour_and_once(site: Site) -> None:
    number = template(site)
    rule(site, number, "2026-06-03T10:00")
    tick(site.store, at("2026-06-25T05:59"))
    assert runs(site, number) == []
    for _ in range(2):
        tick(site.store, at("2026-06-25T06:00"))
        assert runs(site, number) == [("Cash count June 2026", "live", "2026-06-30")]
    assert ("done", "Started Cash count June 2026, live, 2 tasks") in told(site)
    tick(site.store, at("2026-06-10T06:00"))  # a clock that jumps back
    tick(site.store, at("2026-07-28T06:00"))
    assert [name for name, *_ in runs(site, number)] == ["Cash count June 2026", "Cash count July 2026"]


def test_two_ticks_at_once_do_it_once(site: Site) -> None:
    number = template(site)
    rule(site, number, "2026-06-03T10:00")

    threads = [threading.Thread(target=tick, args=(site.store, at("2026-06-25T06:00"))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(runs(site, number)) == 1


@pytest.mark.parametrize("catch_up, names", [("all", ["June", "July", "August"]), ("latest", ["August"])])
def test_after_a_sleep_it_starts_what_it_owes(site: Site, catch_up: str, names: list[str]) -> None:
    number = template(site)
    rule(site, number, "2026-06-03T10:00", catch_up=catch_up)
    tick(site.store, at("2026-09-10T12:00"))
    assert [name.split()[2] for name, *_ in runs(site, number)] == names
    assert len(told(site)) == 3


def test_never_twice_for_a_period_also_not_where_somebody_was_first(site: Site) -> None:
    number = template(site)
    rule(site, number, "2026-06-03T10:00")
    with site.store.writing() as session:
        choices = Choices(anchors={"end": dt.date(2026, 6, 29)})
        start_run(session, site.person("Ada"), number, None, choices, at("2026-06-20T10:00"))
    tick(site.store, at("2026-06-25T06:00"))
    assert len(runs(site, number)) == 1
    assert ("done", "Started nothing: Ada had begun Cash count June 2026 already.") in told(site)


def test_a_rule_owes_nothing_that_opened_before_it_was_on(site: Site) -> None:
    number = template(site)
    rule(site, number, "2026-06-25T06:01")
    tick(site.store, at("2026-06-30T12:00"))
    assert runs(site, number) == []


def test_a_rule_off_starts_nothing_and_one_whose_writer_lost_the_right_stops_and_says_so(site: Site) -> None:
    number = template(site)
    made = rule(site, number, "2026-06-03T10:00")
    with site.store.writing() as session:
        switch(session, site.person("Ada"), made, at("2026-06-04T10:00"), on=False)
    tick(site.store, at("2026-06-26T06:00"))
    assert runs(site, number) == []
    with site.store.writing() as session:
        switch(session, site.person("Ada"), made, at("2026-07-01T10:00"), on=True)
        session.get(Person, site.people["Ada"]).active = False
    tick(site.store, at("2026-07-28T06:00"))
    with site.store.reading() as session:
        seen = see_rule(session, site.person("Ada"), made, at("2026-07-28T07:00"))
    assert runs(site, number) == [] and seen.state == "stopped" and "has left" in seen.stopped


def test_only_a_templates_owner_and_editors_write_rules(site: Site) -> None:
    number = template(site)
    with pytest.raises(NotAllowed), site.store.writing() as session:
        when = {"rrule": "FREQ=MONTHLY", "first": "2026-01-01"}
        save_rule(session, site.person("Bela"), RuleDraft("x", number, {"when": when}), at("2026-06-03T10:00"))


def test_the_next_dates_are_seen_before_it_is_on_with_what_rolls_them(site: Site) -> None:
    number = template(site)
    draft = RuleDraft(
        "x", number, {"when": {"rrule": "FREQ=MONTHLY;BYMONTHDAY=-1", "first": "2026-01-01", "roll": "preceding"}}
    )
    with site.store.reading() as session:
        found = Writing(session, site.person("Ada"), number, at("2026-06-03T10:00")).dates(draft).openings
    assert len(found) == 12
    assert [one.date.day.isoformat() for one in found if one.date.rolled][:2] == ["2026-10-30", "2027-01-29"]


def test_what_fails_is_tried_again_with_growing_pauses_then_set_aside_and_told(site: Site) -> None:
    number = template(site, facts=[{"key": "till", "label": "Till", "kind": "text", "required": True}])
    rule(site, number, "2026-06-03T10:00")
    moment = dt.datetime(2026, 6, 25, 6, 0)
    tries = []
    for minutes in range(0, 13 * 60, 1):
        now = moment + dt.timedelta(minutes=minutes)
        if tick(site.store, at(now.isoformat())).failed:
            tries.append(minutes)
    assert tries == [0, 1, 6, 31, 151, 751]
    assert told(site)[0] == ("set aside", '"Till" is required; fill it in')
    assert [line for line, said in words(site, "Ada")] == ["keeper", "keeper"]  # at the first, and when it is set aside


def test_a_prepared_run_opens_on_its_day_and_its_people_are_told_once(site: Site) -> None:
    number = template(site)
    with site.store.writing() as session:
        choices = Choices(
            anchors={"end": dt.date(2026, 6, 30)}, prepared=True, opens_on=dt.date(2026, 6, 30),
            crew={"clerk": str(site.people["Bela"])},
        )  # fmt: skip
        start_run(session, site.person("Ada"), number, None, choices, at("2026-06-03T10:00"))
    tick(site.store, at("2026-06-29T23:00"))
    assert runs(site, number)[0][1] == "prepared" and words(site, "Bela") == [("ready", "Draft can begin")]
    for _ in range(2):
        tick(site.store, at("2026-06-30T00:01"))
    assert runs(site, number)[0][1] == "live"
    assert words(site, "Bela")[1:] == [("ready", "Count can begin")]
    assert words(site, "Ada")[-1] == ("keeper", "Cash count June 2026 was opened by itself, with 2 tasks")


def test_one_person_one_moment_one_message(site: Site) -> None:
    with site.store.writing() as session:
        act_on_tasks(session, site.person("Ada"), site.run, Deed("finish", ["draft"]), at("2026-06-03T10:00"))
    assert words(site, "Cleo") == [("ready", "Check can begin")]
    tick(site.store, at("2026-06-03T10:01"))
    assert outside(site.store, "mail:%") == []  # what comes within five minutes leaves with it
    with site.store.writing() as session:
        for row in session.scalars(select(OutboxRow)):
            row.due_at = row.made_at
    tick(site.store, at("2026-06-03T10:06"), "https://plan.example.org")
    with site.store.reading() as session:
        mails = list(session.scalars(select(OutboxRow).where(OutboxRow.kind == "mail")))
        left = [row.state for row in session.scalars(select(OutboxRow).where(OutboxRow.kind == "word"))]
    to = {mail.content["to"]: mail.content for mail in mails}
    assert to["cleo@example.org"]["subject"] == "Check can begin"
    assert f"https://plan.example.org/runs/{site.run}?task=check" in to["cleo@example.org"]["text"]
    assert set(left) == {"sent", "held back"}  # Bela's draft was done before she was told that it can begin


def test_a_digest_goes_once_on_a_working_morning_and_not_three_times_after_a_sleep(site: Site) -> None:
    def digests() -> list[str]:
        with site.store.reading() as session:
            rows = session.scalars(select(OutboxRow).where(OutboxRow.key.like("digest:%")).order_by(OutboxRow.id))
            return [row.content["subject"] for row in rows if row.person_id == site.people["Bela"]]

    tick(site.store, at("2026-06-03T07:29"))
    assert digests() == []
    tick(site.store, at("2026-06-03T07:30"))
    assert len(digests()) == 1 and "1 overdue" in digests()[0]
    tick(site.store, at("2026-06-06T12:00"))  # a Saturday
    assert len(digests()) == 1
    tick(site.store, at("2026-06-09T12:00"))
    assert len(digests()) == 2
    with site.store.writing() as session:  # somebody works on Saturdays
        saturdays = {"format": "unisequa-calendar/1", "name": "six days", "week": "1111110"}
        session.add(six := Calendar(name="six days", document=saturdays))
        session.flush()
        session.get(Person, site.people["Bela"]).calendar_id = six.id
    tick(site.store, at("2026-06-13T12:00"))
    assert len(digests()) == 3


def test_a_steps_message_leaves_at_its_hour_for_the_day_that_the_task_has(site: Site) -> None:
    messages = [
        {"to": "clerk", "offset": -1, "of": "due", "at": "09:15", "subject": "Tomorrow: {{ clerk }}", "text": "x"}
    ]
    made = document(
        [{**step("count", 1, 5, role="clerk"), "messages": messages}], name="Count",
        roles=[{"key": "clerk", "label": "Clerk", "fill": {"by": "outside"}}],
    )  # fmt: skip
    with site.store.writing() as session:
        number = keep_template(session, site.person("Ada"), read_template(made), released=True).template_id
        anchor = made["anchors"][0]["key"]
        choices = Choices(anchors={anchor: dt.date(2026, 6, 3)}, crew={"clerk": "Bindery <binder@example.org>"})
        run = start_run(session, site.person("Ada"), number, None, choices, at("2026-06-03T10:00"))
    tick(site.store, at("2026-06-09T09:14"))
    assert outside(site.store) == []
    tick(site.store, at("2026-06-09T09:15"))
    tick(site.store, at("2026-06-09T09:20"))
    assert outside(site.store) == [("binder@example.org", "Tomorrow: Bindery <binder@example.org>")]
    with site.store.writing() as session:
        set_run_state(session, site.person("Ada"), run, Becoming("on hold"), at("2026-06-09T12:00"))
        assert session.scalar(select(DueRow).where(DueRow.kind == "message", DueRow.state == "waiting")) is None


def outside(store: Store, key: str = "message:%") -> list[tuple[str, str]]:
    with store.reading() as session:
        rows = session.scalars(select(OutboxRow).where(OutboxRow.kind == "mail", OutboxRow.key.like(key)))
        return [(row.content["to"], row.content["subject"]) for row in rows]


def test_an_undone_act_takes_back_what_was_not_sent(site: Site) -> None:
    from unisequa.actions.runs.undoing import undo

    with site.store.writing() as session:
        done = act_on_tasks(session, site.person("Ada"), site.run, Deed("finish", ["draft"]), at("2026-06-03T10:00"))
    with site.store.reading() as session:
        assert session.get(Person, site.people["Cleo"]).unseen == 1
    with site.store.writing() as session:
        undo(session, site.person("Ada"), done.number, at("2026-06-03T10:00"))
    assert words(site, "Cleo") == []
    with site.store.reading() as session:
        assert session.get(Person, site.people["Cleo"]).unseen == 0


def test_something_unforeseen_is_kept_as_a_failure_and_the_rest_goes_on(
    site: Site, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(session: Session, row: DueRow, today: dt.date) -> str:
        session.get(TaskRow, 1).title = "half done"
        raise RuntimeError("no such thing")

    number = template(site)
    rule(site, number, "2026-06-03T10:00")
    monkeypatch.setattr(ticking, "KINDS", {**ticking.KINDS, "digest": broken})
    ticked = tick(site.store, at("2026-06-25T08:00"))
    assert ticked.failed == 3 and len(runs(site, number)) == 1
    with site.store.reading() as session:
        assert session.get(TaskRow, 1).title == "Draft"


def test_switching_on_what_cannot_start_is_refused(site: Site) -> None:
    number = template(site)
    with pytest.raises(Refused, match="no such anchor"), site.store.writing() as session:
        when = {"rrule": "FREQ=MONTHLY", "first": "2026-01-01"}
        draft = RuleDraft("x", number, {"when": when, "anchor": "gone"})
        made = save_rule(session, site.person("Ada"), draft, at("2026-06-03T10:00"))
        switch(session, site.person("Ada"), made, at("2026-06-03T10:00"), on=True)


def test_what_a_rule_did_is_told_to_nobody_who_may_not_see_its_runs(site: Site) -> None:
    number = template(site)
    made = rule(site, number, "2026-06-03T10:00")
    tick(site.store, at("2026-06-25T06:00"))
    with site.store.writing() as session:
        open_to(session, site.person("Ada"), number, "nothing")
        give_right(session, site.person("Ada"), number, site.people["Cleo"], "start")
    with site.store.reading() as session:
        cleo = see_rule(session, site.person("Cleo"), made, at("2026-06-25T07:00"))
        assert cleo.started == 0 and past(session, site.person("Cleo")) == []
        assert see_rule(session, site.person("Ada"), made, at("2026-06-25T07:00")).started == 1
