"""All threads take from one heap once it was asked for, as the C library itself says by malloc_info(3); and from several where it was not."""

from __future__ import annotations

import ctypes
import subprocess
import sys
from pathlib import Path

import pytest

_COUNT = """
import ctypes, sys, threading
from mintseed.adapters.one_heap import use_one_heap
if sys.argv[1] == "one":
    use_one_heap()
together = threading.Barrier(4)
def hold():
    held = bytearray(100_000)
    together.wait()
for thread in [threading.Thread(target=hold) for _ in range(4)]:
    thread.start()
c = ctypes.CDLL(None)
c.fopen.restype, c.malloc_info.argtypes, c.fclose.argtypes = ctypes.c_void_p, (ctypes.c_int, ctypes.c_void_p), (ctypes.c_void_p,)
file = c.fopen(sys.argv[2].encode(), b"w")
c.malloc_info(0, file)
c.fclose(file)
"""


@pytest.mark.skipif(not hasattr(ctypes.CDLL(None), "malloc_info"), reason="this C library tells nothing of its heaps")
@pytest.mark.parametrize(("asked", "one"), [("one", True), ("as it is", False)])
def test_threads_share_a_heap_where_it_was_asked_for(asked: str, one: bool, tmp_path: Path) -> None:
    subprocess.run([sys.executable, "-c", _COUNT, asked, tmp_path / "said"], check=True)
    heaps = (tmp_path / "said").read_text().count("<heap nr=")
    assert (heaps == 1) is one, heaps
