"""Unpack the blocks of an image side by side, in as many threads as there are processors, without holding much."""

from __future__ import annotations

import os
import threading
from collections import deque
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import ThreadPoolExecutor

from mintseed.core.image.xz_blocks import Block

MOST_THREADS = 4
"""Beside them the file is hashed, and the image hashed, written and compared."""

PACKED_BYTES = 16 * 1024 * 1024
"""of the blocks that are at work; where they are more, none is begun beside them"""

AHEAD_BYTES = 12 * 1024 * 1024
"""that were unpacked and wait to be used. Half a block of `xz -T0 -6` (24 MiB, from memory) keeps two threads at work: they fall half a block apart."""


class _One:
    """A block at work, the pieces of it that wait, and how it ended."""

    def __init__(self, packed_bytes: int) -> None:
        self.packed_bytes = packed_bytes
        self.pieces: deque[bytes] = deque()
        self.ended = False
        self.error: BaseException | None = None


class _Line:
    """The blocks in their order: each is unpacked in a thread, and the first is used meanwhile."""

    def __init__(self, work: Callable[[Block], Iterator[bytes]], blocks: Iterator[Block]) -> None:
        self._work, self._blocks = work, blocks
        self._threads = min(MOST_THREADS, len(os.sched_getaffinity(0)))
        self._pool = ThreadPoolExecutor(self._threads, thread_name_prefix="unpack")
        self._changed = threading.Condition()
        self._line: deque[_One] = deque()
        self._waiting_bytes, self._over = 0, False

    def pieces(self) -> Iterator[bytes]:
        while (piece := self._next()) is not None:
            yield piece

    def close(self) -> None:
        with self._changed:
            self._over = True
            self._changed.notify_all()
        self._pool.shutdown()

    def _next(self) -> bytes | None:
        self._begin()
        while self._line:
            first, piece = self._line[0], self._piece_of_first()
            if piece is not None:
                return piece
            if first.error is not None:
                raise first.error
            self._begin()
        return None

    def _piece_of_first(self) -> bytes | None:
        """Return the next piece of the first in line, waiting for it; None where it had its last, and is the first no more."""
        first = self._line[0]
        with self._changed:
            self._changed.wait_for(lambda: first.pieces or first.ended)
            piece = first.pieces.popleft() if first.pieces else None
            if piece is None:
                self._line.popleft()
            else:
                self._waiting_bytes -= len(piece)
            self._changed.notify_all()
        return piece

    def _begin(self) -> None:
        """Begin as many of the next blocks as may be at work."""
        while self._has_room() and (block := next(self._blocks, None)) is not None:
            one = _One(sum(map(len, block.packed)))
            with self._changed:
                self._line.append(one)
            self._pool.submit(self._unpack, one, block)

    def _has_room(self) -> bool:
        at_work = [one.packed_bytes for one in self._line if not one.ended]
        return len(at_work) < self._threads and sum(at_work) < PACKED_BYTES

    def _unpack(self, one: _One, block: Block) -> None:
        try:
            for piece in self._work(block):
                if not self._put(one, piece):
                    return
        except BaseException as error:
            one.error = error
        finally:
            with self._changed:
                one.ended = True
                self._changed.notify_all()

    def _put(self, one: _One, piece: bytes) -> bool:
        with self._changed:
            self._changed.wait_for(lambda: self._over or self._may_wait(one))
            if self._over:
                return False
            one.pieces.append(piece)
            self._waiting_bytes += len(piece)
            self._changed.notify_all()
            return True

    def _may_wait(self, one: _One) -> bool:
        # The first can always go on, or nobody would make room.
        return self._waiting_bytes < AHEAD_BYTES or (one is self._line[0] and not one.pieces)


def side_by_side(work: Callable[[Block], Iterator[bytes]], blocks: Iterator[Block]) -> Generator[bytes, None, None]:
    """Yield what `work` yields of each of `blocks`, in their order. What it raises is raised in its place."""
    line = _Line(work, blocks)
    try:
        yield from line.pieces()
    finally:
        line.close()
