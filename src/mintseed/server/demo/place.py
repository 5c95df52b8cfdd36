"""A made-up place: where it is, its networks, its boards."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from mintseed.server.kept.models import BoardUnit, Site, WifiNetwork


def make_place(name: str, lan: str, networks: Iterable[Mapping[str, Any]], units: Iterable[tuple[str, str]]) -> Site:
    """Add a place in London with its network's range, its Wi-Fi networks and its boards, each a name and the kind it is."""
    site = Site.objects.create(
        name=name, country="GB", time_zone="Europe/London", keyboard="gb", locale="en_GB.UTF-8", networks=[lan]
    )
    for network in networks:
        WifiNetwork.objects.create(site=site, **network)
    for unit, board in units:
        BoardUnit.objects.create(site=site, name=unit, board=board)
    return site
