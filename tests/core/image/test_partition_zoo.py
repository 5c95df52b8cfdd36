"""Tables as their own makers make them, by chance: read as sgdisk(8) and sfdisk(8) read them. A slice here; the whole, with another seed
every time, by `make torture`."""

from __future__ import annotations

import os
import random
import re
from pathlib import Path

import pytest

from mintseed.core.image.partitions import PartitionTable, read_partition_table
from mintseed.core.source import BytesSource
from tests.builders.disks import MIB, partitioned, run, sfdisk_json

FIRST = int(os.environ.get("MINTSEED_SEED", "0"))
SEEDS = range(FIRST, FIRST + int(os.environ.get("MINTSEED_TABLES", "8")))

SIZE_MIB = 128
SECTORS = SIZE_MIB * MIB // 512
CODES = ("0700", "ef00", "8200", "8300", "8e00", "fd00", "8302", "0c01")
NAMES = ("boot", "root", "Wurzel ä", "数据", "a:b", "x" * 36, "")


def read(path: Path) -> PartitionTable:
    return read_partition_table(BytesSource(path.read_bytes()))


def pieces(dice: random.Random, most: int, first: int, last: int, apart: int) -> list[tuple[int, int]]:
    """Return first and last sectors of up to `most` pieces that do not touch, `apart` sectors between them at least."""
    at, found = first + dice.choice((0, 1, 7, 2048)), []
    for _ in range(dice.randint(1, most)):
        size = dice.choice((1, 3, 8, 63, 2048, dice.randint(1, 20_000)))
        if at + size - 1 > last:
            break
        found.append((at, at + size - 1))
        at += size + apart + dice.choice((0, 1, 5, 1000))
    return found


@pytest.mark.parametrize("seed", SEEDS)
def test_a_gpt_of_chance_agrees_with_sgdisk(tmp_path: Path, seed: int) -> None:
    dice = random.Random(seed)
    disk = tmp_path / "disk"
    with disk.open("wb") as file:
        file.truncate(SIZE_MIB * MIB)
    entries = dice.choice((128, 128, 56, 256))
    wanted = pieces(dice, 14, 2 + entries // 4, SECTORS - 2 - entries // 4, 0)
    numbers = dice.sample(range(1, entries + 1), len(wanted))
    asked = ["-o", "-S", str(entries), "-a", "1"]
    for number, (first, last) in zip(numbers, wanted, strict=True):
        asked += [
            "-n",
            f"{number}:{first}:{last}",
            "-t",
            f"{number}:{dice.choice(CODES)}",
            "-c",
            f"{number}:{dice.choice(NAMES)}",
        ]
    if hybrid := dice.random() < 0.3:
        asked += ["-h", ":".join(str(n) for n in sorted(numbers)[:3])]
    run("sgdisk", *asked, disk)
    found = read(disk)
    assert found.scheme == "gpt"
    told = {}
    for number in numbers:
        said = run("sgdisk", "-i", str(number), disk).decode()
        facts = dict(
            re.findall(
                r"^(Partition GUID code|First sector|Last sector|Partition name): '?(.*?)'?(?: \(.*\))?$",
                said,
                re.MULTILINE,
            )
        )
        told[number] = (
            int(facts["First sector"]),
            int(facts["Last sector"]),
            facts["Partition GUID code"],
            facts["Partition name"],
        )
    ours = {p.number: (p.start_lba, p.start_lba + p.sectors - 1, p.type_code, p.name) for p in found.partitions}
    assert ours == told
    if not hybrid:
        assert found.findings == ()


@pytest.mark.parametrize("seed", SEEDS)
def test_an_mbr_of_chance_agrees_with_sfdisk(tmp_path: Path, seed: int) -> None:
    dice = random.Random(seed)
    primaries = pieces(dice, 3, 2048, SECTORS // 3, 0)
    lines = ["label: dos"]
    for first, last in primaries:
        lines.append(f"start={first}, size={last - first + 1}, type={dice.choice(('c', '6', '83', '82', 'e0'))}")
    if dice.random() < 0.7:
        begin = SECTORS // 3 + 4096
        lines.append(f"start={begin}, size={SECTORS - begin - 10}, type={dice.choice(('5', 'f'))}")
        # Before each logical one lies the sector that leads to the next; sfdisk leaves it a whole MiB.
        lines += [
            f"start={first}, size={last - first + 1}, type=83"
            for first, last in pieces(dice, 9, begin + 2048, SECTORS - 100, 2048)
        ]
    disk = partitioned(tmp_path / "disk", "\n".join(lines) + "\n", SIZE_MIB)
    theirs = [
        (p["start"], p["size"], p["type"]) for p in sfdisk_json(disk)["partitions"] if p["type"] not in ("5", "f")
    ]
    found = read(disk)
    assert [(p.start_lba, p.sectors, p.type_code.lstrip("0x") or "0") for p in found.partitions] == theirs
    assert found.findings == ()
