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


def by_hand(packed: Path, unpack: str, target: Path) -> None:
    """What a careful person types: checksum, unpack onto the card, compare."""
    shell(
        f"sha256sum {packed}; {unpack} {packed} | dd of={target} bs=4M conv=fsync status=none; {unpack} {packed} | cmp - {target}"
    )


def write_rows(folder: Path, size_mib: int) -> list[str]:
    image = build(folder / "write.img", size_mib, SETTINGS)
    rows = []
    for packing, unpack in UNPACKERS.items():
        packed, target = pack(image, packing), folder / "card"
        hand_s, ours_s, peaks = [], [], []
        for _ in range(ROUNDS):
            # The card starts empty for either, so that neither gets its blocks for nothing.
            target.write_bytes(b"")
            hand_s.append(timed(lambda p=packed, u=unpack, t=target: by_hand(p, u, t)))  # type: ignore[misc]
            target.write_bytes(b"")
            seconds, peak = ours("write", packed, target)
            ours_s.append(seconds)
            peaks.append(peak)
        ratio = statistics.median(ours_s) / statistics.median(hand_s)
        held = "yes" if ratio <= WRITE_TARGET else "**no**"
        rows.append(
            f"| .{packing}, {packed.stat().st_size / 1e6:.0f} MB packed | {statistics.median(hand_s):.2f} | "
            f"{statistics.median(ours_s):.2f} | **{ratio:.2f}** | {WRITE_TARGET} | {held} | {max(peaks) / 1e6:.0f} MB |"
        )
        packed.unlink()
        print(rows[-1], flush=True)
    image.unlink()
    return rows


def xray_row(folder: Path, size_mib: int) -> str:
    image = build(folder / "xray.img", size_mib, SETTINGS)
    packed = pack(image, "xz")
    image.unlink()
    whole_s = statistics.median(timed(lambda: shell(f"xz -dc {packed} > /dev/null")) for _ in range(ROUNDS))
    runs = [ours("xray", packed) for _ in range(ROUNDS)]
    boot_s = statistics.median(s for s, _ in runs)
    ratio = boot_s / whole_s
    held = "yes" if ratio <= XRAY_TARGET else "**no**"
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
    head = "| what | by hand, s | ours, s | ratio | target | held | peak memory |\n|---|---|---|---|---|---|---|\n"
    text = f"""# Benchmarks

Ratios of one run on one machine; the seconds alone mean little elsewhere. Made by `make bench`
(`python -m bench --size-mib {arguments.size_mib} --xray-mib {arguments.xray_mib}`) on {datetime.now(UTC):%Y-%m-%d},
{os.cpu_count()} cores, Python {platform.python_version()}, median of {ROUNDS} rounds.

## Write a card and prove it

By hand: `sha256sum`, `xz -dc | dd conv=fsync`, then `xz -dc | cmp`. Ours: fill the settings, check the download's
SHA-256, write, flush, read back and compare. Image of {arguments.size_mib} MiB, target a file on the same disk.

{head}{chr(10).join(writes)}

Memory target: under {MEMORY_TARGET_BYTES // 10**6} MB, whatever the image's size.

## X-ray of the boot volume of a packed image

By hand: the whole image unpacked once (`xz -dc > /dev/null`). Ours reads no further than the end of the boot volume.

{head}{xray}
"""
    (PROJECT / "docs" / "benchmarks.md").write_text(text)


if __name__ == "__main__":
    main()
