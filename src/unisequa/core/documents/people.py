"""The people document: who works when, in what roles and teams."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import Field

from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.template import Label, Model


class LeaveSpan(Model):
    """Days on which somebody is away, both included."""

    from_: dt.date = Field(alias="from")
    to: dt.date


class PersonEntry(Model):
    """Somebody: the calendar they work by (the first without one), the share of its hours that is theirs, their leave,
    and the roles in which work may be handed over to them."""

    name: Label
    calendar: Label | None = None
    share: Annotated[Decimal, Field(gt=0, le=1, max_digits=6)] = Decimal(1)
    leave: Annotated[tuple[LeaveSpan, ...], Field(max_length=1000)] = ()
    roles: Annotated[tuple[Label, ...], Field(max_length=200)] = ()


class TeamEntry(Model):
    """People who share a queue, in their order."""

    name: Label
    members: Annotated[tuple[Label, ...], Field(min_length=1, max_length=1000)]


class PeopleDocument(Model):
    """Who works when; ``calendars[0]`` is the default."""

    format: Literal["unisequa-people/1"] = "unisequa-people/1"
    calendars: Annotated[tuple[CalendarDocument, ...], Field(max_length=500)] = ()
    people: Annotated[tuple[PersonEntry, ...], Field(max_length=10_000)] = ()
    teams: Annotated[tuple[TeamEntry, ...], Field(max_length=1000)] = ()

    def written(self) -> dict[str, Any]:
        return {"format": self.format, **super().written()}
