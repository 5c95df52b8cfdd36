"""The only place that chooses adapters or stand-ins."""

from __future__ import annotations

import hashlib
import ipaddress
import os
import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

from mintseed.adapters.filled_folder import FilledFolder
from mintseed.adapters.http_probe import PATIENT_S, HttpProbe
from mintseed.adapters.library_folder import LibraryFolder, sweep
from mintseed.adapters.lsblk_readers import LsblkReaders
from mintseed.adapters.multicast_dns import MulticastDns, addresses_inside
from mintseed.adapters.name_lookup import MulticastNames
from mintseed.adapters.neighbour_view import NeighbourView, neighbours_from_file, neighbours_from_kernel
from mintseed.adapters.pasted_view import PastedView
from mintseed.adapters.system_clock import SystemClock
from mintseed.adapters.tcp_scan import TcpScan
from mintseed.adapters.this_machine import OwnMachine
from mintseed.adapters.upload_folder import UploadFolder
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.errors import InputError
from mintseed.ports.board_power import BoardPower
from mintseed.ports.card_readers import CardReaders
from mintseed.ports.clock import Clock
from mintseed.ports.filled_copies import FilledCopies
from mintseed.ports.images import ImageLibrary
from mintseed.ports.network import Announcements, Names, NetworkView, Probe, Scanner
from mintseed.ports.this_machine import ThisMachine
from mintseed.ports.uploads import Uploads
from mintseed.ports.volume import VolumeTools
from mintseed.shipped import PROJECT as PROJECT
from mintseed.shipped import Descriptions as Descriptions
from mintseed.shipped import board_files as board_files
from mintseed.shipped import boards as boards
from mintseed.shipped import part_files as part_files
from mintseed.shipped import parts as parts
from mintseed.shipped import read_descriptions as read_descriptions
from mintseed.shipped import read_recipe as read_recipe
from mintseed.shipped import recipe_files as recipe_files
from mintseed.shipped import recipes as recipes
from mintseed.standins import NOT_ON_A_MACHINE, NOT_SIMULATED
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.machine.power import MachinePower
from mintseed.standins.power import StandinPower
from mintseed.standins.readers import StandinReaders

Kind = Literal["standin", "machine", "real"]
"""what a home's benches are: made up; virtual machines that start the very bytes of a card; one's own devices"""


@dataclass(frozen=True)
class Config:
    """Where things lie and which bench is used; read from the environment once."""

    home: Path
    library: Path
    bench: Kind
    standin_lan: str
    standin_pace: float
    lease_files: tuple[Path, ...]
    bench_name: str = "bench"
    loop_cards: tuple[str, ...] = ()
    machine_lan: str = ""

    @staticmethod
    def from_environment() -> Config:
        """Return the configuration that the MINTSEED_ variables describe, defaults where they are silent."""
        home = Path(os.environ.get("MINTSEED_HOME") or PROJECT / "var").resolve()
        return Config(
            home=home,
            library=Path(os.environ.get("MINTSEED_LIBRARY") or home / "library").resolve(),
            bench=bench_kind(os.environ.get("MINTSEED_BENCH") or "standin"),
            standin_lan=os.environ.get("MINTSEED_STANDIN_LAN") or kept_lan(home),
            standin_pace=float(os.environ.get("MINTSEED_STANDIN_PACE", "10")),
            lease_files=tuple(Path(p) for p in os.environ.get("MINTSEED_LEASES", "").split(":") if p),
            bench_name=bench_name(os.environ.get("MINTSEED_BENCH_NAME") or "bench"),
            loop_cards=tuple(p for p in os.environ.get("MINTSEED_LOOP_CARDS", "").split(":") if p),
            machine_lan=machine_lan(os.environ.get("MINTSEED_MACHINE_LAN") or FIRST_MACHINE_LAN),
        )

    @property
    def is_standin(self) -> bool:
        """Whether devices, network and what is on record at first are made up."""
        return self.bench == "standin"

    @property
    def plays_boards(self) -> bool:
        """Whether its cards are files and it powers the boards itself: nobody's own devices are behind it."""
        return self.bench != "real"

    @property
    def own_lan(self) -> str:
        """The network that comes with the bench; empty where it is the one that is there."""
        return {"standin": self.standin_lan, "machine": self.machine_lan, "real": ""}[self.bench]

    @property
    def bench_folder(self) -> BenchFolder:
        return self.bench_folder_of(self.bench_name)

    def bench_folder_of(self, name: str) -> BenchFolder:
        """Return the folder of the stand-in bench called `name`."""
        return BenchFolder(self.home / ("bench" if name == "bench" else f"bench-{name}"))


def bench_kind(text: str) -> Kind:
    """Return `text` as a kind of bench. Raises InputError for one there is not."""
    if text not in ("standin", "machine", "real"):
        raise InputError(
            f"no kind of bench is called {text!r}",
            expected="real, machine, or nothing for the pretend one",
            where="MINTSEED_BENCH",
        )
    return text  # type: ignore[return-value]


def machine_lan(text: str) -> str:
    """Return `text` as the network of a machine bench. Raises InputError for what is none of one's own, or of another size."""
    try:
        lan = ipaddress.IPv4Network(text)
    except ValueError:
        lan = None
    if lan is None or lan.prefixlen != 24 or not lan.is_private:
        raise InputError(f"{text!r} cannot be the machines' network", expected="a private range of 256 addresses, such as 10.91.77.0/24", where="MINTSEED_MACHINE_LAN")  # fmt: skip
    return str(lan)


FIRST_MACHINE_LAN = "10.91.4.0/24"
"""the network of a machine bench, where nobody chose another: of the private ranges (RFC 1918), one that few have"""

FIRST_LAN = "127.77.4.0/24"
"""the pretend network of the usual home, and of homes from before each had its own"""


def kept_lan(home: Path) -> str:
    """Return the pretend network of `home`."""
    try:
        return str(ipaddress.IPv4Network((home / "standin-lan").read_text().strip()))
    except (OSError, ValueError):
        return FIRST_LAN


def keep_own_lan(home: Path) -> None:
    """Give a new home a pretend network of its own: the pretend devices of two homes on one machine share loopback, and must not share
    addresses. The usual home keeps the first one."""
    kept = home / "standin-lan"
    if home == PROJECT / "var" or kept.exists():
        return
    third = 16 + int.from_bytes(hashlib.blake2b(str(home).encode(), digest_size=2).digest()) % 232
    kept.write_text(f"127.77.{third}.0/24\n")


_BENCH_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,29}")


def bench_name(text: str) -> str:
    """Return `text` as the name of a bench. Raises InputError for one that cannot be."""
    if not _BENCH_NAME.fullmatch(text):
        raise InputError(f"{text!r} cannot be a bench's name", expected="small letters, digits and hyphens, 30 at most",
                         where="MINTSEED_BENCH_NAME")  # fmt: skip
    return text


@dataclass(frozen=True)
class Bench:
    """The outside, as the services take it."""

    readers: CardReaders
    power: BoardPower | None
    """None where a person does it."""
    library: ImageLibrary
    tools: VolumeTools
    view: NetworkView
    probe: Probe
    """asks many pages, again and again"""
    patient_probe: Probe
    """asks one page that somebody wants to be asked, and waits for a slow one"""
    scanner: Scanner
    clock: Clock


@cache
def config() -> Config:
    """Return this process's configuration."""
    return Config.from_environment()


@cache
def bench(name: str = "") -> Bench:
    """Return the outside of the stand-in bench called `name`, or of this process's own bench."""
    chosen = config()
    library = LibraryFolder(chosen.library, chosen.home / "scratch")
    tools, probe, patient, scanner = OffsetVolumeTools(), HttpProbe(), HttpProbe(PATIENT_S), TcpScan()
    if chosen.is_standin:
        folder = chosen.bench_folder_of(name or chosen.bench_name)
        view = NeighbourView([folder.leases_file], neighbours_from_file(folder.neighbours_file))
        clock = SystemClock(chosen.standin_pace)
        return Bench(StandinReaders(folder), StandinPower(folder), library, tools, view, probe, patient, scanner, clock)
    if chosen.plays_boards:  # the cards are files; whatever is on the network is asked as on a real bench
        folder = chosen.bench_folder_of(name or chosen.bench_name)
        view = NeighbourView([folder.leases_file], neighbours_from_kernel)
        return Bench(
            StandinReaders(folder), MachinePower(folder), library, tools, view, probe, patient, scanner, SystemClock()
        )
    view = NeighbourView(chosen.lease_files, neighbours_from_kernel)
    readers = LsblkReaders(chosen.loop_cards)
    return Bench(readers, None, library, tools, view, probe, patient, scanner, SystemClock())


def not_simulated() -> tuple[str, ...]:
    """Return what the bench leaves out of what it plays."""
    return NOT_ON_A_MACHINE if config().bench == "machine" else NOT_SIMULATED


def this_machine() -> ThisMachine | None:
    """Return what tells of the machine this runs on; None where its place is made up."""
    return None if config().plays_boards else OwnMachine()


@cache
def uploads() -> Uploads:
    """Return where image files arrive that are dropped into a page."""
    return UploadFolder(config().library)


@cache
def filled_copies() -> FilledCopies:
    """Return where filled images are kept as files for a while."""
    return FilledFolder(config().home / "filled")


@cache
def backups() -> FilledCopies:
    """Return where cards that were read back are kept as files, until somebody removes them."""
    return FilledFolder(config().home / "backups")


def sweep_scratch() -> int:
    """Remove what dead processes left on this home's scratch folder; return how much."""
    return sweep(config().home / "scratch")


def names(networks: Sequence[str] = ()) -> Names:
    """Return who asks for names on the interfaces that lie in `networks`; on the stand-in bench on loopback alone."""
    return MulticastNames(("127.0.0.1",) if config().is_standin else addresses_inside(networks))


_ears: dict[tuple[str, ...], Announcements] = {}
MOST_EARS = 4
"""sets of interfaces listened on at once; the oldest goes first, as after a change of networks."""


def announcements(networks: Sequence[str] = ()) -> Announcements:
    """Return this process's ear for multicast DNS on the interfaces that lie in `networks`; on the stand-in bench on
    loopback alone."""
    interfaces = ("127.0.0.1",) if config().is_standin else addresses_inside(networks)
    # One ear a set of interfaces: places that are looked at in turn keep theirs, or none would ever hear anything.
    if interfaces not in _ears:
        if len(_ears) >= MOST_EARS:
            _ears.pop(next(iter(_ears))).close()
        _ears[interfaces] = MulticastDns(interfaces) if interfaces else PastedView(())
    return _ears[interfaces]
