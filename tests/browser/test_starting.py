"""Starting as people do it: somebody new with two templates, an exhibition from its end, in a real browser."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.actions.test_starting import welcome
from tests.site import Site
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template


def test_somebody_new_with_two_templates_and_their_first_day_moved(ada: Page, address: str, site_of: Site) -> None:
    page = ada
    with site_of.store.writing() as session:
        for name in ("A new colleague", "What comes on top"):
            keep_template(session, site_of.person("Ada"), read_template(welcome(name)), released=True)
    page.goto(f"{address}/start/2")
    expect(page.locator("#sheet .row[data-k]")).to_have_count(2)  # drawn before anything is chosen
    expect(page.get_by_text("Drawn as the template has it, until First day is given")).to_be_visible()
    page.get_by_label("About", exact=True).fill("Ansel Whitby")
    page.get_by_label("Start one more with it").select_option(label="What comes on top")
    page.get_by_label("First day", exact=True).fill("6 jul")
    expect(page.get_by_role("button", name="Start 2 runs with 4 tasks")).to_be_visible()
    page.get_by_label("Desk", exact=True).select_option(label="Bela")
    page.get_by_label("Talks", exact=True).select_option("yes")
    expect(page.get_by_role("button", name="Start 2 runs with 6 tasks")).to_be_visible()
    expect(page.locator(".mendline").first).to_contain_text("asks for it as well")
    page.locator(".mendline").get_by_role("button", name="leave this one out").first.click()
    expect(page.get_by_role("button", name="Start 2 runs with 5 tasks")).to_be_visible()
    page.locator('#sheet .row[data-k="2:meet"]').click()
    page.get_by_label("begins").fill("8 jul")
    page.keyboard.press("Tab")
    expect(page.locator('#sheet .row[data-k="2:meet"]')).to_contain_text("Wed 8 Jul")
    page.get_by_role("button", name="Start 2 runs with 5 tasks").dblclick()
    page.wait_for_url("**/starts/1")
    expect(page.get_by_role("heading", name="2 runs started, 5 tasks")).to_be_visible()
    expect(page.locator("main")).to_contain_text("left out by hand")

    page.goto(f"{address}/joiners")
    expect(page.locator(".joiners")).to_contain_text("Ansel Whitby")
    page.get_by_role("link", name="Mon 6 Jul").click()
    page.get_by_label("Move it to").fill("13 jul")
    page.get_by_role("button", name="See what follows").click()
    page.get_by_role("button", name="Move it in 2 runs").click()
    expect(page.get_by_text("Moved in 2 runs")).to_be_visible()
    page.goto(f"{address}/runs")
    assert page.get_by_text("Welcome Ansel Whitby").count() == 2  # the double click made none twice


def test_from_the_end_the_first_day_follows(ada: Page, address: str) -> None:
    page = ada
    page.goto(f"{address}/start/1")
    page.get_by_label("Number", exact=True).fill("9")
    page.get_by_label("Over by").fill("31 jul")
    expect(page.locator('#sheet .row[data-k="1:party"]')).to_contain_text("Fri 31 Jul")
    page.get_by_label("Number", exact=True).fill("-9")
    expect(page.get_by_text("must be 0 or more, not -9").first).to_be_visible()
    expect(page.locator("#fhead")).to_contain_text("June 2026")  # the dates are the same ones, and stay above the field
    page.get_by_role("button", name="Start the run with 4 tasks").click()
    expect(page.get_by_label("Number", exact=True)).to_be_focused()  # what is wrong is where one goes on
    page.get_by_label("Number", exact=True).fill("9")
    expect(page.get_by_text("must be 0 or more")).to_have_count(0)
    page.get_by_role("button", name="Start the run with 4 tasks").click()
    page.wait_for_url("**/starts/1")
    page.get_by_role("link", name="Open the run").click()
    expect(page.locator('.row[data-k="party"] .d')).to_have_text("Fri 31 Jul")
