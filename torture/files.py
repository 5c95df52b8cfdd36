"""Mutated images and settings files, under limits of memory and time."""

from __future__ import annotations

import bz2
import io
import multiprocessing
import os
import random
import resource
import shutil
import signal
import subprocess
import tarfile
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any, Literal

from tests.builders.xrays import holding

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.errors import MintSeedError, OutsideError
from mintseed.core.image.pack import packed
from mintseed.core.image.packing import Packing
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import fill_files
from mintseed.core.settings.repair import look_at
from mintseed.core.settings.values import SettingValues
from mintseed.services import fill_image, inspect_image
from mintseed.standins.forge.build import FIRST_MIB, build_disk
from mintseed.standins.forge.sources import DEMO_IMAGES
from torture.outcome import Outcome

MEMORY_BYTES = 2 * 1024**3
TOLD_EVERY = 500
IMAGE_S, SETTINGS_S = 100, 10
"""seconds one reading, one file may take: looking has a minute, then a last tool may end."""

MIB = 1024 * 1024

ROOT_MIB = 12
SMALL: tuple[tuple[int, Literal[16, 32]], ...] = ((36, 32), (8, 16))
"""MiB of the boot volume and bits of its FAT, of the images that are mutated in turn"""

VALUES = SettingValues(
    host_name="press", country="GB", time_zone="Europe/London", keyboard="gb", way="wifi", ssid="Quay House 2G",
    passphrase="spring tide at noon", admin_name="keeper", admin_hash="$6$made$up",
)  # fmt: skip

NASTY = (
    b"", b" ", b"\n", b"\r\n", b"\r", b"\0", b"#", b'"', b"'", b"`", b"$(", b"\\", b"{", b"}", b"=", b"network={", b"}\n", b"[wifi]\n",
    b"ssid=", b"psk=", b'psk="', b"country=GB\n", b"\xff\xfe", b"\xef\xbb\xbf", b"\xe2\x80\xae", b"\x1b[2J", b"A=1\n", b"HOST_NAME=",
)  # fmt: skip


def mutated(data: bytes, dice: random.Random, spots: Sequence[tuple[int, int]]) -> bytes:
    """Return `data` with some bytes changed inside `spots` (start, end), where the structures lie."""
    changed = bytearray(data)
    for _ in range(dice.choice((1, 1, 2, 4, 16, 64, 512))):
        start, end = dice.choice(spots)
        at = dice.randrange(start, min(end, len(changed)))
        kind = dice.randrange(4)
        if kind == 0:
            changed[at] = dice.randrange(256)
        elif kind == 1:
            changed[at] ^= 1 << dice.randrange(8)
        elif kind == 2:
            length = dice.choice((2, 4, 8, 32))
            changed[at : at + length] = dice.choice((b"\xff", b"\0", b"\x7f")) * len(changed[at : at + length])
        else:
            other = dice.randrange(start, min(end, len(changed)))
            changed[at : at + 32] = changed[other : other + len(changed[at : at + 32])]
    if dice.random() < 0.05:
        del changed[dice.randrange(1, len(changed)) :]
    return bytes(changed)


def _limited(work: Any, arguments: tuple[Any, ...], answer: Any, seconds: int) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    signal.alarm(seconds)
    try:
        answer.send(work(*arguments))
    except OutsideError as error:
        answer.send(f"harm: the disk is blamed: {error.sentence()[:120]}")
    except MintSeedError as error:
        answer.send(f"refused: {type(error).__name__}")
    except BaseException as error:
        answer.send(f"harm: {type(error).__name__}: {str(error)[:120]}")


def under_limits(work: Any, arguments: tuple[Any, ...], seconds: int) -> str:
    """Run `work` in a process of its own; return what it said, or how it died."""
    context = multiprocessing.get_context("fork")
    ours, theirs = context.Pipe(duplex=False)
    child = context.Process(target=_limited, args=(work, arguments, theirs, seconds))
    child.start()
    theirs.close()
    try:
        return str(ours.recv())
    except EOFError:
        child.join()
        return f"harm: died of signal {-(child.exitcode or 0)} (14: it hung)"
    finally:
        child.join()
        ours.close()


def _read(folder: Path, name: str) -> str:
    library = LibraryFolder(folder, folder / "scratch")
    xray = inspect_image.execute(name, library=library, tools=OffsetVolumeTools(), recipes=wiring.recipes().values())
    fill_files(wiring.recipes()["platen"], VALUES, xray)
    with fill_image.execute(xray, (), library=library, tools=OffsetVolumeTools(), only_used=True) as image:
        if any(begins < 0 or begins + length > xray.unpacked_bytes for begins, length in image.left):
            return "harm: more is left out than there is"
    unforeseen = [f for f in xray.findings if "unforeseen" in f.detail]
    return "read, a part of it unforeseen" if unforeseen else "read with findings" if len(xray.findings) > 1 else "read"


def images(times: int, seed: int, side_by_side: int = 1) -> Outcome:
    """Read an image with bytes of its structures changed, `times` times: every other one of it as it is, of the rest the packed file, in every packing;
    and ask each what of it need not be written. Each number of a seed is the same image, however many are read `side_by_side`."""
    outcome, began = Outcome("mutated images, every other one packed"), time.monotonic()
    if side_by_side < 2:
        outcome = _some_images(range(times), seed)
    else:
        with ProcessPoolExecutor(side_by_side) as workers:
            # In twos: what is packed is refused sooner than what is not.
            shares = [[n for n in range(times) if n // 2 % side_by_side == one] for one in range(side_by_side)]
            for part in workers.map(_some_images, shares, [seed] * side_by_side):
                outcome.add(part)
    outcome.took_s = time.monotonic() - began
    return outcome


def _some_images(numbers: Iterable[int], seed: int) -> Outcome:
    outcome = Outcome("mutated images, every other one packed")
    with tempfile.TemporaryDirectory(prefix="torture-") as text:
        folder = Path(text)

        @cache
        def small(turn: int) -> bytes:
            return _small_image(folder, *SMALL[turn])

        @cache
        def as_packed(turn: int, packing: int) -> bytes:
            return PACKINGS[packing](small(turn))

        for number in numbers:
            dice = random.Random(f"{seed} {number}")
            name = "platen-3.2-64.img.xz"  # a recipe knows it by this name; how it is packed is told by its content
            turn, packing = divmod(number // 2, len(PACKINGS))
            turn %= len(SMALL)
            file = as_packed(turn, packing) if number % 2 else b""
            ends = [(0, min(4096, len(file))), (max(0, len(file) - 4096), len(file)), (0, len(file))]
            whole, boot_mib = small(turn), SMALL[turn][0]
            spots = _spots(boot_mib, len(whole))
            (folder / name).write_bytes(mutated(file, dice, ends) if file else mutated(whole, dice, spots))
            _count(outcome, under_limits(_read, (folder, name), IMAGE_S), f"image {number} of seed {seed}")
            if number % TOLD_EVERY == 0:
                print(f"  image {number}: {len(outcome.harm)} harmed", flush=True)
        left = list((folder / "scratch").glob("*"))
        if left:
            outcome.harm.append(f"{len(left)} scratch files left")
    return outcome


def _alone(packing: Packing) -> Callable[[bytes], bytes]:
    return lambda whole: b"".join(packed(iter([whole]), packing))


def _zip(content: bytes, name: str) -> bytes:
    with io.BytesIO() as file:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
            archive.writestr(name, content)
            archive.writestr("readme.txt", "made up")
        return file.getvalue()


def _tar(content: bytes, name: str) -> bytes:
    with io.BytesIO() as file:
        with tarfile.open(fileobj=file, mode="w:gz", compresslevel=1) as tar:
            inner = tarfile.TarInfo(name)
            inner.size = len(content)
            tar.addfile(inner, io.BytesIO(content))
        return file.getvalue()


def _seven(whole: bytes) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "kiosk.img").write_bytes(whole)
        subprocess.run(["7z", "a", "-mx=1", "a.7z", "kiosk.img"], cwd=folder, check=True, capture_output=True)
        return (Path(folder) / "a.7z").read_bytes()


_gzip = _alone(Packing.GZIP)
PACKINGS: tuple[Callable[[bytes], bytes], ...] = (
    lambda whole: bz2.compress(whole, 1),
    _gzip,
    _alone(Packing.XZ),
    _alone(Packing.ZSTD),
    lambda whole: _zip(whole, "kiosk.img"),
    lambda whole: _tar(whole, "kiosk.img"),
    lambda whole: _zip(_gzip(whole), "kiosk.img.gz"),
    lambda whole: _tar(_gzip(whole), "kiosk.img.gz"),
    *((_seven,) if shutil.which("7z") else ()),
)
"""every packing that is read, archives in and around other packings too"""


def _small_image(folder: Path, boot_mib: int, fat_bits: Literal[16, 32]) -> bytes:
    platen = next(s for s in DEMO_IMAGES if s.file == "platen-3.2-64.img.xz")
    spec = replace(platen, boot_mib=boot_mib, root_mib=ROOT_MIB, fat_bits=fat_bits)
    with tempfile.TemporaryDirectory(dir=folder) as work:
        disk = Path(work) / "disk"
        build_disk(spec, disk, Path(work))
        return disk.read_bytes()


def _spots(boot_mib: int, size_bytes: int) -> list[tuple[int, int]]:
    """Return where the structures of such an image lie: tables at both ends, the head of the FAT, its tables, superblock and groups of the ext4."""
    boot, root = FIRST_MIB * MIB, (FIRST_MIB + boot_mib) * MIB
    return [
        (0, 1024), (440, 512), (boot, boot + 512), (boot, boot + 64 * 1024), (boot, boot + 2 * MIB), (root + 1024, root + 2048),
        (root, root + 64 * 1024), (root, root + 2 * MIB), (size_bytes - MIB, size_bytes), (size_bytes - 8 * MIB, size_bytes),
    ]  # fmt: skip


def _judge(files: list[tuple[str, bytes]]) -> str:
    for dialect, data in files:
        began = time.process_time()
        with suppress(MintSeedError):
            look_at(data, "a.conf", dialect)
            DIALECTS[dialect].means(data.decode("utf-8", "replace"), "a.conf", None).sentence()
        for recipe in wiring.recipes().values():
            for one in fill_files(recipe, VALUES, holding({f.path: data for f in recipe.files})):
                if one.content != data and one.findings == ():
                    return f"harm: {one.path} changed without a finding"
        if time.process_time() - began > SETTINGS_S:
            return f"harm: {len(data)} bytes took {time.process_time() - began:.0f} s"
    return "judged and filled"


def settings(times: int, seed: int) -> Outcome:
    """Judge and fill settings files put together from the images' own and from what hurts, `times` times."""
    outcome, dice, began = Outcome("mutated settings files"), random.Random(seed), time.monotonic()
    own = [text.encode() for spec in DEMO_IMAGES for text in spec.boot_files.values()]
    batch: list[tuple[str, bytes]] = []
    for number in range(times):
        data = bytearray(dice.choice(own))
        for _ in range(dice.choice((1, 2, 4, 12))):
            at = dice.randrange(len(data) + 1)
            piece = dice.choice(NASTY) * dice.choice((1, 1, 1, 3, 2000, 60_000))
            data[at:at] = piece[: 300_000 - len(data)] if len(data) < 300_000 else b""
        batch.append((dice.choice(list(DIALECTS)), bytes(data)))
        if len(batch) == 50 or number == times - 1:
            _count(
                outcome,
                under_limits(_judge, (batch,), SETTINGS_S * len(batch)),
                f"files up to {number} of seed {seed}",
                len(batch),
            )
            batch = []
    outcome.took_s = time.monotonic() - began
    return outcome


def _count(outcome: Outcome, said: str, which: str, how_many: int = 1) -> None:
    outcome.tried += how_many
    if said.startswith("harm"):
        outcome.harm.append(f"{which}: {said}")
    for _ in range(how_many):
        outcome.note("harmed" if said.startswith("harm") else said)


if __name__ == "__main__":
    os.nice(5)
    print(images(20, 1).row())
    print(settings(500, 1).row())
