"""Runs as they would be: worked out as far as what is chosen allows, from the first moment on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.looks import Looked
from unisequa.actions.starting.rehearsing import Startable
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.plan.plan import Plan
from unisequa.web.start.form import FormRead, Together, without_wrong


@dataclass(frozen=True, slots=True)
class WouldBe:
    """All runs as they would be.

    Parameters
    ----------
    runs : tuple of Looked
        Those that can be drawn.
    dated : bool
        Whether their dates are those they would have; else a day stands in for an anchor that is missing.
    missing : tuple of (int, Fault)
        Template and what it lacks, or what is wrong.
    """

    runs: tuple[Looked, ...]
    dated: bool
    missing: tuple[tuple[int, Fault], ...]

    @property
    def count(self) -> int:
        """How many tasks there would be, parents apart."""
        return sum(not run.plan.is_parent(i) for run in self.runs for i in range(len(run.plan.tasks)))

    @property
    def reach(self) -> tuple[int, int] | None:
        """The first and the last day of all."""
        reaches = [reach for run in self.runs if (reach := run.plan.reach())]
        return (min(a for a, _ in reaches), max(b for _, b in reaches)) if reaches else None


def would_be(on: Together, read: FormRead) -> WouldBe:
    """The runs that the form asks for; what is missing stands in, and is told."""
    runs: list[Looked] = []
    missing: list[tuple[int, Fault]] = []
    for one, wanted in zip(on.ons, read.wanted, strict=True):
        choices = wanted.choices
        members = one.members(choices)
        plan: Plan | None = None
        try:
            plan = one.plan(choices)
        except DocumentError as error:
            missing += [(one.template_id, fault) for fault in error.faults]
            choices = without_wrong(choices, error)
            plan = _standing_in(one, choices)
        if plan is not None:
            runs.append(Looked(one, wanted.choices, plan, members))
    return WouldBe(tuple(runs), not lacking(runs) and not read.faults, tuple(missing))


def _standing_in(on: Startable, choices: Choices) -> Plan | None:
    """The plan with a day for every required anchor that has none: the first on which nothing of it is past."""
    open_ones = [a.key for a in on.template.anchors if a.required and a.from_ is None and a.key not in choices.anchors]

    def on_day(day: dt.date) -> Plan:
        anchors: Mapping[str, dt.date] = {**choices.anchors, **dict.fromkeys(open_ones, day)}
        return on.plan(replace(choices, anchors=anchors), sketch=True)

    try:
        day = on.today
        for _ in range(3):  # days off lie otherwise on every day
            plan = on_day(day)
            reach = plan.reach()
            early = on.today.toordinal() - reach[0] if reach else 0
            if not open_ones or early <= 0:
                break
            day += dt.timedelta(days=early)
        return plan
    except DocumentError:
        return None


def lacking(runs: Sequence[Looked]) -> list[str]:
    """The names of required anchors that nobody has given yet."""
    return [
        anchor.label
        for run in runs
        for anchor in run.on.template.anchors
        if anchor.required and anchor.from_ is None and anchor.key not in run.choices.anchors
    ]
