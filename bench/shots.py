"""Pictures of the main views, made from the demo data: what ``docs/screenshots`` holds.

The day is fixed, so that the pictures change only when the pages do.
"""

from __future__ import annotations

import datetime as dt
import shutil
import tempfile
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from bench.serving import served
from unisequa.demo.fill import fill
from unisequa.settings import Settings
from unisequa.store.folder import mark_demo
from unisequa.web.app import create_app

TODAY = dt.date(2026, 11, 24)
OUT = Path("docs/screenshots")
PORT = 8431


SUMMER_FAIR = """Summer fair at the Harbour Museum;;;;;
as it went last year;;;;;

No.;Task name;Owner;Due date;Duration;Predecessor(s)
;Before;;;;
1;Stalls promised;Fair lead;T-40;3 days;
2;Poster at the printer;Press officer;28.5.2027;2;1
3;Stalls built;Technician;17 jun;2;1
;On the day:;;;;
4;Gates open;Fair lead;19.6.;0;"2, 3"
5;Raffle;Volunteers;in the afternoon;1;4
6;Takings counted;Shop lead;+1;1;4 + 1 wd
"""


def drag(page: Page, key: str, days: int) -> None:
    """Drag a bar by whole days."""
    bar = page.locator(f'#field .mk[data-k="{key}"] .hit')
    bar.scroll_into_view_if_needed()
    box = bar.bounding_box()
    assert box
    x, y = box["x"] + 8, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 24 * days, y, steps=5)
    page.mouse.up()
    page.wait_for_selector("#tray")


def shoot(page: Page, name: str) -> None:
    """One picture, once the page has settled."""
    page.mouse.move(640, 798)
    page.wait_for_timeout(500)
    page.screenshot(path=OUT / f"{name}.png")


def desk(page: Page) -> None:
    """The desk, which is what one comes to by signing in."""
    page.wait_for_selector("body[data-ready]")


def pictures(browser: Browser, theme: str) -> None:
    """Every view in one theme."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme=theme)  # type: ignore[arg-type]
    page = context.new_page()
    address = f"http://127.0.0.1:{PORT}"
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ines Okafor").click()
    desk(page)
    if theme == "light":
        page.goto(f"{address}/runs")
        shoot(page, "runs")
        page.goto(f"{address}/runs/1?view=month")
        shoot(page, "run-month")
    if theme == "light":
        page.goto(f"{address}/templates/1?step=unpack")
        page.wait_for_selector("#panel h2")
        shoot(page, "template-step")
        page.goto(f"{address}/templates/1")
        page.get_by_role("button", name="Rehearse", exact=True).click()
        page.get_by_role("button", name="Load by week").click()
        shoot(page, "rehearsal")
        steps = OUT / "summer-fair.csv"
        steps.write_text(SUMMER_FAIR)
        page.goto(f"{address}/import")
        page.set_input_files("#file", steps)
        page.get_by_role("button", name="Look at it").click()
        page.get_by_label("Anchors, the first one first").fill("Fair day")
        page.get_by_label("It has dates").fill("19 jun 2027")
        page.get_by_label("It has dates").press("Enter")
        shoot(page, "import")
        steps.unlink()
        page.goto(f"{address}/start/1")
        for name, value in (("anchors.opening", "12 mar"), ("facts.title", "The Long Tide"), ("facts.objects", "30")):
            page.fill(f"[name='{name}']", value)
        page.fill("[name='facts.lender']", "Seal Bay Museum")
        page.fill("[name='facts.value']", "300000")
        page.select_option("[name='facts.living']", "no")
        page.get_by_role("button", name="as in ").click()
        page.wait_for_timeout(800)
        page.evaluate("document.querySelector('.choices').scrollTop = 0")
        shoot(page, "start")
    page.goto(f"{address}/runs/1")
    page.wait_for_selector("#field")
    if theme == "dark":
        shoot(page, "run-dark")
    if theme == "light":
        drag(page, "packing", 5)
        shoot(page, "shift-light")
        page.get_by_role("button", name="Put back").click()
        page.wait_for_selector("#tray", state="detached")
        page.goto(f"{address}/runs/1?task=mount")
        shoot(page, "run-task")
        page.goto(f"{address}/runs")
        page.get_by_role("link", name="Opening night: Paper Harbours").click()
        page.wait_for_selector("body[data-ready]")
        shoot(page, "opening-night")
    context.close()


def a_draft(browser: Browser) -> None:
    """A draft with its checks, and its editions, as its owner sees them."""
    page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="light")
    page.goto(f"http://127.0.0.1:{PORT}/sign-in")
    page.get_by_role("button", name="Maud Ferreira").click()
    desk(page)
    page.goto(f"http://127.0.0.1:{PORT}/templates/4")
    page.locator("#checks-button").click()
    shoot(page, "template-checks")
    page.close()


def the_house(browser: Browser) -> None:
    """Joiners and leavers, a working calendar, the horizon and the load, as an administrator sees them."""
    page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="light")
    page.goto(f"http://127.0.0.1:{PORT}/sign-in")
    page.get_by_role("button", name="Hester Lund").click()
    desk(page)
    page.goto(f"http://127.0.0.1:{PORT}/joiners")
    page.wait_for_selector("body[data-ready]")
    shoot(page, "joiners")
    page.goto(f"http://127.0.0.1:{PORT}/calendars/1")
    shoot(page, "calendar")
    page.goto(f"http://127.0.0.1:{PORT}/horizon")
    page.wait_for_selector("#bars [data-run]")
    shoot(page, "horizon")
    page.goto(f"http://127.0.0.1:{PORT}/load")
    page.locator("td.over a").first.click()
    page.wait_for_selector(".evening")
    shoot(page, "load")
    page.close()


def a_doers_day(browser: Browser) -> None:
    """The desk of somebody who does tasks, and the same on a phone."""
    page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="light")
    page.goto(f"http://127.0.0.1:{PORT}/sign-in")
    page.get_by_role("button", name="Bao Lindqvist").click()
    desk(page)
    shoot(page, "desk")
    page.set_viewport_size({"width": 390, "height": 780})
    page.reload()
    desk(page)
    shoot(page, "desk-narrow")
    page.close()


def by_itself(browser: Browser) -> None:
    """A repeat rule with its next dates, and the outbox, as the close's owner and an administrator see them."""
    for name, path, picture in (
        ("Dunstan Vale", "/by-itself/rules/1", "repeat-rule"),
        ("Hester Lund", "/outbox", "outbox"),
    ):
        page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="light")
        page.goto(f"http://127.0.0.1:{PORT}/sign-in")
        page.get_by_role("button", name=name).click()
        desk(page)
        page.goto(f"http://127.0.0.1:{PORT}{path}")
        shoot(page, picture)
        page.close()


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        mark_demo(Path(folder))
        app = create_app(Settings(clock=False, data=Path(folder), demo=True, today=TODAY))
        fill(app.state.store, TODAY)
        with served(app, PORT), sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=shutil.which("chromium"))
            pictures(browser, "light")
            pictures(browser, "dark")
            a_draft(browser)
            the_house(browser)
            a_doers_day(browser)
            by_itself(browser)
            browser.close()


if __name__ == "__main__":
    main()
