"""The network of a machine bench, really made: leases from its DHCP server, and nothing of it left, however it ends.

Checked with `ip` (iproute2) and with `udhcpc` (busybox) as a device. Skipped, with the reason, where namespaces cannot be made.
"""

from __future__ import annotations

import contextlib
import ipaddress
import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from mintseed.core.errors import OutsideError, ToolError
from mintseed.core.find.sightings import Sighting, parse_dnsmasq_leases
from mintseed.standins.machine.ground import AIR_SOCKET, ROUTER, THIS_COMPUTER, Ground, cable_name, ground

LAN = ipaddress.IPv4Network("10.91.201.0/24")


def _can() -> bool:
    return subprocess.run(["unshare", "--net", "true"], capture_output=True, check=False).returncode == 0 and os.access(
        "/dev/net/tun", os.W_OK
    )


pytestmark = pytest.mark.skipif(not _can(), reason="no network namespaces or no /dev/net/tun here")


def interfaces() -> set[str]:
    return {
        one["ifname"]
        for one in json.loads(subprocess.run(["ip", "-json", "link"], capture_output=True, check=True).stdout)
    }


def processes_in(folder: Path) -> list[str]:
    """Return the commands that name `folder`, this one's own aside."""
    found = []
    for path in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            words = path.read_bytes().replace(b"\0", b" ").decode("utf-8", "replace")
        except OSError:
            continue
        if str(folder) in words and int(path.parent.name) != os.getpid():
            found.append(words)
    return found


@pytest.fixture
def here(tmp_path: Path) -> Iterator[Ground]:
    with ground(tmp_path, LAN) as made:
        yield made


def asks_for_an_address(here: Ground, mac: str) -> list[Sighting]:
    """Have udhcpc ask, at a veth pair in the place of a socket; return the leases."""
    here.run("ip", "link", "add", "port", "type", "veth", "peer", "name", "board", "address", mac)
    here.run("ip", "link", "set", "port", "master", "br0", "up")
    here.run("ip", "link", "set", "board", "up")
    asked = [
        "udhcpc",
        "-i",
        "board",
        "-n",
        "-q",
        "-f",
        "-t",
        "2",
        "-T",
        "1",
        "-x",
        "hostname:kettle",
        "-s",
        "/bin/true",
    ]
    with contextlib.suppress(ToolError):
        here.run(*asked)
    return list(parse_dnsmasq_leases(here.leases.read_text()))


def test_a_device_gets_an_address_of_its_pool(here: Ground) -> None:
    found = asks_for_an_address(here, "02:00:00:00:00:07")
    assert [one.host_name for one in found] == ["kettle"]
    assert 50 <= int(found[0].address.rsplit(".", 1)[1]) <= 199


def test_the_socket_of_the_air_gets_none(here: Ground) -> None:
    """A system that knows nothing of its air sees that socket as its own cable: it must not look as if its radio had joined."""
    assert not asks_for_an_address(here, f"{AIR_SOCKET}00:07")


def test_this_computer_reaches_it_and_nothing_leads_out(here: Ground) -> None:
    at = json.loads(subprocess.run(["ip", "-json", "addr", "show", here.cable], capture_output=True, check=True).stdout)
    assert {a["local"] for a in at[0]["addr_info"] if a["family"] == "inet"} == {str(LAN[THIS_COMPUTER])}
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as one:
        one.settimeout(60)
        with pytest.raises(ConnectionRefusedError):  # nobody listens there, and somebody says so
            one.connect((str(LAN[ROUTER]), 9))
    assert "default" not in here.run("ip", "-4", "route")


def test_a_range_that_is_used_here_is_refused(here: Ground, tmp_path: Path) -> None:
    other = tmp_path / "other"
    other.mkdir()
    with pytest.raises(OutsideError, match="uses"), ground(other, LAN):
        pass
    assert here.cable in interfaces()


def test_nothing_is_left_when_it_ends(tmp_path: Path) -> None:
    with ground(tmp_path, LAN) as made:
        made.plug("air0")
        assert made.cable in interfaces()
    assert cable_name(tmp_path) not in interfaces()
    assert not processes_in(tmp_path)


@pytest.mark.parametrize("number", [signal.SIGKILL, signal.SIGTERM])
def test_nothing_is_left_when_it_is_killed(number: int, tmp_path: Path) -> None:
    code = (
        "import ipaddress, sys, time\nfrom pathlib import Path\nfrom mintseed.standins.machine.ground import ground\n"
        "with ground(Path(sys.argv[1]), ipaddress.IPv4Network('10.91.202.0/24')) as here:\n"
        "    here.plug('air0')\n    print('up', flush=True)\n    time.sleep(600)\n"
    )
    with subprocess.Popen([sys.executable, "-c", code, str(tmp_path)], stdout=subprocess.PIPE) as process:
        assert process.stdout is not None
        assert process.stdout.readline() == b"up\n"
        assert cable_name(tmp_path) in interfaces()
        process.send_signal(number)
        process.wait(60)
    until = time.monotonic() + 60
    while (cable_name(tmp_path) in interfaces() or processes_in(tmp_path)) and time.monotonic() < until:
        time.sleep(0.05)
    assert cable_name(tmp_path) not in interfaces()
    assert not processes_in(tmp_path)
