"""The network of a plan's tasks: what each link binds, once parents, dropped tasks and phases are seen through."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from unisequa.core.calendars.grid import Grid
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.knots import Knot
from unisequa.core.network.network import Network
from unisequa.core.plan.bridging import spread, tied, without_loose
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf, members_of, opened_after
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.terms import MOST_LINKS


def leaves_of(children: Mapping[int, tuple[int, ...]], position: int) -> Iterator[int]:
    """The positions that a parent stands for, at whatever level; a position itself otherwise."""
    if position not in children:
        yield position
        return
    for child in children[position]:
        yield from leaves_of(children, child)


def network_of(
    tasks: Iterable[Task],
    links: Iterable[LinkOf],
    calendars: Calendars,
    floors: Iterable[int | None],
    dates: Mapping[str, tuple[int, int]] | None = None,
    *,
    ties: Sequence[str] = (),
    phases: Sequence[PhaseOf] = (),
) -> Network:
    """The network of tasks that may not start before their floors.

    Links to a parent are made links to each of its leaves; what followed a dropped task follows what that one followed;
    what is in a phase that opens after the one before follows the end of that.

    Parameters
    ----------
    dates : mapping, optional
        Key → boundaries, for the tasks that no floor moves: done, begun or fixed.
    ties : sequence of str
        Keys among the links that are no tasks: what they follow holds what follows them.

    Raises
    ------
    CircleError
        When the links run in a circle.
    DocumentError
        When links to parents multiply beyond what can be computed.
    """
    tasks, dates = tuple(tasks), dates or {}
    position = {task.key: i for i, task in enumerate(tasks)}
    inner: dict[int, list[int]] = {}
    for i, task in enumerate(tasks):
        if task.parent is not None:
            inner.setdefault(position[task.parent], []).append(i)
    children = {i: tuple(parts) for i, parts in inner.items()}
    activities = [
        _activity(task, calendars, floor, dates.get(task.key), i in children)
        for i, (task, floor) in enumerate(zip(tasks, floors, strict=True))
    ]
    straight, kept = seen_through(tasks, links, children, ties)
    gates = list(_gates(tasks, phases))
    knots = [*(Knot(key) for key in kept), *(knot for knot, _, _ in gates)]
    at = {**position, **{knot.key: len(tasks) + i for i, knot in enumerate(knots)}}
    dependencies = [Dependency(at[k.source], at[k.target], k.lag, k.unit, k.type) for k in straight]
    for knot, before, behind in gates:
        dependencies += [Dependency(position[task.key], at[knot.key]) for task in before]
        dependencies += [Dependency(at[knot.key], position[task.key]) for task in behind]
    if len(dependencies) > MOST_LINKS:
        raise DocumentError([Fault("links", f"to parents come to more than {MOST_LINKS:,} links between steps")])
    return Network.of(activities, dependencies, children, knots)


def seen_through(
    tasks: Sequence[Task],
    links: Iterable[LinkOf],
    children: Mapping[int, tuple[int, ...]],
    ties: Sequence[str] = (),
) -> tuple[tuple[LinkOf, ...], tuple[str, ...]]:
    """Links between tasks that have dates of their own and ties: parents followed into, dropped tasks seen through.

    The second are the keys of all ties that hold something, those of the plan itself among them.
    """
    links = tuple(links)
    if children:
        leaves = {tasks[i].key: [tasks[leaf].key for leaf in leaves_of(children, i)] for i in children}
        straight, made = spread(links, leaves)
    else:
        straight, made = list(links), []
    dropped = {task.key for i, task in enumerate(tasks) if task.state == "dropped" and i not in children}
    if not dropped:
        return without_loose(straight, (*ties, *made))
    for i in children:
        if all(tasks[leaf].key in dropped for leaf in leaves_of(children, i)):  # what is left of it is as if dropped
            dropped.add(tasks[i].key)
            straight += [LinkOf(tasks[leaf].key, tasks[i].key, "FF") for leaf in leaves_of(children, i)]
    past, kept = tied(straight, dropped)
    return without_loose(past, (*ties, *made, *kept))


def gated(tasks: Sequence[Task], phases: Sequence[PhaseOf]) -> dict[str, str]:
    """Task → the phase at whose end its own opens."""
    if not any(phase.after for phase in phases):
        return {}
    members = members_of(tasks)
    return {task.key: before for key, before in opened_after(phases, members).items() for task in members[key]}


def _gates(tasks: Sequence[Task], phases: Sequence[PhaseOf]) -> Iterator[tuple[Knot, list[Task], list[Task]]]:
    """The ends of phases that others open behind: a knot, what it follows, and what follows it."""
    if not any(phase.after for phase in phases):
        return
    members, labels = members_of(tasks), {phase.key: phase.label for phase in phases}
    for key, before in opened_after(phases, members).items():
        yield Knot(f"phase {before} {key}", "phase", labels[before]), members[before], members[key]


def _activity(
    task: Task, calendars: Calendars, floor: int | None, dates: tuple[int, int] | None, parent: bool
) -> Activity:
    calendar = calendars.of(task)
    stands = "" if parent else task.stands
    pinned = dates if stands else None
    if stands == "fixed" and pinned:
        calendar = calendars.with_slot(calendar, pinned[0] if task.duration or task.edge == "start" else pinned[0] - 1)
    undated = floor is None and task.when is not None and not pinned
    return Activity(
        task.key,
        0 if parent else task.duration,
        calendar,
        task.edge,
        floor,
        earliest(task, calendars.grid),
        task.due_by,
        pinned,
        stands if pinned or stands == "dropped" else "",
        undated or (stands == "dropped" and not pinned),
        task.signed if stands == "done" else None,
    )


def earliest(task: Task, grid: Grid) -> int | None:
    """The boundary before which neither ``not_before`` nor what it waits for in other runs lets it start."""
    if not task.waits and task.not_before is None:
        return None
    floors = [awaited.finish for awaited in task.waits if awaited.finish is not None]
    return max([*floors, *limit_of(task, grid)], default=None)


def limit_of(task: Task, grid: Grid) -> list[int]:
    """The boundary of ``not_before``, if there is one; a milestone of the day grid stands at the end of its day."""
    if task.not_before is None:
        return []
    return [task.not_before + (task.duration == 0 and task.edge == "finish" and grid.per_day == 1)]
