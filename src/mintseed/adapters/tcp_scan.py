"""Which addresses take a TCP connection: many at once, each within a short time, the whole within a longer one."""

from __future__ import annotations

import errno
import selectors
import socket
import time
from collections.abc import Callable, Iterator, Sequence

AT_ONCE = 128
"""connections tried at the same time: gentle enough for a home router, a /24 in a few seconds."""

CONNECT_S = 0.6
"""seconds one address has to answer; on one's own network it takes milliseconds (common practice)."""

WHOLE_S = 30.0
"""seconds a scan may take in all."""

Target = tuple[str, int]


class TcpScan:
    """Implements ports.Scanner. Connects and closes; sends nothing."""

    def answering(
        self, addresses: Sequence[str], ports: Sequence[int], stopped: Callable[[], bool]
    ) -> tuple[tuple[str, int], ...]:
        targets = [(a, p) for a in addresses for p in ports]
        found = set(_connected(targets, stopped))
        return tuple(target for target in targets if target in found)


def _connected(targets: Sequence[Target], stopped: Callable[[], bool]) -> Iterator[Target]:
    """Yield the targets that take a connection. Sockets that wait are watched together (connect(2), EINPROGRESS)."""
    waiting: dict[socket.socket, tuple[Target, float]] = {}
    ends_s = time.monotonic() + WHOLE_S
    left = iter(targets)
    with selectors.DefaultSelector() as selector:
        try:
            more = True
            while (more or waiting) and not stopped() and time.monotonic() < ends_s:
                while more and len(waiting) < AT_ONCE:
                    target = next(left, None)
                    if target is None:
                        more = False
                        break
                    begun = _begin(target)
                    if begun is True:
                        yield target
                    elif begun is not False:
                        waiting[begun] = (target, time.monotonic() + CONNECT_S)
                        selector.register(begun, selectors.EVENT_WRITE)
                if not waiting:
                    continue
                for key, _ in selector.select(0.05):
                    connection = key.fileobj
                    assert isinstance(connection, socket.socket)
                    target, _ = waiting[connection]
                    if connection.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR) == 0:
                        yield target
                    _end(connection, selector, waiting)
                now_s = time.monotonic()
                for connection in [c for c, (_, until_s) in waiting.items() if until_s < now_s]:
                    _end(connection, selector, waiting)
        finally:
            for connection in waiting:
                connection.close()


def _begin(target: Target) -> socket.socket | bool:
    """Begin to connect. Returns whether that was decided at once, or the socket that waits."""
    try:
        connection = socket.socket(socket.AF_INET, socket.SOCK_STREAM | socket.SOCK_NONBLOCK)
    except OSError:
        return False
    try:
        result = connection.connect_ex(target)
    except OSError:  # such as an address that is none
        result = errno.EINVAL
    if result == errno.EINPROGRESS:
        return connection
    connection.close()
    return result == 0


def _end(
    connection: socket.socket, selector: selectors.BaseSelector, waiting: dict[socket.socket, tuple[Target, float]]
) -> None:
    selector.unregister(connection)
    del waiting[connection]
    connection.close()
