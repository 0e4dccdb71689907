"""Somebody outside answers by a link of their own, for one task, as long as it is open."""

from __future__ import annotations

import datetime as dt

import pytest
from sqlalchemy import select

from tests.actions.test_clock import at
from tests.plans import document, step
from tests.site import Browser, Site
from unisequa.actions.clock.ticking import tick
from unisequa.actions.messages.bell import outbox
from unisequa.actions.outbox import send_rows
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.proposing import proposals_to
from unisequa.actions.runs.step_messages import party_name
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.store.tables import OutboxRow, ProposalRow, Run, TaskRow

ADDRESS = "https://plan.example.org"


@pytest.fixture
def link(site: Site) -> str:
    """The path of the link that the bindery got for its task."""
    message = {"to": "bindery", "of": "due", "offset": -1, "subject": "Tomorrow", "text": "Please."}
    made = document(
        [{**step("bind", 1, 3, role="bindery"), "messages": [message]}, step("gate", 1, 0, role="lead")],
        name="Binding", roles=[{"key": "bindery", "label": "Bindery", "fill": {"by": "outside"}},
                               {"key": "lead", "label": "Lead", "fill": {"by": "keeper"}}],
    )  # fmt: skip
    with site.store.writing() as session:
        number = keep_template(session, site.person("Ada"), read_template(made), released=True).template_id
        choices = Choices(anchors={"go": dt.date(2026, 6, 3)}, crew={"bindery": "Bindery <b@example.org>"})
        start_run(session, site.person("Ada"), number, None, choices, at("2026-06-03T07:00"))
    tick(site.store, at("2026-06-05T09:00"), ADDRESS)
    with site.store.reading() as session:
        row = session.scalars(select(OutboxRow).where(OutboxRow.kind == "mail", OutboxRow.person_id.is_(None))).one()
        return str(row.content["link"]).removeprefix(ADDRESS)


def state(site: Site) -> str:
    with site.store.reading() as session:
        return session.scalars(select(TaskRow).where(TaskRow.key == "bind")).one().state


def test_opening_it_changes_nothing_and_saying_done_is_as_good_as_anybodys(site: Site, link: str) -> None:
    party = site.client()
    page = party.get(link)
    assert page.status_code == 200 and "Bind" in page.text and state(site) == "waiting"
    answer = party.post(link, {"what": "done"})
    assert answer.status_code == 200 and state(site) == "done"
    with site.store.reading() as session:
        words = [row.content["said"] for row in session.scalars(select(OutboxRow).where(OutboxRow.kind == "word"))]
        assert "Bindery <b@example.org> says that Bind is done" in words
    assert party.get(link).status_code == 404  # it expires with its task
    assert party.get("/answer/nothing").status_code == 404


def test_a_date_becomes_a_proposal_to_the_keeper(site: Site, link: str) -> None:
    party: Browser = site.client()
    party.get(link)
    assert party.post(link, {"what": "by", "by": "the day after never"}).status_code == 422
    assert party.post(link, {"what": "by", "by": "2026-06-12", "why": "No thread"}).status_code == 200
    with site.store.reading() as session:
        proposal = session.scalars(select(ProposalRow)).one()
        assert proposal.state == "open" and proposal.why == "No thread" and "12 Jun" in proposal.words
        (seen,) = proposals_to(session, site.person("Ada"))
        assert (seen.who, seen.mine) == ("Bindery", False)  # not the keeper, in whose name it is kept
    assert state(site) == "waiting"


def test_a_run_on_hold_takes_no_answers(site: Site, link: str) -> None:
    with site.store.writing() as session:
        number = session.scalars(select(Run.id).order_by(Run.id.desc())).first()
        set_run_state(session, site.person("Ada"), number, Becoming("on hold"), at("2026-06-05T10:00"))
    party = site.client()
    assert party.get(link).status_code == 404


def test_the_link_is_shown_to_its_addressee_alone(site: Site, link: str) -> None:
    def seen() -> str:
        with site.store.reading() as session:
            return " ".join(one.text for one in outbox(session, site.person("Ada")))

    assert (
        "only its addressee sees" in seen()
        and link not in seen()
        and link not in site.client("Ada").get("/outbox").text
    )
    sent: list[str] = []
    send_rows(site.store, "mail", lambda key, content: sent.append(content.get("link", "")))
    assert f"{ADDRESS}{link}" in sent and link not in seen()
    with site.store.reading() as session:
        rows = session.scalars(select(OutboxRow).where(OutboxRow.kind == "mail"))
        assert not any("link" in row.content for row in rows)


@pytest.mark.parametrize(
    "text", ["Bindery <b@example.org>", "Bindery, b@example.org", "Bindery (b@example.org)", "Bindery"]
)
def test_a_partys_name_is_told_from_its_address_however_they_are_put_together(text: str) -> None:
    assert party_name(text) == "Bindery" and party_name("b@example.org") == "b@example.org"
