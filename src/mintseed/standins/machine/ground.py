"""The network of a machine bench: a bridge with a DHCP server, in a network namespace of its own, and one cable of it into this computer.

Everything in it hangs on the one process that holds the namespace: when that ends, however it ends, the kernel takes down the bridge, the
sockets of the boards, both ends of the cable and every process inside (namespaces(7), veth(4), PR_SET_PDEATHSIG of prctl(2)). There is no
route out of it.
"""

from __future__ import annotations

import hashlib
import ipaddress
import json
import os
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from mintseed.core.errors import OutsideError, ToolError
from mintseed.standins.machine.needs import PATH

ROUTER, THIS_COMPUTER, POOL_FROM, POOL_TO = 1, 2, 50, 199
"""last octets of the network's addresses: what the boards ask, the end of the cable here, what is handed out"""
LEASE_TIME = "12h"
AIR_SOCKET = "52:54:00:a1:"
"""how the hardware addresses begin of the sockets by which the air around a machine is plugged in. They get no address: a system that does not put
its air aside would come onto the network by it, and look as if its radio had joined."""

_UNLESS_ORPHANED = '[ "$PPID" = "$0" ] || exit 137; exec "$@"'
_SETUP = """
ip link set lo up
ip link add br0 type bridge
ip addr add "$1/24" dev br0
ip link set br0 up
echo up
exec cat
"""
"""what the process inside does: the bridge, one word when it stands, and then nothing for as long as it is wanted"""


@dataclass(frozen=True, slots=True)
class Ground:
    """A network that runs. `holder`: the process that holds it, as this computer numbers it; `cable`: the name of its cable's end here."""

    lan: ipaddress.IPv4Network
    holder: int
    cable: str
    leases: Path

    def inside(self, command: Sequence[str]) -> list[str]:
        """Return `command` so that it runs in this network, sees no process outside, and ends with it."""
        entered = ["nsenter", f"--target={self.holder}", "--net", "--"]
        return [*dying_with_parent(), *entered, *command]

    def run(self, *command: str) -> str:
        """Run `command` inside and return what it prints. Raises ToolError where it fails."""
        return _run(["nsenter", f"--target={self.holder}", "--net", "--", *command])

    def plug(self, tap: str) -> None:
        """Make the socket `tap` of the bench and have it on the bridge."""
        self.unplug(tap)
        self.run("ip", "tuntap", "add", tap, "mode", "tap")
        self.run("ip", "link", "set", tap, "master", "br0")
        self.run("ip", "link", "set", tap, "up")

    def unplug(self, tap: str) -> None:
        with suppress(ToolError):
            self.run("ip", "link", "delete", tap)


def dying_with_parent() -> list[str]:
    """Return what a command begins with that is to be killed when this process ends (setpriv(1))."""
    return ["setpriv", "--pdeathsig", "KILL", "--", "sh", "-c", _UNLESS_ORPHANED, str(os.getpid())]


def _run(command: Sequence[str]) -> str:
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=20, env={"PATH": PATH})
    if done.returncode:
        said = (done.stderr.strip() or done.stdout.strip())[:200]
        raise ToolError(f"{command[0]} failed: {said}", where=" ".join(command)[:200])
    return done.stdout


def cable_name(folder: Path) -> str:
    """Return what the end of the cable is called here: one name a bench's folder, within the 15 letters of an interface's name."""
    return f"seed-{hashlib.blake2b(str(folder).encode(), digest_size=4).hexdigest()}"


def refuse_used(lan: ipaddress.IPv4Network) -> None:
    """Raise OutsideError where this computer has an address or a route in `lan` already."""
    for line in json.loads(_run(["ip", "-json", "-4", "route", "show", "table", "all"]) or "[]"):
        text = line.get("dst", "")
        with suppress(ValueError):
            if text != "default" and ipaddress.IPv4Network(text, strict=False).overlaps(lan):
                raise OutsideError(
                    f"this computer uses {text} already", expected="a range of its own for the boards", where=f"MINTSEED_MACHINE_LAN={lan}",
                    next_step="Set MINTSEED_MACHINE_LAN to another private /24, such as 10.91.77.0/24.",
                )  # fmt: skip


@contextmanager
def ground(folder: Path, lan: ipaddress.IPv4Network) -> Iterator[Ground]:
    """Have a network `lan` for as long as the block runs; its leases are kept in `folder`/leases, in dnsmasq's format.

    Raises OutsideError where the range is used here, ToolError where a tool fails.
    """
    cable = cable_name(folder)
    _remove(cable)  # of a run that ends at this very moment
    refuse_used(lan)
    leases = folder / "leases"
    leases.unlink(missing_ok=True)
    with ExitStack() as left:
        left.callback(_remove, cable)
        holder = left.enter_context(
            _ending(
                [*dying_with_parent(), "unshare", "--net", "sh", "-ec", _SETUP, "ground", str(lan[ROUTER])],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, env={"PATH": PATH}, start_new_session=True,
            )
        )  # fmt: skip
        assert holder.stdout is not None
        if holder.stdout.readline() != b"up\n":
            raise OutsideError(
                "no network of its own could be made",
                next_step="See that this is root, outside of a container that forbids it.",
            )
        here = Ground(lan, holder.pid, cable, leases)
        _run(["ip", "link", "add", cable, "type", "veth", "peer", "name", "cable", "netns", str(holder.pid)])
        here.run("ip", "link", "set", "cable", "master", "br0")
        here.run("ip", "link", "set", "cable", "up")
        _run(["ip", "addr", "add", f"{lan[THIS_COMPUTER]}/{lan.prefixlen}", "dev", cable])
        _run(["ip", "link", "set", cable, "up"])
        said = left.enter_context((folder / "dhcp.log").open("wb"))
        left.enter_context(
            _ending(here.inside(_dnsmasq(here)), stdin=subprocess.DEVNULL, stdout=said, stderr=said, env={"PATH": PATH})
        )
        yield here


@contextmanager
def _ending(command: Sequence[str], **how: Any) -> Iterator[subprocess.Popen[bytes]]:
    """Have a process run for as long as the block does."""
    with subprocess.Popen(command, **how) as process:
        try:
            yield process
        finally:
            process.kill()


def _remove(interface: str) -> None:
    """Take an interface away, if it is there."""
    with suppress(ToolError):
        _run(["ip", "link", "delete", interface])


def _dnsmasq(here: Ground) -> list[str]:
    """Return the DHCP server's command: leases for every board, no names, no route out but to itself (dnsmasq(8)). It gives up privileges, and a
    process that does is no longer killed with its parent (prctl(2)): so one that does not is the first of a process namespace, and it goes with that."""
    return [
        "unshare", "--pid", "--fork", "--kill-child", "sh", "-c", '"$@" & wait', "dhcp",
        "dnsmasq", "--keep-in-foreground", "--conf-file=/dev/null", "--port=0", "--interface=br0", "--bind-interfaces", "--user=root", "--log-facility=-", "--log-dhcp",
        f"--dhcp-range={here.lan[POOL_FROM]},{here.lan[POOL_TO]},{LEASE_TIME}", f"--dhcp-leasefile={here.leases}", f"--dhcp-host={AIR_SOCKET}*:*,ignore", "--pid-file=", "--dhcp-authoritative", "--no-ping",
    ]  # fmt: skip
