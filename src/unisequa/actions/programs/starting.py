"""A start as a program asks for it: people by their addresses or names, the subject by its system's name for it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any

from unisequa.actions.people.people import Actor
from unisequa.actions.programs.records import record
from unisequa.actions.runs.crew import TEAM
from unisequa.actions.runs.seeing import RunSeen
from unisequa.actions.starting.choices import Choices
from unisequa.core.documents.conditions import condition_words
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries.people import people_by_address, people_named, teams
from unisequa.store.store import Session


def choices_told(session: Session, actor: Actor, told: Mapping[str, Any]) -> Choices:
    """The choices of a start: ``anchors``, ``facts``, ``crew``, ``subject``, ``calendar``, ``name``, ``state``.

    Raises
    ------
    Refused
        Fields ``anchors.KEY``, ``crew.ROLE``, ``subject``.
    """
    faults: dict[str, str] = {}
    anchors = {}
    for key, text in told["anchors"].items():
        try:
            anchors[key] = dt.datetime.fromisoformat(text) if "T" in text else dt.date.fromisoformat(text)
        except ValueError:
            faults[f"anchors.{key}"] = f'"{text}" is no date; write it as 2026-11-30, or 2026-11-30T19:00.'
    crew = {}
    for role, who in told["crew"].items():
        crew[role] = _who(session, who.strip())
    subject = ""
    if told.get("subject"):
        try:
            subject = record(session, actor, told["subject"]["kind"], told["subject"]["ref"]).subject.name
        except NotThere as error:
            faults["subject"] = str(error)
    if faults:
        raise Refused(faults)
    return Choices(
        anchors=anchors,
        facts={key: _fact(value) for key, value in told["facts"].items() if value is not None},
        crew=crew,
        subject=subject,
        calendar=told.get("calendar") or "",
        name=told.get("name") or "",
        prepared=told.get("state") == "prepared",
    )


def _fact(value: object) -> str:
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)


def _who(session: Session, text: str) -> str:
    """Somebody by address or name, a team by name, as a start names them; a name of somebody outside as it is."""
    if "@" in text and (found := people_by_address(session, {text.lower()}).get(text.lower())) is not None:
        return str(found.id)
    named = people_named(session, text) if text else []
    if len(named) == 1:
        return str(named[0].id)
    team = next((one for one in teams(session) if one.name.casefold() == text.casefold()), None)
    return f"{TEAM}{team.id}" if team is not None else text


def left_out(run: RunSeen) -> list[dict[str, str]]:
    """The steps that did not become tasks of a run, and why."""
    told = []
    for step in run.template.steps:
        if step.key not in run.tasks:
            why = (
                f"only where {condition_words(step.only_if, run.template)}" if step.only_if else "left out with another"
            )
            told.append({"step": step.key, "title": step.title, "why": why})
    return told
