"""A file in user space (fuse(4)) that stores what it is given and fails where it is told to: under a loop device it is a card that is dying.

usage: python -m tests.builders.failing_device FOLDER BACKING FAULTS   (FAULTS: a JSON file, read anew at every call)

Faults, each a place in bytes: `write_fails_at`, `read_fails_at` (EIO for whatever touches that byte), `full_at` (ENOSPC from there on), `flips_at`
(gives that byte back as another one); `sync_fails` (EIO for every fsync).
"""

from __future__ import annotations

import errno
import json
import os
import stat
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

NAME = "card"


def why_not() -> str:
    """Return why there can be none here, empty where there can."""
    if os.geteuid() != 0:
        return "a file system in user space is mounted by root here"
    if not Path("/dev/fuse").exists():
        return "no /dev/fuse"
    return ""


@contextmanager
def dying_card(folder: Path, size_bytes: int, content: bytes = b"") -> Iterator[tuple[str, Path]]:
    """Yield the loop device of a card, and the file its faults are written to. Raises OSError where there can be none."""
    mount, backing, faults = folder / "mount", folder / "medium", folder / "faults.json"
    mount.mkdir()
    backing.write_bytes(content.ljust(size_bytes, b"\xff"))
    faults.write_text("{}")
    server = subprocess.Popen([sys.executable, "-m", "tests.builders.failing_device", mount, backing, faults])
    try:
        until = time.monotonic() + 90
        while not (mount / NAME).exists():
            if server.poll() is not None or time.monotonic() > until:
                raise OSError("it was not mounted")
            time.sleep(0.02)
        made = subprocess.run(["losetup", "--show", "-f", mount / NAME], capture_output=True, text=True, check=False)
        if made.returncode:
            raise OSError(f"no loop device: {made.stderr.strip()}")
        try:
            yield made.stdout.strip(), faults
        finally:
            subprocess.run(["losetup", "-d", made.stdout.strip()], check=True)
    finally:
        subprocess.run(["umount", "-l", mount], check=False, capture_output=True)
        server.terminate()
        server.wait(20)


def serve(mount: Path, backing: Path, faults: Path) -> None:
    """Serve until it is unmounted."""
    import mfusepy

    descriptor = os.open(backing, os.O_RDWR)

    def now() -> dict[str, Any]:
        found: dict[str, Any] = json.loads(faults.read_text())
        return found

    def fail_within(at: int | None, offset: int, length: int, why: int) -> None:
        if at is not None and offset <= at < offset + length:
            raise mfusepy.FuseOSError(why)

    class Card(mfusepy.Operations):  # type: ignore[misc,name-defined,unused-ignore]
        use_ns = True

        def getattr(self, path: str, fh: int | None = None) -> dict[str, Any]:
            if path == "/":
                return {"st_mode": stat.S_IFDIR | 0o755, "st_nlink": 2}
            if path == f"/{NAME}":
                return {"st_mode": stat.S_IFREG | 0o600, "st_nlink": 1, "st_size": os.fstat(descriptor).st_size}
            raise mfusepy.FuseOSError(errno.ENOENT)

        def readdir(self, path: str, fh: int) -> list[str]:
            return [".", "..", NAME]

        def open(self, path: str, flags: int) -> int:
            return 0

        def read(self, path: str, size: int, offset: int, fh: int) -> bytes:
            wrong = now()
            fail_within(wrong.get("read_fails_at"), offset, size, errno.EIO)
            data = bytearray(os.pread(descriptor, size, offset))
            flip = wrong.get("flips_at", -1) - offset
            if 0 <= flip < len(data):
                data[flip] ^= 1
            return bytes(data)

        def write(self, path: str, data: bytes, offset: int, fh: int) -> int:
            wrong = now()
            fail_within(wrong.get("write_fails_at"), offset, len(data), errno.EIO)
            if offset + len(data) > wrong.get("full_at", offset + len(data)):
                raise mfusepy.FuseOSError(errno.ENOSPC)
            return os.pwrite(descriptor, data, offset)

        def fsync(self, path: str, datasync: bool, fh: int) -> int:
            if now().get("sync_fails"):
                raise mfusepy.FuseOSError(errno.EIO)
            os.fsync(descriptor)
            return 0

    mfusepy.FUSE(Card(), str(mount), foreground=True, nothreads=True, direct_io=True)


if __name__ == "__main__":
    serve(*(Path(given) for given in sys.argv[1:4]))
