"""What a template tells of itself in the library, at a record, and of past runs in the panel of a step."""

from __future__ import annotations

import datetime as dt

from tests.plans import document, step
from tests.site import TODAY, Site
from tests.web.test_pages import words
from unisequa.actions.clock.rules import RuleDraft, save_rule, switch
from unisequa.actions.lookback.past_of_step import glance
from unisequa.actions.runs.talking import write_comment
from unisequa.actions.runs.work import act_on_task
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.subjects import Record, add_subject
from unisequa.actions.templates.library import keep_template, kinds_of_subjects, library
from unisequa.core.documents.checks import read_template
from unisequa.store.queries.subjects import subject_named

MESSAGE = {"to": "host", "subject": "Soon"}


def welcome(site: Site) -> int:
    made = document(
        [step("greet", 1, 0, role="host", messages=[MESSAGE, MESSAGE])], name="Welcome", usual_for="joiner",
        roles=[{"key": "host", "label": "Host"}],
    )  # fmt: skip
    with site.store.writing() as session:
        edition = keep_template(session, site.person("Ada"), read_template(made), released=True)
        edition.template.open_to = "nothing"
        return edition.template_id


def test_the_library_tells_what_is_said_and_started_by_itself(site: Site) -> None:
    number, ada = welcome(site), site.person("Ada")
    with site.store.writing() as session:
        when = {"rrule": "FREQ=MONTHLY", "first": "2026-01-01", "working_day": -1}
        for on in (True, False):  # one that is off starts nothing
            rule = save_rule(session, ada, RuleDraft(f"Rule {on}", number, {"when": when}), TODAY)
            if on:
                switch(session, ada, rule, TODAY, on=True)
        entry = next(one for one in library(session, ada).entries if one.id == number)
    assert (entry.messages, entry.rules, entry.usual_for) == (2, 1, "joiner")
    page = words(site.client("Ada").get("/library").text)
    assert "1 rule, 2 messages" in page and "usual for: joiner" in page


def test_the_usual_template_is_offered_with_a_record_of_its_kind_and_makes_its_subjects_that(site: Site) -> None:
    number, ada = welcome(site), site.person("Ada")
    with site.store.writing() as session:
        joins = add_subject(session, ada, Record("Nell Ford", kind=" Joiner "), TODAY)
        lends = add_subject(session, ada, Record("Tidewater", kind="lender"), TODAY)
        start_run(session, ada, number, None, Choices(anchors={"go": dt.date(2026, 6, 8)}, subject="Otto Lund"), TODAY)
        assert subject_named(session, "otto lund").kind == "joiner"
        assert kinds_of_subjects(session, ada) == ["joiner", "lender"]
    browser = site.client("Ada")
    assert f'href="/start/{number}?about=Nell%20Ford"' in browser.get(f"/subjects/{joins}").text
    assert "/start/" not in browser.get(f"/subjects/{lends}").text


def test_the_panel_of_a_step_gives_a_glance_of_past_runs(site: Site) -> None:
    number, ada = welcome(site), site.person("Ada")
    with site.store.writing() as session:
        assert glance(session, ada, number, "greet") is None
        for day, on in ((2, 2), (2, 3), (1, 3)):
            choices = Choices(anchors={"go": dt.date(2026, 6, day)}, crew={"host": str(ada.id)})
            run = start_run(session, ada, number, None, choices, TODAY)
            act_on_task(session, ada, run, "greet", "finish", dt.date(2026, 6, on))
        write_comment(session, ada, run, "greet", "The badge came late")
        found = glance(session, ada, number, "greet")
        assert found is not None and (found.done, found.dropped, found.by) == (3, 0, 2)
        assert [days for _, _, days in found.late] == [2, 1]
        assert [(one.who, one.text) for one in found.words] == [("Ada", "The badge came late")]
        hidden = glance(session, site.person("Cleo"), number, "greet")
        assert hidden is None  # whose runs these are not
    panel = words(site.client("Ada").get(f"/templates/{number}/panel?k=greet").text)
    assert "Done in 3 runs: late in 2 of them, by 2 days at the median." in panel and "The badge came late" in panel
