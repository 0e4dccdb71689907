"""An evening by the clock: opened, worked off minute by minute, put off by half an hour on the night."""

from __future__ import annotations

import datetime as dt
from zoneinfo import ZoneInfo

from playwright.sync_api import Page, expect

from tests.actions.test_hours import evening
from tests.site import TODAY, Site
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.store.tables import Calendar


def clock(site: Site, shown: str) -> None:
    """Have it be some time in Oslo."""
    moment = dt.datetime.combine(TODAY, dt.time.fromisoformat(shown), ZoneInfo("Europe/Oslo")).astimezone()
    site.app.state.settings.now = moment.time()


def at_rest(page: Page, selector: str) -> dict[str, float]:
    """Where something is once the field has come to rest after an answer."""
    before = None
    for _ in range(50):
        found = page.locator(selector).bounding_box()
        if found is not None and found == before:
            return dict(found)
        before = found
        page.wait_for_timeout(150)
    raise AssertionError(f"{selector} does not come to rest")


def test_an_evening_by_the_clock(ada: Page, address: str, site_of: Site) -> None:
    page, panel = ada, ada.get_by_label("Selected task")
    with site_of.store.writing() as session:
        hours = {"week": "1111111", "hours": [["12:00", "24:00"]]}
        document = {"format": "unisequa-calendar/1", "name": "evening", **hours}
        session.add(Calendar(name="evening", document=document))
        session.flush()
        number = keep_template(session, site_of.person("Ada"), read_template(evening()), released=True).template_id
    clock(site_of, "15:00")

    # started from a time, as it is typed
    page.goto(f"{address}/start/{number}")
    page.get_by_label("Go", exact=True).fill("today 18.00")
    page.get_by_label("Writer", exact=True).select_option(label="Ada")
    page.get_by_label("Editor", exact=True).select_option(label="Bela")
    expect(page.locator('.row[data-k$=":speech"]')).to_contain_text("18:35")
    page.get_by_role("button", name="Start the run with 4 tasks").click()
    page.wait_for_url("**/starts/1")
    page.clock.install()  # before the page that follows the clock is there
    page.get_by_role("link", name="Evening").first.click()
    light = page.locator('.row[data-k="light"]')
    expect(light).to_contain_text("17:30")
    expect(light.locator(".st.waiting")).to_be_visible()
    page.wait_for_selector("body[data-ready]")  # or the clock is put forward before anything follows it

    # the page follows the clock by itself: the task becomes ready at its minute, then late, and the line of now moves
    now = page.locator("#fhead text.tod")
    clock(site_of, "17:00")
    page.clock.fast_forward(61_000)
    expect(light.locator(".st.ready")).to_be_visible()
    expect(now).to_have_text("17:00")
    clock(site_of, "17:42")
    page.clock.fast_forward(61_000)
    expect(light).to_contain_text("12m late")
    expect(now).to_have_text("17:42")

    # done ten minutes ago
    light.click()
    panel.get_by_label("At", exact=True).fill("17:32")
    panel.get_by_role("button", name="Done").click()
    expect(light.locator(".st.done")).to_be_visible()
    expect(light).to_contain_text("17:32")

    # the guests are late: the doors are put off, and what follows moves with them
    page.get_by_role("link", name="Facts").click()
    page.get_by_label("Go", exact=True).fill("+30m")
    page.get_by_role("button", name="See what follows").first.click()
    expect(page.locator("#work")).to_contain_text("Wed 3 Jun 18:45 – 19:05")
    page.get_by_role("button", name="Apply to").click()
    expect(page.locator('.row[data-k="speech"]')).to_contain_text("19:05")

    # by the hand on a bar, to five minutes
    bar = at_rest(page, '#bars .mk[data-k="speech"] .hit')
    page.mouse.move(bar["x"] + 8, bar["y"] + 8)
    page.mouse.down()
    page.mouse.move(bar["x"] + 8 + 16, bar["y"] + 8, steps=4)
    expect(page.locator("#toast")).to_have_text("19:00")
    page.mouse.up()
    expect(page.locator('.row[data-k="speech"] .delta')).to_have_text("+15m")
