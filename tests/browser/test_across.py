"""The horizon and the load as a lead uses them: a run dragged, a stretch drawn, a task handed over by its bar."""

from __future__ import annotations

import datetime as dt
import re

from playwright.sync_api import Page, expect

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template


def test_a_run_dragged_on_the_horizon_opens_with_what_would_follow(ada: Page, address: str) -> None:
    ada.goto(f"{address}/horizon")
    mark = ada.locator('#bars [data-run="1"]')
    expect(mark).to_be_visible()
    box = mark.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    ada.mouse.move(x, y)
    expect(ada.locator("#told")).to_contain_text("over")
    ada.mouse.down()
    ada.mouse.move(x + 32, y, steps=4)  # seven days of four and a half pixels
    expect(ada.locator("#told")).to_contain_text("7 d later")
    ada.mouse.up()
    ada.wait_for_url("**/runs/1")
    expect(ada.locator("#tray")).to_contain_text("The whole run")
    ada.get_by_role("button", name="Put back").click()


def test_a_stretch_drawn_on_the_horizon_starts_a_run_in_it(ada: Page, address: str) -> None:
    ada.goto(f"{address}/horizon?by=none")
    field = ada.locator("#field").bounding_box()
    sheet = ada.locator("#sheet").bounding_box()
    assert field and sheet
    x, y = sheet["x"] + sheet["width"] - 120, field["y"] + 40
    ada.mouse.move(x, y)
    ada.mouse.down()
    ada.mouse.move(x + 60, y, steps=4)
    ada.mouse.up()
    dialog = ada.locator("#stretch")
    expect(dialog).to_be_visible()
    first = dialog.get_by_label("From").input_value()
    assert re.fullmatch(r"\d{4}-\d\d-\d\d", first)
    dialog.get_by_role("button", name="See it").click()
    ada.wait_for_url("**/start/1?first=*")
    expect(ada.locator('input[name="anchors.go"]')).to_have_value(first)


def test_by_keyboard_a_run_is_moved_and_put_back(ada: Page, address: str) -> None:
    ada.goto(f"{address}/horizon")
    expect(ada.locator('#bars [data-run="1"]')).to_be_visible()
    ada.keyboard.press("ArrowDown")
    ada.keyboard.press("Alt+Shift+ArrowRight")
    expect(ada.locator("#told")).to_contain_text("7 d later")
    ada.keyboard.press("Escape")
    expect(ada.locator("#told")).to_be_hidden()
    ada.set_viewport_size({"width": 390, "height": 800})
    expect(ada.locator("#rows .strip")).to_have_count(1)


def test_the_load_opens_to_somebodys_tasks(ada: Page, address: str) -> None:
    ada.goto(f"{address}/load")
    ada.locator("table.workload").get_by_role("link", name="Bela", exact=True).click()
    expect(ada.locator("tr.person.open")).to_contain_text("Bela")
    expect(ada.locator("tr.task").first).to_be_visible()


def test_a_link_drawn_from_run_to_run_holds_a_task_and_is_taken_out(ada: Page, address: str, site_of: Site) -> None:
    with site_of.store.writing() as session:
        owner = site_of.person("Ada")
        posting = read_template(document([step("pack", 2, 0), step("send", 1)], "pack>send", name="Posting"))
        number = keep_template(session, owner, posting, released=True).template_id
        choices = Choices(anchors={"go": TODAY + dt.timedelta(days=2)})
        run_id = start_run(session, owner, number, None, choices, TODAY)
    ada.goto(f"{address}/horizon?by=none")
    knob, row = ada.locator('#bars [data-knob="1"]'), ada.locator(f'#bars [data-run="{run_id}"]')
    expect(row).to_be_visible()
    ada.locator('#bars [data-run="1"]').hover()
    a, b = knob.bounding_box(), row.bounding_box()
    assert a and b
    ada.mouse.move(a["x"] + 4, a["y"] + 4)
    ada.mouse.down()
    ada.mouse.move(b["x"] + 10, b["y"] + 10, steps=5)
    expect(ada.locator("#told")).to_contain_text("Posting waits for Bulletin")
    ada.mouse.up()
    ada.wait_for_url(f"**/horizon/wait?of=1&run={run_id}")
    ada.get_by_role("button", name="Let it wait").click()
    ada.wait_for_url(f"**/runs/{run_id}?task=pack")
    expect(ada.locator("#tray")).to_contain_text("to where what it waits for lets it")
    expect(ada.locator("#panel")).to_contain_text("Waits for other runs")
    ada.get_by_role("button", name="Put back").click()
    ada.get_by_role("button", name=re.compile("^No longer wait for")).click()
    expect(ada.locator("#panel")).not_to_contain_text("Waits for other runs")
    ada.get_by_role("link", name="wait for a task of another run").click()
    ada.get_by_label("A word of its name").fill("bulletin")
    ada.keyboard.press("Enter")
    ada.get_by_role("link", name=re.compile("^Bulletin")).click()
    expect(ada.get_by_label("Of Posting, this task")).to_have_value("pack")
