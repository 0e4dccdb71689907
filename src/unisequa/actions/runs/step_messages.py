"""The messages of a run's steps: what each says, filled in, to whom and when."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from unisequa.actions.runs.filing import files_of_steps
from unisequa.core.design.parts import message_words
from unisequa.core.documents.placeholders import fill_in, names_in
from unisequa.core.documents.template import Attachment, Message
from unisequa.store.documents import grid_of_run
from unisequa.store.lists import values_in
from unisequa.store.of_run import template_of_run
from unisequa.store.plans import stands_at
from unisequa.store.queries.clock import messages_of_task
from unisequa.store.queries.subjects import folded
from unisequa.store.queries.texts import texts_named
from unisequa.store.store import Session
from unisequa.store.tables import Run, TaskRow


@dataclass(frozen=True, slots=True)
class MessageSeen:
    """A message of a task as its addressee gets it. ``at`` is its moment in UTC, where the task has a
    date; ``state`` what became of it."""

    words: str
    to: str
    subject: str
    text: str
    files: tuple[str, ...]
    at: dt.datetime | None
    state: str
    told: str
    fault: str = ""


_BEHIND_NAME = re.compile(r"[\s,;(<]*[^\s@<>,;()]+@\S+")
"""The address of somebody outside behind their name: ``Bindery <b@example.org>``, ``Bindery, b@example.org``."""


def party_name(text: str) -> str:
    """The name alone of somebody who may have an address behind it."""
    return _BEHIND_NAME.sub("", text).strip() or text


def messages_of(run: Run, task: TaskRow) -> tuple[Message, ...]:
    """The messages of a task's step."""
    step = next((one for one in template_of_run(run).steps if one.key == task.key), None)
    return step.messages if step is not None else ()


def filled_in(session: Session, run: Run, task: TaskRow, message: Message, person: str) -> tuple[str, str]:
    """Subject and text of a message as somebody gets it, by the shared text it names where there is one that this job
    can fill in.

    Raises
    ------
    ValueError
        When it cannot be filled in.
    """
    values = values_of(run, task, person)
    subject, text = message.subject, message.text
    shared = texts_named(session, [message.shared]).get(folded(message.shared)) if message.shared else None
    if shared is not None and (names_in(shared.subject) | names_in(shared.text)) <= values.keys():
        subject, text = shared.subject, shared.text
    return " ".join(fill_in(subject, values).split()), fill_in(text, values)


def values_of(run: Run, task: TaskRow, person: str) -> dict[str, Any]:
    """What a message of a task may name: all that its texts may, and the task, its dates, the run, whom it goes to."""
    grid = grid_of_run(run)
    span = stands_at(task, grid)
    start, due = (grid.moment(at) if span else None for at in (span or (0, 0)))
    known = values_in(run, task.key)
    return {"task": task.title, "run": run.name, "start": start, "due": due, "person": party_name(person), **known}


def files_with(session: Session, run: Run, task: TaskRow, message: Message) -> tuple[Attachment, ...]:
    """The files of the step that go with a message: those that are kept here, not what a document merely names."""
    if not message.files:
        return ()
    kept = files_of_steps(session, template_of_run(run), run.id, run.edition.template_id)
    return tuple(file for file in kept.get(task.key, ()) if file.name in message.files)


def see_messages(session: Session, run: Run, task: TaskRow) -> tuple[MessageSeen, ...]:
    """The messages of a task, each filled in, with its moment and what became of it."""
    return tuple(_seen(session, run, task)) if messages_of(run, task) else ()


def _seen(session: Session, run: Run, task: TaskRow) -> Iterator[MessageSeen]:
    template = template_of_run(run)
    due = {row.content.get("number"): row for row in messages_of_task(session, run.id, task.key)}
    for number, message in enumerate(messages_of(run, task)):
        member = next((one for one in run.crew if one.role == message.to), None)
        people = [person.name for person in member.people if person.active] if member is not None else []
        to = ", ".join(people) or (member.outside if member is not None else "") or f"{run.keeper.name} (keeper)"
        row, fault = due.get(number), ""
        try:
            subject, text = filled_in(session, run, task, message, people[0] if people else to)
        except ValueError as error:
            subject, text, fault = message.subject, message.text, f"{error}"
        files = tuple(file.name for file in files_with(session, run, task, message))
        at, state, told = (row.at, row.state, row.told or row.error) if row is not None else (None, "", "")
        yield MessageSeen(message_words(message, template), to, subject, text, files, at, state, told, fault)
