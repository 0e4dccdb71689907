"""Recurrences as people say them: ``the last working day of each month``, ``every second Friday``."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Sequence
from typing import Any

from unisequa.core.calendars.words import names_words
from unisequa.core.documents.rule import RepeatRule
from unisequa.core.errors import TypedError

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
CODES = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
MONTHS = (
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
    "December",
)  # fmt: skip
ORDINALS = (
    "first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth", "eleventh",
    "twelfth",
)  # fmt: skip
FIRSTS, LASTS = "1,4,7,10", "3,6,9,12"
ROLLS = {
    "preceding": "the working day before it",
    "following": "the working day after it",
    "modified following": "the working day after it in the same month, else the one before",
    "modified preceding": "the working day before it in the same month, else the one after",
    "none": "that day all the same",
    "skip": "no day at all",
}
"""What becomes of a date on a day off, in words."""
EXAMPLES = (
    "the last working day of each month", "the 15th of each month", "every Monday", "every second Friday",
    "the third working day of each quarter", "the first Tuesday of each month", "each year on 15 March",
    "every working day",
)  # fmt: skip
_NOT_UNDERSTOOD = "This is not understood. Write it like one of these: " + "; ".join(EXAMPLES) + "."


def when_words(rule: RepeatRule) -> str:
    """A recurrence in words; one that nobody would say as the rule it is.

    >>> when_words(RepeatRule(rrule="FREQ=MONTHLY", first=dt.date(2026, 1, 1), working_day=-1))
    'the last working day of each month'
    >>> when_words(RepeatRule(rrule="FREQ=WEEKLY;INTERVAL=2;BYDAY=FR", first=dt.date(2026, 1, 1)))
    'every second Friday'
    """
    parts = dict(part.split("=", 1) for part in rule.rrule.upper().split(";") if "=" in part)
    freq, every = parts.pop("FREQ", ""), int(parts.pop("INTERVAL", "1"))
    end = _end_words(parts)
    days = parts.pop("BYDAY", "")
    months, month_day = parts.pop("BYMONTH", ""), parts.pop("BYMONTHDAY", "")
    parts.pop("WKST", None)
    said = "" if parts else _said(rule, freq, every, days, months, month_day)
    return said + end if said else f"by the rule {rule.rrule}"


def _said(rule: RepeatRule, freq: str, every: int, days: str, months: str, month_day: str) -> str:
    n = rule.working_day
    if freq == "DAILY" and not (days or months or month_day) and n is None:
        if rule.roll == "skip":
            return "every working day" if every == 1 else ""
        return "every day" if every == 1 else f"every {_nth(every)} day"
    if freq == "WEEKLY" and not (months or month_day):
        if n is not None and not days:
            return f"the {_ordinal(n)} working day of {_each(every, 'week')}"
        if days and n is None and all(code in CODES for code in days.split(",")):
            names = names_words([DAYS[CODES.index(code)] for code in days.split(",")])
            return f"every {names}" if every == 1 else f"every {_nth(every)} {names}"
        return ""
    if freq == "YEARLY" and n is None and not days and months.isdigit() and month_day.lstrip("-").isdigit():
        month = MONTHS[int(months) - 1]
        day = f"the {_of_month(int(month_day))} of {month}" if int(month_day) < 0 else f"{month_day} {month}"
        return f"each year on {day}" if every == 1 else f"every {_nth(every)} year on {day}"
    if freq == "YEARLY" and n is not None and not (days or months or month_day):
        return f"the {_ordinal(n)} working day of {_each(every, 'year')}"
    if freq != "MONTHLY":
        return ""
    counted = re.match(r"-?\d+", month_day or days)
    place = n if n is not None else int(counted[0]) if counted else 1
    span = _span(every, months, place)
    if not span:
        return ""
    if n is not None:
        return "" if days or month_day else f"the {_ordinal(n)} working day of {span}"
    if month_day.lstrip("-").isdigit() and not days:
        return f"the {_of_month(int(month_day))} of {span}"
    if (match := re.fullmatch(r"(-?\d+)([A-Z]{2})", days)) and not month_day:
        return f"the {_ordinal(int(match[1]))} {DAYS[CODES.index(match[2])]} of {span}"
    return ""


def _span(every: int, months: str, place: int) -> str:
    if months == (FIRSTS if place > 0 else LASTS) and every == 1:
        return "each quarter"
    if months and every == 1:
        return names_words([MONTHS[int(one) - 1] for one in months.split(",")])
    return "" if months else _each(every, "month")


def _each(every: int, what: str) -> str:
    return f"each {what}" if every == 1 else f"every {_nth(every)} {what}"


def _nth(n: int) -> str:
    return ORDINALS[n - 1] if 0 < n <= len(ORDINALS) else _with_ending(n)


def _with_ending(n: int) -> str:
    ending = "th" if 10 < n % 100 < 14 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{ending}"


def _ordinal(n: int) -> str:
    if n == -1:
        return "last"
    return f"{_nth(-n)} last" if n < 0 else _nth(n)


def _of_month(n: int) -> str:
    return f"{_ordinal(n)} day" if n < 0 else _with_ending(n)


def _end_words(parts: dict[str, str]) -> str:
    count, until = parts.pop("COUNT", ""), parts.pop("UNTIL", "")
    if count:
        return f", {count} times" if count != "1" else ", once"
    return f", until {until[:4]}-{until[4:6]}-{until[6:8]}" if until else ""


def typed_when(text: str, first: dt.date) -> dict[str, Any]:
    """What somebody typed as the keys of a :class:`RepeatRule`: ``rrule``, ``first``, ``working_day`` where the n-th
    working day is meant, ``roll`` where the words say it.

    Raises
    ------
    TypedError
    """
    plain = " ".join(text.replace(",", " , ").split()).strip(" .").casefold()
    if not plain:
        raise TypedError("Say when, such as: the last working day of each month.")
    if "freq=" in plain:
        return {"rrule": text.strip().removeprefix("RRULE:").upper(), "first": first}
    plain, tail = _without_end(plain)
    plain = re.sub("^on ", "", plain)
    for reads in (_daily, _weekly, _yearly, _monthly):
        if (found := reads(plain)) is not None:
            rule, more = found
            return {"rrule": rule + tail, "first": first, **more}
    raise TypedError(_NOT_UNDERSTOOD)


_Read = tuple[str, dict[str, Any]]
_COUNT = r"(?P<n>\w+(?: last)?)"
_NTH = "|".join((*ORDINALS, "other", r"\d{1,3}(?:st|nd|rd|th|\.)?"))
_EACH = r"(?:each|every)(?: (?P<every>\w+))?"


def _daily(text: str) -> _Read | None:
    if text in {"every working day", "each working day", "on working days", "working days"}:
        return "FREQ=DAILY", {"roll": "skip"}
    if text in {"every day", "each day", "daily"}:
        return "FREQ=DAILY", {"roll": "none"}
    match = re.fullmatch(r"every (\w+) days?", text)
    n = _number(match[1]) if match else None
    return (f"FREQ=DAILY;INTERVAL={n}", {}) if n else None


def _weekly(text: str) -> _Read | None:
    match = re.fullmatch(rf"(?:(?:every|each) )?(?:(?P<n>{_NTH}) )?(?:weeks? on )?(?P<days>.+)", text)
    if match is None:
        return None
    names = [one for one in re.split(r"(?: , | and |, )", match["days"]) if one]
    codes = [_weekday(one.strip()) for one in names]
    if all(codes) and (text.startswith(("every", "each", "on ")) or text.rstrip("s") != text):
        n = _number(match["n"]) if match["n"] else 1
        every = f";INTERVAL={n}" if n and n > 1 else ""
        listed = ",".join(sorted((c for c in codes if c), key=CODES.index))
        return (f"FREQ=WEEKLY{every};BYDAY={listed}", {}) if n else None
    if match := re.fullmatch(rf"(?:the )?{_COUNT} working day of {_EACH} ?week", text):
        return _nth_working_day("WEEKLY", match)
    return None


def _yearly(text: str) -> _Read | None:
    of_year = r"(?:(?:each|every) (?:(?P<every>\w+) )?year on |every |each )"
    if match := re.fullmatch(rf"{of_year}(?:the )?(?P<d>\d{{1,2}})(?:st|nd|rd|th|.)?(?: of)? (?P<m>[a-z]+)", text):
        month, day = _month(match["m"]), int(match["d"])
        if month and 1 <= day <= 31:
            return f"FREQ=YEARLY{_interval(match)};BYMONTH={month};BYMONTHDAY={day}", {}
    if match := re.fullmatch(rf"{of_year}the {_COUNT} day of (?P<m>[a-z]+)", text):
        month, n = _month(match["m"]), _position(match["n"])
        if month and n:
            return f"FREQ=YEARLY{_interval(match)};BYMONTH={month};BYMONTHDAY={n}", {}
    if match := re.fullmatch(rf"(?:the )?{_COUNT} working day of {_EACH} ?year", text):
        return _nth_working_day("YEARLY", match)
    return None


def _monthly(text: str) -> _Read | None:
    match = re.fullmatch(rf"(?:the )?{_COUNT}(?: (?P<what>working day|day|[a-z]+day))? of (?P<span>.+)", text)
    if match is None or (n := _position(match["n"])) is None:
        return None
    which, what = _which_months(match["span"], n), match["what"] or "day"
    if which is None:
        return None
    if what == "working day":
        return f"FREQ=MONTHLY{which}", {"working_day": n}
    if what == "day":
        return (f"FREQ=MONTHLY{which};BYMONTHDAY={n}", {}) if abs(n) <= 31 else None
    code = _weekday(what)
    return (f"FREQ=MONTHLY{which};BYDAY={n}{code}", {}) if code and abs(n) <= 5 else None


def _which_months(text: str, n: int) -> str | None:
    """The months of ``each month``, ``every second month``, ``each quarter``, ``March and September``."""
    if match := re.fullmatch(rf"{_EACH} ?(month|quarter)", text):
        every = _number(match["every"]) if match["every"] else 1
        if not every:
            return None
        if match[2] == "month":
            return f";INTERVAL={every}" if every > 1 else ""
        return None if every > 1 else f";BYMONTH={FIRSTS if n > 0 else LASTS}"
    months = [_month(one.strip()) for one in re.split(r"(?: , | and )", text) if one.strip()]
    return f";BYMONTH={','.join(str(m) for m in sorted(m for m in months if m))}" if months and all(months) else None


def _nth_working_day(freq: str, match: re.Match[str]) -> _Read | None:
    n = _position(match["n"])
    every = _number(match["every"]) if match["every"] else 1
    return (f"FREQ={freq}" + (f";INTERVAL={every}" if every > 1 else ""), {"working_day": n}) if n and every else None


def _interval(match: re.Match[str]) -> str:
    n = _number(match["every"]) if match["every"] else 1
    return f";INTERVAL={n}" if n and n > 1 else ""


def _number(text: str) -> int | None:
    if text == "other":
        return 2
    if text in ORDINALS:
        return ORDINALS.index(text) + 1
    match = re.fullmatch(r"(\d{1,3})(?:st|nd|rd|th|.)?", text)
    return int(match[1]) if match and int(match[1]) else None


def _position(text: str) -> int | None:
    if text == "last":
        return -1
    n = _number(text.removesuffix(" last"))
    return -n if n and text.endswith(" last") else n


def _weekday(text: str) -> str:
    stem = text.rstrip("s").rstrip(".")
    return _only(stem, DAYS, CODES)


def _month(text: str) -> int | None:
    found = _only(text.rstrip("."), MONTHS, [str(n) for n in range(1, 13)])
    return int(found) if found else None


def _only(stem: str, names: Sequence[str], values: Sequence[str]) -> str:
    """The value of the one name that begins so; three letters are needed."""
    fits = [value for name, value in zip(names, values, strict=True) if name.casefold().startswith(stem)]
    return fits[0] if len(stem) >= 3 and len(fits) == 1 else ""


def _without_end(text: str) -> tuple[str, str]:
    """The words without ``, 12 times`` or ``, until 2027-12-31``, and what those add to the rule."""
    if match := re.fullmatch(r"(.+?) ?,? (?:(\d+) times|until (\d{4})-(\d\d)-(\d\d))", text):
        end = f";COUNT={match[2]}" if match[2] else f";UNTIL={match[3]}{match[4]}{match[5]}"
        return match[1].rstrip(" ,"), end
    return text, ""
