"""Which channels each country lets a radio listen on, as the wireless regulatory database has it: the judge of core/site/channels.txt, and what wrote it.

python -m tests.builders.regdb /lib/firmware/regulatory.db > src/mintseed/core/site/channels.txt

The database is Debian's package wireless-regdb. Format: Linux, net/wireless/reg.c (fwdb_header, fwdb_country, fwdb_collection, fwdb_rule).
"""

from __future__ import annotations

import struct
import sys
from pathlib import Path

from mintseed.core.site.channels import CHANNELS

PLACES = (Path("/lib/firmware/regulatory.db"), Path("/lib/firmware/regulatory.db-debian"))
MAGIC, VERSION = 0x52474442, 20
WIDE_KHZ = 20_000


def ranges(data: bytes) -> dict[str, list[tuple[int, int]]]:
    """Return the ranges of frequencies in kHz of each country, by its two letters."""
    magic, version = struct.unpack_from(">II", data)
    assert (magic, version) == (MAGIC, VERSION), (hex(magic), version)
    found: dict[str, list[tuple[int, int]]] = {}
    at = 8
    while True:
        letters, pointer = struct.unpack_from(">2sH", data, at)
        if pointer == 0:
            return found
        collection = pointer * 4
        length, rules = struct.unpack_from(">BB", data, collection)
        first = collection + (length + 1) // 2 * 2
        found[letters.decode("ascii")] = [
            struct.unpack_from(">II", data, rule * 4 + 4)
            for rule in struct.unpack_from(f">{rules}H", data, first)
        ]  # fmt: skip
        at += 4


def channels(allowed: list[tuple[int, int]]) -> list[int]:
    """Return the channels that lie wholly in what is allowed; ranges that touch are one."""
    joined: list[tuple[int, int]] = []
    for start, end in sorted(allowed):
        if joined and start <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(end, joined[-1][1]))
        else:
            joined.append((start, end))
    half = WIDE_KHZ // 2
    return [
        c for c, mhz in CHANNELS.items() if any(a <= mhz * 1000 - half and mhz * 1000 + half <= b for a, b in joined)
    ]


def table(data: bytes) -> str:
    """Return the whole table, a line a country: its letters, and runs of channels that follow each other in the list of all."""
    lines = []
    for letters, allowed in sorted(ranges(data).items()):
        if letters.isalpha():
            lines.append(f"{letters} {' '.join(_runs(channels(allowed)))}\n")
    return "".join(lines)


def _runs(numbers: list[int]) -> list[str]:
    every, runs = list(CHANNELS), list[list[int]]()
    for number in numbers:
        if runs and every.index(number) == every.index(runs[-1][-1]) + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return [f"{run[0]}-{run[-1]}" if len(run) > 1 else str(run[0]) for run in runs]


if __name__ == "__main__":
    print(table(Path(sys.argv[1]).read_bytes()), end="")
