"""Every test: those of the browser by themselves, as its event loop bars any other from its process, and beside them all others on
two processes. What the browser's said is shown at the end. python -m tests
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[1]
PYTEST = (sys.executable, "-m", "pytest")
OTHERS = (*PYTEST, "-n", "2", "--dist", "loadfile", "--no-loadscope-reorder", "--ignore", "tests/browser")
BROWSER = (*PYTEST, "tests/browser")

BROWSER_PLACE = "9"
"""number of the browser tests' home: no process of the others has it"""


def main() -> int:
    """Run both and return 0 where both passed."""
    began = time.monotonic()
    with tempfile.TemporaryFile() as said:
        browser = subprocess.Popen(
            BROWSER,
            cwd=PROJECT,
            env={**os.environ, "MINTSEED_TESTS_PLACE": BROWSER_PLACE},
            stdout=said,
            stderr=subprocess.STDOUT,
        )
        others = subprocess.Popen(OTHERS, cwd=PROJECT)
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
