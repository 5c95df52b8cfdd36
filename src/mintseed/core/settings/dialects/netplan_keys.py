"""What netplan knows. Source: netplan 0.106's generator itself, asked with one key a file; a test asks it again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

KINDS = ("ethernets", "wifis", "modems", "bridges", "bonds", "vlans", "tunnels", "vrfs")
"""kinds of devices, the most usual first"""

NETWORK = frozenset([*KINDS, "version", "renderer", "nm-devices", "openvswitch"])

RENDERERS = ("networkd", "NetworkManager", "sriov")

DEVICE = frozenset(
    [
        "accept-ra", "activation-mode", "addresses", "auth", "critical", "dhcp-identifier", "dhcp4", "dhcp4-overrides", "dhcp6", "dhcp6-overrides",
        "emit-lldp", "gateway4", "gateway6", "ignore-carrier", "ipv6-address-generation", "ipv6-address-token", "ipv6-mtu", "ipv6-privacy",
        "link-local", "macaddress", "match", "mtu", "nameservers", "networkmanager", "openvswitch", "optional", "optional-addresses", "renderer", "routes",
        "routing-policy", "set-name", "wakeonlan", "generic-receive-offload", "generic-segmentation-offload", "large-receive-offload",
        "receive-checksum-offload", "tcp-segmentation-offload", "tcp6-segmentation-offload", "transmit-checksum-offload",
        # of the kinds that join others
        "interfaces", "parameters", "id", "link", "mode", "local", "remote", "ttl", "key", "keys", "mark", "port", "peers", "table",
        "apn", "auto-config", "device-id", "network-id", "number", "password", "pin", "sim-id", "sim-operator-id", "username",
        "delay-virtual-functions-rebind", "embedded-switch-mode", "infiniband-mode", "virtual-function-count",
    ]
)  # fmt: skip

Kind = Literal["boolean", "number", "text", "address", "list", "keys"]

TYPES: Mapping[str, Kind] = {
    **dict.fromkeys(("dhcp4", "dhcp6", "optional", "accept-ra", "wakeonlan", "ipv6-privacy", "ignore-carrier", "critical", "emit-lldp", "hidden"), "boolean"),
    **dict.fromkeys(("mtu", "ipv6-mtu", "channel"), "number"),
    **dict.fromkeys(("addresses", "routes", "routing-policy", "interfaces"), "list"),
    **dict.fromkeys(("match", "nameservers", "dhcp4-overrides", "dhcp6-overrides", "auth", "parameters", "access-points", "openvswitch"), "keys"),
    **dict.fromkeys(("macaddress", "bssid"), "address"),
    **dict.fromkeys(("password", "gateway4", "gateway6", "regulatory-domain", "mode", "band", "version", "renderer"), "text"),
}  # fmt: skip
"""what stands behind a key; nothing at all is none of it"""

ACCESS_POINT = frozenset(["auth", "band", "bssid", "channel", "hidden", "mode", "networkmanager", "password"])

MODES = ("infrastructure", "ap", "adhoc")
BANDS = ("2.4GHz", "5GHz")
ENTERPRISE = ("eap", "802.1x")
"""ways to join that want an account of somebody's"""
MANAGEMENT = ("none", "psk", *ENTERPRISE)
