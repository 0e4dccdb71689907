"""A month-end close from start to finished by three people: a queue, a late step, a send-back."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.test_desk import sign_in_as
from tests.plans import document, step
from tests.site import Site
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.store.tables import Person, Team


def close() -> dict[str, object]:
    """Till counted by whoever of the office takes it, the bank reconciled and signed off, then closed."""
    steps = [
        step("till", 1, -1, role="office", phase="count"),
        step("bank", 1, 0, role="books", phase="count", sign_off={"role": "control"}),
        step("report", 1, role="lead", phase="tell"),
        step("closed", 0, phase="tell"),
    ]
    roles = [
        {"key": "office", "label": "Office", "fill": {"by": "team", "team": "Office"}},
        {"key": "books", "label": "Books"}, {"key": "control", "label": "Control"},
        {"key": "lead", "label": "Lead", "fill": {"by": "keeper"}},
    ]  # fmt: skip
    phases = [{"key": "count", "label": "Count"}, {"key": "tell", "label": "Tell"}]
    facts = [{"key": "entity", "label": "Entity", "required": True}]
    links = ("till>bank", "bank>report", "report>closed")
    return document(steps, *links, name="Close", naming="Close {{ entity }}", roles=roles, phases=phases, facts=facts)


def test_a_close_is_worked_off_by_three(ada: Page, address: str, site_of: Site) -> None:
    page, panel = ada, ada.get_by_label("Selected task")
    with site_of.store.writing() as session:
        session.add(Team(name="Office", members=[session.get(Person, site_of.people[n]) for n in ("Bela", "Cleo")]))
        session.flush()
        keep_template(session, site_of.person("Ada"), read_template(close()), released=True)

    # who starts it: yesterday's till is late already, and said so before
    page.goto(f"{address}/start/2")
    page.get_by_label("Go", exact=True).fill("today")
    page.get_by_label("Entity", exact=True).fill("Old Mill")
    page.get_by_label("Books", exact=True).select_option(label="Bela")
    page.get_by_label("Control", exact=True).select_option(label="Cleo")
    expect(page.get_by_role("button", name="in the past")).to_be_visible()
    page.get_by_role("button", name="Start the run with 4 tasks").click()
    page.wait_for_url("**/starts/1")
    expect(page.locator("main")).to_contain_text("Office 1")

    # who does it: takes the till from the queue, then the bank
    sign_in_as(page, address, "Bela")
    page.get_by_role("link", name="Queue 1").click()
    page.locator('.row[data-key="till"]').click()
    panel.get_by_role("button", name="Take it").click()
    expect(page.locator("#toast")).to_contain_text("taken by Bela")
    page.goto(f"{address}/")
    expect(page.locator("#work")).to_contain_text("overdue")
    page.locator('.row[data-key="bank"]').focus()
    page.keyboard.press("d")
    expect(page.get_by_role("alert").first).to_contain_text("Bank waits for Till, which is not done")
    page.locator('.row[data-key="till"]').focus()
    page.keyboard.press("d")
    expect(page.locator('.row[data-key="till"]')).to_have_count(0)
    page.locator('.row[data-key="bank"]').focus()
    page.keyboard.press("d")
    expect(page.locator('.row[data-key="bank"] .sr')).to_have_text("in review")

    # who signs off: sends it back with a word, then signs
    sign_in_as(page, address, "Cleo")
    page.get_by_role("button", name="Bank").click()
    page.get_by_label("A word on it").fill("The card totals differ")
    panel.get_by_role("button", name="Send back").click()
    expect(page.locator("#toast")).to_contain_text("Bank: sent back")
    sign_in_as(page, address, "Bela")
    row = page.locator('.row[data-key="bank"]')
    expect(row.locator(".sr")).to_have_text("under way")
    row.click()
    expect(panel).to_contain_text("The card totals differ")
    panel.get_by_role("button", name="Done").click()
    expect(page.locator("#toast")).to_contain_text("Bank")
    sign_in_as(page, address, "Cleo")
    page.get_by_role("button", name="Bank").click()
    panel.get_by_role("button", name="Sign off").click()
    expect(page.locator("#toast")).to_contain_text("Bank: signed off")

    # who keeps it: the last task makes the milestone over by itself, and the run can be finished
    sign_in_as(page, address, "Ada")
    page.locator('.row[data-key="report"]').focus()
    page.keyboard.press("d")
    expect(page.locator('.row[data-key="report"]')).to_have_count(0)
    expect(page.locator("#work")).to_contain_text("all is done, so it can be finished")
    page.get_by_role("link", name="Close Old Mill", exact=True).first.click()
    page.get_by_role("link", name="Facts", exact=True).click()
    page.get_by_role("button", name="Finish").click()
    expect(page.locator("#main")).to_contain_text("finished")
    page.goto(f"{address}/runs?show=finished")
    expect(page.get_by_role("link", name="Close Old Mill")).to_be_visible()
