"""The access point of a machine's radio cell, as hostapd is told it (hostapd.conf(5), the annotated file of wpa_supplicant's sources)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

USUAL_CHANNEL = {2.4: 6, 5.0: 36}


def hostapd_conf(network: Mapping[str, Any]) -> str:
    """Return the settings for `network`, a row of the bench's air: ssid, passphrase, band_ghz; hidden, wpa3_only, open, country, channel where
    they are said. Its interface is named by the machine."""
    ssid, word = str(network["ssid"]).encode(), str(network.get("passphrase") or "")
    band = float(network.get("band_ghz") or 2.4)
    lines = [
        "interface=board", "bridge=br0", "driver=nl80211",
        # In hex: a name may hold any octets.
        f"ssid2={ssid.hex()}", "utf8_ssid=1",
        f"hw_mode={'a' if band == 5 else 'g'}", f"channel={int(network.get('channel') or USUAL_CHANNEL[band])}",
        f"country_code={network.get('country') or 'GB'}", "ieee80211d=1", f"ignore_broadcast_ssid={1 if network.get('hidden') else 0}",
    ]  # fmt: skip
    if network.get("open"):
        return "\n".join([*lines, "wpa=0", ""])
    wpa3 = bool(network.get("wpa3_only"))
    lines += [
        "wpa=2",
        # A machine in software takes seconds over what a board does in a moment: it is asked forty times where four are usual.
        "wpa_pairwise_update_count=40",
        "wpa_group_update_count=40",
        "rsn_pairwise=CCMP",
        f"wpa_key_mgmt={'SAE' if wpa3 else 'WPA-PSK'}",
        f"ieee80211w={2 if wpa3 else 0}",
    ]
    is_key = len(word) == 64
    lines.append(f"sae_password={word}" if wpa3 else f"wpa_psk={word}" if is_key else f"wpa_passphrase={word}")
    return "\n".join([*lines, ""])
