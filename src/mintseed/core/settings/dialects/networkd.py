"""Networks of systemd: which device a file is for and how it gets its address. Source: systemd.network(5), systemd.syntax(7).

It joins no Wi-Fi network by itself: a supplicant does, from a file of its own.
"""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import BY_ITSELF, NOTHING, Meaning
from mintseed.core.settings.sections import read_lines, set_key
from mintseed.core.settings.values import SettingValues
from mintseed.core.visible import one_line

SOURCE = "systemd.network(5)"

SECTIONS = frozenset(
    [
        "Match", "Link", "SR-IOV", "Network", "Address", "Neighbor", "IPv6AddressLabel", "RoutingPolicyRule", "NextHop", "Route", "DHCP", "DHCPv4", "DHCPv6", "DHCPPrefixDelegation",
        "IPv6PrefixDelegation", "IPv6AcceptRA", "DHCPServer", "DHCPServerStaticLease", "IPv6SendRA", "IPv6Prefix", "IPv6RoutePrefix", "Bridge", "BridgeFDB", "BridgeMDB", "LLDP", "CAN", "IPoIB", "QDisc",
        "NetworkEmulator", "TokenBucketFilter", "PIE", "FlowQueuePIE", "StochasticFairBlue", "StochasticFairnessQueueing", "BFIFO", "PFIFO", "PFIFOHeadDrop",
        "PFIFOFast", "CAKE", "ControlledDelay", "DeficitRoundRobinScheduler", "DeficitRoundRobinSchedulerClass", "EnhancedTransmissionSelection",
        "GenericRandomEarlyDetection", "FairQueueingControlledDelay", "FairQueueing", "TrivialLinkEqualizer", "HierarchyTokenBucket",
        "HierarchyTokenBucketClass", "HeavyHitterFilter", "QuickFairQueueing", "QuickFairQueueingClass", "BridgeVLAN",
    ]
)  # fmt: skip

DHCP = {
    "yes": "yes", "true": "yes", "1": "yes", "on": "yes", "y": "yes", "t": "yes", "both": "yes",
    "no": "no", "false": "no", "0": "no", "off": "no", "n": "no", "f": "no", "none": "no", "ipv4": "ipv4", "v4": "ipv4", "ipv6": "ipv6", "v6": "ipv6",
}  # fmt: skip
"""what the reader takes for DHCP= (the old words too), and what each means"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` so that any radio takes an address by itself; a match that stands there stays. Nothing of it is secret."""
    lines = text.split("\n")
    said = list(read_lines(text))
    if not any(line.section == "Match" and line.key and line.value.strip() for line in said):
        set_key(lines, "Match", "Type", "wlan")
    set_key(lines, "Network", "DHCP", "yes", same=tuple(w for w, means in DHCP.items() if means in ("yes", "ipv4")))
    return "\n".join(lines)


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what the reader would pass over: it refuses no file for a line it does not know."""
    matched = addressed = False
    for line in read_lines(text):
        where = Where(file=path, line=line.number)
        if line.opens:
            if line.section not in SECTIONS and not line.section.startswith("X-"):
                yield _dropped(
                    "networkd.section-unknown",
                    f"[{line.section}] is not a section",
                    "Everything below it is passed over.",
                    "Mend the word: capital and small letters count.",
                    where,
                )
        elif line.key is None or not line.section:
            yield _dropped(
                "networkd.line",
                f"Line {line.number} is no setting",
                "It is passed over.",
                "Write Key=value below a [Section].",
                where,
            )
        elif line.section == "Match":
            matched = matched or bool(line.value.strip())
        elif line.section == "Network" and line.key == "DHCP":
            if line.value.strip().lower() not in DHCP:
                yield _dropped(
                    "networkd.value",
                    f"DHCP={line.value.strip()} is none the reader knows",
                    "The line is passed over, and no address is asked for.",
                    "Write DHCP=yes.",
                    where,
                )
            else:
                addressed = addressed or DHCP[line.value.strip().lower()] != "no"
        elif line.key == "Address":
            addressed = True
    if not matched:
        yield Finding("networkd.no-match", Severity.STOP, "It does not say which device it is for", "Without [Match] the reader passes over the whole file.",
                      "Add [Match] with Type=wlan, or with the device's name.", Where(file=path), SOURCE)  # fmt: skip
    if not addressed:
        yield Finding("networkd.no-address", Severity.CHECK, "No address is asked for", "The device would join and never be reached by an address of this network.",
                      "Add DHCP=yes to [Network].", Where(file=path), SOURCE)  # fmt: skip


def _dropped(code: str, title: str, detail: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.CHECK, title, detail, fix, where, SOURCE)


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return which address is taken, on which device."""
    said = {(line.section, line.key): line.value.strip() for line in read_lines(text) if line.key}
    asked = DHCP.get(said.get(("Network", "DHCP"), "").lower(), "no") != "no"
    fixed = said.get(("Network", "Address"), "") or said.get(("Address", "Address"), "")
    matched = any(section == "Match" for section, _ in said)
    return (
        Meaning(address=one_line(fixed) if fixed and not asked else BY_ITSELF if asked else "") if matched else NOTHING
    )
