"""A bar of a large run in a browser: dragged, and let go until its tray stands."""

from __future__ import annotations

import statistics
from dataclasses import dataclass

from playwright.sync_api import Page

from bench.house import House
from bench.serving import looked_at
from bench.sheet import FRAMES

TASKS, PORT = 500, 8434
KEY = "step-33"


@dataclass(frozen=True, slots=True)
class ShiftFigures:
    """Frames a second at rest and while a bar is dragged; frames at rest from the server's answer to the frame that
    shows the tray, at the median."""

    idle_frames: float
    frames: float
    shown: float


def figures(rounds: int = 9) -> ShiftFigures:
    """What a run of 500 tasks does in headless Chromium."""
    with House() as house:
        with house.store.writing() as session:
            run = house.started(session, TASKS)
        with looked_at(house.app, PORT, house.people[0].name) as page:
            page.goto(f"/runs/{run}")
            page.wait_for_selector("body[data-ready]")
            return _measured(page, rounds)


def _measured(page: Page, rounds: int) -> ShiftFigures:
    idle: float = page.evaluate(FRAMES, 600)
    page.evaluate(_WATCH)
    shown = []
    frames = 0.0
    for n in range(rounds):
        bar = page.locator(f'#bars .mk[data-k="{KEY}"] .hit')
        bar.scroll_into_view_if_needed()
        box = bar.bounding_box()
        assert box
        x, y = box["x"] + 6, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.evaluate("window.dragging = []")
        for i in range(60):
            page.mouse.move(x + (i % 30) * 4, y)
        seen: list[float] = page.evaluate("window.dragging")
        frames = max(frames, 1000 * (len(seen) - 1) / (seen[-1] - seen[0])) if n else frames
        page.mouse.move(x + 72, y)
        page.evaluate("window.answered = window.drawn = 0")
        page.mouse.up()
        shown.append(page.evaluate(_SHOWN))
        page.get_by_role("button", name="Put back").click()
        page.wait_for_selector("#tray", state="detached")
    return ShiftFigures(idle, frames, statistics.median(shown) * idle / 1000)


_SHOWN = """() => new Promise((told) => {
    const look = () => (window.drawn ? told(window.drawn - window.answered) : setTimeout(look, 20));
    look();
})"""
"""Looks at no element while the page works, so that it costs the page nothing."""

_WATCH = """() => {
    window.dragging = [];
    requestAnimationFrame(function frame(at) { window.dragging.push(at); requestAnimationFrame(frame); });
    const fetched = window.fetch;
    window.fetch = async (...how) => {
        const answer = await fetched(...how);
        const text = answer.text.bind(answer);
        answer.text = async () => { const read = await text(); window.answered = performance.now(); return read; };
        return answer;
    };
    new MutationObserver(() => {
        if (!document.getElementById("tray") || window.drawn) return;
        requestAnimationFrame(() => setTimeout(() => { window.drawn = performance.now(); }, 0));
    }).observe(document.body, { childList: true, subtree: true });
}"""


if __name__ == "__main__":
    print(figures())
