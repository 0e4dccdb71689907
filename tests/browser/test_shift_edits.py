"""Edits of all kinds, at random, through the page as people make them: every date is the command line's."""

from __future__ import annotations

import datetime as dt
import json
import random
import subprocess
import sys
from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, Page, Route, expect

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.formats.plan_document import plan_document
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Calendar

KEYS = ("walls", "paint", "cases", "labels")
FIRST = ("drag", "together", "span", "whole")
"""What begins a shift: it goes by where things stand."""
THEN = (
    "due", "cell", "menu", "month", "duration", "fix", "drop", "lag", "unlink", "give", "remaining", "anchor",
    "close", "reopen", "catch",
)  # fmt: skip
GO, END = dt.date(2026, 6, 8), dt.date(2026, 7, 17)


def job() -> dict[str, Any]:
    steps = [
        step("brief", 2, 0), step("walls", 4), step("paint", 3), step("cases", 2, role="late"),
        step("texts", 5, 3), step("labels", 2), step("press", 1, when={"anchor": "end", "offset": -4}),
        step("open", 0, when={"anchor": "end", "offset": 0, "edge": "start"}),
    ]  # fmt: skip
    links = (
        "brief>walls",
        "walls>paint",
        "paint>cases+1",
        "brief>texts",
        "texts>labels",
        "cases>press",
        "labels>press",
    )
    anchors = [{"key": "go", "label": "Go"}, {"key": "end", "label": "Opening"}]
    roles = [{"key": "late", "label": "Fitter", "calendar": "six days"}]
    return {**document(steps, *links, name="Show", calendar="house", roles=roles), "anchors": anchors}


def kept_job(session: Session, site: Site) -> tuple[Actor, int]:
    """The job as a template, with the calendar that one of its roles works by; its owner and number."""
    owner, week = site.person("Ada"), {"format": "unisequa-calendar/1", "name": "six days", "week": "1111110"}
    session.add(Calendar(name="six days", document=week))
    return owner, keep_template(session, owner, read_template(job()), released=True).template_id


def open_show(page: Page, address: str, site: Site) -> None:
    """A run of the job, in its sheet."""
    with site.store.writing() as session:
        owner, number = kept_job(session, site)
        run_id = start_run(session, owner, number, None, Choices(anchors={"go": GO, "end": END}), TODAY)
    page.goto(f"{address}/runs/{run_id}")
    page.wait_for_selector("body[data-ready]")


def stands(site: Site, run_id: int) -> tuple[dict[str, Any], dict[str, tuple[str, str]]]:
    """The run as a plan document, and its dates."""
    with site.store.reading() as session:
        run = run_by_id(session, run_id)
        assert run is not None
        plan = plan_document(plan_of(run, TODAY))
        return json.loads(json.dumps(plan)), {
            row.key: (str(row.start_on), str(row.finish_on)) for row in run.tasks if row.state != "dropped"
        }


def by_command(folder: Path, plan: dict[str, Any], edits: list[Any], mode: str) -> dict[str, tuple[str, str]]:
    """The dates that the command line gives."""
    (folder / "plan.json").write_text(json.dumps(plan))
    (folder / "edits.json").write_text(json.dumps(edits))
    command = [str(Path(sys.executable).with_name("unisequa")), "cascade", str(folder / "plan.json")]
    command += ["--edits", str(folder / "edits.json"), "--mode", mode]
    printed = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
    dates = {task["key"]: (task["start"], task["finish"]) for task in plan["tasks"]}
    return dates | {one["key"]: (one["start"][1], one["finish"][1]) for one in printed["changes"]}


class Hand:
    """Somebody at the page, and the edits that they mean."""

    def __init__(self, page: Page, rng: random.Random, dates: dict[str, tuple[str, str]]) -> None:
        self.page, self.rng, self.dates = page, rng, dates
        self.edits: list[dict[str, Any]] = []

    def held(self) -> list[Any]:
        return json.loads(self.page.locator("#shift input[name=edits]").input_value())

    def meant(self, edit: dict[str, Any]) -> None:
        """Counts once the page holds it; what cannot be the page refuses, and says so."""
        self.page.wait_for_function(
            "n => document.querySelector('[data-refused]') || "
            "JSON.parse(document.querySelector('#shift').elements.edits.value).length > n",
            arg=len(self.edits),
        )
        if len(self.held()) > len(self.edits):
            self.edits.append(edit)

    def day(self, key: str, end: int, days: int) -> dt.date:
        return dt.date.fromisoformat(self.dates[key][end]) + dt.timedelta(days=days)

    def open(self, key: str) -> None:
        self.page.goto(f"{self.page.url.split('?')[0]}?task={key}&view=list")
        self.page.wait_for_selector("#in-due")

    def typed(self, field: str, text: str) -> None:
        box = self.page.locator(field)
        box.fill(text)
        box.press("Enter")

    def drag(self, key: str) -> None:
        """The first of a shift, in a sheet of 24 pixels a day."""
        self.page.goto(self.page.url.split("?")[0])
        self.page.wait_for_selector("body[data-ready]")
        bar = self.page.locator(f'#bars .mk[data-k="{key}"] .hit')
        bar.scroll_into_view_if_needed()
        bar.evaluate("bar => document.getElementById('sheet').scrollLeft += bar.getBoundingClientRect().x - 900")
        box = bar.bounding_box()
        days = self.rng.choice((-3, -1, 2, 5))
        assert box
        self.page.mouse.move(box["x"] + 6, box["y"] + 8)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 6 + 24 * days, box["y"] + 8, steps=4)
        self.page.mouse.up()
        self.meant({"edit": "move", "task": key, "start": str(self.day(key, 0, days))})

    def due(self, key: str) -> None:
        self.open(key)
        day = self.day(key, 1, self.rng.choice((-2, 1, 6)))
        self.typed("#in-due", f"{day:%-d %b %Y}")
        self.meant({"edit": "due", "task": key, "finish": str(day)})

    def duration(self, key: str) -> None:
        self.open(key)
        n = self.rng.choice((6, 7, 9))
        self.typed("#in-duration", str(n))
        self.meant({"edit": "duration", "task": key, "duration": n})

    def fix(self, key: str) -> None:
        self.open(key)
        there = dt.datetime.strptime(self.page.locator("#in-move").input_value(), "%a %d %b %Y").date()
        self.page.get_by_role("button", name="Fix it there").click()
        self.meant({"edit": "fix", "task": key, "start": str(there)})

    def drop(self, key: str) -> None:
        self.open(key)
        self.page.get_by_role("button", name="Without it").click()
        self.meant({"edit": "drop", "task": key})

    def in_list(self, key: str) -> Locator:
        self.page.goto(f"{self.page.url.split('?')[0]}?view=list")
        self.page.wait_for_selector("body[data-ready]")
        return self.page.locator(f'tr[data-k="{key}"]')

    def cell(self, key: str) -> None:
        """Into the row's own date."""
        day = self.day(key, 1, self.rng.choice((-2, 1, 6)))
        self.in_list(key).locator(".due").click()
        self.typed("tr input.incell", f"{day:%-d %b %Y}")
        self.meant({"edit": "due", "task": key, "finish": str(day)})

    def menu(self, key: str) -> None:
        """In the menu by its state mark."""
        n = self.rng.choice((6, 7, 9))
        self.in_list(key).locator(".st").click()
        self.typed("#menu-duration", str(n))
        self.meant({"edit": "duration", "task": key, "duration": n})

    def month(self, key: str) -> None:
        """From day to day in the weeks of a month."""
        self.page.goto(f"{self.page.url.split('?')[0]}?view=month")
        self.page.wait_for_selector("body[data-ready]")
        bar = self.page.locator(f'.mspan[data-key="{key}"]').first
        first = int(bar.get_attribute("data-first") or 0)
        there = first + self.rng.choice((-2, 1, 6))
        for day in (first, there):
            spot = self.page.locator(f'.week[data-monday="{day - (day + 6) % 7}"] .dayof').nth((day + 6) % 7)
            spot.scroll_into_view_if_needed()
            box = (bar.locator(".aimbox") if day == first else spot).bounding_box()
            assert box
            self.page.mouse.move(box["x"] + 12, box["y"] + 10, steps=3)
            if day == first:
                self.page.mouse.down()
        self.page.mouse.up()
        self.meant({"edit": "move", "task": key, "start": str(dt.date.fromordinal(there))})

    def lag(self, key: str) -> None:
        self.open(key)
        box = self.page.locator("[data-edit=lag]").first
        if not box.count():
            return
        source, n = box.get_attribute("data-also"), self.rng.choice((2, 3))
        box.fill(f"+{n}")
        box.press("Enter")
        self.meant({"edit": "link", "from": source, "to": key, "lag": n})

    def unlink(self, key: str) -> None:
        self.open(key)
        cross = self.page.locator("[data-unlink]").first
        if cross.count():
            source = cross.get_attribute("data-unlink")
            cross.click()
            self.meant({"edit": "unlink", "from": source, "to": key})

    def give(self, key: str) -> None:
        self.open(key)
        box = self.page.locator("[data-edit=give]")
        other = "house" if box.input_value() == "six days" else "six days"
        box.select_option(other)
        self.meant({"edit": "give", "task": key, "calendar": other})

    def remaining(self, _key: str) -> None:
        """Of the brief, which is under way."""
        self.open("brief")
        n = self.rng.choice((1, 4))
        self.typed("[data-edit=remaining]", str(n))
        self.meant({"edit": "remaining", "task": "brief", "remaining": n})

    def together(self, _key: str) -> None:
        """Three that are chosen, two of which follow each other: each by as many days."""
        for key in ("texts", "labels", "press"):
            self.in_list(key)
        for key in ("texts", "labels", "press"):
            self.page.locator(f'[data-choose="{key}"]').check()
        n = self.rng.choice((-1, 3))
        self.page.locator("#many [name=by]").fill(f"{n:+d}")
        self.page.locator("#many").get_by_role("button", name="Shift", exact=True).click()
        for key in ("texts", "labels", "press"):
            self.meant({"edit": "move", "task": key, "start": str(self.day(key, 0, n))})

    def span(self, _key: str) -> None:
        """The whole run by its line in the head, a week."""
        self.page.goto(self.page.url.split("?")[0])
        self.page.wait_for_selector("body[data-ready]")
        head = self.page.locator("[data-span] rect").bounding_box()
        assert head
        y = head["y"] + head["height"] / 2
        free = "([x, y]) => Boolean(document.elementFromPoint(x, y)?.closest('[data-span]'))"
        x = next(x for x in range(860, 1100, 20) if self.page.evaluate(free, [x, y]))
        n = self.rng.choice((-1, 1))
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 7 * n * 24, y, steps=4)
        self.page.mouse.up()
        self.meant({"edit": "shift", "by": 5 * n})

    def reopen(self, _key: str) -> None:
        day = GO + dt.timedelta(days=5 + 7 * self.rng.randrange(3))
        self.more("reopen:", f"{day:%-d %b %Y}", {"edit": "reopen", "first": str(day), "last": str(day)})

    def more(self, what: str, text: str, edit: dict[str, Any], keep: str = "anchor") -> None:
        """By the line beneath the head, or in the tray."""
        self.page.goto(self.page.url.split("?")[0])
        self.page.wait_for_selector("body[data-ready]")
        if not self.edits:
            self.page.keyboard.press("m")
        form = self.page.locator("#shifting")
        form.locator("[name=what]").select_option(what)
        if text:
            form.locator("[name=value]").fill(text)
        if what.startswith("anchor"):
            form.locator("[name=keep]").select_option(keep)
        form.get_by_role("button", name="See it").click()
        self.meant(edit)

    def anchor(self, _key: str) -> None:
        day, keep = END + dt.timedelta(days=self.rng.choice((-7, 5, 10))), self.rng.choice(("anchor", "offsets"))
        edit = {"edit": "anchor", "anchor": "end", "on": str(day)} | ({} if keep == "anchor" else {"keep": "offsets"})
        self.more("anchor:end", f"{day:%-d %B %Y}", edit, keep)

    def whole(self, _key: str) -> None:
        n = self.rng.choice((-2, 3))
        self.more("run:", f"{n:+d}", {"edit": "shift", "by": n})

    def close(self, _key: str) -> None:
        first = GO + dt.timedelta(days=self.rng.randrange(3, 20))
        last = first + dt.timedelta(days=self.rng.randrange(3))
        edit = {"edit": "close", "first": str(first), "last": str(last)}
        self.more("close:", f"{first:%-d %b %Y} to {last:%-d %b %Y}", edit)

    def catch(self, _key: str) -> None:
        self.more("catch:", "", {"edit": "catch_up", "on": str(TODAY)})


def test_edits_at_random_through_the_page_give_the_dates_of_the_command_line(
    ada: Page, address: str, site_of: Site, tmp_path: Path
) -> None:
    rng = random.Random(20)
    with site_of.store.writing() as session:
        owner, number = kept_job(session, site_of)
        choices = Choices(anchors={"go": GO, "end": END})
    tried: set[str] = set()
    while tried != {*FIRST, *THEN}:
        with site_of.store.writing() as session:
            run_id = start_run(session, owner, number, None, choices, TODAY)
            act_on_tasks(session, owner, run_id, Deed("begin", ["brief"]), TODAY)
        plan, dates = stands(site_of, run_id)
        ada.goto(f"{address}/runs/{run_id}")
        hand = Hand(ada, rng, dates)
        first = [kind for kind in FIRST if kind not in tried] or list(FIRST)
        then = [kind for kind in THEN if kind not in tried]
        chosen = [rng.choice(first), *rng.sample(then, min(2, len(then)))]
        for kind, key in zip(chosen, rng.sample(KEYS, 3), strict=False):
            getattr(hand, kind)(key)
        tried |= set(chosen)
        ada.goto(f"{address}/runs/{run_id}")
        mode = rng.choice(("push", "carry", "tighten"))
        if not hand.edits:
            continue
        ada.get_by_role("button", name=mode.capitalize(), exact=True).click()
        expect(ada.locator("#shift input[name=mode]")).to_have_value(mode)
        for held, meant in zip(hand.held(), hand.edits, strict=True):
            assert meant.items() <= held.items()
        wanted = by_command(tmp_path, plan, hand.edits, mode)
        apply = ada.get_by_role("button", name="Apply")
        if apply.is_enabled():
            apply.click()
            expect(ada.locator("#toast")).to_contain_text("applied")
        _, now = stands(site_of, run_id)
        assert now == {key: wanted[key] for key in now}, (hand.edits, mode)


def test_what_a_row_offers(ada: Page, address: str, site_of: Site) -> None:
    open_show(ada, address, site_of)
    ada.locator('.row[data-k="brief"] .st').click()
    ada.locator("#rowmenu").get_by_role("button", name="Begin").click()
    expect(ada.locator('.row[data-k="brief"] .st.under-way')).to_be_visible()
    expect(ada.locator("#panel")).to_be_hidden()
    row = ada.locator('.row[data-k="walls"]')
    row.locator(".d").hover()
    expect(ada.locator("#rowwhy")).to_contain_text("after Brief")
    row.focus()
    ada.keyboard.press("Shift+F10")
    expect(ada.locator("#rowmenu")).to_contain_text("it waits for Brief")
    ada.keyboard.press("Escape")
    expect(row).to_be_focused()
    ada.keyboard.press("Shift+F10")
    ada.locator("#menu-duration").fill("6")
    ada.keyboard.press("Enter")
    expect(ada.locator("#tray")).to_contain_text("Walls takes")
    expect(row).to_be_focused()
    ada.keyboard.press("F2")
    ada.keyboard.type("no such day")
    ada.keyboard.press("Enter")
    expect(ada.locator("#in-due")).to_have_value("no such day")
    expect(ada.locator("#in-due")).to_be_focused()


def test_of_a_long_run_the_page_holds_what_is_seen_while_a_shift_is_worked_out(
    ada: Page, address: str, site_of: Site
) -> None:
    with site_of.store.writing() as session:
        long = document([step(f"t{i}", 2, i // 4, title=f"Task {i}") for i in range(500)], name="Long")
        number = keep_template(session, site_of.person("Ada"), read_template(long), released=True).template_id
        run_id = start_run(session, site_of.person("Ada"), number, None, Choices(anchors={"go": GO}), TODAY)
    ada.goto(f"{address}/runs/{run_id}?task=t250")
    ada.wait_for_selector("body[data-ready]")
    rows, sheet = ada.locator("#rows-of-tasks .row[data-k]"), ada.locator("#sheet")
    asked: list[Route] = []
    ada.route("**/work", lambda route, _: asked.append(route))

    def wanting(duration: str) -> None:
        """A duration has been typed and waits for its answer."""
        ada.locator("#in-duration").fill(duration)
        ada.locator("#in-duration").press("Enter")
        ada.wait_for_function("() => document.querySelectorAll('#rows-of-tasks .row[data-k]').length < 120")
        expect(ada.locator('.row[data-k="t250"]')).to_be_in_viewport()

    wanting("three weeks or so")
    sheet.evaluate("it => { it.scrollTop -= 60 }")
    expect(rows).to_have_count(500)
    asked.pop().continue_()
    expect(ada.locator("#panel .fault")).to_be_visible()
    expect(rows).to_have_count(500)
    wanting("5d")
    asked.pop().continue_()
    expect(ada.locator("#tray")).to_contain_text("Moves 1 task")
    ada.unroute("**/work")
    ada.get_by_role("button", name="Put back").click()
    expect(rows).to_have_count(500)
    expect(ada.locator('.row[data-k="t250"]')).to_be_in_viewport()


def test_links_and_windows_are_drawn_by_hand(ada: Page, address: str, site_of: Site) -> None:
    parts = document(
        [step("a", 2, 0, phase="one"), step("b", 2, phase="one"), step("c", 1, phase="two"), step("d", 2, phase="two")],
        "a>b", "c>d", name="Rooms",
        phases=[{"key": "one", "label": "One", "span": 6}, {"key": "two", "label": "Two", "span": 5}],
    )  # fmt: skip
    with site_of.store.writing() as session:
        owner = site_of.person("Ada")
        number = keep_template(session, owner, read_template(parts), released=True).template_id
        run_id = start_run(session, owner, number, None, Choices(anchors={"go": GO}), TODAY)
    ada.goto(f"{address}/runs/{run_id}")
    ada.wait_for_selector("body[data-ready]")

    def pulled(grip: str, x: float, y: float) -> None:
        ada.locator(grip).scroll_into_view_if_needed()
        box = ada.locator(grip).bounding_box()
        assert box
        ada.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        ada.mouse.down()
        ada.mouse.move(box["x"] + box["width"] / 2 + x, box["y"] + box["height"] / 2 + y, steps=5)
        ada.mouse.up()

    pulled('.window[data-window="one"] .wgrip[data-end="1"]', 48, 0)
    expect(ada.locator("#tray [data-edit=window]")).to_have_value("Mon 8 Jun 2026 to Wed 17 Jun 2026")
    held = json.loads(ada.locator("#shift input[name=edits]").input_value())
    assert held == [{"edit": "window", "phase": "one", "start": "2026-06-08", "finish": "2026-06-17"}]
    ada.get_by_role("button", name="Put back").click()
    expect(ada.locator("#tray")).to_have_count(0)
    ada.locator('#bars .mk[data-k="b"] .hit').hover()
    target = ada.locator('#bars .mk[data-k="d"] .hit').bounding_box()
    knob = ada.locator('#bars .mk[data-k="b"] .knob[data-end="S"]').bounding_box()
    assert target and knob
    dx = target["x"] + 8 - knob["x"] - knob["width"] / 2
    pulled('#bars .mk[data-k="b"] .knob[data-end="S"]', dx, target["y"] + 10 - knob["y"] - knob["height"] / 2)
    expect(ada.locator("#tray")).to_contain_text("starts with B")
    held = json.loads(ada.locator("#shift input[name=edits]").input_value())
    assert held == [{"edit": "link", "from": "b", "to": "d", "type": "SS"}]
