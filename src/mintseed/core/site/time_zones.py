"""The time zones there are, and those of a country."""

from __future__ import annotations

import zoneinfo
from functools import cache
from importlib import resources


@cache
def time_zones() -> frozenset[str]:
    """Return the names of the IANA time zone database. Listed once: each listing reads the whole database."""
    return frozenset(zoneinfo.available_timezones())


@cache
def _by_country() -> dict[str, tuple[str, ...]]:
    """Source: zone.tab of the IANA time zone database, a line a zone: country, where, name."""
    zones: dict[str, tuple[str, ...]] = {}
    text = resources.files("tzdata.zoneinfo").joinpath("zone.tab").read_text("utf-8")
    for line in text.split("\n"):
        if not line.startswith("#") and len(words := line.split("\t")) > 2:
            zones[words[0]] = (*zones.get(words[0], ()), words[2])
    return zones


def time_zones_of(country: str) -> tuple[str, ...]:
    """Return the zones of a country, in the database's order; nothing for what is none."""
    return _by_country().get(country, ())
