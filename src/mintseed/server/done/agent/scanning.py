"""Scan the site's own ranges in the background, when somebody has use for it."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Sequence

from mintseed import wiring
from mintseed.core.errors import MintSeedError
from mintseed.core.find.sightings import Sighting
from mintseed.server.done.agent.looking import Watched
from mintseed.server.judged.loaded import site_ranges
from mintseed.server.kept.models import Bench, Write
from mintseed.server.owned import descriptions
from mintseed.services import find_device

log = logging.getLogger("mintseed.scanning")


class ScanThread:
    """Scans in the background, at most every SCAN_EVERY_S, while somebody wants it; never holds up the watch."""

    SCAN_EVERY_S = 6.0

    def __init__(self) -> None:
        self.found: tuple[Sighting, ...] = ()
        self._wanted: tuple[tuple[str, ...], tuple[int, ...]] | None = None
        self._stop = threading.Event()
        self._fresh = False
        self._thread: threading.Thread | None = None
        self._ended_s = -self.SCAN_EVERY_S

    def want(self, networks: Sequence[str], ports: Sequence[int]) -> None:
        """Have `networks` scanned on `ports` now, if none runs and the last one is long enough ago."""
        if not networks or not ports:
            self.stop()
            return
        if self._thread is not None and self._thread.is_alive():
            return
        if time.monotonic() - self._ended_s < self.SCAN_EVERY_S:
            return
        self._stop.clear()
        self._thread = threading.Thread(
            target=self._scan, args=(tuple(networks), tuple(ports)), name="scan", daemon=True
        )
        self._thread.start()

    def stop(self) -> None:
        """End a running scan; what the last one found is no longer shown."""
        self._stop.set()
        self.found = ()

    @property
    def busy(self) -> bool:
        """Whether one runs now, or ended and was not taken up yet."""
        return self._fresh or (self._thread is not None and self._thread.is_alive())

    def take_fresh(self) -> bool:
        """Return once whether a scan ended since this was last asked."""
        fresh, self._fresh = self._fresh, False
        return fresh

    def _scan(self, networks: tuple[str, ...], ports: tuple[int, ...]) -> None:
        bench = wiring.bench()
        try:
            found = find_device.scan(bench.scanner, bench.view, networks, ports, self._stop.is_set)
        except (MintSeedError, OSError, ValueError) as error:
            log.warning("could not scan: %s", error)
            found = ()
        if not self._stop.is_set():
            self.found, self._fresh = found, True
        self._ended_s = time.monotonic()


def scan_wish(bench: Bench, boards: Sequence[Watched]) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """Return the ranges and ports worth scanning now: for boards that are looked for, and once after a card was proven."""
    networks: dict[str, None] = {}
    ports: set[int] = set()
    for board in boards:
        if board.run.scanning and board.run.joined_after_s is None:
            networks |= dict.fromkeys(board.loaded.networks)
            ports.add(board.loaded.recipe.page.port)
    since = bench.scanned_at
    proven = Write.objects.filter(bench=bench, proven_at__isnull=False, void_at=None).select_related("deployment__site")
    for write in proven.filter(**({"proven_at__gt": since} if since else {})).order_by("-pk")[:3]:
        recipe = descriptions.recipes().get(write.deployment.recipe)
        if recipe is not None:
            networks |= dict.fromkeys(site_ranges(write.deployment.site))
            ports.add(recipe.page.port)
    return tuple(networks), tuple(sorted(ports))
