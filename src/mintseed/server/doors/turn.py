"""Which of the web processes takes a connection: the one that has least in hand.

Whoever is woken first would else take all that wait, and a connection stays where it was taken: of eight, seven were answered by one
process while the other had nothing to do (measured). Nothing is shared for it. Each waits the longer before it takes
one, the more it has in hand, so that one with less takes it meanwhile.
"""

from __future__ import annotations

import asyncio
import logging
import socket
import ssl
from collections.abc import Callable

log = logging.getLogger(__name__)

LEAVES_S = 0.003
"""seconds for which a connection is left to others, for each that one has in hand"""
MOST_LEFT_S = 0.024
SEEN_AFTER_S = 0.001
"""seconds after which the request of a connection that was taken counts: a client sends it right away"""
TRIES_AGAIN_S = 1.0
"""seconds until another try where no file can be opened any more"""

NOT_MINE = (BlockingIOError, InterruptedError, ConnectionAbortedError)
"""what taking raises where another process was quicker, or the client has gone"""


async def take_in_turn(
    door: socket.socket, protocol: Callable[[], asyncio.Protocol], in_hand: Callable[[], int], tls: ssl.SSLContext | None = None
) -> None:  # fmt: skip
    """Take connections at `door`, where others take theirs too, until cancelled."""
    door.setblocking(False)
    loop = asyncio.get_running_loop()
    shaking_hands: set[asyncio.Task[object]] = set()
    while True:
        await _somebody_waits(loop, door)
        if busy := in_hand():
            await asyncio.sleep(min(busy * LEAVES_S, MOST_LEFT_S))
        try:
            connection, _ = door.accept()
        except NOT_MINE:
            continue
        except OSError as error:
            log.warning("no connection can be taken: %s", error)
            await asyncio.sleep(TRIES_AGAIN_S)
            continue
        # Beside this: a client that is slow with TLS keeps nobody waiting.
        greeting = loop.create_task(_greet(loop, protocol, connection, tls))
        shaking_hands.add(greeting)
        greeting.add_done_callback(shaking_hands.discard)
        await asyncio.sleep(SEEN_AFTER_S)


async def _greet(
    loop: asyncio.AbstractEventLoop, protocol: Callable[[], asyncio.Protocol], connection: socket.socket, tls: ssl.SSLContext | None
) -> None:  # fmt: skip
    try:
        await loop.connect_accepted_socket(protocol, connection, ssl=tls)
    except OSError as error:  # TLS that fails is one too
        log.debug("a connection came to nothing: %s", error)
        connection.close()


async def _somebody_waits(loop: asyncio.AbstractEventLoop, door: socket.socket) -> None:
    knocked = asyncio.Event()
    loop.add_reader(door, knocked.set)
    try:
        await knocked.wait()
    finally:
        loop.remove_reader(door)
