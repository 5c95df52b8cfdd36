"""Two benches at one database, each with readers of its own: two writes at once, one worker killed, the other goes on."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import httpx
import pytest

from mintseed.server.start.supervise import leftovers
from mintseed.standins.bench_folder import BenchFolder
from tests.browser.conftest import Application, copy_of, environment_for, start, stop
from tests.browser.test_trouble import kill
from tests.database_plugin import PROJECT


class Client:
    """The API of a started application."""

    def __init__(self, url: str) -> None:
        self._http = httpx.Client(base_url=f"{url}/api", timeout=30)

    def close(self) -> None:
        self._http.close()

    def ask(self, method: str, path: str, body: object = None) -> Any:
        response = self._http.request(method, path, json=body)
        assert response.status_code == 200, (path, response.text)
        return response.json()

    def until(self, path: str, holds: Callable[[Any], bool], seconds: float = 90) -> Any:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            answer = self.ask("GET", path)
            if holds(answer):
                return answer
            time.sleep(0.2)
        pytest.fail(f"it did not come about: {path}")


@pytest.fixture
def both(made_home: Path) -> Iterator[Application]:
    home = copy_of(made_home)
    environment = environment_for(home)
    started = start(environment)
    worker = subprocess.Popen(["make", "-s", "worker"], cwd=PROJECT, env={**environment, "MINTSEED_BENCH_NAME": "workshop"},
                              stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)  # fmt: skip
    yield started
    # Asked again until it hears: one that only begins has nobody to hear it yet, where its starter had the signal ignored.
    until = time.monotonic() + 60
    while worker.poll() is None and time.monotonic() < until:
        os.killpg(worker.pid, signal.SIGINT)
        with suppress(subprocess.TimeoutExpired):
            worker.wait(2)
    assert worker.poll() is not None
    assert stop(started) == []
    shutil.rmtree(home)


def filled(client: Client, name: str, host_name: str, unit: str) -> int:
    pk: int = client.ask("POST", "/deployments", {"recipe": "platen", "name": name})["id"]
    plan = client.ask("GET", f"/deployments/{pk}/plan")
    board = next(u["id"] for u in plan["units"] if unit in u["name"])
    supply = next(s["id"] for s in plan["supplies"] if "2.5 A" in s["text"])
    client.ask("PUT", f"/deployments/{pk}/plan", {"board_unit_id": board, "supply_id": supply, "card_gb": 32})
    choices = client.ask("GET", f"/deployments/{pk}/image")["choices"]
    client.ask(
        "PUT", f"/deployments/{pk}/image", {"image_id": next(c["image"]["id"] for c in choices if c["suggested"])}
    )
    client.ask("PUT", f"/deployments/{pk}/settings", {"host_name": host_name})
    client.ask("POST", f"/deployments/{pk}/settings/agree")
    return pk


def test_two_writes_at_once_and_one_bench_dies(both: Application) -> None:
    with closing(Client(both.url)) as client:
        _two_writes_and_one_bench_dies(both, client)


def _two_writes_and_one_bench_dies(both: Application, client: Client) -> None:
    seen = client.until("/bench", lambda b: {d["bench_name"] for d in b["drives"]} == {"bench", "workshop"})
    assert {b["name"]: b["alive"] for b in seen["benches"]} == {"bench": True, "workshop": True}
    for folder in ("bench", "bench-workshop"):
        place = BenchFolder(both.home / folder)
        slow = [{**d, "faults": {"rate_bytes_per_s": 12_000_000}} for d in place.read(place.drives_file)]
        place.write(place.drives_file, slow)
    first = filled(client, "Reading-room press", "reading-press", "clear case")
    second = filled(client, "Workshop press", "workshop-press", "bare")
    for pk, bench in ((first, "bench"), (second, "workshop")):
        drive = next(
            d
            for d in client.ask("GET", f"/deployments/{pk}/card")["drives"]
            if d["bench_name"] == bench and d["nominal_gb"] == 32 and not d["locked"]
        )
        client.ask("POST", f"/deployments/{pk}/card/write",
                   {"drive_id": drive["id"], "path": drive["path"], "serial": drive["serial"], "again": drive["path"]})  # fmt: skip
    for pk in (first, second):
        client.until(f"/deployments/{pk}/card", lambda c: c["job"]["phase"] == "writing" and c["job"]["done_bytes"] > 0)
    kill(both, "manage.py worker --queue-name cards-workshop")
    dead = client.until(f"/deployments/{second}/card", lambda c: not c["job"]["active"])
    assert "worker died" in dead["job"]["trouble"]
    assert not dead["proven"]
    whole = client.until(f"/deployments/{first}/card", lambda c: not c["job"]["active"])
    assert (whole["proven"], whole["current"], whole["writes"][0]["bench_name"]) == (True, True, "bench")


def test_a_name_that_a_process_has_is_refused_by_name(both: Application) -> None:
    # Both benches run, whose processes are there only once they hold their names: the one that comes later is refused.
    until = time.monotonic() + 60
    while not list(leftovers(f"{both.home.resolve()} bench workshop")) and time.monotonic() < until:
        time.sleep(0.1)
    for name in ("bench", "workshop"):
        done = subprocess.run(
            ["scripts/worker"], cwd=PROJECT, env={**environment_for(both.home), "MINTSEED_BENCH_NAME": name}, capture_output=True, text=True,
            check=False, timeout=60,
        )  # fmt: skip
        assert done.returncode == 1
        assert f"a bench called {name} runs already from this folder" in done.stderr
