"""A site: the place, its networks, country, time zone and keyboard."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from mintseed.core.described import Described
from mintseed.core.site.addresses import NO_PLAN, AddressPlan

AsWritten = Annotated[str, StringConstraints(strip_whitespace=False)]
"""a text whose blanks at both ends count. Source: IEEE 802.11 §9.4.2.2 (SSID), IEEE 802.11i Annex H.4 (passphrase)"""


class WifiNetwork(Described):
    """One Wi-Fi network. `passphrase` is a secret and never leaves by way of text or log."""

    ssid: AsWritten
    passphrase: AsWritten = Field(default="", repr=False)
    band_ghz: float = Field(default=2.4, gt=0, description="2.4 or 5")
    hidden: bool = False
    wpa3_only: bool = Field(default=False, description="whether it refuses WPA2")
    open: bool = Field(default=False, description="whether it takes anybody, without a passphrase")
    channel: int | None = Field(default=None, ge=1, le=233, description="the one its access point keeps to")


class Site(Described):
    site: Literal[1]
    name: str
    country: str = Field(description="ISO 3166-1 alpha-2")
    time_zone: str = Field(description="IANA name, such as Europe/London")
    keyboard: str = Field(description="xkb layout, such as gb")
    locale: str = Field(
        default="",
        max_length=40,
        description="language of the systems, such as en_GB.UTF-8; empty: as each image comes",
    )
    wifi: tuple[WifiNetwork, ...] = ()
    ssh_keys: tuple[str, ...] = Field(
        default=(), max_length=20, description="public keys its owner logs in with, each as one line of authorized_keys"
    )
    address_plan: AddressPlan = Field(
        default=NO_PLAN, description="net, gateway, name servers, pool and what is reserved"
    )
    name_scheme: str = Field(
        default="", max_length=60, description="how its devices are called, such as {place}-{name}-{n}"
    )
    networks: tuple[str, ...] = Field(default=(), description="private ranges in CIDR that may be looked at")
