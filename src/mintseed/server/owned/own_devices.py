"""One's own devices that are known on a network: named wherever an address is shown."""

from __future__ import annotations

from collections.abc import Collection

from django.db.models import Q

from mintseed.server.kept.models import Claim, Site

MOST_NAMED = 500


def own_devices(
    site: Site, addresses: Collection[str], macs: Collection[str], *, but: int | None = None
) -> dict[str, str]:
    """Return hardware address or address → name of each device of `site` that was claimed there and is in service or powered. `but`: the
    deployment that asks."""
    if not addresses and not macs:
        return {}
    claims = Claim.objects.filter(
        Q(mac__in=[m for m in macs if m]) | Q(address__in=list(addresses)), taken_back_at=None, deployment__site=site,
        deployment__removed_at=None,
    ).filter(Q(boot_run__off_at=None) | Q(deployment__closings__isnull=False))  # fmt: skip
    found: dict[str, str] = {}
    rows = claims.exclude(deployment=but).order_by("-pk").values_list("address", "mac", "deployment__name").distinct()
    for address, mac, name in rows[:MOST_NAMED]:
        for key in (mac, address):
            if key:
                found.setdefault(key, name)
    return found
