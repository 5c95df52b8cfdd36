"""Make pieces in a thread of their own, some ahead of their use, so that unpacking, writing and reading overlap."""

from __future__ import annotations

import queue
import threading
from collections.abc import Iterator
from contextlib import contextmanager

_LOOK_S = 0.2
"""seconds after which a maker that waits for room looks whether anybody still wants its pieces."""


@contextmanager
def run_ahead(pieces: Iterator[bytes], waiting: int) -> Iterator[Iterator[bytes]]:
    """Start making `pieces` at once, at most `waiting` ahead; what the maker raises is raised to the user.

    The thread has ended when the context ends, however it ends.
    """
    ready: queue.Queue[bytes | BaseException | None] = queue.Queue(waiting)
    unwanted = threading.Event()

    def put(item: bytes | BaseException | None) -> bool:
        while not unwanted.is_set():
            try:
                ready.put(item, timeout=_LOOK_S)
                return True
            except queue.Full:
                continue
        return False

    def make() -> None:
        end: BaseException | None = None
        try:
            for piece in pieces:
                if not put(piece):
                    return
        except BaseException as error:
            end = error
        put(end)

    def taken() -> Iterator[bytes]:
        while (item := ready.get()) is not None:
            if isinstance(item, BaseException):
                raise item
            yield item

    maker = threading.Thread(target=make, name="run-ahead")
    maker.start()
    try:
        yield taken()
    finally:
        unwanted.set()
        maker.join()
