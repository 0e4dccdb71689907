"""What programs send, and what they get back."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field
from pydantic import StringConstraints as Str

from unisequa.web.api.calling import Body, Day

Text = Annotated[str, Str(max_length=2000, pattern=r"^[^\x00]*$")]
Name = Annotated[str, Str(max_length=200, pattern=r"^[^\x00]*$")]
Moment = Annotated[str, Str(pattern=r"^\d{4}-\d\d-\d\d(T\d\d:\d\d)?$")]
"""A date, or in a job of hours a date with its time."""
Number = Annotated[int, Field(ge=1, le=2**31 - 1)]
Edit = dict[str, Any]


class SubjectOf(Body):
    """Who or what a run is about, as the system knows it that owns its record."""

    kind: Name = Field(examples=["person"])
    ref: Name = Field(examples=["E-1042"])


class Start(Body):
    """A run that is wanted: which template's, on which dates."""

    template: Number = Field(examples=[2])
    edition: Number | None = None
    anchors: dict[Name, Moment] = Field(default_factory=dict, max_length=200, examples=[{"period_end": "2026-12-31"}])
    facts: dict[Name, str | int | float | bool | None] = Field(
        default_factory=dict, max_length=500, examples=[{"entity": "Old Mill"}]
    )
    crew: dict[Name, Name] = Field(
        default_factory=dict, max_length=500, examples=[{"bookkeeper": "rosalind@quillhaven.example.org"}]
    )
    subject: SubjectOf | None = None
    calendar: Name | None = None
    name: Name | None = None
    state: Literal["live", "prepared"] = "live"


class Considered(Body):
    """Edits and how what follows moves."""

    edits: list[Edit] = Field(
        min_length=1, max_length=500, examples=[[{"edit": "move", "task": "bank", "start": "2026-12-07"}]]
    )
    mode: Literal["push", "carry", "tighten"] = "push"


class Shift(Considered):
    """The same, to be applied, and why."""

    why: Text = Field(default="", examples=["The bank's file comes late"])


class Act(Body):
    """Something to be done with a task. ``confirmed`` lets through what a step only warns of."""

    act: Literal["begin", "finish", "sign off", "send back", "drop", "reopen", "comment", "take"] = Field(
        examples=["finish"]
    )
    on: Moment | None = None
    why: Text = ""
    text: Text = ""
    confirmed: bool = False


class SubjectTold(Body):
    """A record, as the system says it that owns it."""

    name: Annotated[str, Str(min_length=1, max_length=200, pattern=r"^[^\x00]*$")] = Field(examples=["Ansel Whitby"])
    position: Name = ""
    unit: Name = ""
    manager: Name = Field(default="", description="their mail address")
    dates: dict[Name, Day] = Field(default_factory=dict, max_length=50, examples=[{"First day": "2027-01-11"}])


class Listed(Body):
    """A page of a list."""

    items: list[dict[str, Any]]
    next: str | None = None
