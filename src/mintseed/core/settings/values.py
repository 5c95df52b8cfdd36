"""The values that go into an image's settings files, and the rules they must keep."""

from __future__ import annotations

import hashlib
import re
import string
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache

import pycountry

from mintseed.core.findings import Action, Finding, Severity, Where
from mintseed.core.settings.accounts import check_account
from mintseed.core.site.addresses import FixedAddress
from mintseed.core.site.keyboards import KEYBOARDS, MISTAKEN
from mintseed.core.site.languages import check_locale
from mintseed.core.site.time_zones import time_zones

SSID_MOST_OCTETS = 32
"""octets, IEEE 802.11 §9.4.2.2."""
PASSPHRASE_LEAST, PASSPHRASE_MOST = 8, 63
"""characters 32 to 126, IEEE 802.11i Annex H.4."""
KEY_HEX_DIGITS = 64
KEY_ROUNDS = 4096
"""PBKDF2 iterations, IEEE 802.11i Annex H.4."""
RESERVED_HOST_NAMES = frozenset(
    {"localhost", "localdomain", "local", "invalid", "broadcasthost", "ip6-localhost", "ip6-loopback"}
)
HOST_NAME_MOST = 63
"""octets of one label, RFC 1035 §2.3.4."""
SHARE_NAME_MOST = 15
"""characters a file-share name may have, RFC 1001 §14."""

_HOST_NAME = re.compile(r"(?!-)[A-Za-z0-9-]{1,63}(?<!-)")
_HEX_KEY = re.compile(r"[0-9a-fA-F]{64}")


class Unreadable(str):
    """A secret that is kept and cannot be read: an empty text, and not the same as none. `kept` is what lies in its place."""

    kept: str

    def __new__(cls, kept: str = "") -> Unreadable:
        made = super().__new__(cls, "")
        made.kept = kept
        return made


@dataclass(frozen=True, slots=True)
class KnownNetwork:
    """A network a device knows. `passphrase` is a secret; empty of an open one."""

    ssid: str
    passphrase: str = field(default="", repr=False)
    hidden: bool = False
    wpa3_only: bool = False
    open: bool = False
    """whether it takes anybody, without a passphrase"""
    priority: int = 0
    """the higher, the sooner it is joined where several are heard; 0 where there is one alone"""

    @property
    def key(self) -> str:
        """The 64 hex digits of its key; empty of an open network."""
        return "" if self.open else derived_key(self.passphrase, self.ssid)


@dataclass(frozen=True, slots=True)
class SettingValues:
    """What a person wants on the card. The passphrase and the hash are secrets and stay out of every repr."""

    host_name: str
    country: str
    time_zone: str
    keyboard: str
    way: str
    ssid: str = ""
    passphrase: str = field(default="", repr=False)
    hidden: bool = False
    wpa3_only: bool = False
    band_ghz: float = 0
    """2.4 or 5; 0 where nobody said it"""
    channel: int | None = None
    """the one its access point keeps to, where somebody said it"""
    admin_name: str = ""
    admin_hash: str = field(default="", repr=False)
    ssh_keys: tuple[str, ...] = ()
    """public keys of the place, each as one line of authorized_keys (sshd(8))"""
    answers: Mapping[str, str] = field(default_factory=dict, repr=False)
    locale: str = ""
    """as in en_GB.UTF-8; empty where the image keeps its own"""
    overlays: tuple[str, ...] = ()
    """lines that the drivers of the plan's parts want"""
    open_network: bool = False
    others: tuple[KnownNetwork, ...] = ()
    """further networks it knows, the one to be joined first in front"""
    address: FixedAddress | None = None
    """None: it takes one by itself"""
    priority: int = 0
    """as of KnownNetwork"""

    def for_template(self, template: str) -> str:
        """Return `template` with its placeholders replaced; a name nobody answered becomes nothing."""
        wifi = self.way == "wifi"
        facts = {
            "wifi_hidden": self.hidden if wifi else None,
            "wpa3_only": self.wpa3_only if wifi else None,
            "by_cable": not wifi,
            "wifi_open": self.open_network if wifi else None,
            "address_fixed": self.address is not None,
        }
        at = self.address
        known = {
            "locale": self.locale, "wifi_band_ghz": f"{self.band_ghz:g}" if wifi and self.band_ghz else "",
            **({"address": at.address, "address_prefix": str(at.prefix), "netmask": at.netmask, "gateway": at.gateway, "name_servers": " ".join(at.dns)} if at else {}),
            **self.answers, "host_name": self.host_name, "time_zone": self.time_zone,
            "keyboard": self.keyboard, "country": self.country, "admin_name": self.admin_name, "admin_hash": self.admin_hash,
            **({"wifi_name": self.ssid, "wifi_passphrase": self.passphrase} if wifi else {}),
            **({"wifi_key": self.key} if wifi and "{wifi_key}" in template and self.ssid and self.passphrase else {}),
        }  # fmt: skip
        out = []
        for text, name, form, _ in string.Formatter().parse(template):
            out.append(text)
            if name is not None and form and (so := facts.get(name)) is not None:
                out.append(form.split("|")[0 if so else 1])
            elif name is not None and not form:
                out.append(known.get(name, ""))
        return "".join(out)

    @property
    def key(self) -> str:
        """The 64 hex digits of the network's key."""
        return derived_key(self.passphrase, self.ssid)

    @property
    def networks(self) -> tuple[KnownNetwork, ...]:
        """Every network it knows, the one to be joined first in front; their priorities where there are several."""
        own = KnownNetwork(self.ssid, self.passphrase, self.hidden, self.wpa3_only, self.open_network, self.priority)
        if not self.others:
            return (own,)
        # Two radios of one router often have one name: a file holds it once.
        known = tuple({one.ssid: one for one in reversed((own, *self.others))}.values())[::-1]
        return tuple(replace(one, priority=len(known) - at) for at, one in enumerate(known))

    def of_network(self, network: KnownNetwork) -> SettingValues:
        """Return the same with that one network alone, and its place among the others."""
        return replace(
            self, ssid=network.ssid, passphrase=network.passphrase, hidden=network.hidden, wpa3_only=network.wpa3_only,
            open_network=network.open, priority=network.priority, others=(), band_ghz=0,
        )  # fmt: skip


@lru_cache(maxsize=64)  # a place has a few networks and many devices, and every screen fills the files anew
def derived_key(passphrase: str, ssid: str) -> str:
    """Return the pairwise master key as 64 lower-case hex digits.

    A passphrase that is itself 64 hex digits is the key. Source: IEEE 802.11i Annex H.4 (PBKDF2-HMAC-SHA1).
    """
    if _HEX_KEY.fullmatch(passphrase):
        return passphrase.lower()
    return hashlib.pbkdf2_hmac("sha1", passphrase.encode(), ssid.encode(), KEY_ROUNDS, 32).hex()


def check_values(
    values: SettingValues,
    *,
    default_host_name: str,
    names_taken: frozenset[str],
    names_heard: Mapping[str, str] | None = None,
    site_keyboard: str = "",
    own_account: str = "",
) -> tuple[Finding, ...]:
    """Return the findings about `values`. `names_taken` are host names other devices of the site hold, lower-case; `names_heard`: those that
    something on its network called itself, and when last, None where nobody listened; `own_account`
    is the image's account whose password is set, where it is that and not one with a name of one's own."""
    found = list(_host_name(values.host_name, default_host_name, names_taken, names_heard))
    if values.way == "wifi":
        found += _ssid(values.ssid)
        found += _open(values.ssid) if values.open_network else _passphrase(values.passphrase)
        found += _wpa3(values)
        found += _others(values)
        found += _country(values.country)
    found += _time_zone(values.time_zone)
    found += _keyboard(values.keyboard, site_keyboard)
    found += check_locale(values.locale)
    if not own_account:
        found += check_account(values.admin_name, values.admin_hash)
    return tuple(found)


def check_own_passphrase(values: SettingValues, joined_with_sites: int) -> Iterator[Finding]:
    """Yield that this device has another passphrase than the one others of its place joined with."""
    if joined_with_sites:
        yield Finding("wifi.passphrase-other", Severity.CHECK, "This passphrase is not the place's, and others joined with the place's",
                      f"{joined_with_sites} device{'s' * (joined_with_sites != 1)} joined {values.ssid} with the one that stands under Site.",
                      "Use the site's passphrase, or change it there where the router has a new one.", Where(field="passphrase"))  # fmt: skip


def _host_name(name: str, default: str, taken: frozenset[str], heard: Mapping[str, str] | None) -> Iterator[Finding]:
    where = Where(field="host_name")
    if not _HOST_NAME.fullmatch(name):
        yield Finding(
            "settings.host-name-letters",
            Severity.STOP,
            f"“{name}” cannot be a host name" if name else "No host name",
            f"A host name has 1 to {HOST_NAME_MOST} letters, digits and hyphens, and no hyphen at either end.",
            "Write it without blanks, dots and accents.",
            where,
            "RFC 1123 §2.1, RFC 952",
        )
        return
    if name.lower() in RESERVED_HOST_NAMES:
        yield Finding(
            "settings.host-name-reserved",
            Severity.STOP,
            f"Every machine means itself, or nobody, by {name}",
            "No other one would ever reach this device by it.",
            "Give it a name of its own.",
            where,
            "RFC 6761 §6.3, RFC 6762 §3",
        )
    elif name.lower() in taken:
        yield Finding(
            "settings.host-name-taken",
            Severity.STOP,
            f"Another device here is called {name}",
            "Two devices of one name: only one of them can be reached by it.",
            "Give this one another name.",
            where,
            "RFC 6762 §9",
        )
    elif heard and name.lower() in heard:
        yield Finding(
            "settings.host-name-heard", Severity.CHECK, f"Something on this network calls itself {name}",
            f"It was heard last on {heard[name.lower()]}, and it is none of the devices here. Of two with one name, one gets another.",
            "Give this one another name, unless that was this very board in an earlier life.", where, "RFC 6762 §9",
        )  # fmt: skip
    elif name.lower() == default.lower():
        yield Finding(
            "settings.host-name-default",
            Severity.NOTE,
            f"{name} is the name every card of this image starts with",
            "A second one on this network would claim the same name.",
            "Give it a name of its own now.",
            where,
        )
    else:
        yield Finding(
            "settings.host-name-free",
            Severity.OK,
            "No other device here has this name",
            f"Nobody on this bench is called {name}"
            + (
                "; what else is on the network was not asked."
                if heard is None
                else ", and nothing its bench heard on the network."
            ),
            where=where,
        )
    if len(name) > SHARE_NAME_MOST:
        yield Finding(
            "settings.host-name-cut",
            Severity.NOTE,
            f"File shares show only {name[:SHARE_NAME_MOST]}",
            f"Share names end after {SHARE_NAME_MOST} characters.",
            where=where,
            source="RFC 1001 §14",
        )


def _ssid(ssid: str) -> Iterator[Finding]:
    octets = len(ssid.encode())
    if not 1 <= octets <= SSID_MOST_OCTETS:
        yield Finding(
            "wifi.ssid-length",
            Severity.STOP,
            "No network name" if not ssid else f"The network name has {octets} octets",
            f"1 to {SSID_MOST_OCTETS} octets are allowed; a letter with an accent takes two.",
            "Copy the name from the router's page.",
            Where(field="ssid"),
            "IEEE 802.11 §9.4.2.2",
        )
    elif ssid != ssid.strip():
        yield Finding(
            "wifi.ssid-blank",
            Severity.CHECK,
            "The network name begins or ends with a blank",
            "It is part of the name. Few people mean that.",
            "Remove it, unless the router's page shows it too.",
            Where(field="ssid"),
        )


def _passphrase(passphrase: str) -> Iterator[Finding]:
    where = Where(field="passphrase")
    if isinstance(passphrase, Unreadable):
        yield Finding("wifi.passphrase-unreadable", Severity.STOP, "Its passphrase is kept and cannot be read",
                      "It was encrypted with another key than the one that lies in this home's secrets.",
                      "Put the key of then back, or type the passphrase again under Site.", where)  # fmt: skip
        return
    if _HEX_KEY.fullmatch(passphrase):
        yield Finding("wifi.passphrase-is-key", Severity.OK, "64 hex digits: taken as the key itself", where=where)
        return
    source = "IEEE 802.11i Annex H.4"
    if not PASSPHRASE_LEAST <= len(passphrase) <= PASSPHRASE_MOST:
        yield Finding(
            "wifi.passphrase-length",
            Severity.STOP,
            "No passphrase"
            if not passphrase
            else f"The passphrase has {len(passphrase)} character{'s' * (len(passphrase) != 1)}",
            f"A Wi-Fi passphrase has {PASSPHRASE_LEAST} to {PASSPHRASE_MOST} characters, or 64 hex digits.",
            "Type it as it stands on the router.",
            where,
            source,
        )
    elif any(not 32 <= ord(c) <= 126 for c in passphrase):
        position = next(i for i, c in enumerate(passphrase, 1) if not 32 <= ord(c) <= 126)
        yield Finding(
            "wifi.passphrase-letters",
            Severity.STOP,
            f"Character {position} of the passphrase cannot be in one",
            "Only the 95 printable ASCII characters are allowed. Curly quotes and accents come from editors.",
            "Type it by hand.",
            where,
            source,
        )
    else:
        yield Finding(
            "wifi.passphrase-shape",
            Severity.OK,
            "Passphrase has the right shape",
            f"{len(passphrase)} characters. Whether it is the right one shows when the board joins.",
            where=where,
            source=source,
        )


def _open(ssid: str) -> Iterator[Finding]:
    yield Finding("wifi.open", Severity.CHECK, f"{ssid} would be joined without a passphrase",
                  "Whoever is near may read along what is not encrypted otherwise, and reach the device.",
                  "Use a network with a passphrase where there is one.", Where(field="ssid"))  # fmt: skip


def _others(values: SettingValues) -> Iterator[Finding]:
    """Yield what keeps the device from a further network it shall know: the first of it, by its name."""
    for other in values.others:
        found = [
            *_ssid(other.ssid),
            *([] if other.open else _passphrase(other.passphrase)),
            *_wpa3(values.of_network(other)),
        ]
        wrong = next((f for f in found if f.severity is Severity.STOP), None)
        if wrong is not None:
            yield replace(wrong, title=f"{other.ssid}: {wrong.title}", where=Where(field="also"))
        elif other.open:
            yield from (replace(f, where=Where(field="also")) for f in _open(other.ssid))


def _wpa3(values: SettingValues) -> Iterator[Finding]:
    if values.wpa3_only and _HEX_KEY.fullmatch(values.passphrase):
        yield Finding("wifi.wpa3-key", Severity.STOP, "WPA3 wants the passphrase, and this is a key of WPA2",
                      "64 hex digits are what WPA2 makes of a name and a passphrase; WPA3 makes nothing of them.",
                      "Type the passphrase as it stands on the router.", Where(field="passphrase"), "IEEE 802.11-2020 §12.4 (SAE)")  # fmt: skip


def _country(country: str) -> Iterator[Finding]:
    where = Where(field="country")
    if not country:
        yield Finding("settings.country-missing", Severity.STOP, "No country chosen yet",
                      "Without one the radio stays off.", "Choose the one the device will stand in.", where, "ISO 3166-1 alpha-2")  # fmt: skip
        return
    if pycountry.countries.get(alpha_2=country) is None or country != country.upper():
        meant = "GB" if country.upper() == "UK" else country.upper()
        known = pycountry.countries.get(alpha_2=meant) is not None
        yield Finding(
            "wifi.country-unknown",
            Severity.STOP,
            f"{country} is not a country code",
            "Without the right one the radio stays off, or misses channels 12 and 13 and parts of 5 GHz.",
            f"Write {meant}." if known else "Use the two capital letters of ISO 3166, such as GB.",
            where,
            "ISO 3166-1 alpha-2",
            Action(f"Use {meant}", "settings", "country", meant) if known else None,
        )
    else:
        yield Finding(
            "wifi.country-known",
            Severity.OK,
            f"Country {country}",
            "Sets which channels the radio may use.",
            where=where,
            source="ISO 3166-1 alpha-2",
        )


def _time_zone(zone: str) -> Iterator[Finding]:
    if zone not in time_zones():
        yield Finding(
            "settings.time-zone-unknown",
            Severity.STOP,
            f"{zone} is not a time zone" if zone else "No time zone chosen",
            "The clock would stay on UTC.",
            "Use a name such as Europe/London.",
            Where(field="time_zone"),
            "IANA time zone database",
        )


def check_keyboard(layout: str) -> Iterator[Finding]:
    """Yield why `layout` is no keyboard; nothing when it is one."""
    if layout in KEYBOARDS:
        return
    meant = MISTAKEN.get(layout.lower(), layout.lower())
    known = meant in KEYBOARDS
    yield Finding(
        "settings.keyboard-unknown",
        Severity.STOP,
        f"No keyboard layout is called {layout}" if layout else "No keyboard layout chosen",
        "The console would keep the layout it came with, and passwords typed there could differ from those you meant.",
        f"Write {meant}, {KEYBOARDS[meant]}." if known else "Pick one of the list, such as gb or us.",
        Where(field="keyboard"),
        "xkeyboard-config",
        Action(f"Use {meant}", "settings", "keyboard", meant) if known else None,
    )


def _keyboard(layout: str, site_layout: str) -> Iterator[Finding]:
    if layout not in KEYBOARDS:
        yield from check_keyboard(layout)
    elif site_layout and layout != site_layout:
        yield Finding(
            "settings.keyboard-differs",
            Severity.CHECK,
            "Keyboard differs from the site",
            f"It says {layout}, the site {site_layout}. Signs sit elsewhere, so a password typed on its console may not be "
            "the one you meant.",
            f"Use {site_layout}, unless this device has a keyboard of its own.",
            Where(field="keyboard"),
            "xkeyboard-config",
            Action(f"Use {site_layout}", "settings", "keyboard", site_layout),
        )
