"""Benchmarks: our pipeline against the same by hand, as ratios in one run on one machine. Writes docs/benchmarks.md.

usage: python -m bench [--size-mib N] [--rounds N] [--xray-mib N] [--only write xray unknown cards small api]

Each part writes its own section; the others stay as they were when they were made.
"""

from __future__ import annotations

import argparse
import json
import os
import platform
import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from bench import api, unknown
from bench.images import BOOT_MIB, build, pack
from bench.images import SETTINGS as SETTINGS_NAME
from bench.small import bundle_row, check_row, find_row, fit_row, matrix_row, start_rows

PROJECT = Path(__file__).resolve().parents[1]
ROUNDS = 3
WRITE_TARGET, XRAY_TARGET, MEMORY_TARGET_BYTES = 0.55, 0.15, 150_000_000
UNPACKERS = {"xz": "xz -dc", "xz -6": "xz -dc", "gz": "gzip -dc", "zst": "zstd -qdc", "img": "cat"}
UNPACKED = "img"
"""for which nothing was asked: there is nothing to unpack, and the disk is all there is"""

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


def write_rows(folder: Path, size_mib: int, rounds: int) -> list[str]:
    image = unknown.build(folder / "write.img", size_mib, SETTINGS, SETTINGS_NAME, USED)
    rows = []
    for packing, unpack in UNPACKERS.items():
        packed, target = image if packing == UNPACKED else pack(image, packing), folder / "card"
        cached_s: list[float] = []
        medium_s: list[float] = []
        ours_s: list[float] = []
        peaks: list[int] = []
        for _ in range(rounds):
            # The card starts empty each time, so that nobody gets its blocks for nothing.
            for times, from_medium in ((cached_s, False), (medium_s, True)):
                target.write_bytes(b"")
                times.append(timed(partial(by_hand, packed, unpack, target, from_medium=from_medium)))
            target.write_bytes(b"")
            seconds, peak = ours("write", packed, target)
            ours_s.append(seconds)
            peaks.append(peak)
        target_ratio = None if packing == UNPACKED else WRITE_TARGET
        size = f".{packing}, {packed.stat().st_size / 1e6:.0f} MB"
        rows.append(_row(size, cached_s, medium_s, ours_s, max(peaks), target_ratio))
        packed.unlink()
        print(rows[-1], flush=True)
    return rows


def _row(
    what: str, cached_s: list[float], medium_s: list[float], ours_s: list[float], peak_bytes: int, target: float | None
) -> str:
    cached, medium, our = (statistics.median(times) for times in (cached_s, medium_s, ours_s))
    asked = "– | –" if target is None else f"{target} | {'yes' if our / cached <= target else 'no'}"
    return (
        f"| {what} | {cached:.2f} | {medium:.2f} | {our:.2f} | **{our / cached:.2f}** | {our / medium:.2f} | {asked} | "
        f"{peak_bytes / 1e6:.0f} MB |"
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


USED = 0.45
"""of an image is in use; the published ones looked at were a third to two thirds (common practice)"""

CARD_RATES_MB_S = (20, 45, 90)


def card_rows(folder: Path, size_mib: int) -> list[str]:
    """Cards of usual speeds: the target takes and gives only so much a second, for both sides (`pv -L` by hand)."""
    image = unknown.build(folder / "card.img", size_mib, SETTINGS, SETTINGS_NAME, USED)
    packed = pack(image, "xz")
    image.unlink()
    rows = []
    for rate in CARD_RATES_MB_S:
        target = folder / "card"
        target.write_bytes(b"")
        limit = f"pv -q -L {rate}000000"
        hand_s = timed(
            partial(
                shell,
                f"sha256sum {packed}; xz -dc {packed} | {limit} | dd of={target} bs=4M conv=fsync status=none; "
                f"dd if={target} iflag=nocache count=0 status=none; xz -dc {packed} | cmp - <({limit} {target})",
            )
        )
        target.write_bytes(b"")
        ours_s, _ = ours("write", packed, target, str(rate * 10**6))
        ratio = ours_s / hand_s
        rows.append(
            f"| {rate} MB/s | {hand_s:.1f} | {ours_s:.1f} | **{ratio:.2f}** | {WRITE_TARGET} | {'yes' if ratio <= WRITE_TARGET else 'no'} |"
        )
        print(rows[-1], flush=True)
    return rows


WHY_WRITE = """The blocks of the xz are unpacked side by side, as those of a file are that was packed with `-T0`; a file of one block is
unpacked in one thread. What is left of zst and of what is not packed: SHA-256 of the download, fsync and the real reading back, each beside
the others on a thread of its own."""

WHY_CARDS = """By hand the xz is unpacked twice, which at 90 MB/s is nearly all of the time; here once, its blocks side by side and beside the writing."""

WHY_EIGHT = """Where the time goes: a screen of one device asks a dozen small questions or more, each answered by MariaDB within a
millisecond, and Django's ORM takes up to two milliseconds of a core to compose each and make its rows. By py-spy (First boot): 70 %
is the ORM, a fifth of the whole waiting for MariaDB; what remains is judging, reading and writing JSON. Plan asks for most: everything
on the shelf, who uses each thing, and the ways out. With eight at once two web processes, MariaDB and the eight clients, written in
Python too, share two cores. The processes take connections in turn and few requests of one compute at once, in their order: before
that, up to seven of the eight were answered by the same process, and Bench took 213, Plan 276 ms (measured on 2026-12-01, minutes before)."""


def sections(asked: argparse.Namespace) -> dict[str, str]:
    """Make what was asked for; return each section's text by its title."""
    made: dict[str, str] = {}
    day = f"{datetime.now(UTC):%Y-%m-%d}"
    with tempfile.TemporaryDirectory(dir=PROJECT / "var", prefix="bench-") as name:
        folder = Path(name)
        if "write" in asked.only:
            rows = chr(10).join(write_rows(folder, asked.size_mib, asked.rounds))
            made[
                "Write a card and prove it"
            ] = f"""By hand: `sha256sum`, `xz -dc | dd conv=fsync`, then `xz -dc | cmp`. Typed like that, `cmp` compares with what the system
still holds in memory, not with the card; the second column drops that memory first, as taking the card out and putting
it back does. Ours fills the settings, checks the download's SHA-256, writes, flushes, drops the memory, reads back from the
medium and compares: what the image's volumes say is in use, {USED:.0%} of its root volume. Image of {asked.size_mib} MiB, target a file on the same disk, {"one round" if asked.rounds == 1 else f"median of {asked.rounds} rounds"}, in turns. {day}.

| what | by hand, s | by hand, read from the medium, s | ours, s | ratio | ratio to the medium | target | held | peak memory |
|---|---|---|---|---|---|---|---|---|
{rows}

Memory target: under {MEMORY_TARGET_BYTES // 10**6} MB, whatever the image's size. {WHY_WRITE}"""
        if "cards" in asked.only:
            rows = chr(10).join(card_rows(folder, asked.size_mib))
            made[
                "The time to a proven card, at three card speeds"
            ] = f"""The same on a target that takes and gives so much a second: what is in use is written and read back, {USED:.0%} of the image's root volume. One run, xz, {asked.size_mib} MiB. {day}.

| card | by hand, s | ours, s | ratio | target | held |
|---|---|---|---|---|---|
{rows}

{WHY_CARDS}"""
        if "xray" in asked.only:
            made[
                "X-ray of the boot volume of a packed image"
            ] = f"""By hand: the whole image unpacked once (`xz -dc > /dev/null`). Ours reads no further than the end of the boot volume. {day}.

| what | by hand, s | ours, s | ratio | target | held | peak memory |
|---|---|---|---|---|---|---|
{xray_row(folder, asked.xray_mib)}"""
        if "unknown" in asked.only:
            rows = chr(10).join(
                unknown.rows(
                    folder,
                    asked.xray_mib,
                    SETTINGS,
                    SETTINGS_NAME,
                    lambda f: timed(lambda: shell(f"xz -dc {f} > /dev/null")),
                    ours,
                )
            )
            made[
                "An image nobody described"
            ] = f"""Of {asked.xray_mib} MiB, .xz, {unknown.FILES} files on its ext4 root volume, no recipe. Reading: by hand `xz -dc > /dev/null`; ours reads, checks
and keeps what of the root volume is needed to fill it. Writing: with five files on the root volume filled, against the boot volume's one
alone; median of {unknown.ROUNDS} rounds in turns. {day}.

| what | against, s | ours, s | ratio | target | held | peak memory |
|---|---|---|---|---|---|---|
{rows}"""
    if "small" in asked.only:
        rows = chr(10).join([find_row(), check_row(), fit_row(), matrix_row(), bundle_row(), *start_rows()])
        made["Find, check, load, start"] = f"""{day}.

| what | measured | target | held |
|---|---|---|---|
{rows}"""
    if "api" in asked.only:
        screens, idle = api.run()
        made[
            "Answers with many devices"
        ] = f"""1,000 deployments, 50,000 log lines, 200 images. The 95th of a hundred answers in milliseconds over HTTP, with one client and with
eight at once; targets {api.TARGET_MS[1]:.0f} and {api.TARGET_MS[8]:.0f} ms. Statements and rows the database looked at (its own counters). {day}.

| asked for | alone, ms | eight, ms | held | statements | rows looked at | kB |
|---|---|---|---|---|---|---|
{chr(10).join(screens)}

{WHY_EIGHT}"""
        made[
            "Idle"
        ] = f"""Share of one core over {api.IDLE_S:.0f} s while nothing happens: with no screen open, and with one open. {day}.

| process | no screen | one screen | target | held | resident |
|---|---|---|---|---|---|
{chr(10).join(idle)}"""
    return made


TABLE = PROJECT / "docs" / "benchmarks.md"


def write(made: dict[str, str]) -> None:
    """Put the sections that were made into the document, in its order; what is new comes last."""
    text = TABLE.read_text() if TABLE.exists() else ""
    kept = dict(re.findall(r"^## (.+?)\n\n(.*?)(?=\n## |\Z)", text, re.M | re.S))
    whole = {**{title: body.strip() for title, body in kept.items()}, **made}
    head = f"""# Benchmarks

Made by `make bench`; each part says when. {os.cpu_count()} cores, Python {platform.python_version()}. Ratios of one run on one machine; seconds alone mean little
elsewhere.
"""
    TABLE.write_text(head + "".join(f"\n## {title}\n\n{body}\n" for title, body in whole.items()))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size-mib", type=int, default=1024)
    parser.add_argument("--rounds", type=int, default=ROUNDS, help="of the part `write`")
    parser.add_argument("--xray-mib", type=int, default=3072)
    parser.add_argument("--only", nargs="*", default=["write", "cards", "xray", "unknown", "small", "api"])
    (PROJECT / "var").mkdir(exist_ok=True)
    write(sections(parser.parse_args()))


if __name__ == "__main__":
    main()
