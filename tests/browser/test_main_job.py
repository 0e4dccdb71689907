"""The main job as a person does it: template, start, shift, take back, in a real browser."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

BARRIERS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
COLOURS = ["color-contrast", "link-in-text-block"]
AXE = Path(__file__).parents[2] / "assets/node_modules/axe-core/axe.min.js"


def open_run(page: Page) -> None:
    page.get_by_role("link", name="Bulletin 7").click()
    page.wait_for_url("**/runs/1")  # with its scripts


def drag(page: Page, selector: str, days: int, *, grip: bool = False) -> None:
    """Take a bar by its body or its right end and let it go some columns further."""
    box = page.locator(selector).bounding_box()
    assert box
    x = box["x"] + (box["width"] - 2 if grip else 8)
    y = box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 24 * days, y, steps=5)
    page.mouse.up()


def due(page: Page, key: str) -> str:
    """When a task is due, or would be by the shift being considered."""
    return page.locator(f'.row[data-k="{key}"] :is(.d, .would)').inner_text().split(" – ")[-1]


def test_from_a_template_to_a_shifted_run_and_back(ada: Page, address: str) -> None:
    page = ada
    page.get_by_role("link", name="Library").click()
    page.get_by_role("link", name="Issue of the bulletin").click()
    page.locator('.row[data-k="party"] .c-t').click()
    page.keyboard.press("Control+Enter")
    page.keyboard.type("Post it")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.evaluate("Sheet.whenIdle()")
    for column, value in (("r", "Editor"), ("w", "+14"), ("f", "print +1 wd")):
        page.locator(f'.row[data-k="post-it"] .c-{column}').click()
        page.keyboard.type(value)
        page.keyboard.press("Enter")
    page.evaluate("Sheet.whenIdle()")
    expect(page.locator('.row[data-k="post-it"] .c-f')).to_have_text("3 +1 wd")
    page.get_by_role("button", name="Release edition 2").click()
    page.get_by_role("dialog").get_by_role("button", name="Release edition 2").click()
    page.wait_for_url("**/templates/1")
    expect(page.locator("#about-line")).to_contain_text("released")
    page.get_by_role("link", name="Start a run").click()
    page.wait_for_url("**/start/1**")
    page.get_by_label("Go", exact=True).fill("fri")
    page.get_by_label("Number", exact=True).fill("8")
    go = page.get_by_role("button", name="Start the run with 5 tasks")
    expect(go).to_be_visible()
    expect(page.get_by_text("Post it")).to_be_visible()
    go.click()
    page.wait_for_url("**/starts/1")
    expect(page.get_by_role("heading", name="Started: 5 tasks")).to_be_visible()
    page.get_by_role("link", name="Open the run").click()
    page.wait_for_url("**/runs/2")
    assert [due(page, key) for key in ("draft", "check", "print", "post-it")] == [
        "Mon 8 Jun", "Tue 9 Jun", "Tue 16 Jun", "Thu 25 Jun",
    ]  # fmt: skip

    drag(page, '#field .mk[data-k="draft"] .hit', 4)  # from Fri 5 to Tue 9
    tray = page.get_by_label("The shift being considered")
    expect(tray).to_contain_text("Moves 2 tasks, leaves 3")
    sheet = page.get_by_label("Sheet of the run")
    expect(sheet).to_contain_text("moved by you")
    assert page.locator("#field .ghost").count() == 2
    assert [due(page, key) for key in ("draft", "check")] == ["Wed 10 Jun", "Thu 11 Jun"]
    expect(sheet).to_contain_text("3 others stay")
    page.reload()
    expect(tray).to_contain_text("Moves 2 tasks, leaves 3")  # kept, and nothing was changed by looking
    tray.get_by_role("button", name="Put back").click()
    expect(tray).to_have_count(0)
    assert due(page, "draft") == "Mon 8 Jun"

    drag(page, '#field .mk[data-k="draft"] .hit', 4)
    page.get_by_label("A word on why").fill("The writer is away")
    page.get_by_role("button", name="Apply to 2 tasks").click()
    expect(page.locator(".foot")).to_contain_text("Shift 1 by Ada moved 2 tasks: “The writer is away”")
    page.reload()
    assert due(page, "draft") == "Wed 10 Jun"
    page.get_by_role("button", name="Take back").click()
    expect(page.locator("#toast")).to_contain_text("Shift 1 is taken back")
    assert due(page, "draft") == "Mon 8 Jun"

    for kind, name in (("CSV", "bulletin-8.csv"), ("iCalendar", "bulletin-8.ics")):
        with page.expect_download() as download:
            page.get_by_role("link", name=kind).click()
        assert download.value.suggested_filename == name


def test_the_body_moves_and_the_right_end_stretches(ada: Page) -> None:
    open_run(ada)
    drag(ada, '#field .mk[data-k="draft"] .hit', 3, grip=True)
    expect(ada.locator("#work")).to_contain_text("now takes 5 d")
    assert due(ada, "draft") == "Fri 5 Jun"
    ada.get_by_role("button", name="Put back").last.click()
    expect(ada.locator("#tray")).to_have_count(0)
    assert due(ada, "draft") == "Tue 2 Jun"


def test_the_mode_is_switched_in_the_tray_and_kept_with_the_shift(ada: Page) -> None:
    open_run(ada)
    drag(ada, '#field .mk[data-k="draft"] .hit', 2)
    expect(ada.locator("#tray")).to_contain_text("Moves 2 tasks, leaves 2")  # two days of slack before print
    ada.get_by_role("button", name="Carry").click()
    expect(ada.locator("#tray")).to_contain_text("Moves 4 tasks, leaves 0")
    assert due(ada, "party") == "Fri 19 Jun"
    ada.get_by_role("button", name="Apply to 4 tasks").click()
    expect(ada.locator(".foot")).to_contain_text("Shift 1")
    assert due(ada, "party") == "Fri 19 Jun"


def test_several_edits_make_one_shift_and_each_can_be_put_back(ada: Page) -> None:
    open_run(ada)
    drag(ada, '#field .mk[data-k="draft"] .hit', 2)
    tray = ada.locator("#tray")
    expect(tray).to_be_visible()
    ada.get_by_role("button", name="show the whole sheet").click()
    drag(ada, '#field .mk[data-k="party"] .hit', 5)
    expect(tray).to_contain_text("Party from")
    ada.get_by_role("button", name="Take out: Draft").click()
    expect(tray).to_contain_text("Moves 1 task, leaves 3")
    assert (due(ada, "draft"), due(ada, "party")) == ("Tue 2 Jun", "Mon 22 Jun")
    ada.get_by_role("button", name="Undo").click()
    expect(tray).to_contain_text("Draft from")
    ada.get_by_role("button", name="Do again").click()
    expect(tray).not_to_contain_text("Draft from")


def test_by_keyboard_alone_a_task_is_found_moved_stretched_and_its_shift_applied(ada: Page) -> None:
    open_run(ada)
    ada.locator('.row[data-k="draft"]').focus()
    ada.keyboard.press("ArrowDown")
    expect(ada.locator('.row[data-k="check"]')).to_be_focused()
    ada.keyboard.press("Alt+ArrowRight")
    expect(ada.locator("#tray")).to_contain_text("Check")
    assert due(ada, "check") == "Thu 4 Jun"
    expect(ada.locator('.row[data-k="check"]')).to_be_focused()
    ada.keyboard.press("Alt+Shift+ArrowRight")
    expect(ada.locator('.row[data-k="check"] .would')).to_have_text("Thu 4 – Fri 5 Jun")
    ada.get_by_role("button", name=re.compile("Apply to")).press("Enter")
    expect(ada.locator(".foot")).to_contain_text("Shift 1")
    ada.keyboard.press("?")
    expect(ada.get_by_role("dialog")).to_contain_text("move the task by a day")


def test_a_date_is_typed_and_a_wrong_one_is_told_beside_its_field(ada: Page) -> None:
    open_run(ada)
    ada.locator('.row[data-k="print"]').click()
    field = ada.get_by_label("Due", exact=True)
    field.fill("soon")
    field.press("Enter")
    expect(ada.locator("#fault-due")).to_contain_text('"soon" is no date')
    expect(field).to_have_value("soon")
    field.fill("wd+2")
    field.press("Enter")
    expect(ada.locator('.row[data-k="print"] .delta')).to_have_text("+2 d")
    expect(field).to_have_value("Fri 12 Jun 2026")


def test_a_task_is_finished_only_after_what_it_waits_for(ada: Page) -> None:
    open_run(ada)
    ada.locator('.row[data-k="check"]').click()
    panel = ada.get_by_label("Selected task")
    expect(panel).to_contain_text("Begin and Done: it waits for Draft.")
    expect(panel.get_by_role("button", name="Done")).to_have_count(0)
    panel.get_by_role("button", name="Draft", exact=True).click()
    expect(panel.get_by_role("heading", name="Draft")).to_be_visible()
    panel.get_by_role("button", name="Done").click()
    expect(ada.locator('.row[data-k="check"] .st')).to_have_attribute("aria-label", "ready")


def test_the_second_of_two_people_is_shown_the_new_state(ada: Page, address: str) -> None:
    open_run(ada)
    other = ada.context.new_page()
    other.set_viewport_size({"width": 1280, "height": 800})
    other.goto(ada.url)
    drag(other, '#field .mk[data-k="draft"] .hit', 4)
    expect(other.locator("#tray")).to_be_visible()
    drag(ada, '#field .mk[data-k="draft"] .hit', 1)
    ada.get_by_role("button", name=re.compile("Apply to")).click()
    expect(ada.locator(".foot")).to_contain_text("Shift 1")
    other.get_by_role("button", name=re.compile("Apply to")).click()
    expect(other.get_by_role("alert")).to_contain_text("worked out anew")
    expect(other.locator("#work")).to_contain_text("Tue 2 – Wed 3 Jun")  # from where the other put it
    other.get_by_role("button", name=re.compile("Apply to")).click()
    expect(other.locator(".foot")).to_contain_text("Shift 2")


def test_the_theme_is_switched_and_kept(ada: Page) -> None:
    before = ada.evaluate("getComputedStyle(document.body).backgroundColor")
    ada.get_by_role("button", name="Switch between light and dark").click()
    ada.reload()
    assert ada.evaluate("getComputedStyle(document.body).backgroundColor") != before


def test_at_390_pixels_the_run_is_a_list_with_its_panel(ada: Page) -> None:
    ada.set_viewport_size({"width": 390, "height": 800})
    ada.get_by_role("link", name="Bulletin 7").click()
    ada.wait_for_url("**/runs/1")  # with its scripts
    ada.locator('.row[data-k="draft"]').click()
    expect(ada.get_by_label("Selected task")).to_contain_text("Draft")
    assert ada.evaluate("document.documentElement.scrollWidth") <= 390


@pytest.mark.parametrize("paper, size", [("a4", "841.92 594.96"), ("letter", "792 612")])
def test_a_run_is_printed_on_as_many_pages_as_it_says(ada: Page, address: str, paper: str, size: str) -> None:
    ada.goto(f"{address}/runs/1/paper?paper={paper}")
    drawn = ada.locator(".sheet-page").count()
    ada.evaluate("document.querySelector('.list-page').remove()")
    content = ada.pdf(prefer_css_page_size=True)
    assert len(re.findall(rb"/Type\s*/Page\b", content)) == drawn
    boxes = {
        tuple(round(float(x), 2) for x in box.split()[2:]) for box in re.findall(rb"/MediaBox\s*\[([^\]]*)", content)
    }
    assert boxes == {tuple(float(x) for x in size.split())}


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_no_page_has_a_barrier_that_axe_finds(ada: Page, address: str, theme: str) -> None:
    if not AXE.exists():
        pytest.skip("axe-core comes with Node's packages, which are not here")
    ada.emulate_media(color_scheme=theme)  # type: ignore[arg-type]
    ada.context.add_cookies([{"name": "theme", "value": theme, "url": address}])
    pages = ["/", "/?view=waiting", "/runs", "/library", "/runs/1?task=check", "/runs/1?view=list"]
    pages += ["/runs/1?view=crew", "/runs/1?view=facts"]
    pages += ["/runs/1?view=history", "/templates/1", "/templates/1?step=check", "/start/1", "/start/1?about=x"]
    pages += [
        "/templates/1/editions",
        "/import",
        "/runs/1/template",
        "/account",
        "/account/second-factor",
        "/people",
        "/people/2",
    ]
    pages += ["/horizon", "/horizon?rows=group&by=keeper", "/load", "/load?who=1", "/overview", "/leave?first=%2B3"]
    pages += ["/runs/1/add", "/joiners", "/hand-over", "/subjects/new"]
    pages += ["/by-itself", "/by-itself/repeat/1", "/by-itself/texts", "/outbox", "/bell", "/account/notices"]
    pages += ["/account/programs", "/account/programs/api"]
    pages += ["/teams", "/positions", "/calendars", "/calendars/1", "/runs/1/paper"]
    for path in pages:
        ada.goto(address + path)
        violations(ada, path)
    for button, box in (("Roles, dates, facts", "#setup h2"), ("Rehearse", "#rehearsed")):
        ada.goto(f"{address}/templates/1")
        ada.get_by_role("button", name=button, exact=True).click()
        ada.wait_for_selector(box)
        violations(ada, button)
    ada.goto(f"{address}/runs/1")
    drag(ada, '#field .mk[data-k="draft"] .hit', 4)
    expect(ada.locator("#tray")).to_be_visible()
    violations(ada, "tray")
    ada.get_by_role("button", name="Sign out").click()
    violations(ada, "/sign-in")


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_no_state_of_the_template_sheet_has_a_barrier_that_axe_finds(ada: Page, address: str, theme: str) -> None:
    if not AXE.exists():
        pytest.skip("axe-core comes with Node's packages, which are not here")
    ada.emulate_media(color_scheme=theme)  # type: ignore[arg-type]
    ada.context.add_cookies([{"name": "theme", "value": theme, "url": address}])
    ada.goto(f"{address}/by-itself/texts")
    for label, said in (
        ("Name", f"A word before, {theme}"),
        ("Subject", "{{ task }} is near"),
        ("Text", "Due {{ due }}."),
    ):
        ada.get_by_label(label, exact=True).fill(said)
    ada.get_by_role("button", name="Keep it").click()
    ada.get_by_role("link", name=f"A word before, {theme}").click()
    violations(ada, "a text that is kept once")
    ada.goto(f"{address}/templates/1")
    ada.locator('.row[data-k="print"] .c-w').click()
    ada.keyboard.type("soon")
    ada.keyboard.press("Enter")
    ada.get_by_role("button", name="1 cell is not saved").click()
    expect(ada.locator("#fault")).to_be_visible()
    violations(ada, "a fault in a cell")
    ada.evaluate("Sheet.keep({ what: 'The row you were typing into is gone', text: 'Count the till' })")
    violations(ada, "what is kept")
    for box in ("#checks-box", "#export-box"):
        ada.locator(f"{box} summary").click()
        violations(ada, box)
    ada.locator('.row[data-k="draft"] .c-t').click()
    ada.keyboard.press("Shift+ArrowDown")
    ada.keyboard.press("Alt+Enter")
    expect(ada.locator("#panel h2")).to_have_text("2 steps")
    violations(ada, "the panel of several steps")
    ada.locator('.row[data-k="draft"] .c-t').click()
    panel = ada.get_by_label("Selected steps")
    panel.get_by_role("button", name="Add a message", exact=True).click()
    panel.get_by_label("Whose words").select_option(label=f"A word before, {theme}")
    expect(panel.get_by_label("Text of the message")).to_have_value("Due {{ due }}.")
    panel.locator("[data-message] summary").last.click()
    expect(panel.locator(".lettertext")).to_contain_text("Draft is near")
    violations(ada, "a message of a step, seen filled in")
    ada.locator("#rows .cur").evaluate(
        """(cell) => {
            const held = new DataTransfer();
            held.setData("text/plain", "Task\\tDue\\tDays\\nPack\\t12.3.\\tmany\\n");
            cell.dispatchEvent(new ClipboardEvent("paste", { clipboardData: held, bubbles: true, cancelable: true }));
        }"""
    )
    expect(ada.locator("#paste-box")).to_contain_text("1 cell to mend")
    violations(ada, "a table being looked at")
    ada.set_viewport_size({"width": 390, "height": 800})
    violations(ada, "a table being looked at, on a phone")
    ada.get_by_role("button", name="Leave it").click()
    violations(ada, "the sheet on a phone")


def violations(page: Page, where: str) -> None:
    page.evaluate(AXE.read_text("utf-8"))
    page.evaluate("for (const part of document.querySelectorAll('aside details')) part.open = true")
    dark = page.evaluate("matchMedia('(prefers-color-scheme: dark)').matches")  # what is no colour is as in the light
    found = page.evaluate("rules => axe.run({runOnly: rules})", COLOURS if dark else BARRIERS)
    said = [
        f"{v['id']}: {n['target']} {n.get('failureSummary', '')[:160]}"
        for v in found["violations"]
        for n in v["nodes"][:2]
    ]
    assert said == [], where


def test_an_act_leaves_the_field_where_it_was_scrolled_to(ada: Page) -> None:
    ada.get_by_role("link", name="Bulletin 7").click()
    ada.wait_for_url("**/runs/1")
    left = "document.getElementById('sheet').scrollLeft"
    ada.set_viewport_size({"width": 900, "height": 800})
    ada.locator('.row[data-k="draft"]').click()
    ada.get_by_label("Selected task").get_by_role("button", name="Begin").wait_for()
    ada.evaluate(f"{left} = 5000")
    scrolled = ada.evaluate(left)
    assert scrolled > 400
    ada.get_by_label("Selected task").get_by_role("button", name="Begin").click()
    expect(ada.get_by_label("Selected task")).to_contain_text("under way")
    expect(ada.get_by_label("Selected task").get_by_role("button", name="Reopen")).to_be_visible()
    ada.wait_for_timeout(300)
    assert ada.evaluate(left) == scrolled


def test_many_are_chosen_and_worked_on_at_once_and_the_address_keeps_the_look(ada: Page, address: str) -> None:
    ada.goto(f"{address}/runs/1?view=list")
    ada.locator('select[name="show"]').select_option("open")
    ada.wait_for_url("**show=open**")
    ada.get_by_label("Choose Draft").check()
    ada.get_by_label("Choose Print").check()
    bar = ada.locator("#many")
    expect(bar).to_contain_text("2 chosen")
    bar.get_by_role("button", name="Done").click()
    expect(ada.locator("#toast")).to_contain_text("Print waits for Check, which is not done")
    expect(bar).to_contain_text("2 chosen")
    bar.get_by_label("Hand them to").select_option("Cleo")
    bar.get_by_role("button", name="Hand over").click()
    expect(ada.locator("#toast")).to_contain_text("2 tasks handed to Cleo")
    expect(ada.locator('tr[data-k="print"]')).to_contain_text("Cleo")
    expect(bar).to_be_hidden()
    ada.get_by_role("link", name="Sheet").click()
    ada.wait_for_url("**show=open**")
    ada.locator('.row[data-k="draft"]').focus()
    ada.keyboard.press("x")
    ada.locator('.row[data-k="party"]').click(modifiers=["Control"])
    bar.get_by_role("button", name="Shift").click()
    expect(ada.locator("#tray")).to_contain_text("Moves 3 tasks")
    for view in ("board", "month"):
        ada.goto(f"{address}/runs/1?view={view}")
        ada.locator('[data-open="draft"]').first.click()
        expect(ada.get_by_label("Selected task").get_by_role("heading", name="Draft")).to_be_visible()
