"""Unpack the blocks of an image side by side, in as many threads as there are processors, without holding much."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor

from mintseed.core.image.xz_blocks import Block, Unpacked

MOST_THREADS = 4
"""Beside them the file is hashed, and the image hashed, written and compared."""

AHEAD_BYTES = 48 * 1024 * 1024
"""unpacked, of the blocks that are at work; a single larger one is unpacked alone"""


def side_by_side(work: Callable[[Block], Unpacked], blocks: Iterator[Block]) -> Iterator[Unpacked]:
    """Yield the outcome of `work` for each of `blocks`, in their order."""
    threads = min(MOST_THREADS, len(os.sched_getaffinity(0)))
    at_work: deque[tuple[int, Future[Unpacked]]] = deque()
    held_bytes = 0
    with ThreadPoolExecutor(threads, thread_name_prefix="unpack") as pool:
        for block in blocks:
            while at_work and (len(at_work) >= threads or held_bytes + block.size_bytes > AHEAD_BYTES):
                size_bytes, done = at_work.popleft()
                held_bytes -= size_bytes
                yield done.result()
            at_work.append((block.size_bytes, pool.submit(work, block)))
            held_bytes += block.size_bytes
        while at_work:
            yield at_work.popleft()[1].result()
