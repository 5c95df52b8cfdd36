"""SHA-256 in a thread of its own, so that unpacking does not wait for it."""

from __future__ import annotations

import hashlib
import queue
import threading

WAITING_PIECES = 16
"""pieces that may wait to be hashed; bounds memory."""


class BackgroundSha256:
    """Takes bytes by `update`, gives their SHA-256 by `hexdigest`, which also ends the thread."""

    def __init__(self) -> None:
        self._digest = hashlib.sha256()
        self._waiting: queue.Queue[bytes | None] = queue.Queue(WAITING_PIECES)
        # A daemon: a stream that is left half-way must not keep the process alive.
        self._thread = threading.Thread(target=self._work, name="sha256", daemon=True)
        self._thread.start()

    def _work(self) -> None:
        while (piece := self._waiting.get()) is not None:
            self._digest.update(piece)

    def update(self, data: bytes) -> None:
        self._waiting.put(data)

    def close(self) -> None:
        """Wait until everything given is hashed, and end the thread. May be called again."""
        if self._thread.is_alive():
            self._waiting.put(None)
            self._thread.join()

    def hexdigest(self) -> str:
        self.close()
        return self._digest.hexdigest()
