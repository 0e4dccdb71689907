"""A day's work from the desk: by keys, and on a phone by thumb."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def sign_in_as(page: Page, address: str, name: str) -> None:
    page.get_by_role("button", name="Sign out").click()
    page.get_by_role("button", name=name).click()
    page.wait_for_selector("body[data-ready]")


def test_a_day_is_worked_off_by_keys(ada: Page, address: str) -> None:
    sign_in_as(ada, address, "Bela")
    expect(ada.get_by_role("heading", level=1)).to_have_text("Wednesday 3 June")
    expect(ada.locator("#work")).to_contain_text("1 overdue")
    ada.keyboard.press("ArrowDown")
    row = ada.locator('.row[data-key="draft"]')
    row.focus()
    ada.keyboard.press("Enter")
    panel = ada.get_by_label("Selected task")
    expect(panel.get_by_role("heading", name="Draft")).to_be_visible()
    panel.get_by_label("spell-check").check()
    ada.keyboard.press("c")
    expect(panel.get_by_label("A comment")).to_be_focused()
    ada.keyboard.type("The second page is on its way, @Cleo")
    panel.get_by_role("button", name="Write it").click()
    expect(panel.locator(".rich").last).to_contain_text("on its way, @Cleo")
    row.focus()
    ada.keyboard.press("d")
    expect(row).to_have_count(0)
    toast = ada.locator("#toast")
    expect(toast).to_contain_text("Draft: done")
    toast.get_by_role("button", name="Undo").click()
    expect(ada.locator('.row[data-key="draft"] .sr')).to_have_text("ready")
    expect(panel.get_by_label("spell-check")).to_be_checked()
    ada.locator('.row[data-key="draft"]').focus()
    ada.keyboard.press("d")
    expect(ada.locator('.row[data-key="draft"]')).to_have_count(0)
    ada.get_by_role("link", name="Done", exact=True).click()
    expect(ada.locator('.row[data-key="draft"]')).to_be_visible()

    sign_in_as(ada, address, "Cleo")
    ada.locator('.row[data-key="check"]').focus()
    ada.keyboard.press("d")
    expect(ada.locator('.row[data-key="check"] .sr')).to_have_text("in review")

    sign_in_as(ada, address, "Ada")
    ada.get_by_role("button", name="Check").click()
    panel.get_by_role("button", name="Send back").click()
    expect(ada.get_by_role("alert").first).to_contain_text("Say what is missing in Check")
    ada.get_by_label("A word on it").fill("The picture has no caption")
    panel.get_by_role("button", name="Send back").click()
    expect(ada.locator("#toast")).to_contain_text("Check: sent back")


def test_what_is_refused_is_told_and_the_desk_stands(ada: Page, address: str) -> None:
    sign_in_as(ada, address, "Bela")
    ada.locator('.row[data-key="print"]').focus()
    ada.keyboard.press("d")
    expect(ada.get_by_role("alert")).to_contain_text("Print waits for Check, which is not done. Finish that first.")
    expect(ada.locator('.row[data-key="print"] .sr')).to_have_text("waiting")

    ada.locator('.row[data-key="draft"]').click()
    panel = ada.get_by_label("Selected task")
    expect(panel.get_by_role("heading", name="Draft")).to_be_visible()
    panel.get_by_label("A word on it").fill("All but the last page")
    panel.get_by_label("On", exact=True).fill("32 june")
    panel.get_by_role("button", name="Begin").click()
    expect(panel.get_by_role("alert")).to_contain_text("there is no such day")
    expect(panel.get_by_label("On", exact=True)).to_be_focused()
    expect(panel.get_by_label("A word on it")).to_have_value("All but the last page")
    panel.get_by_label("On", exact=True).fill("")
    panel.get_by_label("A comment").fill("Half a sen")
    panel.get_by_role("button", name="Begin").click()
    expect(panel.locator(".key").first).to_have_text("under way")
    expect(panel.get_by_label("A comment")).to_have_value("Half a sen")  # it is still being written
    panel.get_by_role("button", name="Days left").click()
    panel.get_by_label("Days left").fill("a few")
    panel.get_by_role("button", name="Send to Ada").click()
    expect(panel.get_by_text("Say what is left as a number of working days.")).to_be_visible()
    expect(panel.get_by_label("Days left")).to_have_value("a few")


def test_what_a_step_only_warns_of_is_done_from_the_desk_all_the_same(ada: Page, address: str) -> None:
    ada.goto(f"{address}/")
    ada.locator('.row[data-key="party"]').focus()
    ada.keyboard.press("d")  # with no panel open: it opens, and asks
    panel = ada.get_by_label("Selected task")
    expect(panel.get_by_role("alert")).to_contain_text("which is not done")
    panel.get_by_label("A word on it").fill("There was cake already")
    panel.get_by_role("button", name="Done all the same").click()
    expect(ada.locator("#toast")).to_contain_text("done")
    ada.get_by_role("link", name="Done", exact=True).click()
    expect(ada.locator('.row[data-key="party"]')).to_be_visible()


def test_a_thumb_does_a_days_work(ada: Page, address: str) -> None:
    sign_in_as(ada, address, "Bela")
    ada.set_viewport_size({"width": 390, "height": 844})
    ada.goto(f"{address}/")
    assert ada.evaluate("document.documentElement.scrollWidth") <= 390
    row = ada.locator('.row[data-key="draft"]')
    box = row.bounding_box()
    assert box and box["height"] >= 48
    row.click()
    panel = ada.get_by_label("Selected task")
    done = panel.get_by_role("button", name="Done")
    expect(done).to_be_visible()
    size = done.bounding_box()
    assert size and size["height"] >= 44
    panel.get_by_role("button", name="Begin").click()
    expect(row.locator(".sr")).to_have_text("under way")
    panel.get_by_role("button", name="Days left").click()
    expect(panel.get_by_label("Days left").last).to_be_focused()
    ada.keyboard.type("3")
    panel.get_by_role("button", name="Send to Ada").click()
    expect(panel).to_contain_text("You propose")
    panel.get_by_role("button", name="Done").click()
    expect(ada.locator("#toast")).to_contain_text(re.compile("Draft: done"))
    expect(row).to_have_count(0)


def test_a_doer_sends_a_shift_and_the_keeper_applies_it(ada: Page, address: str) -> None:
    sign_in_as(ada, address, "Bela")
    ada.locator('.row[data-key="draft"]').click()
    panel = ada.get_by_label("Selected task")
    panel.get_by_text("It will take longer, or less").click()
    panel.get_by_label("Done by").fill("never")
    panel.get_by_role("button", name="Send to Ada").click()
    expect(panel.locator("#fault-by")).to_contain_text("never")
    panel.get_by_label("Done by").fill("fri")
    panel.get_by_label("Why").fill("The archive is shut")
    panel.get_by_role("button", name="Send to Ada").click()
    expect(panel).to_contain_text("You propose Draft by Fri 5 Jun")
    sign_in_as(ada, address, "Ada")
    ada.get_by_role("link", name="see it").click()
    expect(ada.locator("#tray")).to_contain_text("Bela proposes Draft by Fri 5 Jun")
    ada.wait_for_load_state()  # the tray is there before the script that hears its buttons
    ada.get_by_role("button", name=re.compile("Apply to")).click()
    expect(ada.locator(".foot")).to_contain_text("Shift 1")
    expect(ada.locator('.row[data-k="draft"] .d')).to_have_text("Fri 5 Jun")
    ada.goto(f"{address}/")
    expect(ada.locator("#work")).not_to_contain_text("proposes")


def test_what_can_be_done_on_a_page_is_found_there_and_done(ada: Page, address: str) -> None:
    ada.goto(f"{address}/runs/1")
    ada.wait_for_selector("body[data-ready]")
    ada.keyboard.press("/")
    ada.keyboard.type("draft")
    row = ada.locator("#found .foundrow", has_text="Bulletin")
    expect(row).to_be_visible()
    edge, beside = row.bounding_box(), row.locator(".beside").bounding_box()
    assert edge and beside and edge["y"] <= beside["y"] <= edge["y"] + edge["height"]  # in its row
    ada.locator("#find-text").fill("move d")
    expect(ada.locator("#here .foundrow")).to_have_text("hereMove dates")
    expect(ada.locator("#found p")).to_be_hidden()  # that nothing else is called so
    ada.keyboard.press("Enter")
    expect(ada.locator("#find")).not_to_be_visible()
    expect(ada.locator("#shifting [name=value]")).to_be_focused()


def test_what_is_told_covers_nothing_that_is_there_to_be_pressed(ada: Page, address: str) -> None:
    ada.goto(f"{address}/runs/1?view=list")
    ada.wait_for_selector("body[data-ready]")
    boxes = ada.locator("[data-choose]")
    boxes.nth(1).check()
    ada.locator("#many [name=act_why]").fill("Asked for today")
    ada.locator("#many").get_by_role("button", name="Comment").click()
    expect(ada.locator("#toast")).to_contain_text("Written on 1 task")
    boxes.nth(1).check()
    expect(ada.locator("#many [name=act_why]")).to_have_value("")
    for bar, press in (("#many", "Shift"), ("#tray", "Apply to")):
        expect(ada.locator(bar)).to_be_visible()
        ada.wait_for_function(
            "([told, bar]) => told.getBoundingClientRect().bottom <= bar.getBoundingClientRect().top",
            arg=[ada.locator("#toast").element_handle(), ada.locator(bar).element_handle()],
            timeout=3000,
        )
        ada.locator(bar).get_by_role("button", name=press).click()
    expect(ada.locator("#toast")).to_contain_text("applied")
