"""The sheet of a large template in a browser: its page, a keystroke, a drag."""

from __future__ import annotations

import statistics
from collections.abc import Callable
from dataclasses import dataclass

from playwright.sync_api import Page

from bench.house import House
from bench.serving import looked_at

STEPS = 500
PORT = 8433


@dataclass(frozen=True, slots=True)
class SheetFigures:
    """Kilobytes of the page before compression; frames at rest from a key to the frame that shows it, at the median of
    all keys and of each kind and at the worst, and until the server's answer is there; frames a second during a drag
    and at rest; frames at rest until a pasted table of 500 rows is shown as what it would make, until it is put in, and
    until a rehearsal of the 500 steps is shown."""

    size: float
    key: float
    letter: float
    enter: float
    enter_new: float
    key_worst: float
    answer: float
    frames: float
    idle_frames: float
    preview: float
    pasted: float
    rehearsal: float


def figures(rounds: int = 20) -> SheetFigures:
    """What the sheet of 500 steps does in headless Chromium."""
    with House() as house:
        with house.store.writing() as session:
            house.template(session, STEPS)
        with looked_at(house.app, PORT, house.people[0].name) as page:
            return _measured(page, rounds)


def _measured(page: Page, rounds: int) -> SheetFigures:
    answer = page.goto("/templates/1")
    assert answer
    size = len(answer.body()) / 1000
    page.wait_for_selector("#rows .cur")
    page.evaluate(_WATCH)
    page.locator("#sheet").evaluate("(sheet) => { sheet.scrollTop = 250 * 30; }")
    page.locator('.row[data-k="step-250"] .c-t').click()
    typed = _typing(page, rounds, ("F2", "x", "Enter"))
    page.keyboard.press("Control+Enter")
    page.wait_for_timeout(100)
    added = _typing(page, rounds, ("y", "Enter"))
    page.keyboard.press("Escape")
    letters = typed["F2"] + typed["x"] + added["y"]
    answers: list[float] = page.evaluate("window.watched.answers")
    idle = page.evaluate(FRAMES, 600)
    bar = page.locator('#bars .mk[data-k="step-250"] .hit').bounding_box()
    assert bar
    x, y = bar["x"] + 4, bar["y"] + bar["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(
        "window.frames = []; window.counting = true; requestAnimationFrame(function f(t) {"
        " window.frames.push(t); if (window.counting) requestAnimationFrame(f); })"
    )
    for i in range(120):
        page.mouse.move(x + (i % 60) * 3, y)
    frames: list[float] = page.evaluate("(window.counting = false, window.frames)")
    page.mouse.up()
    page.evaluate("Sheet.whenIdle()")
    dragged = 1000 * (len(frames) - 1) / (frames[-1] - frames[0])
    median = statistics.median
    enter, enter_new = typed["Enter"], added["Enter"]
    keys = [letters + enter + enter_new, letters, enter, enter_new]
    in_frames = [median(spent) * idle / 1000 for spent in keys]
    worst, answered = max(keys[0]) * idle / 1000, median(answers) * idle / 1000
    waits = [spent * idle / 1000 for spent in _waits(page)]
    return SheetFigures(size, *in_frames, worst, answered, dragged, idle, *waits)


def _waits(page: Page) -> tuple[float, float, float]:
    """Milliseconds until a pasted table is shown as what it would make, until it is put in, and until a rehearsal is
    shown; pasted into an empty template, whose 500 steps are then rehearsed."""
    page.goto("/library")
    page.get_by_label("Name of the job").fill("Pasted")
    page.keyboard.press("Enter")
    page.wait_for_url("**/templates/*")
    page.wait_for_selector("#rows .cur")
    page.evaluate("Sheet.whenIdle()")
    page.locator('.row[data-k="new"] .c-t').click()
    page.keyboard.press("Escape")
    table = "Task name\tOwner\tDue date\tDuration\n" + "\n".join(
        f"Check that the {n}th case is packed, labelled and signed for\tTechnician {n % 7}\tT-{STEPS - n}\t{1 + n % 3}"
        for n in range(STEPS)
    )
    shown = _spent(page, lambda: page.evaluate(_PASTE, table), "document.querySelector('#make:not([disabled])')")
    put_in = _spent(page, lambda: page.locator("#make").click(), f"Sheet.model.lines.length === {STEPS}")
    page.evaluate("Sheet.whenIdle()")
    page.locator("#rehearse").click()
    page.wait_for_selector("#rehearsal input")
    dated = "document.querySelector('#rehearsed').textContent.includes('2027, 500 working')"
    rehearsal = _spent(page, lambda: page.locator("#rehearsal input").first.fill("2027-03-12"), dated)
    return shown, put_in, rehearsal


def _spent(page: Page, act: Callable[[], object], until: str) -> float:
    begun: float = page.evaluate("performance.now()")
    act()
    ended: float = page.evaluate(
        "new Promise((done) => requestAnimationFrame(function frame() {"
        f" if ({until} || performance.now() > {begun + 60_000}) done(performance.now());"
        " else requestAnimationFrame(frame); }))"
    )
    return ended - begun


_PASTE = """(text) => {
    const held = new DataTransfer();
    held.setData("text/plain", text);
    const cell = document.querySelector("#rows .cur");
    cell.dispatchEvent(new ClipboardEvent("paste", { clipboardData: held, bubbles: true, cancelable: true }));
}"""


def _typing(page: Page, rounds: int, keys: tuple[str, ...]) -> dict[str, list[float]]:
    """Milliseconds of each of the keys, pressed one after the other in so many rounds."""
    page.evaluate("window.watched.keys = []")
    for _ in range(rounds):
        for key in keys:
            page.keyboard.press(key)
            page.wait_for_timeout(30)
        page.evaluate("Sheet.whenIdle()")
    page.wait_for_timeout(200)
    seen: list[tuple[str, float]] = page.evaluate("window.watched.keys")
    return {key: [spent for pressed, spent in seen if pressed == key] for key in keys}


_WATCH = """() => {
    window.watched = { keys: [], answers: [] };
    window.addEventListener("keydown", ({ key }) => {
        const begun = performance.now();
        requestAnimationFrame(() => setTimeout(() => window.watched.keys.push([key, performance.now() - begun]), 0));
    }, true);
    const ask = Sheet.ask;
    Sheet.ask = async (rest, body) => {
        const begun = performance.now();
        const answer = await ask(rest, body);
        if (rest === "/edit") requestAnimationFrame(() => window.watched.answers.push(performance.now() - begun));
        return answer;
    };
}"""
FRAMES = """(span) => new Promise((done) => {
    const seen = [];
    const begun = performance.now();
    requestAnimationFrame(function frame(at) {
        seen.push(at);
        if (at - begun < span) requestAnimationFrame(frame);
        else done(1000 * (seen.length - 1) / (seen[seen.length - 1] - seen[0]));
    });
})"""


if __name__ == "__main__":
    print(figures())
