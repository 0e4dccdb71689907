"""The order of a network, and a circle where it has none."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain


def topological(successors: Sequence[Sequence[int]]) -> list[int]:
    """Positions so that each stands behind its predecessors; shorter than the input if there is a circle."""
    waiting = [0] * len(successors)
    for target in chain.from_iterable(successors):
        waiting[target] += 1
    order = [position for position, count in enumerate(waiting) if not count]
    append = order.append
    for position in order:  # grows while it is walked
        for target in successors[position]:
            if waiting[target] == 1:
                append(target)
            else:
                waiting[target] -= 1
    return order


def find_circle(successors: Sequence[Sequence[int]]) -> list[int]:
    """One circle as positions, the first repeated at the end; empty when there is none."""
    if all(i < min(after) for i, after in enumerate(successors) if after):
        return []
    if len(topological(successors)) == len(successors):
        return []
    state = bytearray(len(successors))  # 0 unseen, 1 on the path, 2 finished
    for root in range(len(successors)):
        if state[root]:
            continue
        path, branches = [root], [iter(successors[root])]
        state[root] = 1
        while path:
            target = next(branches[-1], None)
            if target is None:
                state[path.pop()] = 2
                branches.pop()
            elif state[target] == 1:
                return [*path[path.index(target) :], target]
            elif not state[target]:
                state[target] = 1
                path.append(target)
                branches.append(iter(successors[target]))
    return []
