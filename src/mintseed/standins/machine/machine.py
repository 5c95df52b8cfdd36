"""One virtual machine: how it is started, and whether this computer lets it run on its own processor."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

from mintseed.standins.machine.ground import AIR_SOCKET, Ground
from mintseed.standins.machine.needs import BOARD_MEMORY_MB

EMULATOR = "qemu-system-x86_64"
ANSWERS_WITHIN_S = 4.0
"""seconds in which a machine that runs at all has run nine bytes (measured: a tenth of one)"""

_SAYS_K = bytes([0xBA, 0xF8, 0x03, 0xB0, ord("K"), 0xEE, 0xF4, 0xEB, 0xFD])
"""mov dx, 0x3f8; mov al, 'K'; out dx, al; hlt; again: a boot sector that says one letter on the first serial line"""


def accelerates(scratch: Path) -> bool:
    """Return whether a guest runs accelerated here. A /dev/kvm that is there proves nothing: on a computer that is itself a guest such
    a machine may hang, so one is started, and has to say something."""
    disk, said = scratch / "says-k.img", scratch / "says-k"
    disk.write_bytes(_SAYS_K.ljust(510, b"\0") + b"\x55\xaa")
    try:
        if not Path("/dev/kvm").exists():
            return False
        command = [EMULATOR, "-accel", "kvm", "-m", "32", "-display", "none", "-nodefaults", "-serial", f"file:{said}",
                   "-drive", f"file={disk},format=raw,if=ide"]  # fmt: skip
        process = subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        with suppress(subprocess.TimeoutExpired):
            process.wait(ANSWERS_WITHIN_S)
        process.kill()
        process.wait()
        return said.exists() and b"K" in said.read_bytes()
    finally:
        disk.unlink(missing_ok=True)
        said.unlink(missing_ok=True)


MOST_HEARD = 2
"""access points around one machine: one a band; a radio is made for each beside its own (assay/air)"""


@dataclass(frozen=True, slots=True)
class Machine:
    """`slot`: its place among those that run at once; its radios and its network sockets go by it. `card` starts it and keeps what it writes.
    `cable`: whether its own network socket is plugged in; `access_points`: hostapd's settings of each network
    it hears, at most MOST_HEARD; none where no radio is heard at all."""

    slot: int
    card: Path
    console: Path
    cable: bool
    access_points: tuple[Path, ...]
    slot_file: Path
    accelerated: bool = False
    cores: int = 1

    @property
    def cable_mac(self) -> str:
        return f"52:54:00:ca:00:{self.slot:02x}"

    @property
    def radio_mac(self) -> str:
        """The hardware address of its radio, as mac80211_hwsim numbers them."""
        return f"02:00:00:00:{self.slot:02x}:00"

    @property
    def taps(self) -> tuple[str, ...]:
        """The network sockets of the bench it is plugged into."""
        return tuple(
            f"{name}{self.slot}"
            for name, wanted in (("cable", self.cable), ("air", bool(self.access_points)))
            if wanted
        )

    def command(self) -> list[str]:
        """Return the command that is the machine while it runs."""
        accel = ["-accel", "kvm"] if self.accelerated else ["-accel", "tcg,thread=multi,tb-size=256"]
        return [
            EMULATOR, *accel, "-cpu", "host" if self.accelerated else "qemu64",
            # No more than it needs: what is not there is not looked for at each start.
            "-M", "q35,sata=off,smbus=off,i8042=off,usb=off,vmport=off", "-m", str(BOARD_MEMORY_MB), "-smp", str(self.cores),
            "-display", "none", "-nodefaults", "-no-reboot", "-serial", f"file:{self.console}", "-device", "virtio-rng-pci",
            "-drive", f"file={self.card},format=raw,if=virtio,cache=unsafe",
            *self._sockets(),
        ]  # fmt: skip

    def _sockets(self) -> Sequence[str]:
        out: list[str] = []
        if self.cable:
            out += ["-netdev", f"tap,id=cable,ifname=cable{self.slot},script=no,downscript=no",
                    "-device", f"virtio-net-pci,netdev=cable,mac={self.cable_mac},romfile="]  # fmt: skip
        if self.access_points:
            out += ["-netdev", f"tap,id=air,ifname=air{self.slot},script=no,downscript=no",
                    "-device", f"virtio-net-pci,netdev=air,mac={AIR_SOCKET}00:{self.slot:02x},romfile=",
                    "-fw_cfg", f"name=opt/mint-seed/slot,file={self.slot_file}"]  # fmt: skip
            for number, point in enumerate(self.access_points, 1):
                out += ["-fw_cfg", f"name=opt/mint-seed/access-point-{number},file={point}"]
        return out


@contextmanager
def running(machine: Machine, here: Ground) -> Iterator[subprocess.Popen[bytes]]:
    """Have `machine` powered in the network `here` for as long as the block runs; its console begins anew. At its end the power is cut."""
    machine.console.unlink(missing_ok=True)
    for tap in machine.taps:
        here.plug(tap)
    try:
        quiet = subprocess.DEVNULL
        with subprocess.Popen(here.inside(machine.command()), stdin=quiet, stdout=quiet, stderr=quiet) as process:
            try:
                yield process
            finally:
                process.kill()
    finally:
        for tap in machine.taps:
            here.unplug(tap)
