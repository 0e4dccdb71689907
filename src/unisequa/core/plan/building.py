"""The network of a plan's tasks: what each link binds, once parents and dropped tasks are seen through."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from unisequa.core.calendars.grid import Grid
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.network import Network
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.terms import MOST_LINKS, LinkType


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
) -> Network:
    """The network of tasks that may not start before their floors.

    Links to a parent are made links to each of its leaves; what followed a dropped task follows what that
    one followed.

    Parameters
    ----------
    dates : mapping, optional
        Key → boundaries, for the tasks that no floor moves: done, begun or fixed.

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
    dropped = {task.key for i, task in enumerate(tasks) if task.state == "dropped" and i not in children}
    activities = [
        _activity(task, calendars, floor, dates.get(task.key), i in children)
        for i, (task, floor) in enumerate(zip(tasks, floors, strict=True))
    ]
    dependencies: list[Dependency] = []
    for link in bridged(links, dropped):
        source, target = position[link.source], position[link.target]
        if target not in children:
            dependencies.append(Dependency(source, target, link.lag, link.unit, link.type))
            continue
        for leaf in leaves_of(children, target):
            dependencies.append(Dependency(source, leaf, link.lag, link.unit, link.type))
        if len(dependencies) > MOST_LINKS:
            raise DocumentError([Fault("links", f"to parents come to more than {MOST_LINKS:,} links between steps")])
    return Network.of(activities, dependencies, children)


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
        task.deadline,
        pinned,
        stands if pinned or stands == "dropped" else "",
        undated or (stands == "dropped" and not pinned),
    )


def earliest(task: Task, grid: Grid) -> int | None:
    """The boundary before which neither ``not_before`` nor what it waits for in other runs lets it start."""
    floors = [awaited.finish for awaited in task.waits if awaited.finish is not None]
    return max([*floors, *limit_of(task, grid)], default=None)


def limit_of(task: Task, grid: Grid) -> list[int]:
    """The boundary of ``not_before``, if there is one; a milestone of the day grid stands at the end of its day."""
    if task.not_before is None:
        return []
    return [task.not_before + (task.duration == 0 and task.edge == "finish" and grid.per_day == 1)]


def bridged(links: Iterable[LinkOf], left_out: set[str]) -> tuple[LinkOf, ...]:
    """Links without those of tasks left out, whose followers now follow what those followed.

    A task left out is passed as a milestone would be: lags in the same unit add up, otherwise the
    longer one holds.

    Raises
    ------
    DocumentError
        When that makes more links than can be computed.
    """
    links = tuple(links)
    if not left_out:
        return links
    into: dict[str, dict[LinkOf, None]] = {key: {} for key in left_out}
    out: dict[str, dict[LinkOf, None]] = {key: {} for key in left_out}
    kept = dict.fromkeys(links)
    for link in links:
        if link.target in left_out:
            into[link.target][link] = None
        if link.source in left_out:
            out[link.source][link] = None
    for key in sorted(left_out):
        before, after = tuple(into[key]), tuple(out[key])
        for link in (*before, *after):
            kept.pop(link, None)
            into.get(link.target, {}).pop(link, None)
            out.get(link.source, {}).pop(link, None)
        if len(before) * len(after) > MOST_LINKS:
            raise DocumentError([Fault("links", f"past {key} come to more than {MOST_LINKS:,}")])
        for a in before:
            for b in after:
                link = _joined(a, b)
                kept[link] = None
                if link.target in into:
                    into[link.target][link] = None
                if link.source in out:
                    out[link.source][link] = None
        if len(kept) > MOST_LINKS:
            raise DocumentError([Fault("links", f"past what is left out come to more than {MOST_LINKS:,}")])
    return tuple(kept)


def _joined(a: LinkOf, b: LinkOf) -> LinkOf:
    if a.unit == b.unit or not a.lag or not b.lag:
        lag, unit = a.lag + b.lag, b.unit if b.lag else a.unit
    else:
        lag, unit = max((a.lag, a.unit), (b.lag, b.unit))
    types: dict[str, LinkType] = {"FS": "FS", "SS": "SS", "FF": "FF", "SF": "SF"}
    return LinkOf(a.source, b.target, types[a.type[0] + b.type[1]], lag, unit)
