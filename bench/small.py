"""The short measurements: looking at a network, checking a settings file, what a browser loads, how long a start takes."""

from __future__ import annotations

import re
import resource
import shutil
import socket
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from torture.running import PROJECT, application

from mintseed import wiring
from mintseed.adapters.tcp_scan import TcpScan
from mintseed.core.plan.matrix import matrix
from mintseed.services import examine_file

NETWORK, PORTS = "127.77.13", (80, 443, 631, 5310, 8080, 8420, 9100, 1883)
LISTENING = (3, 40, 77, 121, 200, 254)
FIND_TARGET, CHECK_TARGET_MS, BUNDLE_TARGET_BYTES, LATER_TARGET_S = 2.0, 1.0, 150_000, 10.0

FILE = (
    b'ctrl_interface=/run/wpa\ncountry=GB\nnetwork={\n    ssid="Quay House 2G"\n    psk='
    + b"0f" * 32
    + b"\n    priority=5\n}\n"
)


def held(good: bool) -> str:
    return "yes" if good else "no"


def find_row() -> str:
    """256 addresses, 8 ports each, a few of them listening; ours against `nmap -sT -T4`."""
    listening = []
    for last in LISTENING:
        server = socket.create_server((f"{NETWORK}.{last}", 5310))
        listening.append(server)
    addresses = [f"{NETWORK}.{n}" for n in range(256)]
    ours, theirs = [], []
    for _ in range(3):
        began = time.monotonic()
        found = TcpScan().answering(addresses, PORTS, lambda: False)
        ours.append(time.monotonic() - began)
        assert {a for a, _ in found} == {f"{NETWORK}.{n}" for n in LISTENING}
        began = time.monotonic()
        ports = ",".join(map(str, PORTS))
        subprocess.run(
            ["nmap", "-sT", "-T4", "-Pn", "-n", "-p", ports, f"{NETWORK}.0/24"], check=True, capture_output=True
        )
        theirs.append(time.monotonic() - began)
    for server in listening:
        server.close()
    our, their = statistics.median(ours), statistics.median(theirs)
    return f"| find: 256 addresses × 8 ports | {our:.2f} s, `nmap -sT -T4` {their:.2f} s | at most {FIND_TARGET:.0f} × | {held(our <= FIND_TARGET * their)} |"


def check_row() -> str:
    times = []
    for _ in range(500):
        began = time.perf_counter()
        examine_file.execute(FILE, read_as="wpa-supplicant", name="platen-network.conf")
        times.append((time.perf_counter() - began) * 1000)
    took = statistics.median(times)
    return f"| checking a settings file of {len(FILE)} bytes | {took:.2f} ms | under {CHECK_TARGET_MS:.0f} ms | {held(took < CHECK_TARGET_MS)} |"


MATRIX_TARGET_S, MATRIX_SIDE = 1.0, 200


def matrix_row() -> str:
    """Every appliance on every board: 200 recipes and 200 kinds of board, made of the shipped ones."""
    recipes = [
        r.model_copy(update={"id": f"{r.id}{n}"}) for n in range(MATRIX_SIDE) for r in wiring.recipes().values()
    ][:MATRIX_SIDE]
    boards = [b.model_copy(update={"id": f"{b.id}{n}"}) for n in range(MATRIX_SIDE) for b in wiring.boards().values()][
        :MATRIX_SIDE
    ]
    times = []
    for _ in range(3):
        began = time.perf_counter()
        found = matrix(recipes, boards, wiring.parts())
        times.append(time.perf_counter() - began)
    assert len(found) == MATRIX_SIDE**2
    took = statistics.median(times)
    return f"| what fits what: {MATRIX_SIDE} appliances × {MATRIX_SIDE} boards | {took:.2f} s | under {MATRIX_TARGET_S:.0f} s | {held(took < MATRIX_TARGET_S)} |"


FIT_TARGET_S, FIT_RUNS = 0.3, 21
FIT = (
    "fit",
    "--recipe",
    "platen",
    "--board",
    "larkspur-r",
    "--supply",
    "5.1V,3A,micro-USB,1m,AWG20",
    "--card",
    "32,U1,A1",
)
COUNTING = "x = 0\nfor i in range(2_000_000): x += i"
"""Says how quick this machine's Python is at the time, which on a machine that is shared changes by the minute."""


def fit_row() -> str:
    """`mintseed fit` from its start to its answer, in turn with a loop that only counts."""
    pairs = [(_cpu_s("-c", COUNTING), _cpu_s("-m", "mintseed.cli", *FIT)) for _ in range(FIT_RUNS)]
    counting, took = [c for c, _ in pairs], [t for _, t in pairs]
    middle = statistics.median(took)
    return f"| `mintseed fit`, start to answer | {middle:.2f} s of one core, {min(took):.2f} s at best; counting to 2 million {statistics.median(counting):.2f} s, {min(counting):.2f} s at best | under {FIT_TARGET_S} s | {held(middle < FIT_TARGET_S)} |"


def _cpu_s(*arguments: str) -> float:
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([sys.executable, *arguments], check=False, capture_output=True)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def bundle_row() -> str:
    """Scripts and styles the page asks for at first, as they are sent (brotli)."""
    dist = PROJECT / "web" / "dist"
    named = re.findall(r'(?:src|href)="/(assets/[^"]+)"', (dist / "index.html").read_text())
    size = sum(_sent(dist / name) for name in named)
    return f"| first load of the web part, {len(named)} files | {size / 1000:.0f} kB sent | under {BUNDLE_TARGET_BYTES // 1000} kB | {held(size < BUNDLE_TARGET_BYTES)} |"


def _sent(path: Path) -> int:
    packed = path.with_name(path.name + ".br")
    return (packed if packed.exists() else path).stat().st_size


def start_rows() -> list[str]:
    """The first start with everything installed, demo and all, and a later one."""
    with application() as running:
        shutil.rmtree(running.home / "library", ignore_errors=True)
        running.environment["MINTSEED_DEMO"] = ""
        first = _start(running.launch, running.home / "said.txt")
        size = _size_bytes(running.home)
        running.stop()
        (running.home / "said.txt").unlink()
        later = _start(running.launch, running.home / "said.txt")
    return [
        f"| first start, packages installed, the demo at work | {first:.0f} s, its home {size / 1e6:.0f} MB | under 240 s | {held(first < 240)} |",
        f"| a later start | {later:.1f} s | under {LATER_TARGET_S:.0f} s | {held(later < LATER_TARGET_S)} |",
    ]


def _start(launch: Callable[[], object], said: Path) -> float:
    began = time.monotonic()
    launch()
    while time.monotonic() - began < 400:
        if said.exists() and "is at" in said.read_text(errors="replace"):
            return time.monotonic() - began
        time.sleep(0.05)
    raise SystemExit("it did not start")


def _size_bytes(folder: Path) -> int:
    return sum(f.stat().st_blocks * 512 for f in folder.rglob("*") if f.is_file())
