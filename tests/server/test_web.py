"""Several web processes at one door: as many as there are cores for, and one that dies leaves the others and the door open."""

from __future__ import annotations

import asyncio
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import httpx
import pytest
import uvicorn
from torture.ports import free_port
from uvicorn.lifespan.off import LifespanOff

from mintseed.server.doors import stream, web
from mintseed.server.doors.half_open import GuardedProtocol
from mintseed.server.doors.web import Server
from mintseed.server.start.supervise import application_programs, web_processes


@pytest.mark.parametrize(("cores", "processes"), [(1, 1), (2, 2), (4, 4), (8, 4), (64, 4)])
def test_one_a_core_up_to_four(cores: int, processes: int) -> None:
    assert web_processes(cores) == processes


def answers(url: str, within_s: float = 60.0) -> int:
    """Return the status of the first answer."""
    until = time.monotonic() + within_s
    while True:
        try:
            return httpx.get(url, timeout=10).status_code
        except httpx.HTTPError:
            if time.monotonic() > until:
                raise


@pytest.fixture
def two() -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """Two web processes at one door, and an address there: what it answers needs a database; that it answers does not."""
    port = free_port()
    environment = {
        **os.environ,
        "MINTSEED_HOST": "127.0.0.1",
        "MINTSEED_PORT": str(port),
        "MINTSEED_BENCH_NAME": "bench",
    }
    programs = [p for p in application_programs(environment, 2) if p.name == "web"]
    assert len({p.descriptors for p in programs}) == 1
    door = programs[0].descriptors[0]
    running = [
        subprocess.Popen(p.command, env=environment, pass_fds=p.descriptors, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        for p in programs
    ]  # fmt: skip
    os.close(door)
    try:
        yield f"http://127.0.0.1:{port}/api/nothing-is-called-this", running
    finally:
        for process in running:
            process.kill()
            process.wait(60)


def test_one_that_dies_leaves_the_door_open(two: tuple[str, list[subprocess.Popen[bytes]]]) -> None:
    url, running = two
    assert answers(url) >= 400
    running[0].kill()
    running[0].wait(60)
    assert answers(url) >= 400
    running[1].kill()
    running[1].wait(60)
    with pytest.raises(httpx.ConnectError):
        httpx.get(url, timeout=5)


def connections_of(pid: int, port: int) -> int:
    """Return how many connections to `port` a process holds (proc(5); state 01 is established)."""
    lines = [line.split() for line in Path("/proc/net/tcp").read_text().splitlines()[1:]]
    there = {f"socket:[{x[9]}]" for x in lines if x[3] == "01" and int(x[1].rpartition(":")[2], 16) == port}
    return sum(str(f.readlink()) in there for f in Path(f"/proc/{pid}/fd").iterdir())


def test_connections_are_shared_out(two: tuple[str, list[subprocess.Popen[bytes]]]) -> None:
    """A connection stays where it was taken; whoever was woken first took nearly all of them once."""
    url, (one, other) = two
    for asleep in (other, one):
        asleep.send_signal(signal.SIGSTOP)
        assert answers(url) >= 400
        asleep.send_signal(signal.SIGCONT)
    clients = [httpx.Client(timeout=60) for _ in range(12)]
    try:
        for client in clients:
            client.get(url)
        port = httpx.URL(url).port or 0
        held = [connections_of(process.pid, port) for process in (one, other)]
    finally:
        for client in clients:
            client.close()
    assert sum(held) == len(clients)
    assert min(held) >= 3, held


def test_one_that_takes_no_connection_any_more_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nobody would notice it: the address is open, and it stays a process that answers none."""

    async def breaks(*_: object) -> None:
        raise RuntimeError("broken")

    monkeypatch.setattr(web, "take_in_turn", breaks)
    config = uvicorn.Config("there.is:none", lifespan="off", http=GuardedProtocol)
    config.ssl = None
    server = Server(config)

    async def go() -> None:
        server.lifespan = LifespanOff(config)
        with socket.create_server(("127.0.0.1", 0)) as door:
            await server.startup([door])
            async with asyncio.timeout(30):
                while not server.should_exit:
                    await asyncio.sleep(0.001)

    asyncio.run(go())


def test_a_stop_while_it_is_still_coming_up_ends_it_quietly(monkeypatch: pytest.MonkeyPatch) -> None:
    """A signal may come in the middle of an import: what is half imported is not asked for anything."""
    half = ModuleType("mintseed.server.judged.changes")
    monkeypatch.setitem(sys.modules, half.__name__, half)
    server = Server(uvicorn.Config("there.is:none"))
    server.handle_exit(signal.SIGTERM, None)
    assert server.should_exit
    monkeypatch.delitem(sys.modules, half.__name__)
    server.handle_exit(signal.SIGTERM, None)
    assert half.__name__ not in sys.modules


def test_a_stop_lets_open_streams_end(monkeypatch: pytest.MonkeyPatch) -> None:
    ended = []
    monkeypatch.setattr(stream.feed, "end", lambda: ended.append(True))
    Server(uvicorn.Config("there.is:none")).handle_exit(signal.SIGTERM, None)
    assert ended == [True]
