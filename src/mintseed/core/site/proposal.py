"""What a place is likely to be, by the machine that stands there: proposed, marked as such, changed at will."""

from __future__ import annotations

import ipaddress
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Literal

import pycountry

from mintseed.core.site.keyboards import KEYBOARDS, keyboards_of
from mintseed.core.site.languages import NEUTRAL, languages, languages_of
from mintseed.core.site.ranges import OWN
from mintseed.core.site.time_zones import time_zones, time_zones_of
from mintseed.core.visible import one_line

Field = Literal["country", "time_zone", "keyboard", "locale", "networks", "wifi"]

UNSET = {"country": ("",), "time_zone": ("", "UTC", "Etc/UTC"), "keyboard": ("", "us"), "locale": ("",)}
"""what a place begins with: nobody chose it"""

LARGEST_RANGE = 24
"""bits of the network's part: of a wider range only what is around this machine is proposed to be looked at"""


@dataclass(frozen=True, slots=True)
class WifiHere:
    """The network this machine is in; its passphrase is never asked for."""

    ssid: str
    band_ghz: float
    wpa3_only: bool = False


@dataclass(frozen=True, slots=True)
class MachineFacts:
    """What the machine says of itself; empty where it says nothing. `locale` as in en_GB.UTF-8; `addresses` as in 192.168.1.5/24."""

    time_zone: str = ""
    keyboard: str = ""
    locale: str = ""
    addresses: tuple[str, ...] = ()
    wifi: WifiHere | None = None


@dataclass(frozen=True, slots=True)
class Proposal:
    """One value for a place, in words, and where this machine keeps it."""

    field: Field
    value: str
    text: str
    source: str
    band_ghz: float = 2.4
    wpa3_only: bool = False


def proposals(
    facts: MachineFacts,
    *,
    country: str,
    time_zone: str,
    keyboard: str,
    locale: str = "",
    networks: Collection[str],
    wifi: Collection[str],
) -> tuple[Proposal, ...]:
    """Return what is proposed for a place that has these values: only for what nobody chose there, each value once."""
    chosen = {"country": country, "time_zone": time_zone, "keyboard": keyboard, "locale": locale}
    offered = {
        (p.field, p.value): p
        for p in (*_of_country(country, facts.locale), *_all(facts, networks, wifi))
        if p.field not in UNSET or (chosen[p.field] in UNSET[p.field] and p.value != chosen[p.field])
    }
    return tuple(offered.values())


MOST_LANGUAGES = 4
"""of a country that are proposed"""


def _of_country(country: str, locale: str) -> Iterator[Proposal]:
    """Yield what the country that was chosen says: its zone, where it has one alone, and its languages, this machine's first."""
    found = pycountry.countries.get(alpha_2=country)
    if found is None:
        return
    called = getattr(found, "common_name", found.name)
    zones = time_zones_of(country)
    if len(zones) == 1:
        yield Proposal("time_zone", zones[0], zones[0].replace("_", " "), f"the one of {called}")
    for layout in keyboards_of(country)[:1]:
        yield Proposal("keyboard", layout, KEYBOARDS[layout], f"the one of {called}")
    for name in sorted(languages_of(country), key=lambda name: name != locale)[:MOST_LANGUAGES]:
        yield Proposal("locale", name, languages()[name], f"spoken in {called}")


def _all(facts: MachineFacts, networks: Collection[str], wifi: Collection[str]) -> Iterator[Proposal]:
    code = facts.locale.split(".")[0].partition("_")[2][:2].upper()
    found = pycountry.countries.get(alpha_2=code) if len(code) == 2 else None
    if found is not None:
        yield Proposal(
            "country", code, getattr(found, "common_name", found.name), f"its language, {one_line(facts.locale)}"
        )
    if facts.time_zone in time_zones() and facts.time_zone not in UNSET["time_zone"]:
        yield Proposal("time_zone", facts.time_zone, facts.time_zone.replace("_", " "), "its clock")
    if facts.keyboard in KEYBOARDS and facts.keyboard not in UNSET["keyboard"]:
        yield Proposal("keyboard", facts.keyboard, KEYBOARDS[facts.keyboard], "its keyboard")
    if facts.locale in languages() and facts.locale != NEUTRAL:
        yield Proposal("locale", facts.locale, languages()[facts.locale], "its language")
    if not networks:
        for cidr in dict.fromkeys(filter(None, map(_range_of, facts.addresses))):
            yield Proposal("networks", cidr, cidr, "its own address")
    if facts.wifi is not None and not wifi and facts.wifi.ssid:
        one = facts.wifi
        yield Proposal(
            "wifi",
            one.ssid,
            f"{one_line(one.ssid)}, {one.band_ghz:g} GHz",
            "the Wi-Fi it is in",
            one.band_ghz,
            one.wpa3_only,
        )


def _range_of(address: str) -> str:
    """Return the private range around an address, no wider than LARGEST_RANGE; nothing for an address that is not one's own."""
    try:
        inside = ipaddress.IPv4Interface(address)
    except ValueError:
        return ""
    bits = max(inside.network.prefixlen, LARGEST_RANGE)
    if bits > 30 or not any(inside.ip in ipaddress.ip_network(own) for own in OWN if ":" not in own):
        return ""
    return str(ipaddress.IPv4Network(f"{inside.ip}/{bits}", strict=False))
