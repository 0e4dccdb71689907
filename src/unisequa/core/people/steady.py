"""Renewable resources with a steady capacity, as the room that levelling places activities in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from unisequa.core.network.network import Network
from unisequa.core.network.places import NEVER, number_from, span_at
from unisequa.core.people.serial import Place, Span


class Steady:
    """Renewable resources with a steady capacity each slot, of which an activity takes a steady demand.

    Parameters
    ----------
    capacity : sequence of int
        By resource.
    demand : sequence of mapping
        By job: position → what it takes of each resource.
    first, slots : int
        The first boundary, and how far it goes from there.
    """

    def __init__(
        self, capacity: Sequence[int], demand: Sequence[Mapping[int, Sequence[int]]], first: int, slots: int,
        network: Sequence[Network],
    ) -> None:  # fmt: skip
        self.capacity, self.demand, self.first, self.slots, self.networks = capacity, demand, first, slots, network
        self.clear()

    def clear(self) -> None:
        self.room = [[has] * self.slots for has in self.capacity]

    def needs(self, job: int, i: int) -> bool:
        return self.networks[job].activities[i].duration > 0 and any(self.demand[job].get(i, ()))

    def stand(self, job: int, i: int, span: Span) -> None:
        self.take(job, i, Place(*span))

    def take(self, job: int, i: int, place: Place) -> None:
        for room, takes in zip(self.room, self.demand[job].get(i, ()), strict=False):
            for at in range(max(0, place.start - self.first), place.finish - self.first):
                room[at] -= takes

    def _clash(self, job: int, i: int, start: int, finish: int, *, last: bool) -> int | None:
        """A slot without room, the last or the first of them."""
        slots = range(start - self.first, finish - self.first)
        for at in reversed(slots) if last else slots:
            if any(room[at] < takes for room, takes in zip(self.room, self.demand[job][i], strict=False)):
                return at + self.first
        return None

    def earliest(self, job: int, i: int, number: int, finish: int) -> Place | None:
        activity = self.networks[job].activities[i]
        k = number if finish == NEVER else max(number, number_from(activity, "F", finish))
        while True:
            start, end = span_at(activity, k)
            if end - self.first > self.slots:
                return None
            clash = self._clash(job, i, start, end, last=True)
            if clash is None:
                return Place(start, end)
            k = activity.calendar.index(clash + 1)

    def latest(self, job: int, i: int, number: int, finish: int) -> Place | None:
        activity, k = self.networks[job].activities[i], number
        while True:
            start, end = span_at(activity, k)
            if start < self.first:
                return None
            clash = self._clash(job, i, start, end, last=False)
            if clash is None:
                return Place(start, end)
            k = activity.calendar.index(clash) - activity.duration
