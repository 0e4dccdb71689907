"""Files kept with tasks: those of the step in the template, and those that people add in the run."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from unisequa.actions import access
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import RunSeen, run_of, task_of
from unisequa.actions.templates.files import on_disk
from unisequa.core.documents.template import Attachment, Template
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.store.files import place_of
from unisequa.store.of_run import template_of_run
from unisequa.store.queries.history import file_by_id, files_named, files_of_task
from unisequa.store.queries.runs import pins_of
from unisequa.store.queries.templates import files_of
from unisequa.store.store import Session, Store
from unisequa.store.tables import Run, TaskFile

MOST_FILES = 50


@dataclass(frozen=True, slots=True)
class FileSeen:
    """A file of a task; ``number`` is 0 for one that the template gives, and ``may_remove`` false."""

    number: int
    name: str
    digest: str
    size: int
    may_remove: bool


def files_seen(session: Session, actor: Actor, run: RunSeen, key: str) -> tuple[FileSeen, ...]:
    """The files of a task of a run that somebody sees, the template's first."""
    given = files_of_steps(session, run.template, run.id, run.template_id)
    return (
        *(FileSeen(0, one.name, one.sha256, one.size, False) for one in given.get(key, ())),
        *(
            FileSeen(row.id, row.name, row.digest, row.size, run.may_change or row.person_id == actor.id)
            for row in files_of_task(session, run.id, key)
        ),
    )


def files_of_steps(
    session: Session, template: Template, run_id: int, template_id: int
) -> dict[str, tuple[Attachment, ...]]:
    """Task → the files of its step that are kept here."""
    steps = {step.key: step.attachments for step in template.steps if step.attachments}
    if not steps:
        return {}
    ours = set(files_of(session, template_id))
    for number in pins_of(session, run_id):
        ours |= files_of(session, number)
    return {key: tuple(one for one in kept if one.sha256 in ours) for key, kept in steps.items()}


def keep_file(store: Store, actor: Actor, folder: Path, run_id: int, key: str, name: str, content: bytes) -> None:
    """Keep a file with a task; on disk before the transaction that names it.

    Raises
    ------
    Refused
        Field ``file``.
    """
    with store.reading() as session:
        _check(session, actor, run_id, key)
    kept = on_disk(folder, name, content)
    with store.writing() as session:
        run = _check(session, actor, run_id, key)
        there = files_of_task(session, run_id, key)
        if any(row.digest == kept.sha256 and row.name == kept.name for row in there):
            return
        if len(there) >= MOST_FILES:
            raise Refused({"file": f"A task keeps {MOST_FILES} files at most; take one out first."})
        session.add(
            TaskFile(
                run_id=run.id, task_key=key, name=kept.name, digest=kept.sha256, size=kept.size, person_id=actor.id
            )
        )
        note(session, actor, "file", f"{kept.name} added", run_id=run.id, task_key=key)


def _check(session: Session, actor: Actor, run_id: int, key: str) -> Run:
    run = run_of(session, run_id, actor)
    task_of(run, key)
    if not access.may_comment(run, actor):
        raise NotAllowed("You may look at this run, but add nothing to it.")
    return run


def remove_file(session: Session, actor: Actor, run_id: int, number: int) -> str:
    """Take a file out again: who added it, or the keeper; gives its task. What is on disk stays."""
    run = run_of(session, run_id, actor)
    row = file_by_id(session, run_id, number)
    if row is None:
        raise NotThere("This file is not there any more.")
    if row.person_id != actor.id and not access.may_change_run(run, actor):
        raise NotAllowed(f"Only who added it, and {run.keeper.name}, who keeps the run, take it out.")
    note(session, actor, "file", f"{row.name} taken out", run_id=run.id, task_key=row.task_key)
    session.delete(row)
    return row.task_key


def file_in(session: Session, actor: Actor, folder: Path, run_id: int, digest: str) -> tuple[str, Path]:
    """Name and place of a file of a run that somebody sees."""
    run = run_of(session, run_id, actor)
    names = [row.name for row in files_named(session, run_id, digest)]
    given = files_of_steps(session, template_of_run(run), run.id, run.edition.template_id)
    names += [one.name for kept in given.values() for one in kept if one.sha256 == digest]
    place = place_of(folder, digest)
    if not names or not place.exists():
        raise NotThere("There is no such file in this run.")
    return names[0], place
