"""Connections that began a request and did not finish it: bounded in time and number, so that they keep nobody out.

A kept proxy in front (nginx, HAProxy of Debian's) was weighed: what they limit by address they limit by refusing the newest, and
on loopback the owner and a stranger on the same machine share their address, so that the stranger's half requests would keep the
owner out. Here the oldest half request of an address goes when a new one comes: who finishes quickly, as every browser does, is
never the one.
"""

from __future__ import annotations

import asyncio
import ipaddress
import logging
import math
import time
from typing import Any

from uvicorn.protocols.http.h11_impl import H11Protocol

log = logging.getLogger("mintseed.web")

HEAD_WITHIN_S = 10.0
"""seconds within which a request's head must be there whole, from the connection or from the answer before on."""

BODY_WITHIN_S = 30.0
"""seconds within which its body must be there too."""

MOST_A_PEER = 100
"""half requests of one address block at a time; a browser has a handful."""

MOST_IN_ALL = 2000
"""half requests at a time; far below the descriptors a process may have."""

SWEEP_EVERY_S = 1.0
SAY_EVERY_S = 60.0


def peer_block(address: str) -> str:
    """Return the block of addresses that counts as one peer: this machine, an IPv4 address, an IPv6 /64 (RFC 4291 §2.5.1)."""
    try:
        parsed = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return "this machine"  # a socket without an address
    if isinstance(parsed, ipaddress.IPv6Address) and parsed.ipv4_mapped is not None:
        parsed = parsed.ipv4_mapped
    if parsed.is_loopback:
        return "this machine"
    return str(ipaddress.ip_network(f"{parsed}/64", strict=False)) if parsed.version == 6 else str(parsed)


class Unfinished:
    """The half requests of one process, oldest first. Used from its event loop alone."""

    def __init__(self) -> None:
        self._by_peer: dict[str, dict[GuardedProtocol, float]] = {}
        self._all: dict[GuardedProtocol, str] = {}
        self._sweeping: asyncio.TimerHandle | None = None
        self._dropped, self._said_s = 0, -SAY_EVERY_S

    def __len__(self) -> int:
        return len(self._all)

    def begin(self, one: GuardedProtocol, peer: str, within_s: float) -> None:
        """Give `one` until then to finish its request. Too many: the oldest of its peer, or of all, is closed."""
        self.end(one)
        of_peer = self._by_peer.setdefault(peer, {})
        if len(of_peer) >= MOST_A_PEER:
            self._drop(next(iter(of_peer)))
        elif len(self._all) >= MOST_IN_ALL:
            self._drop(next(iter(self._all)))
        self._by_peer.setdefault(peer, {})[one] = time.monotonic() + within_s
        self._all[one] = peer
        if self._sweeping is None:
            self._sweeping = asyncio.get_running_loop().call_later(SWEEP_EVERY_S, self._sweep)

    def end(self, one: GuardedProtocol) -> None:
        """It finished its request, or is gone."""
        peer = self._all.pop(one, None)
        if peer is not None and (of_peer := self._by_peer.get(peer)) is not None:
            of_peer.pop(one, None)
            if not of_peer:
                del self._by_peer[peer]

    def _drop(self, one: GuardedProtocol) -> None:
        self.end(one)
        self._dropped += 1
        one.transport.abort()

    def _sweep(self) -> None:
        self._sweeping = None
        now_s = time.monotonic()
        for of_peer in list(self._by_peer.values()):
            for one in [one for one, until_s in of_peer.items() if until_s < now_s]:
                self._drop(one)
        if self._dropped and now_s - self._said_s >= SAY_EVERY_S:
            log.warning("%s connections that did not finish their request were closed", self._dropped)
            self._dropped, self._said_s = 0, now_s
        if self._all or self._dropped:
            self._sweeping = asyncio.get_running_loop().call_later(SWEEP_EVERY_S, self._sweep)


unfinished = Unfinished()


class GuardedProtocol(H11Protocol):
    """uvicorn's, with a deadline for each request and a bound on how many are half there."""

    asked_s = -math.inf
    """when its last whole request had come, by the clock of its loop"""

    @property
    def is_waiting(self) -> bool:
        """Whether a whole request waits for the first byte of its answer; of a stream that lasts none does. One that is half there makes no work."""
        return self.cycle is not None and not self.cycle.more_body and not self.cycle.response_started

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._peer = peer_block(self.client[0] if self.client else "")
        unfinished.begin(self, self._peer, HEAD_WITHIN_S)

    def connection_lost(self, exc: Exception | None) -> None:
        unfinished.end(self)
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        waited = self.cycle is None or self.cycle.response_complete
        if waited and self not in unfinished._all:
            unfinished.begin(self, self._peer, HEAD_WITHIN_S)  # the next request of a connection that is kept
        before = self.cycle
        super().data_received(data)
        begun = self.cycle is not before
        # Behind a request that was answered the cycle is still its own until the next head is whole.
        if self.cycle is not None and not self.cycle.more_body and (begun or not waited):
            unfinished.end(self)
            self.asked_s = self.loop.time()
        elif begun:
            unfinished.begin(self, self._peer, BODY_WITHIN_S)
