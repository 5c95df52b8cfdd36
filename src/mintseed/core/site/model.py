"""A site: the place, its networks, country, time zone and keyboard."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mintseed.core.described import Described


class WifiNetwork(Described):
    """One Wi-Fi network. `passphrase` is a secret and never leaves by way of text or log."""

    ssid: str
    passphrase: str = Field(default="", repr=False)
    band_ghz: float = Field(default=2.4, gt=0, description="2.4 or 5")
    hidden: bool = False
    wpa3_only: bool = Field(default=False, description="whether it refuses WPA2")


class Site(Described):
    site: Literal[1]
    name: str
    country: str = Field(description="ISO 3166-1 alpha-2")
    time_zone: str = Field(description="IANA name, such as Europe/London")
    keyboard: str = Field(description="xkb layout, such as gb")
    wifi: tuple[WifiNetwork, ...] = ()
    networks: tuple[str, ...] = Field(default=(), description="private ranges in CIDR that may be looked at")
