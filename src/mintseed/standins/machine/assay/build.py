"""Assay, the made-up appliance of a machine bench: a Debian of today's packages, and one image a build of it.

All builds share one root volume. What tells them apart lies on the boot volume: which software is to read the network file, and with which
the first boot starts it. An image is packed as two .xz streams one after the other (xz(1), --concatenate: a file of several is read as one),
so that the large half is packed once.
"""

from __future__ import annotations

import fcntl
import hashlib
import lzma
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from mintseed.core.errors import OutsideError, ToolError
from mintseed.standins.machine.ground import dying_with_parent
from mintseed.standins.machine.needs import PATH

HERE = Path(__file__).resolve().parent
VERSION = "1.0"
BUILDS = (
    "wpa-supplicant",
    "keyfile",
    "key-value",
    "netplan",
    "cloud-init",
    "systemd-networkd",
    "interfaces",
    "iwd",
    "connman",
)

_MACHINE = ("systemd-sysv", "udev", "dbus", "linux-image-amd64", "initramfs-tools", "kmod", "iproute2", "tzdata", "wireless-regdb", "iw", "hostapd",
            "avahi-daemon", "libnss-mdns", "nginx-light", "wpasupplicant", "network-manager")  # fmt: skip
"""what every system here is made of: one that starts on a machine, with a radio cell around it"""

_AROUND = ("air", "watch", "few-parts", "syslinux.cfg", "assay-air.service", "assay-watch.service")
"""files that go into each"""


@dataclass(frozen=True)
class System:
    """A Debian made of `packages`, which the script `furnish` makes into what it is; `files` are those that script takes."""

    ident: str
    packages: tuple[str, ...]
    furnish: str
    files: tuple[str, ...]
    root_mib: int = 800

    @property
    def made_of(self) -> str:
        """A mark of what its root volume is made of: with other files or packages another one is built."""
        digest = hashlib.blake2b(repr((self.packages, LEFT_OUT, self.root_mib)).encode(), digest_size=5)
        for name in (*self.files, self.furnish):
            digest.update((HERE / name).read_bytes())
        return f"{self.ident}-{digest.hexdigest()}"


ASSAY = System(
    "assay", (*_MACHINE, "netplan.io", "cloud-init", "iwd", "connman", "ifupdown", "isc-dhcp-client", "openssh-server"), "furnish",
    (*_AROUND, "first", "assay-first.service"),
)  # fmt: skip
PLAIN = System("plain", _MACHINE, "furnish-plain", _AROUND)
"""a Debian as anybody would make it, with the network manager and a web server, that no recipe names"""
PLAIN_FILE = "potting-shed-4.2.img.xz"

LEFT_OUT = ("/usr/share/doc/*", "/usr/share/man/*", "/usr/share/locale/*",
            *(f"/lib/modules/*/kernel/{part}/*" for part in ("drivers/gpu", "drivers/media", "drivers/infiniband", "drivers/scsi", "drivers/net/ethernet", "sound", "fs/xfs")))  # fmt: skip
"""what no machine here has a use for"""

MIB = 1024 * 1024
BOOT_AT, BOOT_MIB = 1, 48
"""where the boot volume begins and how large it is, in MiB"""
DISK_ID, BOOT_ID, ROOT_ID = "0x5a5a0101", "5A5A0102", "5a5a0101-0000-4000-8000-00000000a55a"
BOOT_CODE = Path("/usr/lib/syslinux/mbr/mbr.bin")
BOOT_CODE_BYTES = 440

_FRESH = "fresh-"
Say = Callable[[str], None]


def file_name(build: str) -> str:
    return f"assay-{VERSION}-{build}.img.xz"


def recipe_text(build: str) -> str:
    """Return the recipe of `build`, as anybody would bring it."""
    return (HERE / "recipe.yaml").read_text().replace("DIALECT", build) + (HERE / "files" / f"{build}.yaml").read_text()


def board_text() -> str:
    """Return the description of the board that a machine bench plays."""
    return (HERE / "board.yaml").read_text()


def missing(library: Path) -> list[str]:
    """Return the builds whose image is not in `library`."""
    return [build for build in BUILDS if not _is_there(library / file_name(build), ASSAY)]


def _is_there(image: Path, system: System) -> bool:
    """Return whether an image lies there that was made of `system` as it is now."""
    mark = _mark(image)
    return image.exists() and mark.exists() and mark.read_text() == system.made_of


def _mark(image: Path) -> Path:
    """Return the file beside an image that says what it was made of."""
    return image.with_name(f".{image.name}.made-of")


def build_image(build: str, library: Path, cache: Path, tell: Say) -> Path:
    """Have the image of `build` in `library`; return its file. What all builds share is made once, in `cache`. Raises ToolError or OutsideError."""
    files = {"assay-build": f"{build}\n"}
    more = " cloud-init=disabled"  # what looks for its sources at each start takes seconds
    if build == "cloud-init":  # its source of that name counts only where this file lies (cloud-init, NoCloud)
        files["meta-data"] = "instance-id: assay\n"
        more = ""
    if build == "keyfile":
        files["settings/README"] = "Network files go here.\n"
    return _packed(ASSAY, {**files, **_starting(more)}, library / file_name(build), cache, tell)


def build_plain(library: Path, cache: Path, tell: Say) -> Path:
    """Have the image that no recipe names in `library`; return its file. Raises ToolError or OutsideError."""
    return _packed(PLAIN, _starting(), library / PLAIN_FILE, cache, tell)


def _starting(more: str = "") -> dict[str, str]:
    """Return what the boot loader reads, with `more` at the end of the kernel's line."""
    return {"syslinux.cfg": (HERE / "syslinux.cfg").read_text().replace("MORE", more)}


def _packed(system: System, files: Mapping[str, str], target: Path, cache: Path, tell: Say) -> Path:
    """Have the image `target`: what starts a machine, the boot volume with `files`, and the root volume of `system`."""
    shared = root_volume(system, cache, tell)
    if _is_there(target, system):
        return target
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=_FRESH, dir=cache) as scratch:
        head = _head(Path(scratch), files, shared, system.root_mib)
        fresh = Path(scratch) / target.name
        with fresh.open("wb") as out:
            out.write(lzma.compress(head, preset=0))
            with (shared / "root.ext4.xz").open("rb") as rest:
                shutil.copyfileobj(rest, out, MIB)
        beside = target.with_name(f"{target.name}.part")  # the library may lie on another file system
        shutil.move(fresh, beside)
        beside.replace(target)
        _mark(target).write_text(system.made_of)
    return target


def _head(scratch: Path, files: Mapping[str, str], shared: Path, root_mib: int) -> bytes:
    """Return an image up to its root volume: boot code, table, boot volume."""
    fat = scratch / "boot.fat"
    with fat.open("wb") as file:
        file.truncate(BOOT_MIB * MIB)
    _run("mkfs.vfat", "-n", "CIDATA", "-i", BOOT_ID, str(fat))
    for path in (shared / "vmlinuz", shared / "initrd.img"):
        _run("mcopy", "-i", str(fat), str(path), f"::{path.name}")
    for folder in sorted({str(Path(name).parent) for name in files} - {"."}):
        _run("mmd", "-i", str(fat), f"::{folder}")
    for name, text in files.items():
        (scratch / "file").write_text(text)
        _run("mcopy", "-i", str(fat), str(scratch / "file"), f"::{name}")
    _run("syslinux", "-i", str(fat))
    disk = scratch / "disk"
    with disk.open("wb") as file:
        file.truncate((BOOT_AT + BOOT_MIB + root_mib) * MIB)
    sectors = MIB // 512
    table = (f"label: dos\nlabel-id: {DISK_ID}\nstart={BOOT_AT * sectors},size={BOOT_MIB * sectors},type=c,bootable\n"
             f"start={(BOOT_AT + BOOT_MIB) * sectors},size={root_mib * sectors},type=83\n")  # fmt: skip
    _run("sfdisk", "-q", str(disk), stdin=table)
    with disk.open("rb") as file:
        first = bytearray(file.read(BOOT_AT * MIB))
    code = BOOT_CODE.read_bytes()[:BOOT_CODE_BYTES]
    first[: len(code)] = code
    return bytes(first) + fat.read_bytes()


def root_volume(system: System, cache: Path, tell: Say) -> Path:
    """Return the folder in `cache` with what all images of `system` share: root.ext4.xz, vmlinuz, initrd.img, and the list of its packages. Made
    once, in some minutes, from the package sources this computer uses. It is whole or not there."""
    done = cache / system.made_of
    if done.is_dir():
        return done
    cache.mkdir(parents=True, exist_ok=True, mode=0o700)
    with (cache / "building.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.is_dir():
            for left in (
                *cache.glob(f"{_FRESH}*"),
                *cache.glob(f"{system.ident}-*"),
            ):  # of a run that was killed, or of other files and packages
                shutil.rmtree(left, ignore_errors=True)
            tell(f"building a Debian for the machines to start: {system.ident} (once; some minutes)")
            _build_root(system, cache, done, tell)
    return done


def _build_root(system: System, cache: Path, done: Path, tell: Say) -> None:
    fresh = Path(tempfile.mkdtemp(prefix=_FRESH, dir=cache))
    try:
        root = fresh / "root"
        bootstrap(root, system.packages, HERE / system.furnish)
        for name in ("vmlinuz", "initrd.img"):
            found = sorted((root / "boot").glob(f"{name}-*"))
            if not found:
                raise OutsideError(f"the system that was built has no {name}", expected="one kernel and its first root file system in /boot", where=str(root / "boot"))  # fmt: skip
            shutil.copy(found[-1], fresh / name)
        query = ["dpkg-query", f"--admindir={root}/var/lib/dpkg", "-W", "-f", "${Package}\\t${Version}\\n"]
        (fresh / "packages").write_text(subprocess.run(query, capture_output=True, text=True, check=True).stdout)
        volume = fresh / "root.ext4"
        with volume.open("wb") as file:
            file.truncate(system.root_mib * MIB)
        _run("mkfs.ext4", "-q", "-L", "ASSAYROOT", "-U", ROOT_ID, "-d", str(root), str(volume))
        shutil.rmtree(root)
        tell("packing it")
        _run("xz", "-1", "-T0", str(volume))
        fresh.rename(done)
    finally:
        shutil.rmtree(fresh, ignore_errors=True)


SHOWN = (
    "linux-image-amd64",
    "wpasupplicant",
    "network-manager",
    "iwd",
    "connman",
    "netplan.io",
    "cloud-init",
    "systemd",
    "ifupdown",
    "hostapd",
)


def versions(cache: Path) -> dict[str, str]:
    """Return which versions of the software that reads and answers are in the root volume that was built last; nothing where none was."""
    listed = cache / ASSAY.made_of / "packages"
    pairs = [line.split("\t") for line in listed.read_text().splitlines()] if listed.exists() else []
    return {name: version for name, version in pairs if name in SHOWN}


def bootstrap(root: Path, packages: Sequence[str], furnish: Path | None) -> None:
    """Make a Debian system of `packages` in the folder `root`, and have the script `furnish` change it. Raises ToolError."""
    options = [f"--dpkgopt=path-exclude={pattern}" for pattern in LEFT_OUT]
    hooks = [f'--customize-hook={furnish} "$1"'] if furnish is not None else []
    # In namespaces of its own, so that with this process everything it started and mounted is gone (unshare(1), --kill-child).
    alone = (*dying_with_parent(), "unshare", "--mount", "--pid", "--fork", "--kill-child", "--mount-proc")
    _run(*alone, "mmdebstrap", "--mode=root", "--variant=minbase", "--aptopt=APT::Install-Recommends \"false\"", *options, *hooks,
         f"--include={','.join(packages)}", "bookworm", str(root), seconds=1800)  # fmt: skip


def _run(*command: str, stdin: str = "", seconds: float = 300) -> None:
    done = subprocess.run(
        command,
        input=stdin,
        capture_output=True,
        text=True,
        check=False,
        timeout=seconds,
        env={"PATH": PATH, "HOME": "/root"},
    )
    if done.returncode:
        said = (done.stderr.strip().splitlines() or ["nothing said"])[-1][:200]
        raise ToolError(f"{command[0]} failed: {said}", where=" ".join(command)[:200])
