"""The stand-in bench as one process: sees which boards are powered and lets them behave."""

from __future__ import annotations

import hashlib
import logging
import signal
import socket
import threading
import time
from http.server import ThreadingHTTPServer
from typing import Any

from zeroconf import ServiceInfo, Zeroconf

from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.board.boot import AirNetwork, Outcome, air_network, boot
from mintseed.standins.board.page import Account, serve_page
from mintseed.standins.router.leases import LeaseBook

log = logging.getLogger("mintseed.standins.bench")

POLL_S, IDLE_POLL_S = 0.1, 0.4
PHONE_AFTER_S = 12.0
"""A visitor's phone joins this long after a board was powered: not everything new is the device."""


def mac_of(unit: str) -> str:
    """Return a made-up, locally administered MAC address for a board unit."""
    digest = hashlib.sha256(unit.encode()).digest()
    return ":".join(f"{b:02x}" for b in (0x02, 0x46, 0x57, *digest[:3]))


class RunningBoard:
    """One powered board, from its card's bytes to its page."""

    def __init__(self, unit: str, state: dict[str, Any], bench: Bench) -> None:
        self.unit, self.state, self._bench = unit, state, bench
        self._card = bench.folder.cards / f"{state['card']}.img"
        try:
            self.outcome: Outcome = boot(self._card, state, bench.air())
        except (KeyError, TypeError, ValueError) as error:
            # Powered under another version, or a card of another one: it stands still, and no other board with it.
            self.outcome = Outcome(f"test card: not understood ({type(error).__name__}: {error})")
        self._server: ThreadingHTTPServer | None = None
        self._service: ServiceInfo | None = None
        self._address = ""
        self._phone_came = False
        log.info("%s powered: %s", unit, self.outcome.stops_at or f"joins after {self.outcome.after_s:.0f} s")

    def tick(self, now_s: float) -> None:
        """Do whatever is due `now_s` (Unix time)."""
        elapsed_s = (now_s - self.state["powered_at"]) * self._bench.pace
        if elapsed_s >= PHONE_AFTER_S and not self._phone_came:
            self._phone_came = True
            self._bench.leases.give(mac_of(f"phone of {self.unit}"), "")
        if self.outcome.stops_at or elapsed_s < self.outcome.after_s:
            return
        if self.outcome.address and not self._bench.leases.reaches(self.outcome.address.partition("/")[0]):
            self.outcome = Outcome("joined with an address of another net: nobody here reaches it")
            return
        if not self._address:
            self._join()
        if self._server is None and elapsed_s >= self.outcome.after_s + self.outcome.page_after_s:
            self._serve()

    def _join(self) -> None:
        self._address = self._own_address() or self._bench.leases.give(mac_of(self.unit), self.outcome.host_name)
        if self.outcome.service:
            kind = f"{self.outcome.service}.local."
            self._service = ServiceInfo(
                kind, f"{self.outcome.host_name} at {self._address.replace('.', '-')}.{kind}",
                addresses=[socket.inet_aton(self._address)], port=self.outcome.port, server=f"{self.outcome.host_name}.local.",
            )  # fmt: skip
            threading.Thread(target=self._announce, args=(self._service,), daemon=True).start()

    def _own_address(self) -> str:
        """Return its fixed address, which no router gives; empty where it has none."""
        address = self.outcome.address.partition("/")[0]
        return address if address and self._bench.leases.takes(mac_of(self.unit), address) else ""

    def _announce(self, service: ServiceInfo) -> None:
        try:
            self._bench.zeroconf.register_service(service, allow_name_change=True)
        except Exception:
            log.exception("%s could not announce itself", self.unit)

    def _serve(self) -> None:
        kept_file = self._card.with_suffix(".kept.json")
        account = Account(
            self.outcome, self._bench.folder.read(kept_file), lambda kept: self._bench.folder.write(kept_file, kept)
        )
        try:
            self._server = serve_page(self._address, self.outcome, account)
        except OSError as error:
            log.error("%s cannot serve on %s:%d: %s", self.unit, self._address, self.outcome.port, error.strerror)
            self.outcome = Outcome("its page's port is taken")

    def stop(self) -> None:
        """Power off: the page goes, the announcement is taken back."""
        if self._server:
            self._server.shutdown()
            self._server.server_close()
        if self._service:
            self._bench.zeroconf.unregister_service(self._service)
        if self._address:
            self._bench.leases.leave(mac_of(self.unit))


class Bench:
    """All powered boards. `pace` is how many seconds of a boot pass in one second."""

    def __init__(self, folder: BenchFolder, lan: str, pace: float) -> None:
        self.folder, self.pace = folder, pace
        self.leases = LeaseBook(folder, lan)
        self.zeroconf = Zeroconf(interfaces=["127.0.0.1"])
        self._running: dict[str, RunningBoard] = {}

    def air(self) -> list[AirNetwork]:
        """Return the networks on the air, as the simulated access point was told them."""
        return [air_network(n) for n in self.folder.read(self.folder.air_file) or []]

    def tick(self) -> None:
        """Start what was powered, stop what was switched off, and let the rest go on."""
        powered = self.folder.powered()
        for unit, running in list(self._running.items()):
            if powered.get(unit) != running.state:
                running.stop()
                del self._running[unit]
        for unit, state in powered.items():
            if unit not in self._running:
                self._running[unit] = RunningBoard(unit, state, self)
        for running in self._running.values():
            running.tick(time.time())

    @property
    def is_lively(self) -> bool:
        return bool(self._running)

    def close(self) -> None:
        for running in self._running.values():
            running.stop()
        self.zeroconf.close()


def serve(folder: BenchFolder, lan: str, pace: float) -> None:
    """Run the bench until SIGTERM or SIGINT."""
    stop = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stop.set())
    folder.prepare()
    bench = Bench(folder, lan, pace)
    while not stop.wait(POLL_S if bench.is_lively else IDLE_POLL_S):
        try:
            bench.tick()
        except Exception:
            log.exception("the bench stumbled; it goes on")
    bench.close()
