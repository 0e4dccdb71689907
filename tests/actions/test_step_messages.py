"""The messages of steps: filled in for whom they go to, by texts kept once, with files, seen before they leave."""

from __future__ import annotations

import datetime as dt
import email
from email.policy import default
from pathlib import Path
from typing import Any

import pytest
from aiosmtpd.controller import Controller
from sqlalchemy import select

from tests.actions.test_clock import at
from tests.plans import document, step
from tests.site import Site
from tests.web.test_pages import words
from tests.web.test_sign_in import Mails, mails  # noqa: F401 - a fixture
from unisequa.actions.clock.ticking import tick
from unisequa.actions.mail import send_waiting
from unisequa.actions.messages.texts import TextDraft, keep_text, remove_text, see_text
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.files import on_disk
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import DocumentError, NotAllowed, Refused, Stale
from unisequa.store.tables import FileOfTemplate, OutboxRow

__all__ = ["Controller"]
ROLES = [
    {"key": "printer", "label": "Printer", "fill": {"by": "outside"}},
    {"key": "clerk", "label": "Clerk"},
]


def started(
    site: Site, messages: list[dict[str, Any]], files: tuple[Any, ...] = (), *, named: tuple[Any, ...] = (), **crew: str
) -> int:
    """A run of one step, the proof, due on Wed 10 June, with these messages."""
    attachments = [file.model_dump() for file in (*files, *named)]
    made = document(
        [{**step("proof", 1, 5, role="clerk"), "title": "Proof of {{ show }}", "messages": messages,
          "attachments": attachments}], name="Print", roles=ROLES, facts=[{"key": "show", "label": "Show"}],
    )  # fmt: skip
    with site.store.writing() as session:
        ada = site.person("Ada")
        edition = keep_template(session, ada, read_template(made), released=True)
        session.add_all(FileOfTemplate(template_id=edition.template_id, digest=file.sha256) for file in files)
        crew = {"printer": "Inka Press <inka@example.org>", "clerk": str(site.people["Bela"]), **crew}
        choices = Choices(anchors={"go": dt.date(2026, 6, 3)}, facts={"show": "Herons"}, crew=crew)
        return start_run(session, ada, edition.template_id, None, choices, at("2026-06-03T10:00"))


def left(site: Site) -> list[tuple[str, str, str]]:
    with site.store.reading() as session:
        rows = session.scalars(select(OutboxRow).where(OutboxRow.key.like("message:%")).order_by(OutboxRow.id))
        said = [row.content for row in rows]
        return [(one.get("to", ""), one.get("subject") or one["said"], one.get("text") or one["more"]) for one in said]


PROOF = {"to": "printer", "offset": -1, "at": "09:15", "subject": "{{ task }}: due {{ due }}",
         "text": "Dear {{ person }}, {{ clerk }} waits for it ({{ run }})."}  # fmt: skip


def test_a_message_names_the_task_its_dates_and_whom_it_goes_to(site: Site) -> None:
    started(site, [PROOF, {**PROOF, "to": "clerk", "text": "For {{ person }}, from {{ start | date }}"}])
    tick(site.store, at("2026-06-09T09:15"))
    assert left(site) == [
        ("inka@example.org", "Proof of Herons: due Wed 10 Jun 2026",
         "Dear Inka Press, Bela waits for it (Print)."),
        ("", "Proof of Herons: due Wed 10 Jun 2026", "For Bela, from Wed 10 Jun 2026"),
    ]  # fmt: skip


def test_a_text_kept_once_is_what_all_say_that_name_it(site: Site) -> None:
    ada, bela = site.person("Ada"), site.person("Bela")
    with site.store.writing() as session:
        kept = keep_text(session, ada, None, TextDraft(" Proof  due ", "Soon: {{ task }}", "Please look at it."))
        other = keep_text(session, ada, None, TextDraft("Of a client", "For {{ client }}", "x"))
        with pytest.raises(Refused, match='a text "Proof due" already'):
            keep_text(session, bela, None, TextDraft("proof DUE", "a", "b"))
        with pytest.raises(Refused, match="cannot be read"):
            keep_text(session, ada, None, TextDraft("Odd", "{{ task", "b"))
        with pytest.raises(NotAllowed, match="Only Ada"):
            keep_text(session, bela, kept, TextDraft("Mine", "a", "b", 1))
        assert see_text(session, bela, other).asks_for == ("client",)
    run = started(site, [{**PROOF, "shared": "proof due"}, {**PROOF, "offset": -2, "shared": "Of a client"}])
    with site.store.writing() as session:
        keep_text(session, ada, kept, TextDraft("Proof due", "Tomorrow: {{ task }}", "Dear {{ person }}", 1))
        with pytest.raises(Stale):
            keep_text(session, ada, kept, TextDraft("Proof due", "Older", "x", 1))
    panel = words(site.client("Ada").get(f"/runs/{run}/tasks/proof").text)
    assert (
        "Tomorrow: Proof of Herons" in panel and "to Inka Press" in panel and "Tue 9 Jun 07:15" in panel
    )  # by UTC, as the site has it
    tick(site.store, at("2026-06-08T09:15"))
    assert left(site)[0][1] == "Proof of Herons: due Wed 10 Jun 2026"  # this job knows no client
    with site.store.writing() as session:
        remove_text(session, ada, kept)
    tick(site.store, at("2026-06-09T09:15"))
    assert left(site)[1][1] == "Proof of Herons: due Wed 10 Jun 2026"


def test_files_of_the_step_go_with_it(site: Site, tmp_path: Path, mails: tuple[str, Mails]) -> None:  # noqa: F811
    plan = on_disk(tmp_path, "Plan für Saal 2.pdf", b"%PDF-1.7 plan")
    other = on_disk(tmp_path, "large.bin", b"x" * 11_000_000)
    with pytest.raises(DocumentError, match=r'no file "plan\.pdf" is kept with the step'):
        started(site, [{**PROOF, "files": ["plan.pdf"]}], (plan,))
    hers = on_disk(tmp_path, "hers.pdf", b"kept with another template")
    started(site, [{**PROOF, "files": [plan.name, other.name, hers.name]}], (plan, other), named=(hers,))
    tick(site.store, at("2026-06-09T09:15"))
    send_waiting(site.store, mails[0], "plan@example.org", tmp_path)
    (got,) = (one for one in mails[1].got if one.rcpt_tos == ["inka@example.org"])
    mail = email.message_from_bytes(got.content, policy=default)
    (file,) = mail.iter_attachments()
    assert file.get_filename() == plan.name and file.get_content_type() == "application/pdf"
    assert file.get_payload(decode=True) == b"%PDF-1.7 plan"
    assert "large.bin did not fit into this mail" in mail.get_body().get_content()
