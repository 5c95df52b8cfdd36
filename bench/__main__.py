"""Benchmarks: our pipeline against the same by hand, as ratios in one run on one machine. Writes docs/benchmarks.md.

usage: python -m bench [--size-mib N] [--xray-mib N]
"""

from __future__ import annotations

import argparse
import json
import os
import platform
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from bench.images import BOOT_MIB, build, pack

PROJECT = Path(__file__).resolve().parents[1]
ROUNDS = 3
WRITE_TARGET, XRAY_TARGET, MEMORY_TARGET_BYTES = 0.55, 0.15, 200_000_000
UNPACKERS = {"xz": "xz -dc", "gz": "gzip -dc", "zst": "zstd -qdc"}

SETTINGS = '#country=ZZ\n#network={\n#    ssid="name"\n#    psk="passphrase"\n#}\n'


def timed(work: Callable[[], object]) -> float:
    started = time.monotonic()
    work()
    return time.monotonic() - started


def shell(command: str) -> None:
    subprocess.run(["bash", "-euo", "pipefail", "-c", command], check=True, stdout=subprocess.DEVNULL)


def ours(*arguments: str | Path) -> tuple[float, int]:
    """Run our pipeline in a process of its own; return seconds and peak memory in bytes."""
    done = subprocess.run(
        [sys.executable, "-m", "bench.ours", *map(str, arguments)],
        capture_output=True,
        text=True,
        check=True,
        cwd=PROJECT,
    )
    said = json.loads(done.stdout)
    return float(said["seconds"]), int(said["peak_bytes"])


def by_hand(packed: Path, unpack: str, target: Path, *, from_medium: bool) -> None:
    """What a careful person types: checksum, unpack onto the card, compare; `from_medium` drops the cache before that,
    as taking the card out and putting it back would, so that the comparison reads what is really there."""
    drop = f"dd if={target} iflag=nocache count=0 status=none; " if from_medium else ""
    shell(
        f"sha256sum {packed}; {unpack} {packed} | dd of={target} bs=4M conv=fsync status=none; {drop}{unpack} {packed} | cmp - {target}"
    )


def write_rows(folder: Path, size_mib: int) -> list[str]:
    image = build(folder / "write.img", size_mib, SETTINGS)
    rows = []
    for packing, unpack in UNPACKERS.items():
        packed, target = pack(image, packing), folder / "card"
        cached_s, medium_s, ours_s, peaks = [], [], [], []
        for _ in range(ROUNDS):
            # The card starts empty each time, so that nobody gets its blocks for nothing.
            for times, from_medium in ((cached_s, False), (medium_s, True)):
                target.write_bytes(b"")
                times.append(timed(partial(by_hand, packed, unpack, target, from_medium=from_medium)))
            target.write_bytes(b"")
            seconds, peak = ours("write", packed, target)
            ours_s.append(seconds)
            peaks.append(peak)
        rows.append(
            _row(f".{packing}, {packed.stat().st_size / 1e6:.0f} MB packed", cached_s, medium_s, ours_s, max(peaks))
        )
        packed.unlink()
        print(rows[-1], flush=True)
    image.unlink()
    return rows


def _row(what: str, cached_s: list[float], medium_s: list[float], ours_s: list[float], peak_bytes: int) -> str:
    cached, medium, our = (statistics.median(times) for times in (cached_s, medium_s, ours_s))
    held = "yes" if our / cached <= WRITE_TARGET else "no"
    return (
        f"| {what} | {cached:.2f} | {medium:.2f} | {our:.2f} | **{our / cached:.2f}** | {our / medium:.2f} | {WRITE_TARGET} | "
        f"{held} | {peak_bytes / 1e6:.0f} MB |"
    )


def xray_row(folder: Path, size_mib: int) -> str:
    image = build(folder / "xray.img", size_mib, SETTINGS)
    packed = pack(image, "xz")
    image.unlink()
    whole_s = statistics.median(timed(lambda: shell(f"xz -dc {packed} > /dev/null")) for _ in range(ROUNDS))
    runs = [ours("xray", packed) for _ in range(ROUNDS)]
    boot_s = statistics.median(s for s, _ in runs)
    ratio = boot_s / whole_s
    held = "yes" if ratio <= XRAY_TARGET else "no"
    peak = max(p for _, p in runs)
    return f"| .xz, {size_mib} MiB image, {BOOT_MIB} MiB boot volume | {whole_s:.2f} | {boot_s:.2f} | **{ratio:.2f}** | {XRAY_TARGET} | {held} | {peak / 1e6:.0f} MB |"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--size-mib", type=int, default=1536)
    parser.add_argument("--xray-mib", type=int, default=3072)
    arguments = parser.parse_args()
    (PROJECT / "var").mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory(dir=PROJECT / "var", prefix="bench-") as name:
        folder = Path(name)
        writes = write_rows(folder, arguments.size_mib)
        xray = xray_row(folder, arguments.xray_mib)
        print(xray, flush=True)
    text = f"""# Benchmarks

Ratios of one run on one machine; the seconds alone mean little elsewhere. Made by `make bench`
(`python -m bench --size-mib {arguments.size_mib} --xray-mib {arguments.xray_mib}`) on {datetime.now(UTC):%Y-%m-%d},
{os.cpu_count()} cores, Python {platform.python_version()}, median of {ROUNDS} rounds.

## Write a card and prove it

By hand: `sha256sum`, `xz -dc | dd conv=fsync`, then `xz -dc | cmp`. Typed like that, `cmp` compares with what the system
still holds in memory, not with the card; the second column drops that memory first, as taking the card out and putting
it back does. Ours fills the settings, checks the download's SHA-256, writes, flushes, drops the memory, reads back from the
medium and compares. Image of {arguments.size_mib} MiB, target a file on the same disk.

| what | by hand, s | by hand, read from the medium, s | ours, s | ratio | ratio to the medium | target | held | peak memory |
|---|---|---|---|---|---|---|---|---|
{chr(10).join(writes)}

Memory target: under {MEMORY_TARGET_BYTES // 10**6} MB, whatever the image's size.

## X-ray of the boot volume of a packed image

By hand: the whole image unpacked once (`xz -dc > /dev/null`). Ours reads no further than the end of the boot volume.

| what | by hand, s | ours, s | ratio | target | held | peak memory |
|---|---|---|---|---|---|---|
{xray}
"""
    (PROJECT / "docs" / "benchmarks.md").write_text(text)


if __name__ == "__main__":
    main()
