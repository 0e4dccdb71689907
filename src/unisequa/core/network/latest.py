"""Planning backward: as late as what follows allows.

A step without a date of its own finishes (or starts) at the last boundary with which every successor can stay where in
the end it stands:

    place(P) = the latest with start(S) ≥ finish(P) ⊕ lag for each link to an S that stands somewhere, and so
               for the other link types

Where those with a date of their own stand in the end is what a forward pass says in which all others are as early as
they can be: nothing placed backwards may push them any further. What is placed is never earlier than that pass has it,
so it always can be where it is placed.
"""

from __future__ import annotations

from collections.abc import Container, Mapping
from dataclasses import replace

from unisequa.core.network.forward import Early, forward
from unisequa.core.network.knots import Backs
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, latest_source, number_until, span_at

_Ask = tuple[str, int]
"""An end, and the last boundary it may stand at."""


def latest_places(network: Network) -> dict[int, int]:
    """Position → the boundary at which it starts latest, for what has no floor but something that follows it."""
    return places_at(network, forward(network))


def pressed_places(network: Network, places: Mapping[int, int]) -> list[int]:
    """The positions that cannot be as early as what follows them was asked to be, so that they push it."""
    alone = [
        replace(activity, undated=True) if i in places else activity for i, activity in enumerate(network.activities)
    ]
    free = forward(network.with_activities(alone))
    early = forward(network)
    wanted = places_at(network, free, places)
    return [i for i, at in wanted.items() if early.start[i] > at]


def places_at(network: Network, early: Early, free: Container[int] | None = None) -> dict[int, int]:
    """The latest places of what has no floor, or of those in ``free``, by where all others stand in ``early``."""
    spans: dict[int, tuple[int, int]] = {}
    of_parents: dict[int, list[_Ask]] = {}
    places: dict[int, int] = {}
    backs = Backs(network.knots, network.activities, spans.get)
    for t in reversed(network.order):
        if t >= network.knots.base:
            backs.settle(t)
            continue
        activity = network.activities[t]
        asked: list[_Ask] = []
        for link in network.outgoing[t]:
            if span := spans.get(link.target):
                asked.append((link.type[0], latest_source(link, span, network.activities[link.target])))
        for link in network.knots.behind.get(t, ()):
            asked += [(link.type[0], until.last()) for until in backs.untils(link)]
        if (parent := network.parent_of.get(t)) is not None:
            first = early.start[t] == early.start[parent]
            asked += [ask for ask in of_parents.get(parent, []) if ask[0] == "F" or first]
        if t in network.children:
            of_parents[t] = asked
        elif (activity.floor is not None or activity.pinned) and (free is None or t not in free):
            if early.start[t] != UNDATED:
                spans[t] = early.start[t], early.finish[t]
        elif asked and not activity.undated:
            spans[t] = span_at(activity, min(number_until(activity, end, bound) for end, bound in asked))
            places[t] = spans[t][0]
    return places
