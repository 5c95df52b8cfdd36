"""The only place that chooses adapters or stand-ins."""

from __future__ import annotations

import os
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

from mintseed.adapters.hand_power import HandPower
from mintseed.adapters.http_probe import HttpProbe
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.lsblk_readers import LsblkReaders
from mintseed.adapters.multicast_dns import MulticastDns
from mintseed.adapters.neighbour_view import NeighbourView, neighbours_from_file, neighbours_from_kernel
from mintseed.adapters.system_clock import SystemClock
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.boards.model import Board
from mintseed.core.described import read_described
from mintseed.core.recipes.model import Recipe
from mintseed.ports.board_power import BoardPower
from mintseed.ports.card_readers import CardReaders
from mintseed.ports.clock import Clock
from mintseed.ports.images import ImageLibrary
from mintseed.ports.network import Announcements, NetworkView, Probe
from mintseed.ports.volume import VolumeTools
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.power import StandinPower
from mintseed.standins.readers import StandinReaders

PROJECT = Path(__file__).resolve().parents[2]


@dataclass(frozen=True)
class Config:
    """Where things lie and which bench is used; read from the environment once."""

    home: Path
    library: Path
    bench: Literal["standin", "real"]
    standin_lan: str
    standin_pace: float
    lease_files: tuple[Path, ...]

    @staticmethod
    def from_environment() -> Config:
        """Return the configuration that the MINTSEED_ variables describe, defaults where they are silent."""
        home = Path(os.environ.get("MINTSEED_HOME") or PROJECT / "var").resolve()
        return Config(
            home=home,
            library=Path(os.environ.get("MINTSEED_LIBRARY") or home / "library").resolve(),
            bench="real" if os.environ.get("MINTSEED_BENCH") == "real" else "standin",
            standin_lan=os.environ.get("MINTSEED_STANDIN_LAN", "127.77.4.0/24"),
            standin_pace=float(os.environ.get("MINTSEED_STANDIN_PACE", "10")),
            lease_files=tuple(Path(p) for p in os.environ.get("MINTSEED_LEASES", "").split(":") if p),
        )

    @property
    def is_standin(self) -> bool:
        return self.bench == "standin"

    @property
    def bench_folder(self) -> BenchFolder:
        return BenchFolder(self.home / "bench")


@dataclass(frozen=True)
class Bench:
    """The outside, as the services take it."""

    readers: CardReaders
    power: BoardPower
    library: ImageLibrary
    tools: VolumeTools
    view: NetworkView
    probe: Probe
    clock: Clock


@cache
def config() -> Config:
    """Return this process's configuration."""
    return Config.from_environment()


@cache
def bench() -> Bench:
    """Return this process's bench."""
    chosen = config()
    library = LibraryFolder(chosen.library, chosen.home / "scratch")
    tools, probe = OffsetVolumeTools(), HttpProbe()
    if chosen.is_standin:
        folder = chosen.bench_folder
        view = NeighbourView([folder.leases_file], neighbours_from_file(folder.neighbours_file))
        clock = SystemClock(chosen.standin_pace)
        return Bench(StandinReaders(folder), StandinPower(folder), library, tools, view, probe, clock)
    view = NeighbourView(chosen.lease_files, neighbours_from_kernel)
    return Bench(LsblkReaders(), HandPower(), library, tools, view, probe, SystemClock())


@cache
def announcements() -> Announcements:
    """Return this process's ear for multicast DNS; on the stand-in bench it listens on loopback only."""
    return MulticastDns(["127.0.0.1"] if config().is_standin else [])


def read_recipe(text: str, *, where: str) -> Recipe:
    """Read a recipe. Raises DescriptionError for one that is wrong."""
    return read_described(Recipe, text, where=where)


@cache
def recipes() -> dict[str, Recipe]:
    """Return the shipped recipes by id. Raises DescriptionError for one that is wrong."""
    read = [read_recipe(p.read_text(), where=p.name) for p in sorted((PROJECT / "recipes").glob("*.yaml"))]
    return {r.id: r for r in read}


@cache
def boards() -> dict[str, Board]:
    """Return the shipped boards by id. Raises DescriptionError for one that is wrong."""
    read = [read_described(Board, p.read_text(), where=p.name) for p in sorted((PROJECT / "boards").glob("*.yaml"))]
    return {b.id: b for b in read}
