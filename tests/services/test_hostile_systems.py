"""Root volumes made to harm whoever reads them for what their system is: bounded, named, and nothing read outside the image."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import pytest

from tests.services.test_debian_systems import xray_of

WANTS = "etc/systemd/system/multi-user.target.wants"
UNITS = "usr/lib/systemd/system"
SERVICE = "[Service]\nExecStart=/usr/bin/x --port {}\n[Install]\nWantedBy=multi-user.target\n"


def put(root: Path, files: dict[str, str | bytes]) -> Path:
    for name, data in files.items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(data.encode() if isinstance(data, str) else data)
    return root


def test_hundreds_of_units_are_read_in_bounds(tmp_path: Path) -> None:
    root = put(tmp_path / "tree", {f"{UNITS}/u{n}.service": SERVICE.format(n + 1000) for n in range(600)})
    (root / WANTS).mkdir(parents=True)
    for n in range(600):
        (root / WANTS / f"u{n}.service").symlink_to(f"/{UNITS}/u{n}.service")
    xray = xray_of(root, tmp_path, size_mib=160)
    # No first boot was had: each of them may be enabled by presets, and not all are read.
    assert "image.tree-crowded" in {f.code for f in xray.findings}
    assert len(xray.page.listeners) < 200
    assert xray.page.port is not None, "what stood in those that were read is told all the same"


def test_links_lead_nowhere_but_into_the_image(tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "passwd").write_text("intruder:x:0:0::/root:/bin/sh\n")
    root = put(tmp_path / "tree", {"etc/hostname": "kiosk\n"})
    (root / "etc/passwd").symlink_to(f"../../../../../../../..{outside}/passwd")
    (root / "etc/shadow").symlink_to("/etc/shadow")  # itself, seen from inside
    (root / "etc/systemd").symlink_to("/proc/self/root/etc/systemd")
    (root / "etc/nginx").symlink_to("nginx")
    (root / "etc/rc2.d").symlink_to("../../../../etc/rc2.d")
    (root / "etc/localtime").symlink_to("/usr/share/zoneinfo/../../../etc/passwd\n\x1b[2J")
    (root / "opt").symlink_to("/")
    (root / "srv").symlink_to(".")
    xray = xray_of(root, tmp_path)
    assert xray.page.host_name == "kiosk"
    assert "intruder" not in str(asdict(xray))
    assert (xray.system.accounts, xray.system.networks, xray.page.listeners) == ((), (), ())
    assert "\x1b" not in str(xray.system.time_zone.value if xray.system.time_zone else "")


LONG = b"Listen 80\n" * 25_000 + b"x"
"""just under what is read of a settings file"""


LINES = (
    f"{WANTS}/a.service", f"{WANTS}/smbd.service", "etc/samba/smb.conf", "etc/cloud/cloud.cfg", "etc/fstab", "etc/inittab", "etc/exports",
    "etc/systemd/resolved.conf", "etc/containers/systemd/a.container", "opt/a/compose.yaml", "etc/apache2/ports.conf", "etc/passwd",
    "etc/systemd/system/getty@tty1.service.d/a.conf", "etc/systemd/system/getty.target.wants/getty@tty1.service",
)  # fmt: skip
"""what is read a line at a time: nothing in it may cost the square of its lines"""


@pytest.mark.parametrize(
    "files",
    [
        {"etc/shadow": bytes(range(256)) * 500, "etc/passwd": b"\xff:" * 90_000},
        {"etc/passwd": "".join(f"u{n}:x:{n}:{n}::/h:/bin/sh\n" for n in range(6000)), "etc/shadow": "".join(f"u{n}:$6$rounds=999999999$s$x:1::::::\n" for n in range(4000))},
        {"etc/apache2/ports.conf": LONG, "etc/nginx/nginx.conf": b"a{" * 60_000, "etc/haproxy/haproxy.cfg": b" bind *:80\n" * 20_000},
        {"etc/lighttpd/lighttpd.conf": b"server.port = 1" * 16_000, "etc/caddy/Caddyfile": b":80 {\n" * 30_000},
        {"opt/a/compose.yaml": b"services: {a: &a {b: " + b"[" * 90_000, "srv/compose.yml": "a: &a {k: v}\n" + "b: {<<: [" + ", ".join(["*a"] * 30_000) + "]}\n"},
        {"etc/inittab": b"id:2:initdefault:" * 15_000, "etc/fstab": b"a / b x-systemd.growfs,\n" * 9_000, "etc/cloud/cloud.cfg": b"datasource_list: [" + b"a, " * 80_000},
        {f"{WANTS}/a.service": b"ExecStart=" + b"--port " * 36_000, "etc/exports": b"/a *\n" * 50_000},
        {"etc/systemd/system/a\\x2db.service": "", f"{WANTS}/quo\"te.service": SERVICE.format(1), f"{WANTS}/sp ace.service": SERVICE.format(2)},
        dict.fromkeys(LINES, b"\n" * 250000),
        dict.fromkeys(LINES, b" \n" * 120000),
        {"etc/inittab": b"a:2:respawn:" * 20_000, "etc/apache2/ports.conf": b"<IfModule a>\n" * 18_000, "etc/apache2/mods-enabled/b.load": b"x"},
        {"etc/os-release": b"NAME=" + b"\x1b[2J" * 60_000, "etc/hostname": b"\xff\xfe\x00" * 80_000, "etc/default/keyboard": b"XKBLAYOUT=" + b"a" * 250_000},
    ],
)  # fmt: skip
def test_odd_files_are_read_in_bounds(
    tmp_path: Path, files: dict[str, str | bytes], monkeypatch: pytest.MonkeyPatch
) -> None:
    # The looking's own clock is the judge: what took longer than it allows is cut, and would be said.
    root = put(tmp_path / "tree", files)
    xray = xray_of(root, tmp_path)
    told = {f.code for f in xray.findings}
    assert not told & {"image.looking-cut", "image.part-unread"}, [
        f.sentence() for f in xray.findings if hasattr(f, "sentence")
    ]
    assert len(xray.system.accounts) <= 20
    assert len(xray.system.shares) <= 20
    assert "\x1b" not in xray.page.system
