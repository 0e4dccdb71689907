"""The messages of steps, sent at their hour to whom the template says."""

from __future__ import annotations

import datetime as dt
import re

from unisequa.actions.due import HeldBack
from unisequa.actions.mail import Mail, post_mail
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.outbox import TAKEN_OUT
from unisequa.actions.runs.parties import make_link
from unisequa.actions.runs.step_messages import files_with, filled_in, messages_of
from unisequa.core.calendars.today import utc_of
from unisequa.core.clock.due import TOO_LATE
from unisequa.core.documents.template import Message
from unisequa.core.errors import Refused
from unisequa.core.terms import FINISHED
from unisequa.store.queries.runs import run_and_task
from unisequa.store.store import Session
from unisequa.store.tables import CrewMember, DueRow, Run, TaskRow

ADDRESS = "unisequa address"
"""Under which a session knows where people find this server."""
_ADDRESS = re.compile(r"[^\s@<>,;]+@[^\s@<>,;]+\.[^\s@<>,;]+")


def send_step_message(session: Session, row: DueRow, today: dt.date) -> str:
    """Send a step's message: to whoever fills the role, each of a team, somebody outside by the address in their name,
    the run's keeper where there is nobody, or no address.

    Raises
    ------
    HeldBack
        A day past its moment, or where it speaks of what is over.
    """
    found = run_and_task(session, row.run_id or 0, row.content["task"])
    if found is None:
        raise HeldBack("The task is not there any more.")
    run, task = found
    message = _message(run, task, row.content["number"])
    if message is None:
        raise HeldBack("The step has no such message any more.")
    if run.state != "live":
        raise HeldBack(f"The run is {run.state}.")
    if utc_of(today) - row.at > TOO_LATE:
        raise HeldBack("Its moment was more than a day ago.")
    if task.state == "dropped" or (task.state in FINISHED) != (message.of == "done"):
        raise HeldBack(f"{task.title} is {task.state}.")
    try:
        return _sent(session, row, run, task, message)
    except ValueError as error:
        raise Refused({"": f"The message of {task.title}: {error}."}) from error


def _message(run: Run, task: TaskRow, number: int) -> Message | None:
    messages = messages_of(run, task)
    return messages[number] if number < len(messages) else None


def _sent(session: Session, row: DueRow, run: Run, task: TaskRow, message: Message) -> str:
    member = next((one for one in run.crew if one.role == message.to), None)
    people = [person for person in member.people if person.active] if member is not None else []
    files = tuple((file.name, file.sha256) for file in files_with(session, run, task, message))
    subject = ""
    if people:
        for person in people:
            subject, text = filled_in(session, run, task, message, person.name)
            tell(session, person, _word(row, run, task, subject, text, files))
        return f"“{subject}” to {member.name if member is not None else ''}"
    outside = member.outside if member is not None else ""
    subject, text = filled_in(session, run, task, message, outside or run.keeper.name)
    if member is not None and (address := address_of(member)):
        link = ""
        here, open_ = session.info.get(ADDRESS, ""), task.state in {"waiting", "under way"}
        if here and open_ and message.to == task.role:
            link = f"{here.rstrip('/')}/answer/{make_link(session, run, task, outside)}"
            text = f"{text.rstrip()}\n\nIs it done, or when can it be? Say so here, for this one task: {TAKEN_OUT}\n"
        mail = Mail(address, subject, text, files)
        post_mail(session, row.key, mail, None, link=link, run_id=run.id, task_key=task.key)
        return f"“{subject}” to {outside}"
    who = outside or (member.label if member is not None else message.to)
    more = f"This was to go to {who}, of whom there is no address here.\n\n{text}"
    tell(session, run.keeper, _word(row, run, task, subject, more, files))
    return f"“{subject}” to {run.keeper.name}, for {who}"


def _word(row: DueRow, run: Run, task: TaskRow, said: str, more: str, files: tuple[tuple[str, str], ...]) -> Word:
    return Word(row.key, "step", said, more, run.id, task.key, run.name, at_once=True, files=files)


def address_of(member: CrewMember) -> str:
    """The mail address in the name of somebody outside; empty without one."""
    found = _ADDRESS.search(member.outside)
    return found[0] if found else ""
