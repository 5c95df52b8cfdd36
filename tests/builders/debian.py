"""Systems made of the files of Debian's own packages, fetched once and kept beside the project's other caches."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from tests.builders.disks import MIB, partitioned, run

CACHE = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "mint-seed" / "debian"
FETCH_S = 120


@dataclass(frozen=True)
class System:
    """`enable`: units that systemctl enables. `files`: beside those of the packages. `links`: path → where it leads."""

    packages: Sequence[str]
    enable: Sequence[str] = ()
    files: Mapping[str, str] = field(default_factory=dict)
    links: Mapping[str, str] = field(default_factory=dict)


def fetched(packages: Sequence[str]) -> list[Path]:
    """Return the files of these packages; skip the test with the reason where they cannot be had."""
    if shutil.which("apt-get") is None or shutil.which("dpkg-deb") is None:
        pytest.skip("apt-get and dpkg-deb are needed for Debian's packages")
    CACHE.mkdir(parents=True, exist_ok=True)
    for name in [p for p in packages if not list(CACHE.glob(f"{p}_*.deb"))]:
        # Fetched beside their place and moved there whole: another worker may want the same at this moment.
        with tempfile.TemporaryDirectory(dir=CACHE) as beside:
            try:
                subprocess.run(
                    ["apt-get", "download", "-qq", name], cwd=beside, check=True, capture_output=True, timeout=FETCH_S
                )
            except (subprocess.CalledProcessError, subprocess.TimeoutExpired) as error:
                said = (error.stderr or b"").decode().strip().split("\n")[-1]
                pytest.skip(f"Debian's package {name} cannot be had here: {said or error}")
            for file in Path(beside).glob("*.deb"):
                file.replace(CACHE / file.name)
    return [sorted(CACHE.glob(f"{p}_*.deb"))[-1] for p in packages]


def tree_of(system: System, root: Path) -> Path:
    """Lay the system out in `root`."""
    for package in fetched(system.packages):
        run("dpkg-deb", "-x", package, root)
    for folder in ("usr/share/doc", "usr/share/man", "usr/share/locale", "usr/share/info"):
        shutil.rmtree(root / folder, ignore_errors=True)
    for path, text in system.files.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_text(text)
    for path, to in system.links.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).symlink_to(to)
    if system.enable:
        if shutil.which("systemctl") is None:
            pytest.skip("systemctl is needed to enable units")
        # The links alone: what keeps runlevels in step with them lies in packages of its own (systemd's ENVIRONMENT.md).
        run("env", "SYSTEMCTL_SKIP_SYSV=1", "systemctl", f"--root={root}", "enable", *system.enable)
    return root


def image_of(root: Path, path: Path, *, size_mib: int = 64) -> Path:
    """Make a card image whose one volume, ext4, holds the tree."""
    ext = path.with_suffix(".ext4")
    run("mke2fs", "-q", "-t", "ext4", "-i", "4096", "-d", root, ext, f"{size_mib}M")
    partitioned(path, f"label: dos\nstart=1MiB, size={size_mib}MiB, type=83\n", size_mib + 2)
    with path.open("r+b") as disk:
        disk.seek(MIB)
        disk.write(ext.read_bytes())
    ext.unlink()
    return path


BOOTSTRAP_S = 600


def bootstrapped(name: str, packages: Sequence[str]) -> Path:
    """Return a tar of a whole Debian system with these packages, made once by mmdebstrap(1); skip the test with the reason where it cannot
    be made."""
    kept = CACHE / f"{name}.tar"
    if os.geteuid() != 0:
        pytest.skip("only root makes a system whose files have their owners")
    if not kept.exists():
        if shutil.which("mmdebstrap") is None:
            pytest.skip("mmdebstrap is not installed")
        CACHE.mkdir(parents=True, exist_ok=True)
        fresh = kept.with_suffix(".new.tar")
        wanted = [
            "mmdebstrap",
            "--quiet",
            "--variant=minbase",
            f"--include={','.join(packages)}",
            "bookworm",
            str(fresh),
        ]
        try:
            subprocess.run(wanted, check=True, capture_output=True, timeout=BOOTSTRAP_S)
        except (subprocess.CalledProcessError, subprocess.TimeoutExpired) as error:
            pytest.skip(f"no Debian system can be made here: {(error.stderr or b'').decode().strip()[-200:]}")
        fresh.rename(kept)
    return kept


def tools(name: str, packages: Sequence[str]) -> Path:
    """Return a folder with the programs of these packages, laid out once and not installed: some would take the machine's network over."""
    kept = CACHE / f"tools-{name}-whole"
    if not kept.exists():
        found = fetched(packages)
        beside = Path(tempfile.mkdtemp(dir=CACHE))
        for package in found:
            run("dpkg-deb", "-x", package, beside)
        beside.chmod(0o755)
        try:
            beside.rename(kept)
        except OSError:  # another worker was first
            shutil.rmtree(beside)
    return kept
