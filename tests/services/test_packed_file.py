"""A packed image is what the usual tools unpack, byte for byte: gzip(1), xz(1), zstd(1)."""

from __future__ import annotations

import hashlib
import random
import shutil
import subprocess
from pathlib import Path

import pytest

from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import OutsideError
from mintseed.core.image.pack import ENDINGS
from mintseed.core.image.packing import Packing, detect
from mintseed.services import packed_file

DATA = random.Random(4).randbytes(1_300_000) + bytes(2_000_000) + b"end"
PIECES = [DATA[at : at + 500_001] for at in range(0, len(DATA), 500_001)]
TOOLS = {Packing.RAW: "cat", Packing.GZIP: "gzip", Packing.XZ: "xz", Packing.ZSTD: "zstd"}


@pytest.mark.parametrize("packing", ENDINGS)
def test_the_usual_tools_unpack_it(tmp_path: Path, packing: Packing) -> None:
    told = list[Progress]()
    with (tmp_path / "out").open("w+b") as file:
        made = packed_file.write(file, iter(PIECES), packing, tell=told.append)
    found = (tmp_path / "out").read_bytes()
    assert detect(found[:512]) is packing
    assert (made.size_bytes, made.sha256) == (len(found), hashlib.sha256(found).hexdigest())
    assert made.image_bytes == len(DATA)
    assert (told[-1].phase, told[-1].done_bytes) == (Phase.COMPARING, len(DATA))
    if packing is not Packing.RAW:
        assert len(found) < 1_400_000
        tool = TOOLS[packing]
        if shutil.which(tool) is None:
            pytest.skip(f"no {tool} here")
        assert subprocess.run([tool, "-dc"], input=found, capture_output=True, check=True).stdout == DATA


def test_a_disk_that_gives_back_other_bytes_is_found_out(tmp_path: Path) -> None:
    with (tmp_path / "out").open("w+b") as file:

        class Flips:
            """Stores one byte wrong."""

            def __init__(self) -> None:
                self.seek, self.read, self.flush = file.seek, file.read, file.flush

            def write(self, data: bytes) -> None:
                file.write(data[:-1] + bytes([data[-1] ^ 1]))

        with pytest.raises(OutsideError, match="other bytes"):
            packed_file.write(Flips(), iter(PIECES), Packing.RAW, tell=lambda p: None)  # type: ignore[arg-type]
