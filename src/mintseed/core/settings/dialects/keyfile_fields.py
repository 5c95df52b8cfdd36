"""What the keyfile reader makes of each value that decides about joining. Source: NetworkManager 1.42 itself, asked with one value a file
(nmcli(1) --offline); a test asks it again for every row.
"""

from __future__ import annotations

import re

from mintseed.core.findings import Severity
from mintseed.core.settings.dialects.value_table import Field, KeepsAway, list_of, matching, number, one_of

_MAC = r"[0-9A-Fa-f]{2}(:[0-9A-Fa-f]{2}){5}"
_YES = ("true", "1")
_YES_OR_NO = one_of(*_YES, "false", "0", otherwise="dropped")
_UUID = r"[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}"

TYPES = (
    "wifi", "802-11-wireless", "ethernet", "802-3-ethernet", "6lowpan", "adsl", "bluetooth", "bond", "bridge", "cdma", "dummy", "generic", "gsm", "infiniband", "ip-tunnel", "loopback", "macsec",
    "macvlan", "olpc-mesh", "802-11-olpc-mesh", "ovs-bridge", "ovs-interface", "ovs-port", "pppoe", "team", "tun", "veth", "vlan", "vpn", "vrf", "vxlan", "wifi-p2p", "wireguard", "wpan",
)  # fmt: skip
"""kinds of connections; no blank may stand behind one"""

FIELDS: dict[tuple[str, str], Field] = {
    ("connection", "uuid"): Field(matching(_UUID, "refused"), "4b1f6c1e-7d0a-4f55-9a4b-0c0f5b5e9a21", "zz", "32 hex digits in five groups"),
    ("connection", "autoconnect"): Field(_YES_OR_NO, "true", "no", "true or false", True),
    ("connection", "interface-name"): Field(
        matching(r"[^/\s:]{1,15}", "refused"), "wlan0", "a/b", "at most 15 letters, none of them a slash", True,
        KeepsAway(bool, Severity.NOTE, "keyfile.device-fixed", "Only the device of this name would do", "A board whose radio is called otherwise never joins."),
    ),
    ("connection", "permissions"): Field(
        matching(r"(user:[^:;]+:?;?)+", "refused"), "user:ann:;", "x", "user:NAME:;", True,
        KeepsAway(bool, Severity.STOP, "keyfile.permissions", "It connects only while somebody is logged in", "A board that starts by itself never joins."),
    ),
    ("wifi", "mode"): Field(
        one_of("infrastructure", "ap", "adhoc"), "infrastructure", "foo", "infrastructure", True,
        KeepsAway(lambda v: v != "infrastructure", Severity.STOP, "keyfile.mode-other", "It would open a network of its own under this name", "It never joins the one that is meant, and others may join it by mistake."),
    ),
    ("wifi", "band"): Field(
        one_of("a", "bg"), "bg", "5", "bg for 2.4 GHz, a for 5 GHz", True,
        KeepsAway(lambda v: v == "a", Severity.CHECK, "keyfile.band-fixed", "Only 5 GHz would do", "A board or an access point without 5 GHz never meets the other."),
    ),
    ("wifi", "hidden"): Field(_YES_OR_NO, "true", "yes", "true or false"),
    ("wifi", "bssid"): Field(matching(_MAC, "dropped"), "02:00:00:00:00:01", "zz", "six octets, 02:00:00:00:00:01", True),
    ("wifi", "mac-address"): Field(
        matching(_MAC, "dropped"), "02:00:00:00:00:01", "zz", "six octets, 02:00:00:00:00:01", True,
        KeepsAway(bool, Severity.CHECK, "keyfile.radio-fixed", "Only the radio with this address would do", "Another board's never joins."),
    ),
    ("wifi-security", "proto"): Field(
        list_of("wpa", "rsn", between=";"), "rsn", "wpa2", "rsn", True,
        KeepsAway(lambda v: v.removesuffix(";") == "wpa", Severity.CHECK, "keyfile.proto-old", "Only the first WPA would do", "Most networks offer WPA2 or later alone."),
    ),
    ("wifi-security", "pairwise"): Field(
        list_of("ccmp", "tkip", between=";"), "ccmp", "aes", "ccmp", True,
        KeepsAway(lambda v: v.removesuffix(";") == "tkip", Severity.CHECK, "keyfile.cipher-old", "Only TKIP would do", "Most networks offer CCMP alone."),
    ),
    ("wifi-security", "group"): Field(list_of("ccmp", "tkip", "wep40", "wep104", between=";"), "ccmp", "aes", "ccmp", True),
    ("wifi-security", "auth-alg"): Field(one_of("open"), "open", "xyz", "open", True),
    ("wifi-security", "pmf"): Field(
        number(0, 3), "1", "9", "0 to 3", True,
        KeepsAway(lambda v: v == "3", Severity.CHECK, "keyfile.frames-protected", "Only an access point that protects its frames would do", "Many that offer WPA2 do not."),
    ),
    ("ipv4", "method"): Field(one_of("auto", "manual", "disabled", "link-local", "shared"), "auto", "dhcp", "auto", False),
    ("ipv6", "method"): Field(one_of("auto", "dhcp", "manual", "link-local", "shared", "ignore", "disabled"), "auto", "", "auto", False),
    ("connection", "type"): Field(one_of(*TYPES), "wifi", "wlan", "wifi", False),
}  # fmt: skip


KEY_MANAGEMENT = ("none", "ieee8021x", "owe", "wpa-psk", "sae", "wpa-eap", "wpa-eap-suite-b-192")
"""taken in letters of either case"""

_ESCAPES = {"s": " ", "n": "\n", "t": "\t", "r": "\r", "\\": "\\"}


def unescaped(value: str) -> str | None:
    """Return a value as GLib reads it; None for one with a backslash before anything else: then the line is dropped.

    Source: GLib, Key-value file parser: `\\s`, `\\n`, `\\t`, `\\r` and `\\\\`.
    """
    out, at = [], 0
    while at < len(value):
        sign = value[at]
        if sign == "\\":
            at += 1
            if at == len(value) or value[at] not in _ESCAPES:
                return None
            sign = _ESCAPES[value[at]]
        out.append(sign)
        at += 1
    return "".join(out)


def escaped(value: str) -> str:
    """Return `value` so that `unescaped` gives it back: a backslash, and a blank at the beginning, which would be taken off."""
    plain = value.replace("\\", "\\\\")
    return f"\\s{plain[1:]}" if plain.startswith(" ") else plain


def ssid_octets(value: str) -> int | None:
    """Return how many octets a network name has as the reader reads it; None where that is not told."""
    if re.fullmatch(r"(\d{1,3};)+", value):
        return value.count(";")
    plain = unescaped(value.replace("\\;", ";"))
    return None if plain is None else len(plain.encode())
