"""The running application with very many devices: answers, what they ask of the database, idle processes, memory.

python -m bench.api fill DEPLOYMENTS LINES IMAGES      fill the home this process belongs to
python -m bench.api counts PK                          what each screen asks of the database, as JSON
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
from torture.running import PROCESSES, Application, application

PROJECT = Path(__file__).resolve().parents[1]
ONE_CLIENT, EIGHT_CLIENTS = 40, 20
"""requests of each client and screen."""

TARGET_MS = {1: 50.0, 8: 200.0}
IDLE_TARGET_PERCENT = 0.3
IDLE_S, SETTLES_S = 30.0, 15.0
_TICKS = os.sysconf("SC_CLK_TCK")


@dataclass(frozen=True)
class Screen:
    """One screen's answers: the 95th of a hundred in milliseconds, statements, rows looked at, bytes."""

    path: str
    alone_ms: float
    eight_ms: float
    queries: int
    rows_read: int
    size_bytes: int

    def row(self) -> str:
        held = "yes" if self.alone_ms < TARGET_MS[1] and self.eight_ms < TARGET_MS[8] else "no"
        return (
            f"| `{self.path}` | {self.alone_ms:.0f} | {self.eight_ms:.0f} | {held} | {self.queries} | {self.rows_read} | "
            f"{self.size_bytes / 1000:.1f} |"
        )


def _ask(url: str, times: int) -> list[float]:
    took = []
    with httpx.Client(timeout=60) as client:
        for _ in range(times):
            began = time.perf_counter()
            client.get(url).raise_for_status()
            took.append((time.perf_counter() - began) * 1000)
    return took


def p95(values: list[float]) -> float:
    return statistics.quantiles(values, n=20)[-1]


def measured(running: Application, path: str, said: dict[str, int], where: dict[str, int]) -> Screen:
    url = f"http://127.0.0.1:{running.port}/api{path.format(**where)}"
    _ask(url, 3)
    alone = p95(_ask(url, ONE_CLIENT))
    with ThreadPoolExecutor(8) as clients:
        eight = p95([ms for took in clients.map(lambda _: _ask(url, EIGHT_CLIENTS), range(8)) for ms in took])
    size = len(httpx.get(url, timeout=60).content)
    return Screen(path, alone, eight, said["queries"], said["rows_read"], size)


def inside(running: Application, *arguments: object) -> str:
    """Run this module in the running application's home and return what it printed."""
    command = [sys.executable, "-m", "bench.api", *map(str, arguments)]
    done = subprocess.run(command, cwd=PROJECT, env=running.environment, check=True, stdout=subprocess.PIPE, text=True)
    return done.stdout


def _spent_s(pid: int) -> float:
    """Return the seconds of a core a process and its ended children took (proc(5))."""
    after_name = Path(f"/proc/{pid}/stat").read_text().rpartition(") ")[2].split()
    return sum(int(v) for v in after_name[11:15]) / _TICKS


def processes(running: Application) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    for name, words in PROCESSES.items():
        pids = sorted(running.pids(words))
        found |= {name: pids} if len(pids) < 2 else {f"{name} {n}": [pid] for n, pid in enumerate(pids, 1)}
    return {**found, "supervisor": running.pids("mintseed.server.start.supervise")}


def idle_rows(running: Application, seconds: float = IDLE_S) -> list[str]:
    """Watch every process for a while with no screen open, then with one open that nothing happens on."""
    time.sleep(SETTLES_S)
    who = processes(running)
    alone = _watched(who, seconds)
    with (
        httpx.Client(timeout=None) as client,
        client.stream("GET", f"http://127.0.0.1:{running.port}/api/changes") as events,
    ):
        next(events.iter_raw())
        watched = _watched(who, seconds)
    rows = []
    for name, pids in who.items():
        resident = sum(_resident_bytes(pid) for pid in pids)
        held = "yes" if max(alone[name], watched[name]) < IDLE_TARGET_PERCENT else "no"
        rows.append(
            f"| {name} | {alone[name]:.2f} % | {watched[name]:.2f} % | {IDLE_TARGET_PERCENT} % | {held} | {resident / 1e6:.0f} MB |"
        )
    return rows


def _watched(who: dict[str, list[int]], seconds: float) -> dict[str, float]:
    before = {name: sum(_spent_s(p) for p in pids) for name, pids in who.items()}
    time.sleep(seconds)
    return {name: 100 * (sum(_spent_s(p) for p in pids) - before[name]) / seconds for name, pids in who.items()}


def _resident_bytes(pid: int) -> int:
    line = next(x for x in Path(f"/proc/{pid}/status").read_text().splitlines() if x.startswith("VmRSS"))
    return int(line.split()[1]) * 1024


def run(deployments: int = 1000, lines: int = 50_000, images: int = 200) -> tuple[list[str], list[str]]:
    """Return the table rows of the screens and of the idle processes."""
    with application() as running:
        running.launch()
        if not running.up(400):
            raise SystemExit("the application did not start")
        idle = idle_rows(running)
        print("\n".join(idle), flush=True)
        where = json.loads(inside(running, "fill", deployments, lines, images))
        said = json.loads(inside(running, "counts", where["pk"]))
        time.sleep(5)
        rows = []
        for path in said:
            screen = measured(running, path, said[path], where)
            rows.append(screen.row())
            print(rows[-1], flush=True)
        return rows, idle


def main(arguments: list[str]) -> None:
    import django

    django.setup()
    from bench.many import SCREENS, counting, fill
    from mintseed.server.kept.models import Deployment, Site

    if arguments[0] == "fill":
        deployments, lines, images = map(int, arguments[1:])
        keys = fill(deployments, log_lines=lines, images=images)
        print(json.dumps({"pk": keys[-1], "site": Site.objects.order_by("pk").values_list("pk", flat=True)[0]}))
        return
    from django.test import Client

    pk, client = int(arguments[1]), Client(headers={"host": "127.0.0.1"})
    said: dict[str, Any] = {}
    for screen in SCREENS:
        path = "/api" + screen.format(pk=pk, site=Deployment.objects.get(pk=pk).site_id)
        client.get(path)
        with counting() as asked:
            client.get(path)
        said[screen] = {"queries": asked.queries, "rows_read": asked.rows_read}
    print(json.dumps(said))


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mintseed.server.settings")
    main(sys.argv[1:])
