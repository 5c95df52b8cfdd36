"""One of the web processes. python -m mintseed.server.doors.web DESCRIPTOR NUMBER OF

All of them take connections from one listening socket, which the supervisor holds: one that dies leaves the others and
the door open, and each is a core of its own for Python. What they share stands in the database and the home.
"""

from __future__ import annotations

import asyncio
import logging
import os
import resource
import socket
import sys
from collections.abc import Sequence
from types import FrameType

import uvicorn

from mintseed.server.doors.half_open import GuardedProtocol
from mintseed.server.doors.turn import take_in_turn

STOPS_WITHIN_S = 2
"""seconds in which answers that were begun are finished at a stop."""

LATELY_S = 1.0
"""seconds for which a connection that was answered counts as one that will ask again"""

log = logging.getLogger(__name__)


class Server(uvicorn.Server):
    """Takes connections in turn with the other web processes. Ends the streams of open screens when it is asked to stop; they would last
    for ever."""

    def __init__(self, config: uvicorn.Config, *, alone: bool = False) -> None:
        super().__init__(config)
        self._alone = alone
        self._taking: list[asyncio.Task[None]] = []

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets=[])
        self._taking = [
            asyncio.create_task(take_in_turn(door, self._protocol, self._in_hand, self.config.ssl))
            for door in sockets or ()
        ]
        for task in self._taking:
            task.add_done_callback(self._took_the_last)

    def _took_the_last(self, task: asyncio.Task[None]) -> None:
        """One that takes no connection any more answers nobody: it ends, and the supervisor starts another."""
        if not task.cancelled() and (fault := task.exception()) is not None:
            log.error("connections are no longer taken: %s", fault, exc_info=fault)
            self.should_exit = True

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        for task in self._taking:
            task.cancel()
        await asyncio.gather(*self._taking, return_exceptions=True)
        await super().shutdown(sockets)

    def _protocol(self) -> GuardedProtocol:
        return GuardedProtocol(self.config, self.server_state, self.lifespan.state)

    def _in_hand(self) -> int:
        """Return how many connections wait for an answer or asked a moment ago, and so will soon again; 0 where nobody else could take one."""
        if self._alone:
            return 0
        lately_s = asyncio.get_running_loop().time() - LATELY_S
        connections = (c for c in self.server_state.connections if isinstance(c, GuardedProtocol))
        return sum(1 for c in connections if c.asked_s > lately_s or c.is_waiting)

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        # Where it is still coming up, nobody listens yet, and what is half imported must not be imported from here.
        feed = getattr(sys.modules.get("mintseed.server.doors.stream"), "feed", None)
        if feed is not None:
            feed.end()
        super().handle_exit(sig, frame)


def take_descriptors() -> None:
    """Have as many open files as this process may: each connection is one."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if soft < hard:
        resource.setrlimit(resource.RLIMIT_NOFILE, (hard, hard))


def main(arguments: Sequence[str]) -> None:
    descriptor, os.environ["MINTSEED_WEB"], of = arguments
    take_descriptors()
    # Who sends a request is who is connected; a header says otherwise only where the owner named the proxy that writes it.
    proxy = os.environ.get("MINTSEED_PROXY") or ""
    config = uvicorn.Config(
        "mintseed.server.asgi:application", access_log=False, log_level="warning", lifespan="off", http=GuardedProtocol,
        timeout_graceful_shutdown=STOPS_WITHIN_S, ssl_certfile=os.environ.get("MINTSEED_TLS_CERT") or None,
        ssl_keyfile=os.environ.get("MINTSEED_TLS_KEY") or None, proxy_headers=bool(proxy), forwarded_allow_ips=proxy,
    )  # fmt: skip
    Server(config, alone=of == "1").run(sockets=[socket.socket(fileno=int(descriptor))])


if __name__ == "__main__":
    main(sys.argv[1:])
