"""Planning backward: as late as what follows allows.

A step without a date of its own finishes (or starts) at the last boundary with which every successor can
keep its place:

    place(P) = the latest with start(S) ≥ finish(P) ⊕ lag for each link to an S that has a place, and so
               for the other link types

Steps with a date of their own keep it here; whether it can hold is the forward pass's to say.
"""

from __future__ import annotations

from unisequa.core.network.network import Network
from unisequa.core.network.places import latest_source, number_until, place, span_at

_Ask = tuple[str, int]
"""An end, and the last boundary it may stand at."""


def latest_places(network: Network) -> dict[int, int]:
    """Position → the boundary at which it starts latest, for what has no floor but something that follows it."""
    spans: dict[int, tuple[int, int]] = {}
    of_parents: dict[int, list[_Ask]] = {}
    places: dict[int, int] = {}
    for t in reversed(network.order):
        activity = network.activities[t]
        asked: list[_Ask] = []
        for link in network.outgoing[t]:
            if span := spans.get(link.target):
                asked.append((link.type[0], latest_source(link, span, network.activities[link.target])))
        if (parent := network.parent_of.get(t)) is not None:
            asked += of_parents.get(parent, [])
        if t in network.children:
            of_parents[t] = asked
        elif activity.floor is not None:
            spans[t] = place(activity, activity.floor)
        elif asked and not activity.undated:
            spans[t] = span_at(activity, min(number_until(activity, end, bound) for end, bound in asked))
            places[t] = spans[t][0]
    return places
