"""What was seen on the network: leases, neighbours, announcements."""

from __future__ import annotations

import ipaddress
import itertools
import re
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from mintseed.core.limits import MAX_LIST_LINES, MAX_SCANNED_ADDRESSES, MAX_SHOWN_CHARACTERS
from mintseed.core.site.ranges import is_address
from mintseed.core.visible import one_line


class SeenBy(StrEnum):
    LEASE = "lease"
    NEIGHBOUR = "neighbour"
    ANNOUNCEMENT = "announcement"
    SCAN = "scan"


@dataclass(frozen=True, slots=True)
class Sighting:
    """One line of evidence that `address` is in use. Empty where the source does not tell.

    `expires`: until when a lease runs, as its list writes it. `stale`: a neighbour nobody spoke with lately.
    """

    address: str
    seen_by: SeenBy
    mac: str = ""
    host_name: str = ""
    service: str = ""
    port: int = 0
    expires: str = ""
    stale: bool = False

    @property
    def trace(self) -> str:
        """What is left in a list when its device goes, and is written anew when it comes back; empty for what only a device that is
        there brings about.

        A lease stays listed until it expires, a neighbour until others need its place, an announcement until its time is over.
        """
        if self.seen_by is SeenBy.LEASE:
            return f"lease {self.mac} {self.address} {self.expires}"
        if self.seen_by is SeenBy.NEIGHBOUR and self.stale:
            return f"stale {self.mac} {self.address}"
        if self.seen_by is SeenBy.ANNOUNCEMENT:
            return f"announced {self.host_name} {self.address}"
        return ""

    @property
    def keys(self) -> tuple[str, ...]:
        """What it tells of who is there: its address, its hardware address, and that the one has the other."""
        return (self.address, *((self.mac, pair(self.address, self.mac)) if self.mac else ()))


def pair(address: str, mac: str) -> str:
    """Return the key that says `mac` had `address`."""
    return f"{address}={mac}"


def is_trace(key: str) -> bool:
    """Return whether `key` is what a list says, and not who is there."""
    return " " in key


_ENDS = re.compile(r"[0-9]{1,18}")
_MAC = re.compile(r"^([0-9a-f]{2}:){5}[0-9a-f]{2}$")


def parse_dnsmasq_leases(text: str) -> tuple[Sighting, ...]:
    """Read a dnsmasq lease file: `expiry mac address name client-id` a line. Other lines are passed over.

    Source: dnsmasq(8), --dhcp-leasefile.
    """
    found = []
    for line in text.splitlines()[:MAX_LIST_LINES]:
        parts = line.split()
        if len(parts) >= 4 and _ENDS.fullmatch(parts[0]) and _MAC.match(parts[1].lower()) and is_address(parts[2]):
            name = "" if parts[3] == "*" else shown_name(parts[3])
            found.append(Sighting(parts[2], SeenBy.LEASE, parts[1].lower(), name, expires=parts[0]))
    return tuple(found)


def parse_ip_neigh(text: str) -> tuple[Sighting, ...]:
    """Read the output of `ip neigh`. Entries without an answer (FAILED, INCOMPLETE) are left out. Source: ip-neighbour(8)."""
    found = []
    for line in text.splitlines()[:MAX_LIST_LINES]:
        parts = line.split()
        if len(parts) < 4 or not is_address(parts[0]) or "lladdr" not in parts or parts[-1] in ("FAILED", "INCOMPLETE"):
            continue
        at = parts.index("lladdr") + 1
        mac = parts[at].lower() if at < len(parts) else ""
        if _MAC.match(mac):
            found.append(Sighting(parts[0], SeenBy.NEIGHBOUR, mac, stale=parts[-1] == "STALE"))
    return tuple(found)


def shown_name(name: str) -> str:
    """Return a name a device gave itself, fit to be shown and kept."""
    return one_line(name)[:MAX_SHOWN_CHARACTERS]


def inside(address: str, networks: Iterable[str]) -> bool:
    """Return whether `address` lies in one of `networks` (CIDR)."""
    return any(ipaddress.ip_address(address) in ipaddress.ip_network(n, strict=False) for n in networks)


def addresses_in(networks: Iterable[str]) -> tuple[str, ...]:
    """Return the IPv4 host addresses of `networks` (CIDR), at most MAX_SCANNED_ADDRESSES in all, small networks first."""
    all_of_them = (ipaddress.ip_network(n, strict=False) for n in networks)
    # IPv6 ranges are never walked: a home's holds more addresses than can be asked (RFC 7707 §4.1).
    listed = sorted((n for n in all_of_them if n.version == 4), key=lambda n: n.num_addresses)
    hosts = (str(host) for network in listed for host in network.hosts())
    return tuple(dict.fromkeys(itertools.islice(hosts, MAX_SCANNED_ADDRESSES)))
