"""Who takes a connection, and how many requests compute at once."""

from __future__ import annotations

import asyncio
import contextlib
import math
import socket
import ssl
from collections.abc import AsyncIterator, Callable
from typing import Any

import pytest
import uvicorn
from uvicorn.server import ServerState

from mintseed.server.doors import turn
from mintseed.server.doors.half_open import GuardedProtocol, unfinished
from mintseed.server.doors.threads import InLine
from mintseed.server.doors.turn import take_in_turn


def test_few_compute_at_once_in_the_order_in_which_they_came() -> None:
    async def go() -> None:
        line, began, most, inside = InLine(2, counts_for_s=60), [], 0, 0

        async def one(number: int) -> None:
            nonlocal most, inside
            async with line.turn():
                began.append(number)
                inside += 1
                most = max(most, inside)
                await asyncio.sleep(0.001)
                inside -= 1

        await asyncio.gather(*(one(n) for n in range(20)))
        assert (began, most) == (list(range(20)), 2)

    asyncio.run(go())


def test_one_that_waits_for_something_else_keeps_nobody_waiting() -> None:
    async def go() -> None:
        line, ends = InLine(1, counts_for_s=0.01), asyncio.Event()

        async def long() -> None:
            async with line.turn():
                await ends.wait()

        waiting = [asyncio.create_task(long()) for _ in range(3)]
        async with asyncio.timeout(30), line.turn():
            pass
        ends.set()
        await asyncio.gather(*waiting)
        # Whose turn was over by the clock gave it back once, not twice.
        async with line.turn():
            second = asyncio.create_task(_pass(line))
            await asyncio.sleep(0)
            await asyncio.sleep(0)
            assert not second.done()
        await second

    asyncio.run(go())


async def _pass(line: InLine) -> None:
    async with line.turn():
        pass


@pytest.mark.parametrize("came", [False, True])
def test_a_turn_is_not_lost_with_who_gave_up(came: bool) -> None:
    async def go() -> None:
        line = InLine(1, counts_for_s=60)
        async with line.turn():
            gives_up = asyncio.create_task(_pass(line))
            await asyncio.sleep(0)
            if not came:
                gives_up.cancel()
                await asyncio.sleep(0)
        if came:
            gives_up.cancel()  # its turn has just come
        with pytest.raises(asyncio.CancelledError):
            await gives_up
        async with asyncio.timeout(30):
            await _pass(line)

    asyncio.run(go())


def test_a_fault_gives_the_turn_back() -> None:
    async def go() -> None:
        line = InLine(1, counts_for_s=60)
        with pytest.raises(ValueError, match="broken"):
            async with line.turn():
                raise ValueError("broken")
        async with asyncio.timeout(30):
            await _pass(line)

    asyncio.run(go())


class Taker(asyncio.Protocol):
    """Counts the connections that are its own."""

    def __init__(self, taken: list[int], which: int) -> None:
        self._taken, self._which = taken, which

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._taken.append(self._which)
        transport.close()


async def taken(
    in_hand: list[int], connections: int, door: socket.socket, tls: ssl.SSLContext | None = None
) -> list[int]:
    """Return who took each connection, of takers with so much in hand, where they come one by one."""
    who: list[int] = []
    takers = [
        asyncio.create_task(take_in_turn(door, lambda n=n: Taker(who, n), lambda busy=busy: busy, tls))  # type: ignore[misc]
        for n, busy in enumerate(in_hand)
    ]
    loop = asyncio.get_running_loop()
    for _ in range(connections):
        before = len(who)
        with socket.socket() as client:
            client.setblocking(False)
            await loop.sock_connect(client, door.getsockname())
            async with asyncio.timeout(30):
                while len(who) == before:
                    await asyncio.sleep(0.001)
    for taker in takers:
        taker.cancel()
    await asyncio.gather(*takers, return_exceptions=True)
    return who


def test_who_has_least_in_hand_takes_it(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(turn, "LEAVES_S", 0.5)
    monkeypatch.setattr(turn, "MOST_LEFT_S", 60.0)
    with socket.create_server(("127.0.0.1", 0)) as door:
        assert asyncio.run(taken([20, 0], 6, door)) == [1] * 6


@contextlib.asynccontextmanager
async def connected(
    application: Any,
) -> AsyncIterator[tuple[asyncio.StreamReader, asyncio.StreamWriter, GuardedProtocol]]:
    """Yield both ends of a connection to `application`."""
    config = uvicorn.Config(application, lifespan="off", log_level="critical")
    config.load()
    state, made = ServerState(), []
    server = await asyncio.get_running_loop().create_server(
        lambda: made.append(GuardedProtocol(config, state, {})) or made[-1], "127.0.0.1", 0
    )
    reader, writer = await asyncio.open_connection(*server.sockets[0].getsockname())
    await until(lambda: bool(made))
    yield reader, writer, made[0]
    writer.close()
    server.close()
    for task in list(state.tasks):
        task.cancel()
    await asyncio.gather(*state.tasks, return_exceptions=True)


async def until(holds: Callable[[], bool]) -> None:
    async with asyncio.timeout(30):
        while not holds():
            await asyncio.sleep(0.001)


def test_who_only_has_half_requests_is_not_busy() -> None:
    """Hundreds of them held open would else keep everybody else waiting at the door."""

    async def never(scope: Any, receive: Any, send: Any) -> None:
        await asyncio.Event().wait()

    async def go() -> None:
        async with connected(never) as (_, writer, ours):
            writer.write(b"POST / HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 2\r\n\r\n{")
            await until(lambda: ours.cycle is not None)
            assert not ours.is_waiting
            assert ours.asked_s == -math.inf
            writer.write(b"}")
            await until(lambda: ours.is_waiting)
            assert ours.asked_s > 0

    asyncio.run(go())


@pytest.mark.parametrize("half", [b"GET / HT", b"POST / HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 2\r\n\r\n{"])
def test_half_a_request_behind_a_whole_one_counts_as_half(half: bytes) -> None:
    """Who asked once and was answered could else hold its connection half open for ever."""

    async def answers(scope: Any, receive: Any, send: Any) -> None:
        await send({"type": "http.response.start", "status": 204, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    async def go() -> None:
        async with connected(answers) as (reader, writer, ours):
            writer.write(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            assert b"204" in await reader.readuntil(b"\r\n\r\n")
            await until(lambda: ours not in unfinished._all)
            asked_s = ours.asked_s
            writer.write(half)
            await until(lambda: ours in unfinished._all)
            await asyncio.sleep(0.05)
            assert ours in unfinished._all
            assert ours.asked_s == asked_s

    asyncio.run(go())


def test_who_is_busy_takes_it_where_nobody_else_does() -> None:
    with socket.create_server(("127.0.0.1", 0)) as door:
        assert asyncio.run(taken([50], 3, door)) == [0] * 3


class Full(socket.socket):
    """A door at which no file can be opened for a while."""

    left = 2

    def accept(self) -> tuple[socket.socket, object]:
        if self.left:
            self.left -= 1
            raise OSError(24, "Too many open files")
        return super().accept()


def test_no_file_left_is_said_and_tried_again(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr(turn, "TRIES_AGAIN_S", 0.01)
    with Full() as door:
        door.bind(("127.0.0.1", 0))
        door.listen()
        assert asyncio.run(taken([0], 1, door)) == [0]
    assert caplog.text.count("Too many open files") == 2


def test_a_greeting_that_fails_takes_nothing_from_the_next() -> None:
    """Who speaks no TLS at a TLS door is let go; the door stays open."""
    tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)  # without a certificate no greeting can succeed

    async def go() -> None:
        with socket.create_server(("127.0.0.1", 0)) as door:
            who: list[int] = []
            task = asyncio.create_task(take_in_turn(door, lambda: Taker(who, 0), lambda: 0, tls))
            for _ in range(3):
                reader, writer = await asyncio.open_connection(*door.getsockname())
                writer.write(b"GET / HTTP/1.1\r\n\r\n")
                async with asyncio.timeout(30):
                    await reader.read()  # it ends
                writer.close()
            assert not task.done()
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)

    asyncio.run(go())
