"""Build an image: device trees by dtc, volumes by mkfs, the table by sfdisk, packed by xz or gzip."""

from __future__ import annotations

import hashlib
import json
import os
import random
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path

from mintseed.standins.board.boot import MANIFEST
from mintseed.standins.forge.sources import BoardTree, FirmwareSpec, ImageSpec

MIB = 1024 * 1024
FIRST_MIB = 4
"""MiB before the boot volume, the usual alignment of card images."""
GPT_TAIL_MIB = 1
KERNEL_MIB, SYSTEM_MIB = 3, 5
"""MiB of incompressible filler that stands for a kernel and for programs."""


def _run(*arguments: str | Path, stdin: str | None = None) -> None:
    done = subprocess.run(
        [str(a) for a in arguments], input=stdin, text=True, capture_output=True, check=False,
        env={**os.environ, "PATH": os.environ.get("PATH", "") + ":/usr/sbin:/sbin", "MTOOLS_SKIP_CHECK": "1"},
    )  # fmt: skip
    if done.returncode:
        raise RuntimeError(f"{arguments[0]} failed: {done.stderr.strip() or done.stdout.strip()}")


def kernel(bits: int, seed: str) -> bytes:
    """Return a stand-in kernel: the right magic number at its place, then filler.

    Source: Linux documentation, arm64 booting §4 and arm booting §5.
    """
    head = bytearray(64)
    if bits == 64:
        head[0x38:0x3C] = b"ARM\x64"
    else:
        head[0x24:0x28] = (0x016F2818).to_bytes(4, "little")
    return bytes(head) + random.Random(seed).randbytes(KERNEL_MIB * MIB)


def compile_tree(tree: BoardTree, folder: Path) -> None:
    """Compile a small device tree for one board into `folder`."""
    names = ", ".join(f'"{n}"' for n in tree.compatible)
    text = f'/dts-v1/;\n/ {{ model = "{tree.model}"; compatible = {names}; chosen {{ }}; memory@0 {{ reg = <0 0>; }}; }};\n'
    _run("dtc", "-q", "-I", "dts", "-O", "dtb", "-o", folder / tree.file, "-", stdin=text)


def _write_tree(folder: Path, files: dict[str, str]) -> None:
    for path, text in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_text(text)


def _boot_volume(spec: ImageSpec, work: Path) -> Path:
    tree = work / "boot"
    tree.mkdir()
    _write_tree(tree, spec.boot_files)
    (tree / f"kernel{spec.bits}.img").write_bytes(kernel(spec.bits, spec.file))
    for board in spec.boards:
        compile_tree(board, tree)
    volume = work / "boot.fat"
    _run(
        "mkfs.fat",
        "-C",
        "-F",
        str(spec.fat_bits),
        "-s",
        "1",
        "-n",
        f"{spec.appliance.upper()}BOOT"[:11],
        volume,
        str(spec.boot_mib * 1024),
    )
    _run("mcopy", "-s", "-i", volume, *sorted(tree.iterdir()), "::/")
    return volume


def _root_volume(spec: ImageSpec, work: Path) -> Path:
    tree = work / "root"
    tree.mkdir()
    _write_tree(tree, spec.root_files)
    if spec.manifest:
        _write_tree(tree, {MANIFEST: json.dumps(spec.manifest)})
    (tree / "usr/lib").mkdir(parents=True, exist_ok=True)
    (tree / "usr/lib/programs").write_bytes(random.Random(spec.file + "root").randbytes(SYSTEM_MIB * MIB))
    volume = work / "root.ext4"
    _run("mke2fs", "-q", "-t", "ext4", "-L", f"{spec.appliance}-root", "-d", tree, volume, f"{spec.root_mib}M")
    return volume


def build_disk(spec: ImageSpec, disk: Path, work: Path) -> None:
    """Build the unpacked image `disk`, with `work` for what it needs on the way."""
    boot, root = _boot_volume(spec, work), _root_volume(spec, work)
    root_at = FIRST_MIB + spec.boot_mib
    with disk.open("wb") as file:
        file.truncate((root_at + spec.root_mib + (GPT_TAIL_MIB if spec.scheme == "gpt" else 0)) * MIB)
    boot_type, root_type = ("0c", "83") if spec.scheme == "mbr" else ("EBD0A0A2-B9E5-4433-87C0-68B6B72699C7", "linux")
    names = (", name=boot", ", name=root") if spec.scheme == "gpt" else ("", "")
    table = (
        f"label: {'dos' if spec.scheme == 'mbr' else 'gpt'}\n"
        f"start={FIRST_MIB}MiB, size={spec.boot_mib}MiB, type={boot_type}{names[0]}\n"
        f"start={root_at}MiB, size={spec.root_mib}MiB, type={root_type}{names[1]}\n"
    )
    _run("sfdisk", "-q", "--no-reread", disk, stdin=table)
    for volume, at_mib in ((boot, FIRST_MIB), (root, root_at)):
        _run("dd", f"if={volume}", f"of={disk}", "bs=1M", f"seek={at_mib}", "conv=notrunc,sparse", "status=none")


def build_used_card(card: Path, size_bytes: int) -> None:
    """Make the sparse `card` as one that carried a system with a GPT and was emptied at its start: the backup still stands."""
    with card.open("wb") as file:
        file.truncate(size_bytes)
    _run("sfdisk", "-q", "--no-reread", card, stdin="label: gpt\ntype=linux\n")
    with card.open("r+b") as file:
        file.write(bytes(FIRST_MIB * MIB))


FIRMWARE_BYTES = 180 * 1024
FIRMWARE_MAGIC = b"FERN\x01\x03"


def build_image(spec: ImageSpec | FirmwareSpec, folder: Path) -> Path:
    """Build and pack one image into `folder` and return its path. It appears whole or not at all."""
    target = folder / spec.file
    if isinstance(spec, FirmwareSpec):
        fresh = folder / f".{spec.file}.part"
        fresh.write_bytes(FIRMWARE_MAGIC + random.Random(spec.file).randbytes(FIRMWARE_BYTES - len(FIRMWARE_MAGIC)))
        return fresh.replace(target)
    with tempfile.TemporaryDirectory(dir=folder, prefix=".forge-") as name:
        work = Path(name)
        disk = work / spec.file.rsplit(".", 1)[0]
        build_disk(spec, disk, work)
        if spec.file.endswith(".xz"):
            _run("xz", "-T1", "-1", "--block-size=16MiB", disk)
        elif spec.file.endswith(".gz"):
            _run("gzip", "-n", "-1", disk)
        (work / spec.file).replace(target)
    return target


_BUILDER = Path(__file__).read_text()
Spec = ImageSpec | FirmwareSpec
Tell = Callable[[int, int], None]
"""Called before each image with how many of how many are there; may raise to stop."""


def build_demo(specs: Sequence[Spec], folder: Path, tell: Tell = lambda done, total: None) -> None:
    """Build those of `specs` that `folder` does not hold yet, then publish their checksum lists beside them."""
    folder.mkdir(parents=True, exist_ok=True)
    for leftover in folder.glob(".forge-*"):
        shutil.rmtree(leftover)
    for place, spec in enumerate(specs):
        tell(place, len(specs))
        if not is_built(spec, folder):
            build_image(spec, folder)
            _stamp(spec, folder).write_text(spec_stamp(spec))
    lists: dict[str, list[str]] = {}
    for spec in specs:
        path = folder / spec.file
        lists.setdefault(spec.checksums, []).append(f"{hashlib.sha256(path.read_bytes()).hexdigest()}  {spec.file}\n")
    for name, rows in lists.items():
        # A list names every build of its release, and is written anew when one of them was.
        if _read(folder / name) != "".join(rows):
            (folder / name).write_text("".join(rows))
    tell(len(specs), len(specs))


def is_built(spec: Spec, folder: Path) -> bool:
    """Return whether `folder` holds what `spec` says now."""
    return (folder / spec.file).exists() and _read(_stamp(spec, folder)) == spec_stamp(spec)


def _stamp(spec: Spec, folder: Path) -> Path:
    return folder / f".{spec.file}.stamp"


def spec_stamp(spec: Spec) -> str:
    """Return what changes when the image would be built otherwise: its spec and this builder."""
    return hashlib.sha256(f"{spec!r}{_BUILDER}".encode()).hexdigest()


def _read(path: Path) -> str:
    try:
        return path.read_text()
    except OSError:
        return ""
