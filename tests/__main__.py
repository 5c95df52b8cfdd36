"""Every test: those of the browser by themselves, as its event loop bars any other from its process, and beside them all others on
two processes. What the browser's said is shown at the end. python -m tests

Their homes lie in memory where there is room: pretend cards, databases and whole applications are made and removed by the hundred, and a
disk under all that takes longer than the rest (measured). A test started by itself has its home under var/.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[1]
PYTEST = (sys.executable, "-m", "pytest")
OTHERS = (*PYTEST, "-n", "2", "--dist", "loadfile", "--no-loadscope-reorder", "--ignore", "tests/browser")
BROWSER = (*PYTEST, "tests/browser")

BROWSER_PLACE = "9"
"""number of the browser tests' home: no process of the others has it"""

MEMORY = Path("/dev/shm")
ROOM_BYTES = 8 * 10**9
"""twice what a whole run takes at its most (measured)"""


@contextlib.contextmanager
def room() -> Iterator[dict[str, str]]:
    """Return the environment of tests whose homes lie in memory, or on the disk where there is too little. They are gone afterwards."""
    # Tools that play others are run from there; some systems forbid it.
    runs = MEMORY.is_dir() and not os.statvfs(MEMORY).f_flag & os.ST_NOEXEC
    if not runs or not os.access(MEMORY, os.W_OK) or shutil.disk_usage(MEMORY).free < ROOM_BYTES:
        yield {}
        return
    # A short name: what lies in there are sockets too, whose paths may be 107 characters long (unix(7)).
    with tempfile.TemporaryDirectory(dir=MEMORY, prefix="ms-", ignore_cleanup_errors=True) as folder:
        yield {"MINTSEED_TESTS_ROOM": folder, "TMPDIR": folder}


def main() -> int:
    """Run both and return 0 where both passed."""
    began = time.monotonic()
    with tempfile.TemporaryFile() as said, room() as environment:
        environment = {**os.environ, **environment}
        browser = subprocess.Popen(
            BROWSER,
            cwd=PROJECT,
            env={**environment, "MINTSEED_TESTS_PLACE": BROWSER_PLACE},
            stdout=said,
            stderr=subprocess.STDOUT,
        )
        others = subprocess.Popen(OTHERS, cwd=PROJECT, env=environment)
        # Ctrl-C reaches both, which put away what they started; this waits for it.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        signal.signal(signal.SIGTERM, lambda *_: [one.send_signal(signal.SIGINT) for one in (browser, others)])
        statuses = {"the others": others.wait()}
        print(f"\nthe tests of the browser, begun {time.monotonic() - began:.0f} s ago", flush=True)
        statuses["the browser's"] = browser.wait()
        said.seek(0)
        sys.stdout.buffer.write(said.read())
    failed = [f"{name} ended with {status}" for name, status in statuses.items() if status]
    print(f"every test, in {time.monotonic() - began:.0f} s: {'; '.join(failed) or 'passed'}", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    raise SystemExit(main())
