"""A task, a link between two by their keys, and the working calendars of a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from unisequa.core.documents.template import Measure, When
from unisequa.core.terms import BEGUN, FINISHED, Edge, LagUnit, LinkType, Ready, Stands, State


@dataclass(frozen=True, slots=True)
class Awaited:
    """A step of another job that a task waits for: its title, the run it is in, the boundary at which it finishes
    there if that is known, and whether it is done. Without a run of that date yet, ``run`` is the job's name; it is
    empty for a run that may not be told of. ``start`` is where it begins there, to draw it; ``of`` is the run's number
    and the task's key there, for whoever knows both; ``drawn`` says that a person drew it, rather than the template."""

    title: str
    run: str
    finish: int | None = None
    done: bool = False
    found: bool = True
    start: int | None = None
    of: tuple[int, str] | None = None
    drawn: bool = False

    @property
    def words(self) -> str:
        """What is awaited, and where."""
        return self.place + ("" if self.found else ", which has no run of that date yet")

    @property
    def place(self) -> str:
        """What is awaited, and the run it is in."""
        return f"{self.title} of {self.run}" if self.run else f"{self.title} elsewhere"


@dataclass(frozen=True, slots=True)
class Task:
    """A task as the computation and its words need it.

    Parameters
    ----------
    duration : int
        In worked slots; 0 is a milestone. A parent's means nothing.
    edge : "start" or "finish"
        Which kind of boundary a milestone stands on; which end of a task its ``when`` measures.
    when : When, optional
        Where the template puts it.
    target : tuple of int, optional
        Start and finish boundary of that.
    not_before : int, optional
        The first date it may stand on, as people read it.
    deadline : int, optional
        Boundary at or before which it should finish.
    limits_from, deadlines_from : tuple of Measure
        What the two are measured by.
    calendar : str, optional
        Name of its calendar; the plan's default without one.
    opens : bool
        It has neither a date nor predecessors in the template, so it starts on the first anchor.
    parent : str, optional
        Key of the task it is a part of.
    fixed : bool
        Somebody has pinned its date; no cascade moves it.
    waits : tuple of Awaited
        What it waits for in other runs: none of it starts before they finish.
    window : tuple of int, optional
        The boundaries of its phase's window. It is dated by it where nothing else dates it, and due by its end where it
        has no deadline of its own.
    put : bool
        A person has put it where it is, or has said what remains of it.
    ready : "when free" or "on its day"
        Whether it is ready as soon as nothing holds it back, or not before its start.
    signed : int, optional
        The boundary at which it was signed off, where that came after it was done: links from it count from there.
    who : str, optional
        The name of whoever does this one task, whoever has its role.
    effort, chunk, left : int, optional
        The minutes of work in it, of the least piece it is done in, and those that its doer says are left.
    """

    key: str
    title: str
    duration: int
    edge: Edge = "finish"
    when: When | None = None
    target: tuple[int, int] | None = None
    not_before: int | None = None
    deadline: int | None = None
    limits_from: tuple[Measure, ...] = ()
    deadlines_from: tuple[Measure, ...] = ()
    calendar: str | None = None
    phase: str | None = None
    role: str | None = None
    state: State = "waiting"
    opens: bool = False
    parent: str | None = None
    fixed: bool = False
    waits: tuple[Awaited, ...] = ()
    window: tuple[int, int] | None = None
    put: bool = False
    ready: Ready = "when free"
    signed: int | None = None
    who: str | None = None
    effort: int | None = None
    chunk: int | None = None
    left: int | None = None

    @property
    def due_by(self) -> int | None:
        """The boundary at or before which it should finish: its own deadline, or the end of its phase's window."""
        return self.deadline if self.deadline is not None or self.window is None else self.window[1]

    @property
    def stands(self) -> Stands:
        """Why no floor moves it, if none does."""
        if self.state in FINISHED:
            return "done" if self.state == "done" else "dropped"
        return "begun" if self.state in BEGUN else "fixed" if self.fixed else ""


class LinkOf(NamedTuple):
    """A link by keys; ``lag`` in slots of ``unit``: days, or minutes on the minute grid."""

    source: str
    target: str
    type: LinkType = "FS"
    lag: int = 0
    unit: LagUnit = "working"


@dataclass(frozen=True, slots=True)
class Warning:
    """Something that deserves a look; it keeps nothing from going on."""

    kind: str
    task: str | None
    text: str
