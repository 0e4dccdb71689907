"""On which kind of boundary a milestone stands that has no date of its own.

It takes after what it follows: right before a worked slot where every link hands it a start (links of types SS and SF,
or from a milestone that stands so itself), so that a second "doors open" behind the first costs no day; else right
behind one, so that it reads as the day on which the last of what it follows ends. One that follows nothing opens the
job and stands before a slot.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.terms import Edge


def with_edges(
    tasks: Sequence[Task], links: Iterable[LinkOf], gated: Mapping[str, object], ties: Iterable[str] = ()
) -> tuple[Task, ...]:
    """The tasks with each milestone on its boundary.

    Parameters
    ----------
    links : iterable of LinkOf
        Between tasks and ties, none past what is left out.
    gated : mapping
        The keys of tasks whose phase opens behind another.
    ties : iterable of str
        The keys among the links that only hand on what they are handed.
    """
    parents = {task.key: task.parent for task in tasks if task.parent is not None}
    spanning = set(parents.values())
    asked = {task.key: task for task in tasks if not task.duration and task.when is None and task.key not in spanning}
    if not asked:
        return tuple(tasks)
    known: dict[str, Edge] = {task.key: "finish" if task.duration else task.edge for task in tasks}
    known |= dict.fromkeys(spanning, "finish")
    handing = frozenset(ties)
    for key in (*asked, *handing):
        known.pop(key, None)
    into: dict[str, list[LinkOf]] = {}
    for link in links:
        if link.target not in known or link.target in spanning:
            into.setdefault(link.target, []).append(link)
    edges = _Edges(known, parents, into, gated, handing)
    return tuple(replace(task, edge=edges.of(task.key)) if task.key in asked else task for task in tasks)


class _Edges:
    def __init__(
        self,
        known: dict[str, Edge],
        parents: Mapping[str, str],
        into: Mapping[str, Sequence[LinkOf]],
        gated: Mapping[str, object],
        ties: frozenset[str],
    ) -> None:
        self.known, self.parents, self.into, self.gated, self.ties = known, parents, into, gated, ties

    def of(self, key: str) -> Edge:
        """The edge of a milestone, or what a tie hands on."""
        todo, opened = [key], {key}
        while todo:
            at = todo[-1]
            if at in self.known:
                todo.pop()
                continue
            links = self._links(at)
            missing = [k.source for k in links if k.source not in self.known and k.source not in opened]
            if missing:
                todo += missing
                opened.update(missing)
                continue
            starts = all(self._hands_start(link) for link in links)
            self.known[at] = "start" if starts and at not in self.gated else "finish"
            todo.pop()
        return self.known[key]

    def _hands_start(self, link: LinkOf) -> bool:
        """Whether a link hands its target a start; one from a tie does if all that the tie follows does."""
        of_start = link.type[0] == "S" and link.source not in self.ties
        return of_start or self.known.get(link.source, "finish") == "start"

    def _links(self, key: str) -> list[LinkOf]:
        links, at = [*self.into.get(key, ())], self.parents.get(key)
        while at is not None:
            links += self.into.get(at, ())
            at = self.parents.get(at)
        return links
