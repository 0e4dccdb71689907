"""The rows of a template: steps in their phases and under their parents, and edits of that order.

A row's place is said by the row it stands behind, its phase and its parent; a sub-step stands in the phase of
the step it belongs to. Every edit gives the steps back in the order in which they are shown.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from unisequa.core.design.editing import changed, index_of, made, slug
from unisequa.core.documents.checks import DEEPEST
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import EditError

MOST_PASTED = 2000


@dataclass(frozen=True, slots=True)
class Row:
    """A step as it is shown: ``depth`` 0, 1 or 2, ``phase`` that of the step it belongs to."""

    step: Step
    depth: int
    phase: str | None


@dataclass(frozen=True, slots=True)
class Place:
    """Where rows are to be put: behind a row (None: first) of a phase, under a parent."""

    after: str | None = None
    phase: str | None = None
    parent: str | None = None


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a pasted list: a title and how deep it lies under what is above it, 0 to 2."""

    title: str
    level: int = 0


def rows(template: Template) -> list[Row]:
    """The steps as people see them: without a phase first, then phase by phase, each with its sub-steps."""
    known = {step.key for step in template.steps}
    below: dict[str | None, list[Step]] = {}
    for step in template.steps:
        below.setdefault(step.parent if step.parent in known else None, []).append(step)
    order = {phase.key: i for i, phase in enumerate(template.phases, 1)}
    in_order: list[Row] = []

    def lay(step: Step, depth: int, phase: str | None) -> None:
        in_order.append(Row(step, depth, phase))
        for child in below.get(step.key, ()):
            lay(child, depth + 1, phase)

    for step in sorted(below.get(None, ()), key=lambda s: order.get(s.phase or "", 0)):
        lay(step, 0, step.phase)
    return in_order


def in_phases(template: Template) -> list[Step]:
    """The steps in the order of their rows."""
    return [row.step for row in rows(template)]


def place_behind(template: Template, after: str | None, level: int | None = None) -> Place:
    """The place behind a row on a level of its own or above, or right below it; on the row's own without one."""
    if after is None:
        return Place()
    shown = {row.step.key: row for row in rows(template)}
    if after not in shown:
        raise EditError("key", f'the step "{after}" is not there any more; somebody may have taken it out')
    row = shown[after]
    level = row.depth if level is None else min(max(level, 0), row.depth + 1, DEEPEST - 1)
    parent: str | None = after
    for _ in range(row.depth + 1 - level):
        parent = shown[parent].step.parent if parent else None
    return Place(after, row.phase, parent)


def insert(template: Template, lines: Sequence[Line], place: Place) -> tuple[Template, list[str]]:
    """New steps, one a line; gives their keys too."""
    wanted = [line for line in lines if line.title.strip()]
    if not wanted:
        raise EditError("title", "a step needs a title; type one")
    if len(wanted) > MOST_PASTED:
        raise EditError("title", f"that is more than {MOST_PASTED} lines; import them from a file instead")
    taken = {step.key for step in template.steps}
    above: list[str | None] = [place.parent]
    steps = []
    for line in wanted:
        level = min(line.level, len(above) - 1)
        key = slug(line.title, taken, fallback="step")
        taken.add(key)
        values = {"key": key, "title": line.title, "phase": place.phase, "parent": above[level]}
        steps.append(made(Step, "title", values))
        above = [*above[: level + 1], key]
    return put(template, steps, place), [step.key for step in steps]


def put(template: Template, steps: Sequence[Step], place: Place, *, check: bool = True) -> Template:
    """Steps that are not there yet put in, those without a parent among them under the place's."""
    edited = _put(template, steps, place)
    return changed(edited) if check else edited


def _put(template: Template, steps: Sequence[Step], place: Place) -> Template:
    own = {step.key for step in steps}
    placed = [
        step
        if step.parent in own
        else step.model_copy(update={"parent": place.parent, "phase": place.phase})
        for step in steps
    ]  # fmt: skip
    rest = in_phases(template)
    if place.after is not None:
        at = index_of(rest, place.after, "step") + 1
    else:
        same = [i for i, step in enumerate(rest) if step.phase == place.phase and step.parent == place.parent]
        at = same[0] if same else len(rest)
    return _laid(template, (*rest[:at], *placed, *rest[at:]))


def _laid(template: Template, steps: Iterable[Step]) -> Template:
    """The template with these steps, in the order they are shown, each in the phase of what it belongs to; not yet
    checked."""
    loose = template.model_copy(update={"steps": tuple(steps)})
    laid = tuple(
        row.step if row.step.phase == row.phase else row.step.model_copy(update={"phase": row.phase})
        for row in rows(loose)
    )
    if len(laid) < len(loose.steps):
        raise EditError("move", "a step cannot stand under itself")
    return loose.model_copy(update={"steps": laid})


def block(template: Template, keys: Iterable[str]) -> list[Step]:
    """Steps with all their sub-steps, in the order of their rows."""
    wanted = set(keys)
    for key in wanted:
        index_of(template.steps, key, "step")
    members = []
    for row in rows(template):
        if row.step.key in wanted or row.step.parent in wanted:
            wanted.add(row.step.key)
            members.append(row.step)
    return members


def tops(template: Template, keys: Iterable[str]) -> list[str]:
    """Of some rows those that lie under none of the others, in order."""
    steps = block(template, keys)
    own = {step.key for step in steps}
    return [step.key for step in steps if step.parent not in own]


def move(template: Template, keys: Iterable[str], place: Place) -> Template:
    """Rows with their sub-steps to another place, which must not lie among them."""
    return changed(_move(template, keys, place))


def _move(template: Template, keys: Iterable[str], place: Place) -> Template:
    steps = block(template, keys)
    own = {step.key for step in steps}
    if place.parent in own:
        raise EditError("move", "a step cannot stand under itself; choose a place outside of it")
    shown = in_phases(template)
    after = place.after
    while after in own:  # let go within itself: behind what stands above it
        at = index_of(shown, after or "", "step")
        after = shown[at - 1].key if at else None
    rest = template.model_copy(update={"steps": tuple(step for step in template.steps if step.key not in own)})
    return _put(rest, steps, Place(after, place.phase, place.parent)) if rest.steps else _moved_all(template, place)


def _moved_all(template: Template, place: Place) -> Template:
    steps = (step if step.parent else step.model_copy(update={"phase": place.phase}) for step in in_phases(template))
    return _laid(template, steps)


def level(template: Template, keys: Iterable[str], *, by: int) -> Template:
    """Rows one level in, under the row above them, or one level out."""
    for run in _runs(template, keys):
        template = _in(template, run) if by > 0 else _out(template, run)
    return changed(template)


def _runs(template: Template, keys: Iterable[str]) -> list[list[str]]:
    """Some rows as runs of neighbours: those that stand one behind the other under the same parent and phase."""
    wanted = set(tops(template, keys))
    runs: list[list[str]] = []
    open_at: dict[tuple[str | None, str | None], list[str] | None] = {}
    for row in rows(template):
        group = (row.phase, row.step.parent)
        run = open_at.get(group)
        if row.step.key not in wanted:
            open_at[group] = None
        elif run is None:
            open_at[group] = run = [row.step.key]
            runs.append(run)
        else:
            run.append(row.step.key)
    return runs


def _around(template: Template, run: Sequence[str]) -> tuple[Row, str | None, str | None]:
    """A run's first row, and the neighbours before and behind the run."""
    shown = rows(template)
    first = shown[index_of([row.step for row in shown], run[0], "step")]
    same = [r.step.key for r in shown if r.step.parent == first.step.parent and r.phase == first.phase]
    i, j = same.index(run[0]), same.index(run[-1])
    return first, same[i - 1] if i else None, same[j + 1] if j + 1 < len(same) else None


def _last(template: Template, key: str, without: Iterable[str] = ()) -> str:
    """The last row of a step and its sub-steps, some left aside."""
    aside = set(without)
    return [step.key for step in block(template, [key]) if step.key not in aside][-1]


def _in(template: Template, run: list[str]) -> Template:
    first, above, _ = _around(template, run)
    if above is None:
        raise EditError("level", f"{first.step.title} is the first here; there is no row above it to belong to")
    own = {step.key for step in block(template, run)}
    if max(row.depth for row in rows(template) if row.step.key in own) + 1 >= DEEPEST:
        raise EditError("level", f"steps go {DEEPEST} levels deep; this would be one more")
    return _move(template, run, Place(_last(template, above), first.phase, above))


def _out(template: Template, run: list[str]) -> Template:
    first, _, _ = _around(template, run)
    parent = first.step.parent
    if parent is None:
        return template
    own = [step.key for step in block(template, run)]
    above = template.steps[index_of(template.steps, parent, "step")]
    return _move(template, run, Place(_last(template, parent, own), first.phase, above.parent))


def nudge(template: Template, keys: Iterable[str], *, by: int) -> Template:
    """Rows one place up or down among those they stand with; across a phase's border they join that phase."""
    for run in _runs(template, keys):
        first, before, behind = _around(template, run)
        parent = first.step.parent
        if by < 0 and before is not None:  # the neighbour goes to the other side
            template = _move(template, [before], Place(_last(template, run[-1]), first.phase, parent))
        elif by > 0 and behind is not None:
            after = _last(template, before) if before is not None else parent
            template = _move(template, [behind], Place(after, first.phase, parent))
        elif parent is None:
            template = _across(template, run, first.phase, by)
    return changed(template)


def _across(template: Template, run: list[str], phase: str | None, by: int) -> Template:
    phases = [None, *(p.key for p in template.phases)]
    border = phases.index(phase) + (1 if by > 0 else -1)
    if not 0 <= border < len(phases):
        return template
    there = [row.step.key for row in rows(template) if row.phase == phases[border]]
    return _move(template, run, Place(there[-1] if there and by < 0 else None, phases[border]))


def sort_by_date(template: Template, starts: Mapping[str, int], phase: str | None = None) -> Template:
    """The rows of a phase, or of all, in the order in which they begin; those without a date stay behind the
    row above them."""
    place: dict[str, tuple[float, int]] = {}
    last: dict[tuple[str | None, str | None], float] = {}
    for i, row in enumerate(rows(template)):
        group = (row.phase, row.step.parent)
        start = starts.get(row.step.key, last.get(group, float("-inf")))
        last[group] = start
        place[row.step.key] = (start if phase is None or row.phase == phase else 0, i)
    return changed(_laid(template, sorted(in_phases(template), key=lambda step: place[step.key])))


_BULLET = re.compile(r"^(?:[-*•–]|\d{1,3}[.)])\s+(?:\[[ xX]\]\s+)?")


def lines_of(text: str) -> list[Line]:
    """The lines of a pasted list; its indents, by tabs or spaces, are levels, bullets and numbers are left out.

    >>> lines_of("- Pack\\n  - Label crates")
    [Line(title='Pack', level=0), Line(title='Label crates', level=1)]
    """
    made: list[Line] = []
    indents: list[int] = []
    for raw in text.replace("\r\n", "\n").replace("\r", "\n").split("\n"):
        plain = raw.expandtabs(4)
        title = _BULLET.sub("", plain.strip()).strip()
        if not title:
            continue
        indent = len(plain) - len(plain.lstrip())
        while indents and indents[-1] > indent:
            indents.pop()
        if not indents or indents[-1] < indent:
            indents.append(indent)
        made.append(Line(title[:200], min(len(indents) - 1, DEEPEST - 1)))
    return made
