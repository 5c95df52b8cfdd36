"""The network as this machine and its router see it: `ip neigh` and lease files in dnsmasq's format."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from mintseed.adapters.run_tool import run_tool
from mintseed.core.find.sightings import Sighting, parse_dnsmasq_leases, parse_ip_neigh
from mintseed.core.limits import MAX_TOOL_OUTPUT_BYTES


class NeighbourView:
    """Implements ports.NetworkView. A lease file that is not there counts as empty."""

    def __init__(self, lease_files: Sequence[Path], neighbours: Callable[[], str]) -> None:
        self._lease_files, self._neighbours = lease_files, neighbours

    def sightings(self) -> tuple[Sighting, ...]:
        found = list(parse_ip_neigh(self._neighbours()))
        for path in self._lease_files:
            found += parse_dnsmasq_leases(read_if_there(path))
        return tuple(found)


def read_if_there(path: Path) -> str:
    """Return the text of `path`, or nothing when it cannot be read."""
    try:
        with path.open("rb") as file:
            return file.read(MAX_TOOL_OUTPUT_BYTES).decode("utf-8", "replace")
    except OSError:
        return ""


def neighbours_from_kernel() -> str:
    """Return what `ip neigh` prints."""
    return run_tool(["ip", "neigh"], package="iproute2").decode("utf-8", "replace")


def neighbours_from_file(path: Path) -> Callable[[], str]:
    """Return a reader of a file that holds what `ip neigh` would print."""
    return lambda: read_if_there(path)
