"""What somebody chooses for a run that is to be started."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Choices:
    """What somebody chose for one run. A date may be one with a time, for a job of hours.

    Parameters
    ----------
    crew : mapping of str to str
        Role → a person's id as text, ``team 3``, or the name of somebody outside.
    calendar : str
        The run's own calendar; the template's without one.
    prepared : bool
        Prepare it now and open it later, by itself on ``opens_on``.
    without : frozenset of str
        Steps left out this time, by their whole keys.
    put : mapping of str to date
        Task → when it starts this time, whatever the template says.
    given : mapping of str to int
        Task → the id of who does it this time, apart from its role.
    awaits : mapping of int to int
        Template → its run that is waited for, whatever its dates.
    keeper : int, optional
        The id of who keeps the run; whoever starts it without one.
    lacking : bool
        Whether what is required may be missing still; the run is then prepared, whatever was chosen.
    end : date, optional
        By when all should be over, where the first required anchor follows from that.
    """

    anchors: Mapping[str, dt.date] = field(default_factory=dict)
    facts: Mapping[str, str] = field(default_factory=dict)
    crew: Mapping[str, str] = field(default_factory=dict)
    subject: str = ""
    name: str = ""
    calendar: str = ""
    prepared: bool = False
    opens_on: dt.date | None = None
    without: frozenset[str] = frozenset()
    put: Mapping[str, dt.date] = field(default_factory=dict)
    given: Mapping[str, int] = field(default_factory=dict)
    awaits: Mapping[int, int] = field(default_factory=dict)
    end: dt.date | None = None
    keeper: int | None = None
    lacking: bool = False


@dataclass(frozen=True, slots=True)
class Wanted:
    """A run that is wanted: which template's, which edition (the newest without a number), and what was chosen."""

    template_id: int
    number: int | None
    choices: Choices
