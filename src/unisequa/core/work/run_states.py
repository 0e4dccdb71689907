"""The states of a run and what each may become.

==========  =================================
state       may become
==========  =================================
prepared    live, called off
live        on hold, finished, called off
on hold     live, called off
finished    live
called off  nothing
==========  =================================
"""

from __future__ import annotations

STATES: dict[str, frozenset[str]] = {
    "prepared": frozenset({"live", "called off"}),
    "live": frozenset({"on hold", "finished", "called off"}),
    "on hold": frozenset({"live", "called off"}),
    "finished": frozenset({"live"}),
    "called off": frozenset(),
}


def may_become(state: str, wanted: str) -> bool:
    """Whether a run in a state may become another.

    >>> may_become("live", "on hold"), may_become("called off", "live")
    (True, False)
    """
    return wanted in STATES.get(state, ())
