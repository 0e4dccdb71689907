"""How often a page asks the database does not depend on how much is in it."""

from __future__ import annotations

import datetime as dt
import gc
from pathlib import Path
from typing import Any

from sqlalchemy import event

from tests.plans import document, step
from tests.site import TODAY, Site, make_site
from tests.web.routes import addresses
from unisequa.actions.clock.hand_offs import HandOffDraft, save_hand_off
from unisequa.actions.clock.rules import RuleDraft, save_rule, switch
from unisequa.actions.messages.texts import TextDraft, keep_text
from unisequa.actions.runs.shifts import apply_shift
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.creating import start_runs
from unisequa.actions.subjects import Record, add_subject
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import keep_template
from unisequa.actions.templates.rights import give_right
from unisequa.actions.webhooks.hooks import make_webhook
from unisequa.core.design.editing import change_step
from unisequa.core.documents.checks import read_template
from unisequa.core.shift.edits import Move
from unisequa.store.tables import Calendar, Person, Position, Team


def large(folder: Path, size: int) -> Site:
    """A site with so many of everything: steps, people, templates, runs, shifts, edits, calendars, waits."""
    roles = [{"key": f"r{i}", "label": f"Role {i}"} for i in range(size)]
    waits = [{"template": f"Other {i}", "step": "a", "anchor": "go"} for i in range(size)]
    steps = [
        step(f"s{i}", 1, i, role=f"r{i}", phase=f"p{i % size}", waits_for=[waits[i]], sign_off={"role": "r0"})
        for i in range(size)
    ]
    phases = [{"key": f"p{i}", "label": f"Phase {i}"} for i in range(size)]
    links = [f"s{i}>s{i + 1}" for i in range(size - 1)]
    includes = [{"key": f"i{i}", "template": f"Other {i}", "anchors": {"go": "go"}} for i in range(size)]
    site = make_site(folder, content=document(steps, *links, name="Main", roles=roles, phases=phases))
    ada, wanted = site.person("Ada"), list[Wanted]()
    with site.store.writing() as session:
        for i in range(size):
            person = Person(name=f"Person {i}", email=f"p{i}@example.org", password_hash="-", manager_id=1)
            person.position = Position(name=f"Position {i}")
            session.add(Team(name=f"Team {i}", members=[person, session.get(Person, site.people["Bela"])]))
            session.add(Calendar(name=f"house {i}", document={"format": "unisequa-calendar/1", "name": f"house {i}"}))
            other = keep_template(session, ada, read_template(document([step("a")], name=f"Other {i}")), released=True)
            choices = Choices(anchors={"go": dt.date(2026, 6, 1)}, subject=f"Person {i}")
            wanted.append(Wanted(other.template_id, None, choices))
            add_subject(session, ada, Record(f"Person {i}", first=TODAY), TODAY)
            give_right(session, ada, other.template_id, site.people["Bela"], "edit")
        start_runs(session, ada, wanted, TODAY)
        when = {"rrule": "FREQ=MONTHLY", "first": "2026-01-01", "working_day": -1}
        for i in range(size):
            rule = save_rule(session, ada, RuleDraft(f"Rule {i}", site.template, {"when": when}), TODAY)
            switch(session, ada, rule, TODAY, on=True)
            make_webhook(session, ada, f"Hook {i}", "https://hooks.example.org/in", ["task.done"])
            keep_text(session, ada, None, TextDraft(f"Text {i}", "{{ task }}", "Due {{ due }}"))
            handed = {"event": "run finished", "then": "word", "text": f"Word {i}"}
            if i == 0:
                save_hand_off(session, ada, HandOffDraft("After", site.template, None, handed))
        parts = {"roles": roles, "phases": phases, "includes": includes}
        keep_template(session, ada, read_template(document(steps, *links, name="With others", **parts)))
        for i in range(size):
            edits = [Move("s0", TODAY.toordinal() + 28 + 7 * i)]
            apply_shift(session, ada, site.run, i + 1, edits, TODAY)
            edit_draft(session, ada, site.template, lambda t, i=i: change_step(t, "s0", title=f"Title {i}"))
    return site


def asked(site: Site, size: int) -> dict[str, int]:
    """How often each page asks the database; the second time, so that what is read once is known.

    The collector waits meanwhile: a row that it takes at its moment is read again, at whatever size.
    """
    counts = {}
    counted: list[str] = []

    @event.listens_for(site.store.engine, "before_cursor_execute")
    def _count(*args: Any) -> None:
        counted.append(args[2])

    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).administrator = True
    browser = site.client("Ada")
    with_includes = size + 2
    extra = [f"/templates/{with_includes}", f"/templates/{with_includes}/panel?k=s0", f"/start/{with_includes}"]
    views = [f"/runs/{site.run}?view={view}" for view in ("list", "crew", "facts", "history")]
    for path in [*addresses(site, step="s0"), *views, *extra]:
        browser.get(path)
        counted.clear()
        gc.disable()
        try:
            answer = browser.get(path)
        finally:
            gc.enable()
        assert answer.status_code == 200, path
        counts[path.replace(str(with_includes), "n")] = len(counted)
    shift = {"version": "1", "zoom": "day", "kind": "move", "key": "s0", "value": "wd+1"}
    counted.clear()
    assert browser.post(f"/runs/{site.run}/work", shift, headers={"hx-request": "true"}).status_code == 200
    counts["considered"] = len(counted)
    return counts


def test_pages_ask_as_often_at_any_size(tmp_path: Path) -> None:
    small, big = (asked(large(tmp_path / str(size), size), size) for size in (3, 9))
    assert {
        path: (few, many) for (path, few), many in zip(small.items(), big.values(), strict=True) if few != many
    } == {}
    assert max(small.values()) <= 30, small
