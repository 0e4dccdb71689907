"""Pages of large runs and of many, as the server makes them."""

from __future__ import annotations

from dataclasses import dataclass

from bench.house import House, asked, copies
from bench.networks import bare_loop, job

TASKS, MOVED, MANY, RUNS = 300, 500, 5_000, 2_000


@dataclass(frozen=True, slots=True)
class PageFigures:
    """What the server takes, in loops (the bare integer loop over 10,000 steps of the same run), and kilobytes before
    compression."""

    page: float
    page_kb: float
    runs: float
    runs_kb: float
    drop: float
    drop_of_many: float


def figures(rounds: int) -> PageFigures:
    """The page of a run with 300 tasks, the list of 2,000 runs, and the drop of a bar among 500 tasks."""
    with House() as house:
        with house.store.writing() as session:
            page, large, many, small = (house.started(session, tasks) for tasks in (TASKS, MOVED, MANY, 20))
            copies(session, small, RUNS)
        token, client, loop = house.sign_in(page), house.client, bare_loop(job(10_000))
        edit = {"kind": "move", "key": "step-0", "value": "wd+3", "zoom": "day", "mode": "push", "csrf": token}
        seen, in_loops = asked(lambda: client.get(f"/runs/{page}"), loop, rounds)
        listed, list_in_loops = asked(lambda: client.get("/runs"), loop, rounds)
        tray, drop_in_loops = asked(
            lambda: client.post(f"/runs/{large}/work", data=edit, headers={"hx-request": "true"}), loop, rounds
        )
        more, many_in_loops = asked(
            lambda: client.post(f"/runs/{many}/work", data=edit, headers={"hx-request": "true"}), loop, rounds
        )
        assert "Moves" in more.text
        assert seen.text.count('role="row" data-k=') == TASKS
        assert listed.text.count("<tr>") > RUNS and "Moves" in tray.text
    sizes = len(seen.content) / 1000, len(listed.content) / 1000
    return PageFigures(in_loops, sizes[0], list_in_loops, sizes[1], drop_in_loops, many_in_loops)
