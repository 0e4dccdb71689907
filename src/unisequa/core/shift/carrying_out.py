"""A shift's edits carried out, before anything follows."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import groupby

from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import Edit
from unisequa.core.shift.prepared import Prepared


def prepare(plan: Plan, edits: Iterable[Edit]) -> Prepared:
    """Carry out a shift's edits, turn by turn (:mod:`unisequa.core.shift.edits.edit`).

    Raises
    ------
    ShiftError
        For a task, anchor or link that is not there, and for what cannot be done with it.
    """
    edits = tuple(edits)
    for edit in edits:
        edit.check_dates(plan)
    work = Prepared(plan, plan.network, plan.calendars, plan.links, dict(plan.anchors), plan.phases, plan.end)
    for _, made in groupby(sorted(in_force(edits), key=lambda edit: edit.turn), key=lambda edit: edit.turn):
        together = tuple(made)
        together[0].together(work, together)
    return work


def in_force(edits: Iterable[Edit]) -> Iterable[Edit]:
    """The edits without those that a later one overrules, each in the place of the first of its sort."""
    last: dict[object, Edit] = {}
    for edit in edits:
        last[id(edit) if edit.holds is None else (edit.task, edit.holds)] = edit
    return last.values()
