"""Which ranges of addresses are one's own: only there the program looks, asks and scans."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable

from mintseed.core.errors import InputError

OWN = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7")
"""RFC 1918 §3; RFC 4193 §3.1."""

SHARED = "100.64.0.0/10"
"""RFC 6598 §7: shared between a provider and its customers; one's own only where the owner says so."""

EXPECTED = "a range of RFC 1918 or RFC 4193, such as 192.168.1.0/24"

Network = ipaddress.IPv4Network | ipaddress.IPv6Network


def is_address(text: str) -> bool:
    """Return whether `text` is an IP address."""
    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


def check_range(text: str, *, shared: bool = False, standin: str = "") -> str:
    """Return `text` as a range of one's own, in its usual spelling.

    `shared`: the owner says that addresses of RFC 6598 are theirs. `standin`: the range of the stand-in's network, on a
    stand-in bench. Raises InputError for anything else.
    """
    try:
        network = ipaddress.ip_network(text.strip())
    except ValueError as error:
        raise InputError(f"{text} is not a range of addresses", expected=EXPECTED, where="networks") from error
    own = [*OWN, *([SHARED] if shared else []), *([standin] if standin else [])]
    if any(_inside(network, ipaddress.ip_network(o)) for o in own):
        return str(network)
    if _inside(network, ipaddress.ip_network(SHARED)):
        raise InputError(f"{text} is shared with your provider's other customers", expected=EXPECTED, where="networks",
                         next_step="If it is your own network's, say so beside it.")  # fmt: skip
    raise InputError(f"{text} is not private", expected=EXPECTED, where="networks",
                     next_step="Only your own network is looked at.")  # fmt: skip


def own_ranges(texts: Iterable[str], *, shared: bool = False, standin: str = "") -> tuple[str, ...]:
    """Return those of `texts` that are ranges of one's own; what is stored and is none is passed over."""
    found = []
    for text in texts:
        try:
            found.append(check_range(str(text), shared=shared, standin=standin))
        except InputError:
            continue
    return tuple(dict.fromkeys(found))


def _inside(network: Network, own: Network) -> bool:
    return network.version == own.version and network.subnet_of(own)  # type: ignore[arg-type]
