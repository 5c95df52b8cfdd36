"""Programs that set networks up, as readers of their files: systemd's network and ConnMan, each in a network and with folders of its own.

They want root, since they are asked in namespaces (unshare(1)); where that is not to be had, a test is skipped with the reason.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
from collections.abc import Sequence
from functools import cache
from pathlib import Path

import pytest

from tests.builders.debian import tools
from tests.builders.readers import Understood

NETWORKD = Path("/lib/systemd/systemd-networkd")
MOST_WAIT_S = 90

_ROOM = """
mount --make-rprivate /
mount -t tmpfs none /run
mount -t sysfs none /sys
ip link add wlan0 type veth peer name far0
ip link set far0 up
"""

_NETWORKD = """
mkdir -p /run/systemd/network /run/systemd/netif/links /run/systemd/netif/leases /run/udev/data
chown -R systemd-network /run/systemd/netif
for number in 1 2 3; do printf 'I:1\\nG:systemd\\nV:1\\n' >/run/udev/data/n$number; done
cp "$1" /run/systemd/network/settings.network
exec env SYSTEMD_LOG_LEVEL=debug SYSTEMD_LOG_TARGET=console /lib/systemd/systemd-networkd 2>&1
"""

_BUS = """<!DOCTYPE busconfig PUBLIC "-//freedesktop//DTD D-Bus Bus Configuration 1.0//EN" "http://www.freedesktop.org/standards/dbus/1.0/busconfig.dtd">
<busconfig><type>system</type><listen>unix:path=/run/bus</listen><auth>EXTERNAL</auth>
<policy context="default"><allow send_destination="*" eavesdrop="true"/><allow eavesdrop="true"/><allow own="*"/></policy></busconfig>
"""

_CONNMAN = """
mount -t tmpfs none /var/lib
mkdir -p /var/lib/connman
cp "$1" /var/lib/connman/settings.config
printf '%s' "$BUS" >/run/bus.conf
dbus-daemon --config-file=/run/bus.conf --nofork --nopidfile &
until [ -S /run/bus ]; do sleep 0.02; done
exec env DBUS_SYSTEM_BUS_ADDRESS=unix:path=/run/bus connmand -n -r -d src/config.c 2>&1
"""


@cache
def why_not() -> str:
    """Return why no program can be asked in a network of its own here; empty where one can."""
    if shutil.which("unshare") is None or shutil.which("ip") is None:
        return "unshare and ip are needed for a network of its own"
    tried = subprocess.run(["unshare", "-n", "-m", "sh", "-ec", _ROOM], capture_output=True, text=True, check=False)
    return "" if tried.returncode == 0 else f"no network of its own can be had here: {tried.stderr.strip()[-120:]}"


def _asked(script: str, file: Path, until: Sequence[str], **environment: str) -> str:
    """Return what a program says until one of the words `until` comes; it is ended then, with all that it started."""
    if reason := why_not():
        pytest.skip(reason)
    process = subprocess.Popen(
        ["unshare", "-n", "-m", "-p", "-f", "--kill-child", "timeout", str(MOST_WAIT_S), "sh", "-ec", _ROOM + script, "sh", str(file)],
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace", env={**os.environ, **environment},
    )  # fmt: skip
    lines = []
    assert process.stdout is not None
    with contextlib.closing(process.stdout):
        for line in process.stdout:
            lines.append(line)
            if any(word in line for word in until):
                break
        process.kill()
        process.wait(10)
    return "".join(lines)


def networkd(text: bytes, folder: Path, *, until: str = "Enumeration completed") -> Understood:
    """Let systemd-networkd(8) read a .network file for a device wlan0; `accepted`: whether it takes it for one. It says by line what it passes over."""
    if not NETWORKD.exists():
        pytest.skip("systemd-networkd is not here")
    file = folder / "settings.network"
    file.write_bytes(text)
    said = _asked(_NETWORKD, file, (until, "Failed to load configuration"))
    assert "Enumeration completed" in said or "Failed to" in said, said[-400:]
    refused = "No valid settings found in the [Match] section" in said or "Failed to parse file" in said
    return Understood(bool(text.strip()) and not refused and "Failed to load" not in said, said)


def connman(text: bytes, folder: Path) -> Understood:
    """Let connmand(8) read a file of services; `accepted`: whether it takes a service of it."""
    programs = tools(
        "connman", ("connman", "dbus-daemon", "libdbus-1-3", "libxtables12", "libapparmor1", "libaudit1", "libexpat1")
    )
    file = folder / "settings.config"
    file.write_bytes(text)
    libraries = ":".join(sorted({str(p.parent) for p in programs.glob("**/lib*.so.*")}))
    said = _asked(
        _CONNMAN, file, ("System hostname",), BUS=_BUS, LD_LIBRARY_PATH=libraries,
        PATH=f"{programs}/usr/sbin:{programs}/usr/bin:{os.environ['PATH']}",
    )  # fmt: skip
    assert "Connection Manager version" in said, said[-400:]
    return Understood("Adding service configuration" in said, said)
