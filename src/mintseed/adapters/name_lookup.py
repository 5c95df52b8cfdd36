"""Ask who answers to a name, and to what name an address answers: one question over multicast DNS, answered to this socket alone.

RFC 6762 §5.1 and §6.7: whoever asks from another port than 5353 is answered directly, as by any resolver.
"""

from __future__ import annotations

import ipaddress
import select
import socket
import time
from collections.abc import Iterator, Sequence

from zeroconf import const
from zeroconf._dns import DNSAddress, DNSPointer, DNSQuestion
from zeroconf._protocol.incoming import DNSIncoming
from zeroconf._protocol.outgoing import DNSOutgoing

from mintseed.core.find.sightings import shown_name

GROUP = ("224.0.0.251", 5353)
"""RFC 6762 §3."""

WAIT_S = 0.9
"""seconds an answer is waited for: a responder may hold its own back for up to 0.5 s (RFC 6762 §6)."""

MOST_BYTES = 9000
"""RFC 6762 §17."""


class MulticastNames:
    """Implements ports.Names. `interfaces` are the local addresses to ask from, and no others are."""

    def __init__(self, interfaces: Sequence[str]) -> None:
        self._interfaces = tuple(interfaces)

    @property
    def asks_anybody(self) -> bool:
        return bool(self._interfaces)

    def addresses_of(self, host_name: str) -> frozenset[str]:
        wanted = f"{host_name}.local."
        found = set()
        for record in self._ask(wanted, const._TYPE_A):
            if isinstance(record, DNSAddress) and record.name.lower() == wanted.lower() and len(record.address) == 4:
                found.add(socket.inet_ntoa(record.address))
        return frozenset(found)

    def name_of(self, address: str) -> str:
        wanted = f"{ipaddress.ip_address(address).reverse_pointer}."
        for record in self._ask(wanted, const._TYPE_PTR):
            if isinstance(record, DNSPointer) and record.name.lower() == wanted.lower():
                return shown_name(record.alias.removesuffix(".").removesuffix(".local"))
        return ""

    def _ask(self, name: str, kind: int) -> Iterator[object]:
        """Yield the records that answer one question within WAIT_S; nothing where nobody answers or nobody can be asked."""
        question = DNSOutgoing(const._FLAGS_QR_QUERY, multicast=True)
        question.add_question(DNSQuestion(name, kind, const._CLASS_IN))
        sockets = list(self._sent(question.packets()[0]))
        try:
            until = time.monotonic() + WAIT_S
            while sockets and (left := until - time.monotonic()) > 0:
                ready, _, _ = select.select(sockets, [], [], left)
                answers = [a for one in ready for a in _answers(one)]
                yield from answers
                if answers:
                    return
        finally:
            for one in sockets:
                one.close()

    def _sent(self, packet: bytes) -> Iterator[socket.socket]:
        for interface in self._interfaces:
            one = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            try:
                one.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(interface))
                one.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_LOOP, 1)
                one.bind((interface, 0))
                one.sendto(packet, GROUP)
            except OSError:
                one.close()  # that interface is down; the others are asked
                continue
            yield one


def _answers(one: socket.socket) -> list[object]:
    try:
        data, _ = one.recvfrom(MOST_BYTES)
        return list(DNSIncoming(data).answers())
    except (OSError, ValueError, IndexError):
        return []
