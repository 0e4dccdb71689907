"""The states of a run and what each may become: a row of a table each."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RunState:
    """A state of a run.

    Parameters
    ----------
    becomes : mapping as pairs
        The states it may become, each with the words of a button; without words no page offers it.
    over : bool
        Whether its dates no longer change.
    """

    name: str
    becomes: tuple[tuple[str, str], ...]
    over: bool = False


RUN_STATES: tuple[RunState, ...] = (
    RunState("live", (("on hold", "Put on hold"), ("finished", "Finish the run"), ("called off", "Call it off"))),
    RunState("prepared", (("live", "Open the run"), ("called off", "Call it off"))),
    RunState("on hold", (("live", "Go on"), ("called off", "Call it off"))),
    RunState("finished", (("live", "Reopen the run"),), over=True),
    RunState("called off", (), over=True),
)
"""In the order in which lists show them."""

_BY_NAME = {row.name: (row, place) for place, row in enumerate(RUN_STATES)}


def may_become(state: str, wanted: str) -> bool:
    """Whether a run in a state may become another.

    >>> may_become("live", "on hold"), may_become("called off", "live")
    (True, False)
    """
    return wanted in dict(_BY_NAME[state][0].becomes)


def ways_on(state: str) -> tuple[tuple[str, str], ...]:
    """The states that a page offers to go on to, with the words of each button."""
    return tuple((name, words) for name, words in _BY_NAME[state][0].becomes if words)


def is_over(state: str) -> bool:
    """Whether a run's dates no longer change: it is finished or called off."""
    return _BY_NAME[state][0].over


def place_in_lists(state: str) -> int:
    """Where lists show runs of a state: what is live first."""
    return _BY_NAME[state][1]
