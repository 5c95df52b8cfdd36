"""Who was on the network since when, as this bench saw it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from django.db import transaction

from mintseed.core.find.before import names_heard, remembered
from mintseed.core.find.sightings import Sighting
from mintseed.server.judged.changes import changed
from mintseed.server.judged.loaded import site_ranges
from mintseed.server.kept.models import Bench, Site
from mintseed.server.kept.stored_types import seen_of

MOST_NAMES = 1000
"""names kept; they are read with every device that never ran"""
MOST_REMEMBERED = 4000
"""addresses and MACs kept; a neighbour that invents new ones all the time pushes out the oldest, not the database."""


class NetworkMemory:
    """Who was on the network since when, as this bench saw it: what "new since power-on" rests on.

    Leases, neighbours and announcements are read all the time. A scan speaks to every address of the site's own ranges,
    so it runs only when a card was just proven (to know who is there before) and while a board is looked for.
    """

    FORGET_AFTER = timedelta(hours=24)

    SAID_AGAIN = timedelta(seconds=60)
    """after which it is stored again that the same ones are there."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench

    def remember(self, sightings: Sequence[Sighting], now: datetime, *, scanned: bool = False) -> None:
        """Add what was seen at `now`. Nothing is stored while nobody came, and all were said to be there lately."""
        held, not_before = seen_of(self._bench.network_seen), now - self.SAID_AGAIN
        fresh = remembered(held, sightings, now)
        heard = names_heard(self._bench.names_seen, sightings, now)
        nothing_new = heard.keys() <= self._bench.names_seen.keys() and all(
            key in held and held[key].last >= not_before for key, seen in fresh.items() if seen.last == now
        )
        if nothing_new and self._bench.watching_since and not scanned:
            return
        with transaction.atomic():
            row = Bench.objects.select_for_update().get(pk=self._bench.pk)
            memory = {
                key: {"first": seen.first.isoformat(), "last": seen.last.isoformat()}
                for key, seen in remembered(seen_of(row.network_seen), sightings, now).items()
            }
            oldest = (now - self.FORGET_AFTER).isoformat()
            lately = sorted(
                ((k, v) for k, v in memory.items() if v["last"] >= oldest), key=lambda kv: str(kv[1]["last"])
            )
            row.network_seen = dict(lately[-MOST_REMEMBERED:])
            names = names_heard(row.names_seen, sightings, now)
            row.names_seen = dict(
                sorted(((n, at) for n, at in names.items() if at >= oldest), key=lambda one: one[1])[-MOST_NAMES:]
            )
            row.watching_since = row.watching_since or now
            if scanned:
                row.scanned_at = now
                changed("network")
            row.save(update_fields=["network_seen", "names_seen", "watching_since", "scanned_at"])


def site_networks(bench: Bench) -> tuple[str, ...]:
    """Return the ranges of the site where `bench` stands."""
    return site_ranges(Site.objects.get(pk=bench.site_id))
