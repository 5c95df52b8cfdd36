"""An image no recipe names, with a real system's shape on its root volume: read whole, and filled there while it is written."""

from __future__ import annotations

import os
import shutil
import statistics
from collections.abc import Callable
from pathlib import Path

from bench.images import MIB, _run, pack

FILES = 12_000
"""files of a general system (2026-08, a Debian system with a network manager and a web server)"""

ROUNDS = 3
READ_TARGET, WRITE_TARGET = 1.2, 1.1


def build(path: Path, size_mib: int, settings: str, settings_name: str, used: float = 2 / 3) -> Path:
    """Build the unpacked image: a small boot volume, and an ext4 of `FILES` files that fill `used` of it, half of them hard to pack."""
    boot_mib = 64
    root_mib = size_mib - boot_mib - 2
    tree = path.with_suffix(".tree")
    each = int(root_mib * MIB * used) // FILES
    line = b"drwxr-xr-x 2 root root 4096 usr/lib/module-%07d.so.1 needed by program %05d\n"
    texts = b"".join(line % (n * 7919, n * n % 99991) for n in range(each // 60))[:each]
    for n in range(FILES):
        file = tree / "usr" / "lib" / f"part-{n // 200}" / f"module-{n}.so"
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(os.urandom(each) if n % 2 else texts)
    starts = tree / "etc/systemd/system/multi-user.target.wants"
    for name, text in {
        "etc/hostname": "harbour\n", "etc/hosts": "127.0.0.1\tlocalhost\n127.0.1.1\tharbour\n", "etc/machine-id": "",
        "etc/nginx/sites-enabled/default": "server { listen 8080; }\n", "etc/NetworkManager/NetworkManager.conf": "[main]\n",
    }.items():  # fmt: skip
        (tree / name).parent.mkdir(parents=True, exist_ok=True)
        (tree / name).write_text(text)
    starts.mkdir(parents=True)
    for unit in ("NetworkManager", "nginx", "ssh"):
        (starts / f"{unit}.service").symlink_to(f"/usr/lib/systemd/system/{unit}.service")
    with path.open("wb") as disk:
        disk.truncate(size_mib * MIB)
    table = (
        f"label: dos\nstart=1MiB, size={boot_mib}MiB, type=c\nstart={1 + boot_mib}MiB, size={root_mib}MiB, type=83\n"
    )
    _run("sfdisk", "-q", "--no-reread", path, stdin=table)
    fat, ext, file_in = path.with_suffix(".fat"), path.with_suffix(".ext4"), path.with_suffix(".conf")
    _run("mkfs.fat", "-C", "-F", "32", fat, str(boot_mib * 1024))
    file_in.write_text(settings)
    _run("mcopy", "-i", fat, file_in, f"::/{settings_name}")
    _run("mke2fs", "-q", "-t", "ext4", "-d", tree, ext, f"{root_mib}M")
    _run("dd", f"if={fat}", f"of={path}", "bs=1M", "seek=1", "conv=notrunc", "status=none")
    _run("dd", f"if={ext}", f"of={path}", "bs=1M", f"seek={1 + boot_mib}", "conv=notrunc,sparse", "status=none")
    for rest in (fat, ext, file_in):
        rest.unlink()
    shutil.rmtree(tree)
    return path


def rows(
    folder: Path, size_mib: int, settings: str, settings_name: str,
    by_hand: Callable[[Path], float], ours: Callable[..., tuple[float, int]],
) -> list[str]:  # fmt: skip
    """Return the lines of the table. `by_hand`: seconds of unpacking a file once; `ours`: our own run, in seconds and bytes."""
    image = build(folder / "unknown.img", size_mib, settings, settings_name)
    packed = pack(image, "xz")
    image.unlink()
    once_s = statistics.median(by_hand(packed) for _ in range(ROUNDS))
    read = [ours("whole", packed) for _ in range(ROUNDS)]
    target = folder / "card"
    plain: list[tuple[float, int]] = []
    filled: list[tuple[float, int]] = []
    # In turns, so that what else the machine does meets both alike.
    for _ in range(ROUNDS):
        for times, verb in ((plain, "write-boot"), (filled, "write-root")):
            target.write_bytes(b"")
            times.append(ours(verb, packed, target))
    target.unlink()
    packed.unlink()
    return [
        _row("X-ray of the whole image, against unpacking it once", once_s, read, READ_TARGET),
        _row(
            "a card with the root volume filled, against the boot volume alone",
            statistics.median(s for s, _ in plain),
            filled,
            WRITE_TARGET,
        ),
    ]


def _row(what: str, against_s: float, runs: list[tuple[float, int]], target: float) -> str:
    seconds = statistics.median(s for s, _ in runs)
    ratio = seconds / against_s
    return (
        f"| {what} | {against_s:.2f} | {seconds:.2f} | **{ratio:.2f}** | {target} | {'yes' if ratio <= target else 'no'} | "
        f"{max(peak for _, peak in runs) / 1e6:.0f} MB |"
    )
