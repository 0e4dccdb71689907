"""What is done from the desk: a task begun, finished, taken, put back, handed over; and undone."""

from __future__ import annotations

import datetime as dt
from typing import cast

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import Response

from unisequa.actions.people.people import Actor
from unisequa.actions.runs import handing
from unisequa.actions.runs.undoing import undo
from unisequa.actions.runs.work import Acted, Deed, act_on_tasks
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.core.work.task_states import Act
from unisequa.store.store import Session
from unisequa.web.desk.page import desk_work, with_faults
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id, day_done
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/desk/act")
def act(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Do something with a task, and show the desk as it then is."""
    today, faults, done = settings.day(), {}, None
    try:
        with store.writing() as session:
            done = _do(session, me, form, today)
    except Refused as error:
        faults = error.faults
    with store.reading() as session:
        toast = _toast(done) if done else ""
        work = desk_work(session, me, today, field(form, "view", 20), toast=toast, undo=done.number if done else 0)
    if faults:
        work = with_faults(work, faults, field(form, "act", 20))
        return form_again(request, "desk/_work.html", {"work": work}, faults)
    return render(request, "desk/_work.html", {"work": work})


def _do(session: Session, me: Actor, form: FormData, today: dt.date) -> Acted:
    run_id, key, what = number_in(field(form, "run", 12)), field(form, "key", 200), field(form, "act", 20)
    match what:
        case "take":
            return handing.take(session, me, run_id, [key], today)
        case "put back":
            return handing.put_back(session, me, run_id, [key], today)
        case "hand over":
            return handing.hand_over(session, me, run_id, [key], number_in(field(form, "to", 12)), today)
    day = day_done(field(form, "act_day", 40), today, month_first=me.month_first)
    confirmed = field(form, "confirmed", 5) == "yes"
    deed = Deed(cast(Act, what), [key], day, field(form, "act_why", 2000), confirmed)
    return act_on_tasks(session, me, run_id, deed, today)


@router.post("/desk/undo/{number}")
def undo_act(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, number: Id
) -> Response:
    """Undo what one has just done."""
    today, faults, toast = settings.day(), {}, ""
    try:
        with store.writing() as session:
            toast = f"Undone: {undo(session, me, number, today).words}"
    except Refused as error:
        faults, toast = error.faults, str(error)
    with store.reading() as session:
        work = desk_work(session, me, today, field(form, "view", 20), toast=toast)
    if faults:
        return form_again(request, "desk/_work.html", {"work": work}, faults)
    return render(request, "desk/_work.html", {"work": work})


def _toast(done: Acted) -> str:
    offer = f" {done.offer.text}; the run's keeper can shift them." if done.offer else ""
    return f"{done.words}.{offer}"
