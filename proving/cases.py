"""What is tried with every build: the network on the air, what goes into the files, and what must not come of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from mintseed.core.site.addresses import AddressPlan, FixedAddress
from mintseed.standins.machine.ground import POOL_FROM, POOL_TO

PASSPHRASE = "kettle on the third hob"
ALLOWED = "".join(chr(code) for code in range(32, 127))
"""what a passphrase may hold, IEEE 802.11i Annex H.4"""

ADMIN = "warden"
TIME_ZONE = "Pacific/Chatham"
"""one that nothing has by default, and that is three quarters of an hour off"""


@dataclass(frozen=True)
class Case:
    """`air`: the network that is heard. `told`: what the files say where that differs from the air. `by_rights`: whether a board with such files is
    to get in, going by the standard and not by any program."""

    ident: str
    title: str
    air: Mapping[str, Any] = field(default_factory=dict)
    told: Mapping[str, Any] = field(default_factory=dict)
    by_rights: bool = True
    cable: bool = False
    fixed: bool = False

    @property
    def network(self) -> dict[str, Any]:
        """The network on the air, as the bench's air has it."""
        return {"ssid": "Glasshouse 2G", "passphrase": PASSPHRASE, "band_ghz": 2.4, "country": "GB", **self.air}

    @property
    def values(self) -> dict[str, Any]:
        """What goes into the files: fields of SettingValues."""
        network = self.network
        same = {
            "ssid": network["ssid"], "passphrase": network["passphrase"], "country": network["country"], "hidden": bool(network.get("hidden")),
            "wpa3_only": bool(network.get("wpa3_only")), "open_network": bool(network.get("open")),
            "channel": network.get("channel"),
        }  # fmt: skip
        return {**same, **self.told}


CASES = (
    Case("right", "right passphrase"),
    Case("wrong", "wrong passphrase", told={"passphrase": "kettle on the fourth hob"}, by_rights=False),
    Case("odd-1", "passphrase of the first 48 signs there are", air={"passphrase": ALLOWED[:48]}),
    Case("odd-2", "passphrase of the other 47", air={"passphrase": ALLOWED[48:]}),
    Case("hidden", "hidden network", air={"ssid": "Behind the ivy", "hidden": True}),
    Case("name", "name beyond ASCII", air={"ssid": "Gewächshaus ☂ „2G“"}),
    Case("country", "wrong country, a channel it closes", air={"channel": 13}, told={"country": "US"}, by_rights=False),
    Case("fixed", "fixed address", fixed=True),
    Case("wpa3", "WPA3 alone", air={"wpa3_only": True}),
    Case("open", "open network", air={"open": True, "passphrase": ""}, told={"passphrase": ""}),
    Case("cable", "cable", cable=True),
)


def plan_of(lan: str) -> AddressPlan:
    """Return the address plan of the machines' network."""
    base = lan.rsplit(".", 1)[0]
    return AddressPlan(net=lan, gateway=f"{base}.1", pool_from=f"{base}.{POOL_FROM}", pool_to=f"{base}.{POOL_TO}")


def fixed_address(lan: str, slot: int) -> FixedAddress:
    """Return an address that the plan leaves free; another one each slot, for boards that run side by side."""
    found = plan_of(lan).fixed(f"{lan.rsplit('.', 1)[0]}.{POOL_TO + 20 + slot}")
    assert found is not None
    return replace(found)
