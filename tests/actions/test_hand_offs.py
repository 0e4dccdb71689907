"""Hand-offs: something happens, and something else starts; once, with what is carried over, never in a circle."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy import select

from tests.actions.test_clock import at, words
from tests.plans import document, step
from tests.site import Site
from unisequa.actions.clock.hand_offs import HandOffDraft, save_hand_off, see_hand_off, switch_hand_off
from unisequa.actions.clock.ticking import tick
from unisequa.actions.happening import call
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.subjects import Record, add_subject, change_subject
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import Refused
from unisequa.store.tables import CommentRow, DueRow, OutboxRow, Run

NOON = at("2026-06-03T12:00")


def follow_up(site: Site, **more: Any) -> int:
    """A template of Ada's with one anchor, whose facts and roles are called as those of the bulletin."""
    more = {"naming": "Thanks for {{ number }}", **more}
    made = document(
        [step("thank", 1, 0, role="scribe")], name="Thanks",
        roles=[{"key": "scribe", "label": "Writer"}],
        facts=[{"key": "number", "label": "Number", "kind": "number", "required": True}, *more.pop("facts", [])],
        **more,
    )  # fmt: skip
    with site.store.writing() as session:
        return keep_template(session, site.person("Ada"), read_template(made), released=True).template_id


def hand_off(site: Site, template: int | None, **document: Any) -> tuple[int, str]:
    """A hand-off of Ada's that is on; gives its id, and its secret if it has one."""
    with site.store.writing() as session:
        draft = HandOffDraft("Handed", site.template, template, {"event": "run finished", **document})
        number = save_hand_off(session, site.person("Ada"), draft)
        return number, switch_hand_off(session, site.person("Ada"), number, NOON, on=True)


def runs(site: Site) -> list[tuple[str, str, str | None, dict[str, Any]]]:
    """Name, state, first anchor and facts of the runs behind the first."""
    with site.store.reading() as session:
        found = session.scalars(select(Run).where(Run.id > site.run).order_by(Run.id))
        return [(run.name, run.state, next(iter(run.anchors.values())), dict(run.facts)) for run in found]


def subjects(site: Site) -> list[str]:
    with site.store.reading() as session:
        return list(session.scalars(select(Run.subject).where(Run.id > site.run).order_by(Run.id)))


def act(site: Site, key: str, what: str = "finish", run: int = 0) -> None:
    with site.store.writing() as session:
        act_on_tasks(session, site.person("Ada"), run or site.run, Deed(what, [key], confirmed=True), NOON)


def told(site: Site) -> list[tuple[str, str]]:
    with site.store.reading() as session:
        rows = session.scalars(select(DueRow).where(DueRow.kind == "hand-off").order_by(DueRow.id))
        return [(row.state, row.told or row.error) for row in rows]


def test_a_task_done_starts_another_job_once_with_what_is_carried_over(site: Site) -> None:
    number = follow_up(site)
    hand_off(site, number, event="task done", task="draft", dated="due", opened="live")
    act(site, "draft")
    tick(site.store, NOON)
    assert runs(site) == [("Thanks for 7", "live", "2026-06-02", {"number": 7})]
    with site.store.reading() as session:
        run = session.scalars(select(Run).order_by(Run.id.desc())).first()
        assert run.crew[0].person_id == site.people["Bela"] and run.origin["run"] == site.run
    act(site, "draft", "reopen")
    act(site, "draft")
    tick(site.store, NOON)
    assert len(runs(site)) == 1  # once per rule and thing, reopened or not


def test_it_listens_to_its_own_step_alone_and_only_if_its_condition_holds(site: Site) -> None:
    number = follow_up(site)
    hand_off(site, number, event="task done", task="check")
    hand_off(site, number, event="task done", only_if="number > 100")
    act(site, "draft")
    tick(site.store, NOON)
    assert runs(site) == [] and told(site) == [("held back", "Only if number > 100, which does not hold.")]


@pytest.mark.parametrize(
    "event, doing",
    [("phase opens", None), ("phase closes", "draft check"), ("task begun", "begin"), ("run called off", "called off")],
)
def test_every_kind_of_thing_that_happens_in_a_run_is_heard(site: Site, event: str, doing: str | None) -> None:
    number = follow_up(site)
    phase = {"phase": "words"} if event.startswith("phase") else {}
    hand_off(site, number, event=event, **phase)
    if doing is None:
        with site.store.writing() as session:
            choices = Choices(anchors={"go": dt.date(2026, 6, 3)}, facts={"number": "8"})
            start_run(session, site.person("Ada"), site.template, None, choices, NOON)
    elif doing == "called off":
        with site.store.writing() as session:
            set_run_state(session, site.person("Ada"), site.run, Becoming("called off", "No paper"), NOON)
    elif doing == "begin":
        act(site, "draft", "begin")
    else:
        act(site, "draft")
        with site.store.writing() as session:
            run = session.get(Run, site.run)
            next(row for row in run.tasks if row.key == "check").sign_off_role = None
        act(site, "check")
    tick(site.store, NOON)
    assert [name for name, *_ in runs(site) if name.startswith("Thanks")] == [f"Thanks for {8 if doing is None else 7}"]


def test_what_is_missing_is_asked_of_the_keeper_and_the_run_is_prepared(site: Site) -> None:
    extra = [{"key": "gift", "label": "Gift", "kind": "text", "required": True}]
    hand_off(site, follow_up(site, facts=extra), event="task done", task="draft", opened="live")
    act(site, "draft")
    tick(site.store, NOON)
    assert [state for _, state, *_ in runs(site)] == ["prepared"]
    assert told(site)[0][1].endswith('missing: "Gift" is required; fill it in')
    assert ("keeper", "Thanks for 7 was started by itself") in words(site, "Ada")
    with site.store.reading() as session:
        started = [row.content["more"] for row in session.scalars(select(OutboxRow)) if row.line == "keeper"]
        assert any("started it, because Draft was done in Bulletin 7." in more for more in started), started


def test_added_to_the_run_under_the_task_a_word_or_a_message(site: Site) -> None:
    number = follow_up(site)
    hand_off(site, number, event="task done", task="draft", then="within")
    hand_off(site, number, event="task begun", task="draft", then="under")
    hand_off(site, None, event="task done", task="draft", then="word", text="Number {{ number }} is written")
    hand_off(site, None, event="task done", task="draft", then="message", to="editor", subject="Your turn", text="x")
    act(site, "draft", "begin")
    tick(site.store, NOON)
    with site.store.reading() as session:
        rows = {row.key: row.parent for row in session.get(Run, site.run).tasks}
        assert [parent for key, parent in rows.items() if key.startswith("own-")] == ["draft"]
    act(site, next(key for key in rows if key.startswith("own-")))
    tick(site.store, NOON)
    with site.store.reading() as session:
        assert sum(row.own for row in session.get(Run, site.run).tasks) == 1
    assert [state for state, _ in told(site)] == ["done"]


def test_a_word_is_left_and_a_message_goes_to_its_role(site: Site) -> None:
    hand_off(site, None, event="task done", task="draft", then="word", text="Number {{ number }} is written")
    hand_off(site, None, event="task done", task="draft", then="message", to="editor", subject="Your turn", text="x")
    act(site, "draft")
    tick(site.store, NOON)
    with site.store.reading() as session:
        assert [one.text for one in session.scalars(select(CommentRow))] == ["Number 7 is written"]
    assert ("step", "Your turn") in words(site, "Cleo")


def test_a_circle_stops_and_says_so(site: Site) -> None:
    hand_off(site, site.template, event="run opened", opened="live")
    with site.store.writing() as session:
        choices = Choices(anchors={"go": dt.date(2026, 6, 3)}, facts={"number": "8"}, subject="Press")
        start_run(session, site.person("Ada"), site.template, None, choices, NOON)
    tick(site.store, NOON)
    assert len(runs(site)) == 3  # the one by hand, and the same rule at most twice for it
    assert told(site)[-1] == ("held back", "It goes in a circle: the same rule has brought this about 2 times already.")


def test_a_record_that_changes_a_day_that_comes_and_a_call_from_outside(site: Site) -> None:
    number = follow_up(site, naming="Thanks")
    ada = replace(site.person("Ada"), administrator=True)
    plain = {"facts": {"number": "1"}}
    hand_off(site, number, event="record changes", field="unit", value="Old Mill", **plain)
    hand_off(site, number, event="day", of="anchor:go", days=3, **plain)
    _, secret = hand_off(site, number, event="call", dated="call:date", **plain)
    with site.store.writing() as session:
        made = add_subject(session, ada, Record("Pip", unit="Seed Store"), NOON)
    tick(site.store, NOON)
    assert runs(site) == []
    with site.store.writing() as session:
        change_subject(session, ada, made, Record("Pip", unit="Old Mill"), NOON)
        assert call(session, secret, {"date": "2026-09-01"}, "a", NOON) and call(session, secret, {}, "a", NOON)
        assert not call(session, "another", {}, "a", NOON)
    tick(site.store, NOON)
    assert [anchor for _, _, anchor, _ in runs(site)] == ["2026-06-03", "2026-09-01"]
    tick(site.store, at("2026-06-04T00:01"))  # three working days behind the run's anchor, Mon 1 Jun
    assert [anchor for _, _, anchor, _ in runs(site)] == ["2026-06-03", "2026-09-01", "2026-06-04"]


def test_a_call_says_what_its_run_is_about_and_conditions_look_at_what_it_brings(site: Site) -> None:
    number = follow_up(site, naming="Thanks")
    with pytest.raises(Refused) as caught:
        hand_off(site, number, event="call", dated="day", only_if="colour == 'red'")
    assert list(caught.value.faults) == ["only_if"]
    _, secret = hand_off(site, number, event="call", dated="day", only_if="number > 7 and subject != 'Nobody'")
    sent = ({"number": 9, "subject": " Press  room "}, {"number": "6", "subject": "Press"}, {"subject": "Nobody"})
    with site.store.writing() as session:
        for n, body in enumerate(sent):
            assert call(session, secret, body, str(n), NOON)
    tick(site.store, NOON)
    assert subjects(site) == ["Press room"]
    hand_off(site, number, event="record changes", field="unit", value="Old Mill", only_if="position == 'Host'")
    ada = replace(site.person("Ada"), administrator=True)
    with site.store.writing() as session:
        for name, position in (("Pip", "Host"), ("Pop", "Guard")):
            made = add_subject(session, ada, Record(name, position, "Seed Store"), NOON)
            change_subject(session, ada, made, Record(name, position, "Old Mill"), NOON)
    tick(site.store, NOON)
    assert subjects(site) == ["Press room", "Pip"]


def test_what_cannot_be_is_refused_by_its_field_and_what_can_is_said_as_a_sentence(site: Site) -> None:
    number = follow_up(site)
    for field, fault in (
        ({"event": "task done", "task": "gone"}, "thing"),
        ({"only_if": "colour == 'red'"}, "only_if"),
        ({"event": "record changes"}, "field"),
        ({"event": "call", "then": "within"}, "then"),
    ):
        with pytest.raises(Refused) as caught:
            hand_off(site, number, **field)
        assert fault in caught.value.faults
    made, _ = hand_off(site, number, event="task done", task="draft", only_if="number > 3", dated="due")
    with site.store.reading() as session:
        seen = see_hand_off(session, site.person("Ada"), made, NOON)
    assert seen.sentence == (
        "When Draft is done in a run of Issue of the bulletin, only if Number is over 3, start Thanks dated on its due "
        "day, prepared."
    )
