"""What a plan must satisfy, slot by slot, from the documents alone; it shares no code with the solver."""

from __future__ import annotations

import datetime as dt
from typing import Any

MINUTES = 1440
Times = dict[str, tuple[int, int]]


class Calendar:
    """A working calendar read off its document."""

    def __init__(self, document: dict[str, Any], minute: bool) -> None:
        self.week, self.minute = document.get("week", "1111100"), minute
        self.closed = {dt.date.fromisoformat(day).toordinal() for day in document.get("closures", [])}
        self.extra = {dt.date.fromisoformat(day).toordinal() for day in document.get("extra_working_days", [])}
        self.hours = [(clock(a), clock(b)) for a, b in document.get("hours", [["09:00", "17:00"]])]

    def day(self, day: int) -> bool:
        open_ = self.week[dt.date.fromordinal(day).weekday()] == "1" and day not in self.closed
        return day in self.extra or open_

    def worked(self, slot: int) -> bool:
        if not self.minute:
            return self.day(slot)
        day, at = divmod(slot, MINUTES)
        for a, b in self.hours:
            if a < b and a <= at < b and self.day(day):
                return True
            if a >= b and ((at >= a and self.day(day)) or (at < b and self.day(day - 1))):
                return True
        return False

    def advance(self, b: int, n: int) -> int:
        while n > 0:
            n -= self.worked(b)
            b += 1
        while n < 0:
            b -= 1
            n += self.worked(b)
        return b


def clock(text: str) -> int:
    hour, minute = text.split(":")
    return int(hour) * 60 + int(minute)


class Checker:
    """The rules for one template document, with its steps' calendars and their targets as start boundaries."""

    def __init__(self, template: dict[str, Any], calendars: dict[str, Calendar], floors: dict[str, int]) -> None:
        self.steps = {step["key"]: step for step in template["steps"]}
        self.template, self.calendars, self.floors = template, calendars, floors
        self.parents = {step.get("parent") for step in template["steps"]} - {None}

    def calendar(self, key: str) -> Calendar:
        return self.calendars[self.steps[key].get("calendar") or next(iter(self.calendars))]

    def slots(self, key: str) -> int:
        return self.steps[key]["duration"]

    def line(self, key: str) -> list[str]:
        """A step and its parents."""
        found = [key]
        while parent := self.steps[found[-1]].get("parent"):
            found.append(parent)
        return found

    def edge(self, key: str) -> str:
        step = self.steps[key]
        if "when" in step:
            return step["when"].get("edge", "finish")
        line = self.line(key)
        held = [link for link in self.template["links"] if link["to"] in line]
        return "start" if all(k["type"][0] == "S" or self.handed(k["from"]) for k in held) else "finish"

    def handed(self, key: str) -> bool:
        """Whether a step's end is a start: it is a milestone that stands on one."""
        return key not in self.parents and not self.slots(key) and self.edge(key) == "start"

    def span(self, key: str, start: int) -> tuple[int, int] | None:
        """Start and finish of a step that starts there; None where it cannot."""
        calendar, left = self.calendar(key), self.slots(key)
        if not left:
            return (start, start) if calendar.worked(start - (self.edge(key) == "finish")) else None
        if not calendar.worked(start):
            return None
        return start, calendar.advance(start, left)

    def allowed(self, key: str, start: int, times: Times) -> bool:
        """Whether a step may start there, the others standing at their times."""
        span = self.span(key, start)
        if span is None or start < self.floors.get(key, start):
            return False
        calendar = self.calendar(key)
        for link in self.template["links"]:
            if link["to"] not in self.line(key) or link["from"] not in times:
                continue
            bound = times[link["from"]][link["type"][0] == "F"]
            bound = bound + link["lag"] if link["unit"] == "elapsed" else calendar.advance(bound, link["lag"])
            if span[link["type"][1] == "F"] < bound:
                return False
        return True
