"""Who was there before power-on: what was seen while the board was off, and what lists still said then."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from mintseed.core.find.sightings import Sighting, is_trace, pair
from mintseed.core.site.ranges import is_address

LINGERS = timedelta(seconds=60)
"""how long after power-off a device may still look present: a neighbour counts as reachable for 15 to 45 s (RFC 4861 §10, §6.3.2)."""


@dataclass(frozen=True, slots=True)
class Seen:
    """When a key was seen first and last."""

    first: datetime
    last: datetime


def remembered(memory: Mapping[str, Seen], sightings: Iterable[Sighting], now: datetime) -> dict[str, Seen]:
    """Return `memory` with what was seen at `now`. What a list says again, unchanged, says of nobody that they are there."""
    held = dict(memory)
    for sighting in sightings:
        keys = sighting.keys
        if trace := sighting.trace:
            keys = (trace,) if trace in memory else (trace, *keys)
        for key in keys:
            held[key] = Seen(held[key].first if key in held else now, now)
    return held


_NAME = re.compile(r"[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?")
"""what can be a host name at all (RFC 1123 §2.1): nobody's device is called anything else, whatever somebody says there"""


def names_heard(held: Mapping[str, str], sightings: Iterable[Sighting], now: datetime) -> dict[str, str]:
    """Return `held`, name in small letters → when it was heard last (ISO 8601), with what calls itself something at `now`. A list that still says what
    it said before counts: who had a name lately may come back with it."""
    said = {s.host_name.lower().removesuffix(".local") for s in sightings}
    return {**held, **{name: now.isoformat() for name in said if _NAME.fullmatch(name)}}


GONE_AFTER = timedelta(minutes=15)
"""how long an address must not have been seen to count as free again; longer than any list here is read anew."""


@dataclass(frozen=True, slots=True)
class Itself:
    """What is known of the board that is powered: its hardware addresses, the address it had last, and since when it is off; None where
    nobody knows of an earlier run."""

    macs: frozenset[str] = frozenset()
    address: str = ""
    off_since: datetime | None = None

    def keys(self, memory: Collection[str]) -> frozenset[str]:
        """Return the keys in `memory` that speak of the board itself."""
        pairs = [key.split("=", 1) for key in memory if "=" in key and not is_trace(key)]
        had = {part for address, mac in pairs if mac in self.macs for part in (address, mac, pair(address, mac))}
        return frozenset({*self.macs, *had, *([self.address] if self.address else [])})


def known_before(
    memory: Mapping[str, Seen],
    powered_at: datetime,
    itself: Itself | None = None,
    *,
    scanned_at: datetime | None = None,
) -> frozenset[str]:
    """Return who was there before power-on, as keys, and what lists said then. *Before* is while this board was off: what was seen of
    itself while it was on is nobody else. `scanned_at`: when every address was asked last; only that tells that one is gone."""
    itself = itself or Itself()
    own, found = itself.keys(memory), set[str]()
    for key, seen in memory.items():
        if seen.first > powered_at:
            continue
        if is_trace(key):
            there = True
        elif key in own:
            there = itself.off_since is not None and seen.last > itself.off_since + LINGERS
        elif is_address(key):
            # A hardware address is somebody's for good; an address is free once it was asked for and did not answer.
            gone = scanned_at is not None and scanned_at > seen.last
            there = not gone or seen.last >= powered_at - GONE_AFTER
        else:
            there = True
        if there:
            found.add(key)
    return frozenset(found)


def is_left_over(sighting: Sighting, before: Collection[str] | None) -> bool:
    """Return whether a list says only what it said before power-on already: of no device that it is there now."""
    return before is not None and bool(sighting.trace) and sighting.trace in before


def is_new(address: str, mac: str, before: Collection[str] | None) -> bool:
    """Return whether this device was not there before power-on; never where nobody looked then.

    Another hardware address at an address that somebody had is somebody else.
    """
    if before is None or (mac and mac in before):
        return False
    if address not in before:
        return True
    had = any(key.startswith(f"{address}=") for key in before)
    return bool(mac) and had
