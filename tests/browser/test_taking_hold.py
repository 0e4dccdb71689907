"""What is taken hold of with the pointer or the keys: plumb lines, and tasks chosen together."""

from __future__ import annotations

import datetime as dt
import json

from playwright.sync_api import Page, expect

from tests.browser.test_shift_edits import GO, open_show
from tests.site import Site


def test_a_plumb_line_is_carried_on_where_the_sheet_scrolls(ada: Page, address: str, site_of: Site) -> None:
    ada.set_viewport_size({"width": 1100, "height": 700})
    open_show(ada, address, site_of)
    line = ada.locator('.fieldbox [data-anchor="go"]')
    box, sheet = line.bounding_box(), ada.locator("#sheet").bounding_box()
    assert box and sheet
    x, edge = box["x"] + box["width"] / 2, sheet["x"] + sheet["width"] - 10
    ada.mouse.move(x, sheet["y"] + 200)
    ada.mouse.down()
    ada.mouse.move(edge, sheet["y"] + 200, steps=4)
    ada.wait_for_function("() => document.getElementById('sheet').scrollLeft > 60")
    ada.mouse.move(edge - 60, sheet["y"] + 200, steps=2)
    held = ada.locator(".fieldbox .held [data-anchor]").bounding_box()
    assert held and abs(held["x"] + held["width"] / 2 - (edge - 60)) < 13, "it stays under the pointer, to the day"
    went = ada.evaluate("document.getElementById('sheet').scrollLeft")
    ada.mouse.up()
    expect(ada.locator("#tray")).to_be_visible()
    (edit,) = json.loads(ada.locator("#shift input[name=edits]").input_value())
    days = (dt.date.fromisoformat(edit["on"]) - GO).days
    assert edit["anchor"] == "go" and abs(days * 24 - (edge - 60 - x + went)) < 26
    ada.get_by_role("button", name="Apply").click()
    expect(ada.locator("#work")).to_contain_text(f"Go {dt.date.fromisoformat(edit['on']):%a %-d %b %Y}")


def moves(page: Page) -> dict[str, str]:
    """The moves that the page holds: where each task would start."""
    return {e["task"]: e["start"] for e in json.loads(page.locator("#shift input[name=edits]").input_value())}


def test_rows_chosen_with_shift_go_together_by_keys_and_by_one_of_their_bars(
    ada: Page, address: str, site_of: Site
) -> None:
    open_show(ada, address, site_of)
    ada.locator('.row[data-k="walls"] .t').click(modifiers=["Control"])
    ada.locator('.row[data-k="cases"] .t').click(modifiers=["Shift"])
    expect(ada.locator("#many-count")).to_have_text("3 chosen")
    ada.locator('.row[data-k="texts"]').focus()
    ada.keyboard.press("Shift+ArrowUp")
    expect(ada.locator("#many-count")).to_have_text("2 chosen")  # that one, and the one above it
    ada.locator('.row[data-k="walls"]').focus()
    ada.keyboard.press("Shift+ArrowDown")
    expect(ada.locator("#many-count")).to_have_text("2 chosen")
    ada.keyboard.press("Alt+ArrowRight")
    expect(ada.locator("#tray")).to_be_visible()
    assert moves(ada) == {"walls": "2026-06-11", "paint": "2026-06-17"}, "each a day, though one follows the other"
    box = ada.locator('#bars .mk[data-k="walls"] .hit').bounding_box()
    other = ada.locator('#bars .mk[data-k="paint"] .hit').bounding_box()
    assert box and other
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    ada.mouse.move(x, y)
    ada.mouse.down()
    ada.mouse.move(x + 5 * 24, y, steps=4)  # over a weekend: Thursday to Tuesday, three working days
    went = ada.locator('#bars .mk[data-k="paint"] .hit').bounding_box()
    assert went and went["x"] - other["x"] == 5 * 24
    ada.mouse.up()
    ada.wait_for_function("() => !document.querySelector('#shift').elements.edits.value.includes('2026-06-11')")
    assert moves(ada) == {"walls": "2026-06-16", "paint": "2026-06-22"}


def test_an_anchor_let_go_over_a_day_of_the_head_closes_no_day(ada: Page, address: str, site_of: Site) -> None:
    open_show(ada, address, site_of)
    box = ada.locator('#fhead [data-anchor="go"]').bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + 8
    ada.mouse.move(x, y)
    ada.mouse.down()
    ada.mouse.move(x + 3 * 24 + 10, y, steps=4)  # three days and a bit, so that the line is not under the pointer
    ada.mouse.up()
    expect(ada.locator("#tray")).to_be_visible()
    expect(ada.locator("#shifting [name=what]")).to_have_value("anchor:go")
    expect(ada.locator("#shifting [name=value]")).not_to_be_focused()
    ada.locator("#fhead").click(position={"x": 200, "y": 50})
    expect(ada.locator("#shifting [name=what]")).to_have_value("close:")


def test_a_finger_scrolls_where_it_begins_on_a_bar_and_moves_the_one_that_it_has_touched(
    ada: Page, address: str, site_of: Site
) -> None:
    ada.set_viewport_size({"width": 1024, "height": 768})
    tablet = ada.context.new_cdp_session(ada)
    tablet.send("Emulation.setTouchEmulationEnabled", {"enabled": True})

    def drawn_by_finger(by: int) -> None:
        box = ada.locator('#bars .mk[data-k="walls"] .hit').bounding_box()
        assert box
        for n in range(13):
            point = {"x": box["x"] + 12 + by * n / 12, "y": box["y"] + box["height"] / 2}
            kind = "touchMove" if n else "touchStart"
            tablet.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": [point]})
            ada.wait_for_timeout(16)
        tablet.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})

    open_show(ada, address, site_of)
    drawn_by_finger(-48)
    ada.wait_for_function("() => document.getElementById('sheet').scrollLeft > 20")
    expect(ada.locator(".mk.dragging")).to_have_count(0)
    drawn_by_finger(0)
    expect(ada.locator("#panel h2")).to_contain_text("Walls")
    assert ada.locator("#shift input[name=edits]").input_value() == "[]", "nothing was moved by scrolling"
    field, panel = ada.locator("#field").bounding_box(), ada.locator("#panel").bounding_box()
    rows = ada.locator("#rows-of-tasks").bounding_box()
    assert field and panel and rows and panel["x"] - (rows["x"] + rows["width"]) > 250, (
        "beside the panel there is a field"
    )
    drawn_by_finger(48)
    expect(ada.locator("#tray")).to_be_visible()
    assert moves(ada) == {"walls": "2026-06-12"}
