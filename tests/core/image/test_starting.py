"""What starts with a system, held to systemctl(1) and to the words of its manuals: systemd.unit(5), systemd.preset(5), machine-id(5),
systemd-sysv-generator(8), inittab(5)."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.image.starting import MOST_STARTING, what_starts
from mintseed.core.image.tree import FixedTree

INSTALL = b"[Unit]\nDescription=x\n[Service]\nExecStart=/bin/true\n[Install]\nWantedBy=multi-user.target\n"
UNITS = "usr/lib/systemd/system"
WANTS = "etc/systemd/system/multi-user.target.wants"
SYSTEMD = {"sbin/init": "/lib/systemd/systemd"}


def names(files: dict[str, bytes], links: dict[str, str], folders: dict[str, list[str]] | None = None) -> list[str]:
    return [one.name for one in what_starts(FixedTree(files, folders or {}, links)).all]


def folder_with(root: Path, files: dict[str, bytes]) -> Path:
    for name, data in files.items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(data)
    return root


PRESETS = {
    f"{UNITS}/alpha.service": INSTALL, f"{UNITS}/beta.service": INSTALL, f"{UNITS}/gamma-one.service": INSTALL,
    f"{UNITS}/delta.service": INSTALL, f"{UNITS}/static.service": b"[Service]\nExecStart=/bin/true\n",
    "usr/lib/systemd/system-preset/50-a.preset": b"# no line\nenable alpha.service\ndisable beta.service\n",
    "usr/lib/systemd/system-preset/90-b.preset": b"enable beta.service\ndisable gamma-*.service\n",
    # One in etc stands for the one of its name elsewhere.
    "etc/systemd/system-preset/90-b.preset": b"enable beta.service\nenable gamma-*\n",
}  # fmt: skip


@pytest.mark.skipif(shutil.which("systemctl") is None, reason="systemctl is not installed")
@pytest.mark.parametrize("more", [{}, {"usr/lib/systemd/system-preset/99-z.preset": b"disable *\n"}])
def test_a_first_boot_enables_what_systemctl_enables(tmp_path: Path, more: dict[str, bytes]) -> None:
    files = {**PRESETS, **more}
    root = folder_with(tmp_path, files)
    subprocess.run(
        ["systemctl", f"--root={root}", "preset-all", "--preset-mode=enable-only"], check=True, capture_output=True
    )
    enabled = sorted(p.name.removesuffix(".service") for p in (root / WANTS).iterdir())
    assert sorted(names(files, SYSTEMD)) == enabled
    assert "gamma-one" in enabled
    assert "delta" in enabled if not more else "delta" not in enabled


@pytest.mark.parametrize(
    ("machine_id", "first"),
    [(None, True), (b"uninitialized\n", True), (b"", False), (b"0123456789abcdef0123456789abcdef\n", False)],
)
def test_when_systemd_takes_a_start_for_the_first(machine_id: bytes | None, first: bool) -> None:
    # machine-id(5), First Boot Semantics
    files = {**PRESETS, "etc/hostname": b"x\n"} | ({} if machine_id is None else {"etc/machine-id": machine_id})
    found = what_starts(FixedTree(files, {}, SYSTEMD))
    assert found.first_boot is first
    assert ("alpha" in [one.name for one in found.all]) is first


def test_what_is_masked_does_not_start() -> None:
    wanted = {
        WANTS: ["web.service", "other.service", "wpa@wlan0.service"],
        "etc/systemd/system": ["web.service", "wpa@.service"],
    }
    files = {f"{UNITS}/web.service": INSTALL, "etc/machine-id": b""}
    # A link to /dev/null, or an empty file, masks (systemd.unit(5)); one with something in it is the unit itself.
    assert names(files, SYSTEMD, wanted) == ["other"]
    own = {**files, "etc/systemd/system/web.service": INSTALL, "etc/systemd/system/wpa@.service": INSTALL}
    assert sorted(names(own, SYSTEMD, wanted)) == ["other", "web", "wpa"]


def test_systemd_heeds_no_runlevel_of_what_has_a_unit() -> None:
    links = {"etc/rc2.d": ["S01web", "S02old.sh", "K01gone"]}
    files = {f"{UNITS}/web.service": INSTALL, "etc/machine-id": b""}
    assert names(files, SYSTEMD, links) == ["old"]  # systemd-sysv-generator(8)
    assert names(files, {"sbin/init": "sysvinit"}, links) == ["web", "old"]


def test_the_runlevel_is_the_one_inittab_says() -> None:
    links = {"etc/rc2.d": ["S01two"], "etc/rc3.d": ["S01three"], "etc/rcS.d": ["S01always"]}
    assert names({"etc/inittab": b"# id:5:initdefault:\nid:3:initdefault:\n"}, {}, links) == ["always", "three"]
    assert names({}, {}, links) == ["always", "two"]


def test_other_inits() -> None:
    small = what_starts(
        FixedTree({"etc/init.d/S40network": b"", "etc/init.d/rcK": b""}, {}, {"sbin/init": "../bin/busybox"})
    )
    assert (small.init, [one.name for one in small.all]) == ("busybox", ["network"])
    openrc = what_starts(FixedTree({}, {"etc/runlevels/default": ["sshd"], "etc/runlevels/boot": ["networking"]}, {"sbin/init": "/bin/busybox"}))  # fmt: skip
    assert (openrc.init, [one.name for one in openrc.all]) == ("openrc", ["networking", "sshd"])


def test_ten_thousand_units_and_a_million_lines_are_read_in_bounds() -> None:
    many = [f"u{n}.service" for n in range(10_000)]
    presets = {"etc/systemd/system-preset/a.preset": b"enable x*y\n" * 1_000_000}
    first = FixedTree(
        {**presets, **{f"{UNITS}/{name}": INSTALL for name in many[:1500]}, "etc/x": b""}, {WANTS: many}, SYSTEMD
    )
    found = what_starts(first)
    assert (len(found.all), found.cut) == (MOST_STARTING, True)


@given(st.dictionaries(st.sampled_from(["etc/inittab", "etc/machine-id", f"{UNITS}/a.service", "etc/systemd/system-preset/a.preset"]), st.binary(max_size=80)),
       st.lists(st.text(max_size=20), max_size=6))  # fmt: skip
def test_no_tree_is_too_odd(files: dict[str, bytes], odd: list[str]) -> None:
    what_starts(FixedTree(files, {WANTS: odd, "etc/rc2.d": odd, "etc/init.d": odd, "etc/runlevels/default": odd}))


def test_of_a_folder_too_long_to_be_listed_nothing_is_said_to_be_missing() -> None:
    few = FixedTree({}, {"usr/sbin": ["NetworkManager"]})
    many = FixedTree({}, {"usr/bin": [f"p{n}" for n in range(6000)]})
    assert not what_starts(few).lies("connmand")
    assert what_starts(many).lies("connmand"), "it may lie there"
