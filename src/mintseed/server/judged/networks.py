"""What a device is told of its place's networks: further ones, addresses that others have or were seen with, and what it may be called."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import Q

from mintseed.core.settings.values import KnownNetwork
from mintseed.core.site.addresses import AddressPlan, proposed
from mintseed.core.site.names import name_by_scheme, stem_of
from mintseed.core.site.time_zones import time_zones
from mintseed.server.kept.models import Bench, Deployment, Site, WifiNetwork
from mintseed.server.kept.stored_types import seen_of

MOST_LOOKED_AT = 60
"""addresses that a plan leaves, looked at for whether somebody has them, to propose a few"""


def zone_of(site: Site) -> str:
    """Return the site's time zone, UTC when it names none that exists."""
    return site.time_zone if site.time_zone in time_zones() else "UTC"


def known_network(row: WifiNetwork) -> KnownNetwork:
    """Return a further network as a device knows it."""
    return KnownNetwork(row.ssid, "" if row.open else row.passphrase, row.hidden, row.wpa3_only, row.open)


def keys_in_order(stored_keys: object) -> tuple[int, ...]:
    """Return the keys a row holds, each once; nothing of what is no list of numbers."""
    held = stored_keys if isinstance(stored_keys, list) else []
    return tuple(dict.fromkeys(k for k in held if isinstance(k, int) and not isinstance(k, bool)))


def also_networks(rows: Sequence[Deployment]) -> dict[int, WifiNetwork]:
    """Return the further networks that `rows` know, by key; those that are taken off are left out."""
    wanted = {pk for row in rows for pk in keys_in_order(row.also_networks)}
    return {n.pk: n for n in WifiNetwork.there.filter(pk__in=wanted)} if wanted else {}


def addresses_taken(rows: Sequence[Deployment]) -> dict[int, dict[str, str]]:
    """Return, for each of `rows` that wants a fixed address which another device of its place had first, that address and whose it is."""
    wanted = {(row.site_id, row.address) for row in rows if row.address}
    if not wanted:
        return {}
    same = Q()
    for site, address in wanted:
        same |= Q(site=site, address=address)
    first: dict[tuple[int, str], tuple[int, str]] = {}
    held = Deployment.objects.filter(same, removed_at=None).order_by("pk")
    for site, address, pk, name in held.values_list("site_id", "address", "pk", "name"):
        first.setdefault((site, address), (pk, name))
    whose = {row.pk: first.get((row.site_id, row.address)) for row in rows}
    return {row.pk: {row.address: one[1]} for row in rows if (one := whose[row.pk]) is not None and one[0] != row.pk}


def addresses_seen(rows: Sequence[Deployment]) -> dict[int, dict[str, str]]:
    """Return, for each of `rows` at whose place a bench watches the network, its address where it was seen, and since when, as one reads it there."""

    def first_seen(memory: Mapping[str, Any], address: str) -> datetime | None:
        seen = seen_of({a: v for a, v in memory.items() if a == address}).get(address)
        return seen.first if seen else None

    return _remembered(rows, "network_seen", lambda row: row.address, first_seen)


def names_heard(rows: Sequence[Deployment]) -> dict[int, dict[str, str]]:
    """Return, for each of `rows` at whose place a bench watches the network, its host name in small letters where something there called itself so,
    and when last, as one reads it there."""

    def last_heard(memory: Mapping[str, Any], name: str) -> datetime | None:
        try:
            return datetime.fromisoformat(memory[name]) if name in memory else None
        except (ValueError, TypeError):
            return None  # kept by a version that kept it otherwise

    return _remembered(rows, "names_seen", lambda row: row.host_name.lower(), last_heard)


def _remembered(
    rows: Sequence[Deployment],
    column: str,
    what: Callable[[Deployment], str],
    when: Callable[[Mapping[str, Any], str], datetime | None],
) -> dict[int, dict[str, str]]:
    """Return, for each of `rows` at whose place a bench watches the network, what of it stands in that bench's memory, and the moment as one reads it
    there; nothing of it where it does not."""
    if not rows:
        return {}
    watched = Bench.there.filter(site__in={row.site_id for row in rows}, watching_since__isnull=False)
    memories = list(watched.values_list("site_id", column))
    found: dict[int, dict[str, str]] = {}
    for row in rows:
        key, zone = what(row), ZoneInfo(zone_of(row.site))
        for memory in (m for site, m in memories if site == row.site_id):
            at = when(memory, key)
            found.setdefault(row.pk, {}).update({key: f"{at.astimezone(zone):%-d %B, %H:%M}"} if at else {})
    return found


def addresses_left(site: Site, plan: AddressPlan, count: int) -> tuple[str, ...]:
    """Return a few addresses that the plan of `site` leaves, no device there has, and no bench there saw."""
    near = proposed(plan, (), MOST_LOOKED_AT)
    if not near:
        return ()
    gone = set(
        Deployment.objects.filter(removed_at=None, site=site, address__in=near).values_list("address", flat=True)
    )
    for memory in Bench.there.filter(site=site).values_list("network_seen", flat=True):
        gone |= memory.keys() & set(near)
    return tuple(a for a in near if a not in gone)[:count]


def scheme_name(site: Site, *, recipe: str, name: str, board: str, but: int = 0) -> str:
    """Return the host name that the scheme of `site` makes for a device; empty where it has none. `but`: a device whose own name does not count."""
    if not site.name_scheme:
        return ""
    words = {"place": site.name, "appliance": recipe, "name": name, "board": board}
    alike = Deployment.objects.filter(
        removed_at=None, site=site, host_name__istartswith=stem_of(site.name_scheme, **words)
    )
    taken = frozenset(n.lower() for n in alike.exclude(pk=but).values_list("host_name", flat=True))
    return name_by_scheme(site.name_scheme, **words, taken=taken)
