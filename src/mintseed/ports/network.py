"""The local network: what is on it, what announces itself, what a page answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

from mintseed.core.find.candidates import PageAnswer
from mintseed.core.find.sightings import Sighting


class NetworkView(Protocol):
    def sightings(self) -> tuple[Sighting, ...]:
        """Return what the router's lease list and the neighbour table hold now."""


class Announcements(Protocol):
    def current(self) -> tuple[Sighting, ...]:
        """Return the web pages announced over multicast DNS at this moment. Never waits."""

    def close(self) -> None:
        """Stop listening."""


class Names(Protocol):
    """Names under .local, asked of whoever has them. A question takes about a second where nobody answers."""

    @property
    def asks_anybody(self) -> bool:
        """Whether there is a network it could ask on."""

    def addresses_of(self, host_name: str) -> frozenset[str]:
        """Return the IPv4 addresses that answer to NAME.local."""

    def name_of(self, address: str) -> str:
        """Return the name to which `address` answers, nothing where it tells none."""


class Probe(Protocol):
    def get(self, url: str) -> PageAnswer:
        """Fetch the start of a page. Trouble is part of the answer, not an exception."""

    def post_form(self, url: str, fields: Mapping[str, str]) -> PageAnswer:
        """Send a form, follow nothing, and return the answer."""


class Scanner(Protocol):
    def answering(
        self, addresses: Sequence[str], ports: Sequence[int], stopped: Callable[[], bool]
    ) -> tuple[tuple[str, int], ...]:
        """Return (address, port) of each that takes a TCP connection. Ends early when `stopped` says so."""
