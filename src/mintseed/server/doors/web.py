"""One of the web processes. python -m mintseed.server.doors.web DESCRIPTOR NAME

All of them take connections from one listening socket, which the supervisor holds: one that dies leaves the others and
the door open, and each is a core of its own for Python. What they share stands in the database and the home.
"""

from __future__ import annotations

import os
import resource
import socket
import sys
from collections.abc import Sequence
from types import FrameType

import uvicorn

from mintseed.server.doors.half_open import GuardedProtocol

STOPS_WITHIN_S = 2
"""seconds in which answers that were begun are finished at a stop."""


class Server(uvicorn.Server):
    """Ends the streams of open screens when it is asked to stop; they would last for ever."""

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
    descriptor, os.environ["MINTSEED_WEB"] = arguments
    take_descriptors()
    # Who sends a request is who is connected; a header says otherwise only where the owner named the proxy that writes it.
    proxy = os.environ.get("MINTSEED_PROXY") or ""
    config = uvicorn.Config(
        "mintseed.server.asgi:application", access_log=False, log_level="warning", lifespan="off", http=GuardedProtocol,
        timeout_graceful_shutdown=STOPS_WITHIN_S, ssl_certfile=os.environ.get("MINTSEED_TLS_CERT") or None,
        ssl_keyfile=os.environ.get("MINTSEED_TLS_KEY") or None, proxy_headers=bool(proxy), forwarded_allow_ips=proxy,
    )  # fmt: skip
    Server(config).run(sockets=[socket.socket(fileno=int(descriptor))])


if __name__ == "__main__":
    main(sys.argv[1:])
