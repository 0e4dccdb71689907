"""Month-end closes: fourteen months of them done, the bank's file late in a third, year end slow; a live one, the next
ones prepared."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.demo.working import on_day, work_off
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session

MONTHS = 14
CREW = {
    "bookkeeper": "Rosalind Achterberg",
    "shop_lead": "Kofi Brennan",
    "ticket_lead": "Kofi Brennan",
    "controller": "Dunstan Vale",
    "director": "Hester Lund",
}


def fill_closes(session: Session, template_id: int, people: dict[str, Actor], today: dt.date) -> None:
    """All closes: Harbour House every month, the other two houses from the next on."""
    keeper = people["Dunstan Vale"]
    last = _month_end(today, -1)
    for back in range(MONTHS - 1, 0, -1):
        end = _month_end(last, -back)
        number = _start(session, template_id, people, end, "Harbour House", end - dt.timedelta(days=6))
        work_off(session, number, keeper, today, _late(end, back))
        _finish(session, number, keeper, end + dt.timedelta(days=20))
    number = _start(session, template_id, people, last, "Harbour House", last - dt.timedelta(days=6))
    work_off(session, number, keeper, today, {"bank": 2})
    _finish(session, number, keeper, today)
    coming = _month_end(today, 0)
    opened = min(today, coming - dt.timedelta(days=6))
    number = _start(session, template_id, people, coming, "Harbour House", opened)
    work_off(session, number, keeper, today)
    for entity in ("Old Mill", "Seed Store"):
        _start(session, template_id, people, coming, entity, today, prepared=True)


def _late(end: dt.date, back: int) -> dict[str, int]:
    """What was late in a month: the bank's file in a third of them, at the end of the year nearly everything."""
    late = {"bank": 2} if back % 3 == 0 else {"vat": -1} if back % 4 == 1 else {}
    if end.month == 12:
        late |= {"bank": 3, "accruals": 2, "stock-value": 2, "fixed-assets": 1, "variances": 1, "report": 2}
    return late | ({"review-shop": 1} if back % 5 == 2 else {})


def _month_end(day: dt.date, months: int) -> dt.date:
    """The last day of a month, so many months on."""
    month = day.year * 12 + day.month + months  # that of the next one, counted from nought
    return dt.date(month // 12, month % 12 + 1, 1) - dt.timedelta(days=1)


def _start(
    session: Session,
    template_id: int,
    people: dict[str, Actor],
    end: dt.date,
    entity: str,
    today: dt.date,
    *,
    prepared: bool = False,
) -> int:
    choices = Choices(
        anchors={"period_end": end},
        facts={"entity": entity},
        crew={role: str(people[name].id) for role, name in CREW.items()},
        subject=entity,
        prepared=prepared,
    )
    with on_day(today):
        return start_run(session, people["Dunstan Vale"], template_id, None, choices, today)


def _finish(session: Session, number: int, keeper: Actor, today: dt.date) -> None:
    run = run_by_id(session, number)
    if run is not None and all(row.state in {"done", "dropped"} for row in run.tasks):
        with on_day(today):
            set_run_state(session, keeper, number, Becoming("finished"), today)
