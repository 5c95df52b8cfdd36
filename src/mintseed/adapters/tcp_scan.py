"""Which addresses take a TCP connection: many at once, each within a short time, the whole within a longer one."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Sequence

AT_ONCE = 128
"""connections tried at the same time: gentle enough for a home router, a /24 in a few seconds."""

CONNECT_S = 0.6
"""seconds one address has to answer; on one's own network it takes milliseconds (common practice)."""

WHOLE_S = 30.0
"""seconds a scan may take in all."""


class TcpScan:
    """Implements ports.Scanner. Connects and closes; sends nothing."""

    def answering(
        self, addresses: Sequence[str], ports: Sequence[int], stopped: Callable[[], bool]
    ) -> tuple[tuple[str, int], ...]:
        return asyncio.run(_scan([(a, p) for a in addresses for p in ports], stopped))


async def _scan(targets: Sequence[tuple[str, int]], stopped: Callable[[], bool]) -> tuple[tuple[str, int], ...]:
    found: list[tuple[str, int]] = []
    waiting = iter(targets)

    async def work() -> None:
        for target in waiting:
            if stopped():
                return
            if await _answers(*target):
                found.append(target)

    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(WHOLE_S):
            await asyncio.gather(*(work() for _ in range(min(AT_ONCE, len(targets)))))
    return tuple(sorted(found, key=targets.index))


async def _answers(address: str, port: int) -> bool:
    try:
        async with asyncio.timeout(CONNECT_S):
            _, writer = await asyncio.open_connection(address, port)
    except (OSError, TimeoutError):
        return False
    writer.close()
    with contextlib.suppress(OSError):
        await writer.wait_closed()
    return True
