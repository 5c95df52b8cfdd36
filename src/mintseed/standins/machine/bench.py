"""A machine bench as one process: sees which boards are powered, and starts and stops the virtual machines that they are."""

from __future__ import annotations

import ipaddress
import logging
import os
import shutil
import signal
import subprocess
import threading
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from mintseed.core.errors import MintSeedError, OutsideError
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.machine import needs
from mintseed.standins.machine.access_point import hostapd_conf
from mintseed.standins.machine.ground import Ground, ground
from mintseed.standins.machine.machine import MOST_HEARD, Machine, accelerates, running

log = logging.getLogger("mintseed.standins.machine")

POLL_S = 0.3


@dataclass(frozen=True, slots=True)
class Running:
    """A powered board: what it was powered with, and what ends it."""

    state: dict[str, Any]
    machine: Machine
    process: subprocess.Popen[bytes]
    power: ExitStack


class Machines:
    """The machines of one network, by the name of their board."""

    def __init__(self, folder: BenchFolder, here: Ground, *, accelerated: bool) -> None:
        self.folder, self.here, self.accelerated = folder, here, accelerated
        self._running: dict[str, Running] = {}
        self.kept = folder.root / "machines"
        shutil.rmtree(self.kept, ignore_errors=True)  # of a run that was killed: keys of the air stand in it
        self.kept.mkdir(mode=0o700)

    def tick(self) -> None:
        """Start what was powered, stop what was switched off."""
        powered = self.folder.powered()
        for unit, one in list(self._running.items()):
            if powered.get(unit) != one.state:
                self.stop(unit)
            elif one.process.poll() is not None:
                log.warning("%s: its machine ended by itself, status %s", unit, one.process.returncode)
                self.stop(unit)
                self.folder.write(self.folder.boards / f"{unit}.json", {**one.state, "ended": True})
        for unit, state in powered.items():
            if unit not in self._running and not state.get("ended"):
                try:
                    self._start(unit, state)
                except (MintSeedError, OSError, KeyError, TypeError, ValueError) as error:
                    # Powered under another version, or without its card: it stands still, and no other board with it.
                    log.warning("%s does not start: %s: %s", unit, type(error).__name__, error)
                    self.folder.write(self.folder.boards / f"{unit}.json", {**state, "ended": True})

    def _start(self, unit: str, state: dict[str, Any]) -> None:
        cores = os.cpu_count() or 1
        taken = {one.machine.slot for one in self._running.values()}
        slot = next(n for n in range(len(taken) + 1) if n not in taken)
        points = []
        for number, network in enumerate(self._heard(state)):
            points.append(self.kept / f"{unit}.{number}.hostapd.conf")
            self.folder.write_text(points[-1], hostapd_conf(network))
        said = self.kept / f"{unit}.slot"
        self.folder.write_text(said, str(slot))
        machine = Machine(
            slot, self.folder.cards / f"{state['card']}.img", self.folder.console_file(unit), cable=bool(state["cable"] and state["ethernet"]),
            access_points=tuple(points), slot_file=said, accelerated=self.accelerated, cores=1 if self._running else min(2, cores),
        )  # fmt: skip
        with ExitStack() as power:
            process = power.enter_context(running(machine, self.here))
            self._running[unit] = Running(state, machine, process, power.pop_all())
        log.info("%s powered: a machine %s", unit, "on this processor" if self.accelerated else "in software")

    def _heard(self, state: dict[str, Any]) -> list[dict[str, Any]]:
        """Return the networks of the air on a band that a board's radio has."""
        bands = [float(b) for b in state["radio_ghz"]]
        listed = self.folder.read(self.folder.air_file) or []
        return [n for n in listed if float(n.get("band_ghz") or 2.4) in bands][:MOST_HEARD]

    def stop(self, unit: str) -> None:
        """Cut the power."""
        self._running.pop(unit).power.close()
        for path in self.kept.glob(f"{unit}.*"):
            path.unlink(missing_ok=True)

    def close(self) -> None:
        for unit in list(self._running):
            self.stop(unit)


def serve(folder: BenchFolder, lan: str) -> None:
    """Run the bench until SIGTERM or SIGINT; where this computer has not what it wants, say so and wait."""
    stop = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stop.set())
    folder.prepare()
    try:
        _serve(folder, ipaddress.IPv4Network(lan), stop)
    except MintSeedError as error:
        # Started again at once, it would say the same: whoever reads this has to do something first.
        log.error("%s", error.sentence())
        stop.wait()


def _serve(folder: BenchFolder, lan: ipaddress.IPv4Network, stop: threading.Event) -> None:
    if sentence := needs.missing():
        raise OutsideError(sentence)
    accelerated = accelerates(folder.root)
    log.info(
        "machines run %s",
        "on this processor" if accelerated else "in software: this computer does not let a guest run on its processor",
    )
    with ground(folder.root, lan) as here:
        machines = Machines(folder, here, accelerated=accelerated)
        try:
            while not stop.wait(POLL_S):
                try:
                    machines.tick()
                except (MintSeedError, OSError, KeyError, TypeError, ValueError):
                    log.exception("the bench stumbled; it goes on")
        finally:
            machines.close()


def console(path: Path) -> str:
    """Return what a machine said on its serial line so far."""
    try:
        return path.read_bytes().decode("utf-8", "replace")
    except OSError:
        return ""
