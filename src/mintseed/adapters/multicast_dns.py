"""Web pages announced over multicast DNS (RFC 6762, RFC 6763), kept up to date in the background."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import ifaddr
from zeroconf import EventLoopBlocked, NotRunningException, ServiceBrowser, ServiceListener, Zeroconf

from mintseed.core.errors import OutsideError
from mintseed.core.find.sightings import SeenBy, Sighting, inside, shown_name

PAGE_SERVICES = ("_http._tcp.local.", "_https._tcp.local.")

_RESOLVE_MS = 1500


class _Heard(ServiceListener):
    """Holds what is announced now, by service name."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.sightings: dict[str, tuple[Sighting, ...]] = {}

    def add_service(self, zc: Zeroconf, type_: str, name: str) -> None:
        try:
            info = zc.get_service_info(type_, name, timeout=_RESOLVE_MS)
        except (EventLoopBlocked, NotRunningException):
            return  # a machine too busy to listen: the announcement comes again; or nobody listens any more
        if info is None:
            return
        host = shown_name((info.server or "").removesuffix(".").removesuffix(".local"))
        service = type_.removesuffix(".local.")
        seen = tuple(
            Sighting(address, SeenBy.ANNOUNCEMENT, host_name=host, service=service, port=info.port or 0)
            for address in info.parsed_addresses()
            if "." in address
        )
        with self.lock:
            self.sightings[name] = seen

    def update_service(self, zc: Zeroconf, type_: str, name: str) -> None:
        self.add_service(zc, type_, name)

    def remove_service(self, zc: Zeroconf, type_: str, name: str) -> None:
        with self.lock:
            self.sightings.pop(name, None)


def addresses_inside(networks: Sequence[str]) -> tuple[str, ...]:
    """Return this machine's IPv4 addresses that lie in `networks` (CIDR): where listening is listening to one's own."""
    own = (ip.ip for adapter in ifaddr.get_adapters() for ip in adapter.ips if isinstance(ip.ip, str))
    return tuple(sorted(a for a in own if inside(a, networks)))


class MulticastDns:
    """Implements ports.Announcements. `interfaces` are the local addresses to listen on, and no others are."""

    def __init__(self, interfaces: Sequence[str]) -> None:
        self._heard = _Heard()
        try:
            # Made in a thread of its own: it would take over an event loop that runs where it is made, the web server's.
            with ThreadPoolExecutor(1) as thread:
                self._zeroconf = thread.submit(lambda: Zeroconf(interfaces=list(interfaces))).result()
        except OSError as error:
            raise OutsideError(f"cannot listen for announcements ({error.strerror})", where="UDP port 5353") from error
        self._browser = ServiceBrowser(self._zeroconf, list(PAGE_SERVICES), listener=self._heard)

    def current(self) -> tuple[Sighting, ...]:
        with self._heard.lock:
            return tuple(s for seen in self._heard.sightings.values() for s in seen)

    def close(self) -> None:
        self._zeroconf.close()
