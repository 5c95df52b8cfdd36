"""A machine's command, whether it may run accelerated, and the bench that starts and stops machines as boards are powered."""

from __future__ import annotations

import ipaddress
import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from mintseed.core.boards.model import Board
from mintseed.core.card.drives import Drive
from mintseed.core.described import read_described
from mintseed.core.errors import RefusedError
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.machine import bench, machine, needs
from mintseed.standins.machine.assay.build import board_text
from mintseed.standins.machine.bench import Machines
from mintseed.standins.machine.ground import Ground
from mintseed.standins.machine.machine import EMULATOR, Machine
from mintseed.standins.machine.power import MachinePower

HERE = Ground(ipaddress.IPv4Network("10.91.203.0/24"), 1, "seed-test", Path("leases"))


def a_machine(tmp_path: Path, *, cable: bool = False, points: int = 1, slot: int = 0) -> Machine:
    return Machine(
        slot, tmp_path / "card.img", tmp_path / "console", cable, tuple(tmp_path / f"{n}.conf" for n in range(points)), tmp_path / "slot"
    )  # fmt: skip


def test_the_radio_cell_is_told_by_the_machine_and_the_card_is_its_only_disk(tmp_path: Path) -> None:
    command = a_machine(tmp_path, points=2).command()
    assert [word for word in command if word.startswith("file=")] == [
        f"file={tmp_path / 'card.img'},format=raw,if=virtio,cache=unsafe"
    ]
    assert [word for word in command if "access-point" in word] == [
        f"name=opt/mint-seed/access-point-{n + 1},file={tmp_path / f'{n}.conf'}" for n in range(2)
    ]
    assert not [word for word in command if word.startswith("user,") or "hostfwd" in word], "no way out"


@pytest.mark.parametrize(
    ("cable", "points", "taps"),
    [(True, 0, ("cable2",)), (False, 1, ("air2",)), (True, 2, ("cable2", "air2")), (False, 0, ())],
)
def test_its_sockets(cable: bool, points: int, taps: tuple[str, ...], tmp_path: Path) -> None:
    made = a_machine(tmp_path, cable=cable, points=points, slot=2)
    assert made.taps == taps
    assert sum(word.startswith("virtio-net-pci") for word in made.command()) == len(taps)


def test_machines_side_by_side_have_nothing_in_common(tmp_path: Path) -> None:
    side_by_side = [a_machine(tmp_path, cable=True, slot=slot) for slot in range(4)]
    for of in (lambda m: m.radio_mac, lambda m: m.cable_mac, lambda m: m.taps):
        assert len({of(m) for m in side_by_side}) == 4


@pytest.mark.skipif(shutil.which(EMULATOR) is None, reason=f"{EMULATOR} is not installed")
def test_the_nine_bytes_say_their_letter(tmp_path: Path) -> None:
    """In software, where every guest runs: what asks whether a guest runs accelerated is itself right."""
    disk, said = tmp_path / "disk", tmp_path / "said"
    disk.write_bytes(machine._SAYS_K.ljust(510, b"\0") + b"\x55\xaa")
    quiet = subprocess.DEVNULL
    command = [EMULATOR, "-accel", "tcg", "-m", "32", "-display", "none", "-nodefaults", "-serial", f"file:{said}", "-drive", f"file={disk},format=raw,if=ide"]  # fmt: skip
    with subprocess.Popen(command, stdin=quiet, stdout=quiet, stderr=quiet) as process:
        until = time.monotonic() + 120
        while not (said.exists() and said.read_bytes()) and time.monotonic() < until:
            time.sleep(0.02)
        process.kill()
    assert said.read_bytes() == b"K"


def test_where_there_is_no_kvm_it_runs_in_software(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    real = Path.exists
    monkeypatch.setattr(Path, "exists", lambda self: str(self) != "/dev/kvm" and real(self))
    assert machine.accelerates(tmp_path) is False
    assert not list(tmp_path.iterdir())


@pytest.fixture
def machines(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Machines]:
    """The bench's own loop, with a process that does nothing in the place of each machine."""

    @contextmanager
    def stands_still(made: Machine, here: Ground) -> Iterator[subprocess.Popen[bytes]]:
        with subprocess.Popen(["sleep", "600"]) as process:
            try:
                yield process
            finally:
                process.kill()

    monkeypatch.setattr(bench, "running", stands_still)
    folder = BenchFolder(tmp_path)
    folder.prepare()
    folder.write(
        folder.air_file,
        [
            {"ssid": "a", "passphrase": "12345678", "band_ghz": 2.4},
            {"ssid": "b", "passphrase": "12345678", "band_ghz": 5.0},
        ],
    )
    made = Machines(folder, HERE, accelerated=False)
    yield made
    made.close()
    assert not list((tmp_path / "machines").iterdir())


def power(machines: Machines, unit: str, **more: Any) -> None:
    state = {"card": "pda", "cable": False, "ethernet": True, "radio_ghz": [2.4, 5.0], "powered_at": 1.0, **more}
    machines.folder.write(machines.folder.boards / f"{unit}.json", state)


def test_what_is_powered_runs_and_what_is_switched_off_does_not(machines: Machines) -> None:
    power(machines, "unit-1")
    power(machines, "unit-2", card="pdb", radio_ghz=[2.4])
    machines.tick()
    machines.tick()
    running = machines._running
    assert [(unit, one.machine.slot, len(one.machine.access_points)) for unit, one in running.items()] == [
        ("unit-1", 0, 2),
        ("unit-2", 1, 1),
    ]
    first = running["unit-1"].process
    (machines.folder.boards / "unit-1.json").unlink()
    machines.tick()
    assert first.poll() is not None
    assert list(machines._running) == ["unit-2"]
    power(machines, "unit-3", card="pdc")
    machines.tick()
    assert machines._running["unit-3"].machine.slot == 0, "a place that is free is taken again"


def test_switched_off_and_on_in_one_moment_it_starts_anew(machines: Machines) -> None:
    power(machines, "unit-1")
    machines.tick()
    first = machines._running["unit-1"].process
    power(machines, "unit-1", powered_at=2.0)
    machines.tick()
    assert first.poll() is not None
    assert machines._running["unit-1"].process.poll() is None


def test_one_that_ends_by_itself_is_not_started_again(machines: Machines) -> None:
    power(machines, "unit-1")
    machines.tick()
    process = machines._running["unit-1"].process
    process.kill()
    process.wait()
    machines.tick()
    machines.tick()
    assert not machines._running
    assert machines.folder.powered()["unit-1"]["ended"] is True


def test_one_that_cannot_start_keeps_no_other_from_it(machines: Machines) -> None:
    power(machines, "unit-1", radio_ghz="broken")
    power(machines, "unit-2", card="pdb")
    machines.tick()
    assert list(machines._running) == ["unit-2"]
    assert machines.folder.powered()["unit-1"]["ended"] is True


GLASSHOUSE = read_described(Board, board_text(), where="glasshouse")
CARD = Drive("/dev/pda", "pda", 1, True, False, "usb", "", "S1", (), (), 0)


@pytest.mark.parametrize(
    ("free_mb", "cores", "powered", "why"),
    [
        (600, 8, 0, "600 MB of memory are free"),
        (8000, 2, 2, "2 machines run already"),
        (8000, 2, 1, ""),
        (700, 1, 0, ""),
    ],
)
def test_power_is_refused_where_there_is_no_room_for_one_more(
    free_mb: int, cores: int, powered: int, why: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(needs, "free_memory_mb", lambda: free_mb)
    monkeypatch.setattr(os, "cpu_count", lambda: cores)
    folder = BenchFolder(tmp_path)
    folder.prepare()
    switch = MachinePower(folder)
    for number in range(powered):
        folder.write(folder.boards / f"unit-{number}.json", {"card": f"other-{number}", "powered_at": 1.0})
    if why:
        with pytest.raises(RefusedError, match=why):
            switch.power_on("unit-9", GLASSHOUSE, CARD, cable=False)
    else:
        switch.power_on("unit-9", GLASSHOUSE, CARD, cable=False)
    assert ("unit-9" in folder.powered()) is not bool(why)


def test_what_keeps_a_bench_from_starting_is_a_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture) -> None:  # fmt: skip
    monkeypatch.setattr(bench.needs, "missing", lambda: "It wants a kettle.")
    monkeypatch.setattr(bench.threading, "Event", lambda: SimpleNamespace(wait=lambda *_: True, set=lambda: None))
    monkeypatch.setattr(bench.signal, "signal", lambda *_: None)
    bench.serve(BenchFolder(tmp_path), "10.91.204.0/24")
    assert [record.message for record in caplog.records] == ["It wants a kettle."]
