"""The time zones there are."""

from __future__ import annotations

import zoneinfo
from functools import cache


@cache
def time_zones() -> frozenset[str]:
    """Return the names of the IANA time zone database. Listed once: each listing reads the whole database."""
    return frozenset(zoneinfo.available_timezones())
