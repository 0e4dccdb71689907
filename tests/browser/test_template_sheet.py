"""Designing a job in the template's sheet as a person does: by keyboard alone, by pointer, two at once."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from playwright.sync_api import Page, expect

JOB = (
    "Loan agreement ends", "Book the courier", "Condition check", "Pack the objects", "Build crates", "Label crates",
    "Load the van", "On the road", "Hand over", "Receipt signed", "Insurance closed", "Loan closed",
)  # fmt: skip


def home(page: Page) -> str:
    """The site's address without a path."""
    found = urlsplit(page.url)
    return f"{found.scheme}://{found.netloc}"


def begin(page: Page, name: str = "Return a loan", anchors: str = "") -> None:
    """A new, empty template, begun by keyboard."""
    page.goto(home(page) + "/library")
    page.get_by_label("Name of the job").focus()
    page.keyboard.type(name)
    if anchors:
        page.get_by_label("Counted from").fill(anchors)
    page.keyboard.press("Enter")
    page.wait_for_url("**/templates/*")
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    expect(page.locator("#rows .cur")).to_be_focused()


def settled(page: Page) -> None:
    """Every edit so far is saved and shown."""
    page.evaluate("Sheet.whenIdle()")


def lines(page: Page) -> list[dict[str, Any]]:
    settled(page)
    found: list[dict[str, Any]] = page.evaluate("Sheet.model.lines")
    return found


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)
        settled(page)


def titles(page: Page) -> list[str]:
    return ["  " * line.get("lv", 0) + line["t"] for line in lines(page)]


def typed(page: Page, *texts: str) -> None:
    """Texts typed one below the other."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Enter")


def test_by_keyboard_alone_twelve_steps_are_designed_from_an_empty_page(ada: Page) -> None:
    begin(ada)
    typed(ada, *JOB)  # the blank row takes one after the other
    press(ada, "Escape")
    assert titles(ada) == list(JOB)

    press(ada, "ArrowUp", *["ArrowUp"] * 6)  # to Label crates
    press(ada, "Shift+ArrowUp", "Tab")  # both crates belong to Pack the objects
    assert titles(ada)[3:6] == ["Pack the objects", "  Build crates", "  Label crates"]

    press(ada, "Control+Home", "ArrowRight")
    typed(ada, "Registrar", "reg", "reg")  # the role is made once, then completed
    assert [line.get("r") for line in lines(ada)[:4]] == ["Registrar"] * 3 + [None]

    press(ada, "Control+Home", "ArrowRight", "ArrowRight")
    ada.keyboard.type("start -20")
    press(ada, "Tab")
    typed(ada, "2")
    press(ada, "ArrowRight")
    typed(ada, "loan", "book the courier +1 wd")
    assert [(line.get("w"), line["d"], line.get("f")) for line in lines(ada)[:3]] == [
        ("start -20 wd", "2", None),
        (None, "1", "Loan agreement ends"),
        (None, "1", "Book the courier +1 wd"),
    ]
    assert [line["s"] for line in lines(ada)[:3]] == [[-20, -18], [-18, -17], [-16, -15]]

    press(ada, "F9", "ArrowDown", "Enter")  # from Pack the objects to its first sub-step: a circle
    expect(ada.locator("#toast")).to_contain_text(
        "would make a circle: Pack the objects → Build crates → Pack the objects"
    )
    press(ada, "ArrowUp", "ArrowUp", "F9", "ArrowDown", "ArrowDown")
    expect(ada.locator("#over .told")).to_have_text("Build crates starts after the end of Condition check")
    press(ada, "Enter")
    assert ada.evaluate("Sheet.model.links.length") == 3

    press(ada, "Alt+ArrowRight", "Alt+Shift+ArrowRight")  # Build crates a day later, and longer
    built = lines(ada)[4]
    assert (built["w"], built["d"]) == ("start -14 wd", "2")
    press(ada, "Control+z", "Control+z")
    assert (lines(ada)[4].get("w"), lines(ada)[4]["d"]) == (None, "1")

    press(ada, "Control+End", "ArrowUp", "Alt+ArrowUp")
    assert titles(ada)[-2:] == ["Loan closed", "Insurance closed"]
    press(ada, "Control+Enter")
    typed(ada, "Thank the lender")
    press(ada, "Escape", "ArrowUp")
    assert titles(ada)[-2:] == ["Thank the lender", "Insurance closed"]
    press(ada, "Delete")
    assert len(lines(ada)) == 12

    ada.reload()
    assert titles(ada)[3:6] == ["Pack the objects", "  Build crates", "  Label crates"]
    press(ada, "F8")
    expect(ada.locator("#rows .row").first).to_contain_text("Registrar")


def drag(page: Page, start: tuple[float, float], *moves: tuple[float, float], up: bool = True) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    for move in moves:
        page.mouse.move(*move, steps=6)
    if up:
        page.mouse.up()
        settled(page)


def middle(page: Page, selector: str, dx: float = 0) -> tuple[float, float]:
    box = page.locator(selector).bounding_box()
    assert box
    return box["x"] + box["width"] / 2 + dx, box["y"] + box["height"] / 2


def bar(key: str, part: str = ".hit") -> str:
    return f'#bars .mk[data-k="{key}"] {part}'


def paste(page: Page, text: str, selector: str = "#rows .cur") -> None:
    """What the clipboard holds put into the cell that has the cursor."""
    page.locator(selector).first.evaluate(
        """(cell, text) => {
            const found = new DataTransfer();
            found.setData("text/plain", text);
            cell.dispatchEvent(new ClipboardEvent("paste", { clipboardData: found, bubbles: true, cancelable: true }));
        }""",
        text,
    )
    settled(page)


MESSY = """Plan of last year

No.\tTask name\tOwner\tDue date\tDuration\tPredecessor(s)
\tBefore\t\t\t\t
1\tBook the hall\tOffice\tT-40\t2 days\t
2\tAsk the printer, again\tPress officer\t12.03.2027\t1\t1
\tThe day:\t\t\t\t
3\tOpen the doors\tHosts\tD+0\t0\t2; 1 + 2 wd
4\tSweep\tHosts\tsoon\tmany\t3
"""


def test_a_messy_table_is_pasted_mended_in_place_and_released(ada: Page) -> None:
    begin(ada, "Fair", "Fair day, Printer deadline")
    ada.locator('.row[data-k="new"] .c-t').click()
    ada.keyboard.press("Escape")
    paste(ada, MESSY)
    box = ada.get_by_role("dialog")
    expect(box).to_contain_text("Makes 4 steps in 2 phases. 3 new roles: Office, Press officer, Hosts.")
    expect(box).to_contain_text("There are dates; say which day the anchor they are counted from was.")
    expect(box.get_by_role("button", name="Put in 4 steps")).to_be_disabled()
    box.get_by_label("It has dates: counted from").fill("19.3.27")
    box.get_by_label("It has dates: counted from").press("Enter")
    expect(box.get_by_label("Row 9, Due date")).to_be_focused()  # the first cell that is still wrong
    ada.keyboard.press("Control+a")
    ada.keyboard.type("D+1")
    ada.keyboard.press("Enter")
    expect(box.get_by_label("Row 9, Duration")).to_be_focused()
    ada.keyboard.press("Control+a")
    ada.keyboard.type("2")
    ada.keyboard.press("Enter")
    box.get_by_role("button", name="Put in 4 steps").click()
    expect(ada.locator("#toast")).to_contain_text("4 steps put in")
    assert [(line["t"], line.get("w", ""), line["d"], line.get("f", "")) for line in lines(ada)] == [
        ("Book the hall", "-40 wd", "2", ""),
        ("Ask the printer, again", "-5 wd", "1", "Book the hall"),
        ("Open the doors", "0 wd", "0", '"Ask the printer, again", Book the hall +2 wd'),
        ("Sweep", "+1 wd", "2", "Open the doors"),
    ]
    ada.get_by_role("button", name="Release edition 1").click()
    ada.get_by_role("dialog").get_by_role("button", name="Release edition 1").click()
    expect(ada.locator("#about-line")).to_contain_text("edition 1, released")


def test_by_pointer_twelve_steps_are_pasted_placed_and_linked(ada: Page) -> None:
    begin(ada)
    ada.get_by_role("button", name="New phase", exact=True).click()
    ada.keyboard.type("Before")
    ada.keyboard.press("Enter")  # and on to its first step
    expect(ada.locator("#rows .edit")).to_be_focused()
    paste(ada, "\n".join(f"- {title}" for title in JOB[:6]) + "\n", "#rows .edit")
    ada.get_by_role("button", name="New phase", exact=True).click()
    ada.keyboard.type("After")
    ada.keyboard.press("Enter")
    paste(ada, "\n".join(JOB[6:]), "#rows .edit")
    assert titles(ada) == list(JOB)
    assert {line["ph"] for line in lines(ada)} == {"before", "after"}

    rows = ada.locator
    rows('.row[data-k="hand-over"] .c-t').click()
    drag(ada, middle(ada, '.row[data-k="on-the-road"] .c-n'), middle(ada, '.row[data-k="receipt-signed"] .c-n', 2))
    assert titles(ada)[6:10] == ["Load the van", "Hand over", "Receipt signed", "On the road"]
    ada.keyboard.press("Control+z")
    settled(ada)
    assert titles(ada) == list(JOB)
    rows('.row[data-k="build-crates"] .c-t').click()
    rows('.row[data-k="label-crates"] .c-t').click(modifiers=["Shift"])
    ada.keyboard.press("Tab")
    assert titles(ada)[3:6] == ["Pack the objects", "  Build crates", "  Label crates"]

    x, y = middle(ada, bar("book-the-courier"))
    drag(ada, (x, y), (x + 45, y), up=False)  # three days of fifteen pixels
    expect(ada.locator("#over .told")).to_have_text("starts 3 wd after Start")
    ada.mouse.up()
    assert lines(ada)[1]["w"] == "start +3 wd"
    x, y = middle(ada, bar("book-the-courier", ".grip"))
    drag(ada, (x, y), (x + 30, y))
    assert lines(ada)[1]["d"] == "3"

    ada.locator(bar("book-the-courier")).hover()
    start = middle(ada, bar("book-the-courier", '.knob[data-end="F"]'))
    drag(ada, start, middle(ada, bar("condition-check"), -4))
    assert ada.evaluate("Sheet.model.links") == [["book-the-courier", "condition-check", "FS"]]
    assert lines(ada)[2]["s"] == [6, 7]
    ada.locator(bar("condition-check")).hover()
    start = middle(ada, bar("condition-check", '.knob[data-end="F"]'))
    drag(ada, start, middle(ada, bar("book-the-courier"), -20), up=False)
    expect(ada.locator("#over .circle.told")).to_have_text(
        "A circle: Condition check → Book the courier → Condition check"
    )
    ada.mouse.up()
    settled(ada)
    assert ada.evaluate("Sheet.model.links.length") == 1

    rows('.row[data-k="loan-closed"] .c-n').click()
    panel = ada.get_by_label("Selected steps")
    expect(panel.get_by_role("heading", name="Loan closed")).to_be_visible()
    panel.get_by_label("Working days").fill("0")
    panel.get_by_label("Signed off by").fill("Controller")
    panel.get_by_label("Signed off by").press("Tab")
    settled(ada)
    panel.get_by_label("Instructions").fill("- [ ] file the receipt for {{ s")
    panel.get_by_label("Instructions").press("t")
    ada.get_by_role("option", name="Start").click()
    panel.get_by_label("Instructions").blur()
    settled(ada)
    expect(panel.locator(".rich")).to_contain_text("☐ file the receipt for")
    assert lines(ada)[11]["ms"] and lines(ada)[11]["so"] == "Controller"


def copying(page: Page, kind: str) -> None:
    """Copy or cut through the clipboard of the page, kept for the next paste."""
    page.evaluate(
        """(kind) => {
            window.kept = new DataTransfer();
            document.activeElement.dispatchEvent(
                new ClipboardEvent(kind, { clipboardData: window.kept, bubbles: true, cancelable: true }));
        }""",
        kind,
    )
    settled(page)


def test_rows_are_cut_and_put_in_elsewhere_and_copied_into_another_template(ada: Page) -> None:
    open_bulletin(ada)
    ada.locator('.row[data-k="check"] .c-t').click()
    copying(ada, "cut")
    assert [line["k"] for line in lines(ada)] == ["draft", "print", "party"]
    ada.locator('.row[data-k="party"] .c-t').click()
    ada.evaluate(
        "document.activeElement.dispatchEvent(new ClipboardEvent('paste', "
        "{ clipboardData: window.kept, bubbles: true, cancelable: true }))"
    )
    assert [line["k"] for line in lines(ada)] == ["draft", "print", "party", "check"]
    assert ["draft", "check", "FS"] in ada.evaluate("Sheet.model.links")
    clip = ada.evaluate("window.kept.getData('application/x-unisequa-steps')")
    begin(ada, "Another job")
    ada.evaluate(
        """(clip) => {
            const found = new DataTransfer();
            found.setData("application/x-unisequa-steps", clip);
            found.setData("text/plain", "Check");
            document.activeElement.dispatchEvent(
                new ClipboardEvent("paste", { clipboardData: found, bubbles: true, cancelable: true }));
        }""",
        clip,
    )
    (line,) = lines(ada)
    assert (line["t"], line["r"], line["so"]) == ("Check", "Editor", "Lead")


def open_bulletin(page: Page) -> None:
    page.goto(home(page) + "/library")
    page.get_by_role("link", name="Issue of the bulletin").click()
    page.wait_for_selector("#rows .cur")


def test_a_wrong_entry_is_told_at_its_cell_and_what_was_typed_is_kept(ada: Page) -> None:
    open_bulletin(ada)
    ada.locator('.row[data-k="print"] .c-w').click()
    ada.keyboard.type("soon")
    ada.keyboard.press("Enter")
    expect(ada.locator("#toast")).to_contain_text('Due of row 3: "soon" is no offset')  # the cursor has moved on
    expect(ada.locator('.row[data-k="print"] .c-w')).to_have_text("soon")
    expect(ada.locator("#fault")).to_be_hidden()
    ada.get_by_role("button", name="1 cell is not saved").click()
    fault = ada.get_by_role("alert")
    expect(fault).to_contain_text('"soon" is no offset')
    box, row = fault.bounding_box(), ada.locator('.row[data-k="print"]').bounding_box()
    assert (
        box and row and box["y"] == row["y"] and box["height"] <= row["height"] and box["x"] >= row["x"] + row["width"]
    )
    fault.get_by_role("button", name="Type it again").click()
    expect(ada.locator("#rows .edit")).to_have_value("soon")
    ada.locator("#rows .edit").fill("+6")
    ada.keyboard.press("Enter")
    settled(ada)
    expect(ada.get_by_role("alert")).to_have_count(0)
    expect(ada.locator('.row[data-k="print"] .c-w')).to_have_text("start +6 wd")


def test_a_column_is_pasted_as_one_edit(ada: Page) -> None:
    open_bulletin(ada)
    ada.locator('.row[data-k="draft"] .c-r').click()
    paste(ada, "Editor\nEditor\nBindery\nLead\nNobody")
    assert [line["r"] for line in lines(ada)] == ["Editor", "Editor", "Bindery", "Lead"]
    expect(ada.get_by_role("status")).to_contain_text("1 of 5 lines had no row")
    ada.locator('.row[data-k="check"] .c-d').click()
    paste(ada, "2\nsoon")
    expect(ada.get_by_role("status")).to_contain_text('Print: "soon" is no number of working days')
    assert [line["d"] for line in lines(ada)] == ["2", "1", "3", "1"]
    press(ada, "Control+z")
    assert [line["r"] for line in lines(ada)] == ["Writer", "Editor", "Writer", "Lead"]


def test_typing_goes_on_in_a_row_that_is_moved_meanwhile(ada: Page) -> None:
    open_bulletin(ada)
    ada.locator('.row[data-k="check"] .c-t').click()
    ada.keyboard.press("Alt+ArrowUp")  # its answer comes while the next words are typed
    ada.keyboard.press("F2")
    ada.keyboard.press("Home")
    ada.keyboard.type("First ")
    settled(ada)
    assert titles(ada)[:2] == ["Check", "Draft"]
    expect(ada.locator('.row[data-k="check"] .edit')).to_be_focused()
    ada.keyboard.type("full ")
    ada.keyboard.press("Enter")
    assert titles(ada)[:2] == ["First full Check", "Draft"]


def test_nothing_typed_is_lost_when_its_row_is_gone_or_its_field_refused(ada: Page, address: str) -> None:
    open_bulletin(ada)
    ada.locator('.row[data-k="party"] .c-t').click()
    ada.keyboard.type("Feast of the press")
    ada.evaluate(  # meanwhile somebody takes the step out
        "Sheet.ask('/edit', { edit: { op: 'remove', keys: ['party'] } })"
    )
    ada.keyboard.press("Enter")
    settled(ada)
    expect(ada.locator("#kept")).to_contain_text("Not saved: Feast of the press")
    ada.get_by_role("button", name="A new step of it").click()
    expect(ada.locator("#rows .edit")).to_have_value("Feast of the press")
    ada.keyboard.press("Enter")
    ada.keyboard.press("Escape")
    settled(ada)
    assert [line["t"] for line in lines(ada)][-1] == "Feast of the press"
    expect(ada.locator("#kept")).to_be_hidden()

    ada.locator('.row[data-k="draft"] .c-t').click()
    press(ada, "Alt+Enter")
    panel = ada.get_by_label("Selected steps")
    panel.get_by_label("Effort").fill("a while")
    panel.get_by_label("Close").click()  # the answer comes when the panel is gone
    settled(ada)
    expect(ada.locator("#kept")).to_contain_text("Not saved: a while")
    ada.get_by_role("button", name="Type it again").click()
    expect(panel.get_by_label("Effort")).to_have_value("a while")
    expect(panel.get_by_label("Effort")).to_have_attribute("aria-invalid", "true")
    panel.get_by_role("button", name="Put back").click()
    expect(panel.get_by_label("Effort")).to_have_value("")

    for label in ("Instructions", "Text of the message"):  # fetched again while one types in it: typed on, sent once
        if label == "Text of the message":
            panel.get_by_role("button", name="Add a message").click()
            expect(panel.get_by_label("Subject of the message")).to_be_focused()
        field = panel.get_by_label(label)
        field.fill("Ask the mill")
        with ada.expect_response("**/panel?*"):
            ada.evaluate("Sheet.panelStale()")
        expect(field).to_have_attribute("data-owed", "yes")
        assert ada.evaluate("Sheet.pending.length") == 0
        field.press("End")
        field.press_sequentially(" for paper")
        with ada.expect_request("**/edit") as sent:
            field.blur()
        assert "Ask the mill for paper" in str(sent.value.post_data)
        settled(ada)
        expect(field).to_have_value("Ask the mill for paper")
        expect(field).not_to_have_attribute("aria-invalid", "true")

    ada.locator('.row[data-k="draft"] .c-t').click()  # and what is typed for a step that is gone goes to no other
    expect(panel.get_by_role("heading", name="Draft")).to_be_visible()
    panel.get_by_label("Instructions").fill("For nobody else")
    ada.evaluate(
        "Sheet.ask('/edit', { edit: { op: 'remove', keys: ['draft'] } }).then((answer) => Sheet.take(answer.sheet))"
    )
    ada.evaluate("Sheet.panelStale()")
    expect(ada.locator("#kept")).to_contain_text("For nobody else")
    expect(panel.get_by_role("heading", name="Draft")).to_be_hidden()
    expect(panel.get_by_label("Instructions")).to_have_value("")


def test_columns_are_typed_down_past_the_heads_of_phases_and_into_many_at_once(ada: Page) -> None:
    open_bulletin(ada)
    ada.locator('.row[data-k="check"] .c-d').click()
    typed(ada, "3", "4")  # from Words on into Paper
    assert [line["d"] for line in lines(ada)] == ["2", "3", "4", "1"]
    ada.locator('.row[data-k="draft"] .c-r').click()
    press(ada, "Shift+ArrowDown", "F2")
    ada.keyboard.press("Control+a")
    ada.keyboard.type("edi")
    ada.keyboard.press("Control+Enter")  # takes what is suggested
    settled(ada)
    assert [line["r"] for line in lines(ada)][:2] == ["Editor", "Editor"]
    ada.locator('.row[data-k="party"] .c-r').click()
    ada.keyboard.type("Caterer")
    ada.keyboard.press("Enter")
    expect(ada.locator("#toast")).to_contain_text("New role: Caterer.")
    ada.get_by_role("button", name="Undo", exact=True).last.click()
    settled(ada)
    assert "Caterer" not in [role[1] for role in ada.evaluate("Sheet.model.roles")]


def test_the_field_has_one_count_and_what_is_out_of_sight_is_led_to(ada: Page) -> None:
    open_bulletin(ada)
    ada.evaluate("Sheet.edit({ op: 'add', part: 'anchors', label: 'Sale' })")
    settled(ada)
    ada.evaluate("Sheet.edit({ op: 'set', keys: ['party'], field: 'when', value: 'Sale -30' })")
    settled(ada)
    ada.get_by_role("button", name="Fit all").click()
    count = ada.get_by_label("Working days from")
    expect(count).to_have_value("go")
    sale = ada.evaluate("Sheet.model.anchors.find((one) => one[1] === 'Sale')[2]")
    expect(ada.locator("#fhead")).to_contain_text(f"Sale +{sale}")
    ada.locator('.row[data-k="party"] .c-w').click()
    ada.wait_for_timeout(100)
    party = ada.locator(bar("party")).bounding_box()
    ada.keyboard.press("F7")  # from the anchor of this step
    expect(count).to_have_value("sale")
    assert party == ada.locator(bar("party")).bounding_box()  # nothing moves but the count
    for _ in range(3):
        ada.get_by_label("Larger days").click()
    ada.locator("#sheet").evaluate("(sheet) => { sheet.scrollLeft = 0; }")
    ada.locator('.edgearrow[data-edge="party"]').click()
    expect(ada.locator(bar("party"))).to_be_in_viewport()
    expect(ada.locator('.edgearrow[data-edge="draft"]')).to_be_visible()  # which has gone out on the other side


def test_a_column_is_fitted_to_what_it_holds_and_stays_so(ada: Page) -> None:
    open_bulletin(ada)
    due = ada.locator('.row[data-k="print"] .c-w')
    before = due.bounding_box()
    ada.evaluate("Sheet.edit({ op: 'set', keys: ['print'], field: 'when', value: 'start +10000 working days' })")
    settled(ada)
    with ada.expect_response("**/account/widths"):  # kept for her, on whatever machine
        ada.get_by_role("separator", name="Width of Due").dblclick()
    after = due.bounding_box()
    assert before and after and after["width"] > before["width"]
    assert due.evaluate("(cell) => cell.scrollWidth <= cell.clientWidth")
    ada.reload()
    ada.wait_for_selector("#rows .cur")
    assert due.bounding_box() == after and ada.evaluate("localStorage.length") == 0
    ada.get_by_role("separator", name="Width of Due").focus()
    ada.keyboard.press("Delete")  # as it was by itself
    assert due.bounding_box() == before


def test_two_windows_of_one_person_see_each_other_and_undo_their_own(ada: Page) -> None:
    open_bulletin(ada)
    other = ada.context.new_page()
    other.goto(ada.url)
    other.wait_for_selector("#rows .cur")
    ada.locator('.row[data-k="draft"] .c-t').click()
    typed(ada, "Written here")
    settled(ada)
    expect(other.locator('.row[data-k="draft"] .c-t')).to_contain_text("Written here", timeout=10_000)
    expect(other.locator("#others")).to_have_text("open in another window of yours too", timeout=10_000)
    expect(other.locator("#toast")).to_contain_text("you, in another window")
    expect(other.locator("#undo")).to_be_disabled()
    other.locator('.row[data-k="party"] .c-t').click()
    typed(other, "Written there")
    settled(other)
    expect(ada.locator('.row[data-k="party"] .c-t')).to_contain_text("Written there", timeout=10_000)
    expect(ada.locator("#undo")).to_be_enabled()
    press(ada, "Control+z")  # takes back what was done in this window, not what came last
    assert [line["t"] for line in lines(ada)] == ["Draft", "Check", "Print", "Written there"]
    other.close(run_before_unload=True)
    expect(ada.locator("#undo")).to_have_attribute(
        "title", re.compile("Written there"), timeout=10_000
    )  # its window is gone


def test_what_another_window_has_just_done_is_never_taken_back_here(ada: Page) -> None:
    open_bulletin(ada)
    ada.route("**/look", lambda route: route.abort())  # as where a window lies behind the other
    ada.evaluate("Sheet.edit({ op: 'set', keys: ['draft'], field: 'title', value: 'Written here' })")
    settled(ada)
    other = ada.context.new_page()
    other.goto(ada.url)
    expect(other.locator('.row[data-k="draft"] .c-t')).to_contain_text("Written here")
    expect(other.locator("#undo")).to_be_disabled()
    press(other, "Control+z")
    expect(other.locator("#toast")).to_contain_text("nothing to undo")
    assert lines(other)[0]["t"] == "Written here"


def test_two_people_on_one_draft_see_each_others_changes(ada: Page, address: str) -> None:
    open_bulletin(ada)
    ada.get_by_role("link", name="Editions").click()
    ada.get_by_label("What they may").select_option("edit")
    ada.locator("#person").select_option(label="Bela")
    ada.get_by_role("button", name="Let them").click()
    expect(ada.get_by_role("listitem").filter(has_text="Bela may edit it")).to_be_visible()
    ada.go_back()
    other = ada.context.browser
    assert other
    bela = other.new_context(viewport={"width": 1280, "height": 800}).new_page()
    bela.goto(f"{address}/sign-in")
    bela.get_by_role("button", name="Bela").click()
    open_bulletin(bela)
    open_bulletin(ada)
    bela.locator('.row[data-k="draft"] .c-t').click()
    bela.keyboard.type("Written by Bela")
    bela.keyboard.press("Enter")
    expect(ada.locator('.row[data-k="draft"] .c-t')).to_have_text("Written by Bela", timeout=10_000)
    expect(ada.locator("#others")).to_have_text("Bela is here too")
    ada.locator('.row[data-k="party"] .c-t').click()
    ada.keyboard.press("Delete")
    settled(ada)
    expect(bela.locator('.row[data-k="party"]')).to_have_count(0, timeout=10_000)
    assert bela.evaluate("Sheet.model.lines.map((line) => line.t)") == ["Written by Bela", "Check", "Print"]
    bela.context.close()


def test_a_template_written_as_a_table_and_given_back_is_the_same(ada: Page, tmp_path: Path) -> None:
    open_bulletin(ada)
    known = ("t", "r", "w", "d", "f", "so")
    before = [[line.get(name) for name in known] for line in lines(ada)]

    def written(name: str) -> str:
        ada.locator("#export-box summary").click()
        with ada.expect_download() as download:
            ada.get_by_role("link", name="Table, CSV: the same").click()
        download.value.save_as(tmp_path / name)
        return (tmp_path / name).read_text("utf-8")

    first = written("first.csv")
    ada.goto(home(ada) + "/import")
    ada.set_input_files("#file", tmp_path / "first.csv")
    ada.get_by_role("button", name="Look at it").click()
    expect(ada.get_by_text("Its anchors, roles, facts and messages come along.")).to_be_visible()
    ada.get_by_label("Name of the template").fill("The bulletin again")
    ada.get_by_role("button", name="Make the template with 4 steps").click()
    ada.wait_for_selector("#rows .cur")
    assert [[line.get(name) for name in known] for line in lines(ada)] == before
    assert ada.evaluate("Sheet.model.anchors.map((one) => one[1])") == ["Go"]
    assert written("second.csv") == first.replace("Issue of the bulletin", "The bulletin again")


def test_import_release_and_compare(ada: Page, tmp_path: Path) -> None:
    table = tmp_path / "loan.csv"
    table.write_text("Task,Who,Due,Days,Predecessors\nPack,Crew,-5,2,\nShip,Crew,soon,1,Pack\n", "utf-8")
    page = ada
    page.goto(home(page) + "/import")
    page.set_input_files("#file", table)
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_text("1 cell to mend")).to_be_visible()
    expect(page.get_by_role("button", name="Make the template with 2 steps")).to_be_disabled()
    page.get_by_label("Row 3, Due").fill("")
    page.get_by_label("Row 3, Due").press("Enter")
    expect(page.get_by_role("button", name="Make the template with 2 steps")).to_be_enabled()
    page.get_by_label("Name of the template").fill("Send a loan")
    page.get_by_role("button", name="Make the template with 2 steps").click()
    page.wait_for_selector("#rows .cur")
    page.get_by_role("button", name="Release edition 1").click()
    page.get_by_role("dialog").get_by_role("button", name="Release edition 1").click()
    expect(page.locator("#about-line")).to_contain_text("edition 1, released")
    page.locator('.row[data-k="ship"] .c-d').click()
    page.keyboard.type("3")
    page.keyboard.press("Enter")
    settled(page)
    page.get_by_role("button", name="Release edition 2").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("step Ship changed: duration 3")
    dialog.get_by_label("A word on what is new").fill("The road is longer")
    dialog.get_by_role("button", name="Release edition 2").click()
    page.wait_for_selector("#rows .cur")
    page.get_by_role("link", name="Editions").click()
    expect(page.get_by_text("From edition 1 to edition 2")).to_be_visible()
    expect(page.get_by_role("main")).to_contain_text("duration 3")
    expect(page.get_by_role("main")).to_contain_text("The road is longer")


def test_a_rehearsal_turns_the_sheet_to_dates_and_back(ada: Page) -> None:
    open_bulletin(ada)
    ada.get_by_role("button", name="Rehearse", exact=True).click()
    ada.get_by_label("Go", exact=True).fill("8 jun")
    expect(ada.locator('.row[data-k="print"] .c-da')).to_have_text("Mon 15 – Wed 17 Jun")
    ada.get_by_label("Go", exact=True).fill("never")
    expect(ada.locator("#rehearsed")).to_contain_text('"never" is no date')
    ada.get_by_role("button", name="End the rehearsal").click()
    expect(ada.locator('.row[data-k="print"] .c-d')).to_have_text("3")


def test_a_finding_leads_to_its_place(ada: Page) -> None:
    begin(ada, "Bare")
    typed(ada, "Tell {{ client }}")
    ada.keyboard.press("Escape")
    settled(ada)
    ada.locator("#checks-button").click()
    ada.get_by_role("button", name="Bars the release: Tell {{ client }}").click()
    expect(ada.locator("#rows .edit")).to_have_value("Tell {{ client }}")


def test_a_condition_a_message_and_a_file_are_put_together_in_the_panel(ada: Page) -> None:
    open_bulletin(ada)
    ada.get_by_role("button", name="Roles, dates, facts").click()
    setup = ada.get_by_label("Roles, dates, facts", exact=True)
    setup.get_by_label("New fact").fill("Colour")
    setup.get_by_label("New fact").press("Enter")
    setup.get_by_label("Kind of Colour").select_option(label="one of a list")
    setup.get_by_label("Choices of Colour").fill("Red, Blue")
    setup.get_by_label("Choices of Colour").press("Enter")
    settled(ada)
    setup.get_by_label("New day label").fill("+3 wd: Copy closes")
    setup.get_by_label("New day label").press("Enter")
    expect(ada.locator("#fhead")).to_contain_text("Copy closes")
    setup.get_by_role("button", name="Close").click()
    settled(ada)

    ada.locator('.row[data-k="party"] .c-n').click()
    panel = ada.get_by_label("Selected steps")
    panel.get_by_role("button", name="Add a condition").click()
    panel.get_by_label("Fact 1").select_option(label="Colour")
    panel.get_by_label("Value 1").select_option("Blue")
    expect(panel).to_contain_text("Only if Colour is Blue")
    panel.get_by_role("button", name="Add a condition").click()
    panel.get_by_label("Fact 2").select_option(label="Number")
    panel.get_by_label("Comparison 2", exact=True).select_option("over")
    panel.get_by_label("Effort").fill("2h")
    panel.get_by_label("Effort").press("Tab")
    settled(ada)  # the panel is drawn anew, with what is begun still there
    panel.get_by_label("Value 2").press("1")
    ada.evaluate("Sheet.openPanel()")
    press(ada, "0", "0", "Tab")
    expect(panel).to_contain_text("Only if Colour is Blue and Number is over 100")
    expect(ada.locator('.row[data-k="party"]')).to_contain_text("if …")

    panel.get_by_role("button", name="Add a message").click()
    panel.get_by_label("To", exact=True).select_option(label="to Editor")
    expect(panel.locator("[data-message]")).to_contain_text("to Editor, 2 working days before it is due")
    panel.get_by_label("Before or after").select_option("1")
    expect(panel.locator("[data-message]")).to_contain_text("2 working days after it is due")

    ada.set_input_files("#p-file", {"name": "Menu.txt", "mimeType": "text/plain", "buffer": b"Soup"})
    with ada.expect_download() as download:
        panel.get_by_role("link", name="Menu.txt").click()
    assert Path(download.value.path()).read_text() == "Soup"
    ada.locator("#undo").click()
    expect(panel.get_by_role("link", name="Menu.txt")).to_have_count(0)
    found = next(line for line in lines(ada) if line["k"] == "party")
    assert found["if"] == "Colour is Blue and Number is over 100"


def test_a_step_waits_for_another_job_and_its_sign_off_has_rules(ada: Page) -> None:
    begin(ada, "Mailing")
    typed(ada, "Pack")
    press(ada, "Escape", "ArrowUp", "Alt+Enter")
    panel = ada.get_by_label("Selected steps")
    panel.get_by_label("Waits for other jobs").press_sequentially("print")
    ada.get_by_role("option", name="Print").click()
    panel.get_by_label("Waits for other jobs").press("Tab")
    expect(panel).to_contain_text("Print of Issue of the bulletin, same Start")
    expect(ada.locator('.row[data-k="pack"]')).to_contain_text("waits")
    ada.locator("#checks-button").click()
    ada.get_by_role("button", name='waits by the date "start"').click()
    expect(panel.get_by_label("Waits for other jobs")).to_be_focused()
    panel.get_by_label("Waits for other jobs").fill("Issue of the bulletin: print on Start = go")
    panel.get_by_label("Signed off by").fill("Lead")
    panel.get_by_label("Signed off by").press("Tab")
    settled(ada)
    expect(ada.locator("#checks")).not_to_contain_text("waits by")
    panel.get_by_text("Rules of the sign-off").click()
    panel.get_by_label("By itself after").fill("soon")
    panel.get_by_label("By itself after").press("Enter")
    expect(panel.get_by_role("alert")).to_contain_text('"soon" is no number of working days')
    panel.get_by_label("By itself after").fill("2")
    panel.get_by_label("By itself after").press("Tab")
    settled(ada)
    expect(panel.get_by_label("By itself after")).to_have_value("2")
    ada.get_by_role("button", name="Roles, dates, facts").click()
    ada.get_by_label("New fact").fill("Copies counted")
    ada.get_by_label("New fact").press("Enter")
    settled(ada)
    ada.get_by_label("Kind of Copies counted").select_option(label="yes or no")
    settled(ada)
    ada.locator('.row[data-k="pack"] .c-n').click()
    panel.get_by_role("button", name="Add a condition to the sign-off").click()
    expect(panel).to_contain_text("Until Copies counted is yes")


def test_phases_are_dragged_and_folded_and_rows_shown_in_lanes(ada: Page) -> None:
    open_bulletin(ada)
    x, y = middle(ada, '.row[data-k="p:paper"] .c-n')
    up, top = middle(ada, '.row[data-k="p:words"] .c-n')
    drag(ada, (x - 12, y), (up - 12, top - 14))
    assert [label for _, label in ada.evaluate("Sheet.model.phases")] == ["Paper", "Words"]
    ada.get_by_label("Fold Paper").click()
    expect(ada.locator('.row[data-k="print"]')).to_have_count(0)
    ada.get_by_label("Unfold Paper").click()
    ada.get_by_role("button", name="Lanes by role").click()
    assert ada.locator("#rows .ph").all_inner_texts() == ["Lead1", "Writer2", "Editor1"]
    ada.keyboard.press("F8")
    expect(ada.locator("#rows .ph").first).to_contain_text("Paper")


def test_bars_and_links_far_down_are_drawn_when_they_come_into_sight(ada: Page) -> None:
    begin(ada)
    ada.keyboard.type("Open")
    ada.keyboard.press("Enter")
    paste(ada, "\n".join(f"Case {n}" for n in range(300)), "#rows .edit")
    ada.keyboard.press("Escape")
    assert ada.locator("#rows .row").count() < 130  # only those in sight, and some more
    press(ada, "Control+End", "ArrowUp")
    ada.locator('.row[data-k="case-299"] .c-f').click()
    ada.keyboard.type("case 298")
    ada.keyboard.press("Enter")
    settled(ada)
    expect(ada.locator(bar("case-299"))).to_be_in_viewport()
    expect(ada.locator('#links .lk[data-l="case-298 case-299"]')).to_be_attached()
    expect(ada.locator(bar("case-3"))).to_have_count(0)
    expect(ada.locator('.row[data-k="case-299"] .c-n')).to_have_text("301")
    ada.locator('.row[data-k="case-299"] .c-t').click()
    press(ada, "Control+Home")
    expect(ada.locator(bar("case-3"))).to_be_in_viewport()
    ada.locator("#checks-button").click()
    ada.get_by_role("button", name="301 steps have no role: choose them all").click()
    expect(ada.get_by_label("Selected steps").get_by_label("Role")).to_be_focused()
    ada.keyboard.type("Porter")
    ada.keyboard.press("Tab")
    assert {line.get("r") for line in lines(ada)} == {"Porter"}
    expect(ada.locator("#checks")).not_to_contain_text("no role")
    ada.get_by_label("Selected steps").get_by_label("Close").click()
    press(ada, "Escape", "Control+Home", "ArrowDown", "Delete")
    ada.locator("#sheet").evaluate("(sheet) => sheet.scrollTo(0, sheet.scrollHeight)")
    expect(ada.locator('.row[data-k="case-299"] .c-n')).to_have_text("300")
    expect(ada.locator(bar("case-299"))).to_be_in_viewport()
