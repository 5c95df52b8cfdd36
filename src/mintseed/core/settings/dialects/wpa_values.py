"""What the supplicant's reader makes of each value that decides about joining. Source: wpa_supplicant 2.10 itself, asked with one value a file; a test asks
it again for every row. It drops none: what it does not take, the whole file is refused for.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from mintseed.core.findings import Severity
from mintseed.core.settings.dialects.value_table import Field, KeepsAway, Taken, list_of, matching


def _number(least: int = -(2**31), most: int = 2**31 - 1) -> Callable[[str], Taken]:
    """A number as C reads one: decimal, with 0x before it hexadecimal, with 0 octal; nothing at all is 0."""

    def taken(value: str) -> Taken:
        value = value.lstrip(" \t") or "0"
        if not re.fullmatch(r"[+-]?(0[xX][0-9a-fA-F]{1,8}|0[0-7]{0,11}|[1-9][0-9]{0,18})", value):
            return "refused"
        sign, digits = (-1, value[1:]) if value[0] == "-" else (1, value.lstrip("+"))
        base = 16 if digits[:2].lower() == "0x" else 8 if digits[0] == "0" else 10
        # A larger one is cut to fit where no bounds are looked at.
        return (
            "meant"
            if (least, most) == (-(2**31), 2**31 - 1) or least <= sign * int(digits, base) <= most
            else "refused"
        )

    return taken


_MAC = r"[0-9A-Fa-f]{2}(:[0-9A-Fa-f]{2}){5}"
_QUOTED = matching(r'"[^"]*"|([0-9a-fA-F]{2})*|P".*"', "refused")
_CIPHERS = ("CCMP", "TKIP", "GCMP", "GCMP-256", "CCMP-256")
_FREQUENCIES = "An access point on any other channel is never met."

VALUES: dict[str, Field] = {
    "scan_ssid": Field(_number(0, 1), "1", "2", "0 or 1"),
    "priority": Field(_number(), "0x5", "5x", "a number"),
    "disabled": Field(_number(), "0", "x", "0 or 1"),
    "mode": Field(
        _number(0, 5), "0", "9", "0", True,
        KeepsAway(lambda v: v not in ("", "0"), Severity.STOP, "wifi.mode-other", "It would not join, but be a network of another kind", "Others may take it for the one that is meant."),
    ),
    "pairwise": Field(
        list_of(*_CIPHERS, "NONE", between=" "), "CCMP TKIP", "AES", "CCMP", True,
        KeepsAway(lambda v: v == "TKIP", Severity.CHECK, "wifi.cipher-old", "Only TKIP would do", "Most networks offer CCMP alone."),
    ),
    "group": Field(list_of(*_CIPHERS, "WEP40", "WEP104", "GTK_NOT_USED", between=" "), "CCMP", "AES", "CCMP", True),
    "proto": Field(
        list_of("WPA", "RSN", "WPA2", "OSEN", between=" "), "RSN", "wpa3", "RSN", True,
        KeepsAway(lambda v: v == "WPA", Severity.CHECK, "wifi.proto-old", "Only the first WPA would do", "Most networks offer WPA2 or later alone."),
    ),
    "auth_alg": Field(
        list_of("OPEN", "SHARED", "LEAP", between=" "), "OPEN", "OPENX", "OPEN", True,
        KeepsAway(lambda v: "OPEN" not in v.split(), Severity.CHECK, "wifi.login-old", "It would greet the network in a way of the past", "Networks with WPA want OPEN."),
    ),
    "ieee80211w": Field(
        _number(), "1", "x", "0, 1 or 2", True,
        KeepsAway(lambda v: v == "2", Severity.CHECK, "wifi.frames-protected", "Only an access point that protects its frames would do", "Many that offer WPA2 do not."),
    ),
    "freq_list": Field(lambda _: "meant", "2412", goes=True, keeps_away=KeepsAway(bool, Severity.CHECK, "wifi.channels-fixed", "Only some channels would do", _FREQUENCIES)),
    "scan_freq": Field(lambda _: "meant", "2412", goes=True, keeps_away=KeepsAway(bool, Severity.CHECK, "wifi.channels-fixed", "Only some channels would do", _FREQUENCIES)),
    "bssid": Field(matching(rf"any|{_MAC}|", "refused"), "02:00:00:00:00:01", "zz", "six octets, 02:00:00:00:00:01", True),
    "bssid_whitelist": Field(
        matching(rf"({_MAC}(/{_MAC})?\s*)+", "refused"), "02:00:00:00:00:01", "zz", "six octets, 02:00:00:00:00:01", True,
        KeepsAway(bool, Severity.CHECK, "wifi.access-points-fixed", "Only some access points would do", "Every other one of this name is passed over."),
    ),
    "bssid_accept": Field(
        matching(rf"({_MAC}(/{_MAC})?\s*)+", "refused"), "02:00:00:00:00:01", "zz", "six octets, 02:00:00:00:00:01", True,
        KeepsAway(bool, Severity.CHECK, "wifi.access-points-fixed", "Only some access points would do", "Every other one of this name is passed over."),
    ),
    "id_str": Field(_QUOTED, '"a"', "a", "text in straight quotes"),
    "wps_disabled": Field(_number(0, 1), "1", "9", "0 or 1"),
    "mac_addr": Field(_number(0, 2), "1", "3", "0, 1 or 2"),
    "proactive_key_caching": Field(_number(0, 1), "1", "2", "0 or 1"),
}  # fmt: skip
"""fields of a network block"""

GLOBAL_VALUES: dict[str, Field] = {
    "ap_scan": Field(_number(), "1", "one", "1"),
    "update_config": Field(_number(), "1", "yes", "0 or 1"),
    "eapol_version": Field(_number(1, 3), "1", "9", "1, 2 or 3"),
    "fast_reauth": Field(_number(), "1", "x", "0 or 1"),
    "p2p_disabled": Field(_number(), "1", "x", "0 or 1"),
    "bss_max_count": Field(_number(), "200", "x", "a number"),
    "sae_pwe": Field(_number(0, 3), "2", "9", "0 to 3"),
}
