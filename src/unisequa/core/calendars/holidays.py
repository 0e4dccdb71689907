"""Public holidays by country and region, from the ``holidays`` package."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache

from unisequa.core.calendars.days import PublicHolidays


@cache
def _holidays_of(country: str, subdivision: str | None, year: int) -> dict[int, str]:
    import holidays

    named = holidays.country_holidays(country, subdiv=subdivision, years=year, expand=False)
    return {day.toordinal(): name for day, name in named.items()}


def public_holidays(
    country: str, subdivision: str | None = None, also: Mapping[int, str] | None = None
) -> PublicHolidays:
    """Public holidays of a country by ISO 3166 codes, from the ``holidays`` package, and those in ``also``: day → name.

    Raises
    ------
    ValueError
        When the package does not know the country or the subdivision.
    """
    try:
        _holidays_of(country, subdivision, 2026)
    except NotImplementedError as error:
        raise ValueError(f'no public holidays known for country "{country}", subdivision "{subdivision}"') from error

    def between(first: int, last: int) -> Mapping[int, str]:
        names: dict[int, str] = {}
        for year in range(first, last + 1):
            names |= _holidays_of(country, subdivision, year)
        return {**names, **(also or {})}

    return between


@cache
def countries() -> tuple[tuple[str, str, tuple[str, ...]], ...]:
    """Whose public holidays are known: the ISO 3166 code, the name, and the codes of the parts that differ, by name."""
    import holidays
    from holidays.registry import COUNTRIES

    names = {entry[1]: re.sub(r"(?<=[a-z])(?=[A-Z])", " ", entry[0]) for entry in COUNTRIES.values()}
    parts = holidays.list_supported_countries(include_aliases=False)
    known = [(code, names[code], tuple(divisions)) for code, divisions in parts.items() if code in names]
    return tuple(sorted(known, key=lambda one: one[1]))
