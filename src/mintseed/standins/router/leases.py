"""Hand out addresses and keep the lease and neighbour files.

Not simulated: expiry, renewals, conflicts, several networks.
"""

from __future__ import annotations

import ipaddress
import time

from mintseed.standins.bench_folder import BenchFolder

LEASE_S = 3600
FIRST_HOST = 31
"""The pool starts here; below are the router and the devices of the house."""


class LeaseBook:
    def __init__(self, folder: BenchFolder, lan: str) -> None:
        self._folder = folder
        self._lan = ipaddress.IPv4Network(lan)
        self._gone: set[str] = set()
        self._fixed: dict[str, str] = {}

    def _rows(self) -> list[list[str]]:
        try:
            return [line.split() for line in self._folder.leases_file.read_text().splitlines() if line.strip()]
        except OSError:
            return []

    def give(self, mac: str, host_name: str) -> str:
        """Return the address of `mac`, the one it had before if it had one, and write both files."""
        rows = [r for r in self._rows() if len(r) == 5]
        address = next((r[2] for r in rows if r[1] == mac), None) or self._free(rows)
        rows = [r for r in rows if r[1] != mac] + [
            [str(int(time.time()) + LEASE_S), mac, address, host_name or "*", "*"]
        ]
        self._folder.write_text(self._folder.leases_file, "".join(" ".join(r) + "\n" for r in rows))
        self._gone.discard(mac)
        self._write_neighbours(rows)
        return address

    def reaches(self, address: str) -> bool:
        """Whether an address lies in this network."""
        try:
            return ipaddress.IPv4Address(address) in self._lan
        except ValueError:
            return False

    def takes(self, mac: str, address: str) -> bool:
        """Have `mac` on the network with an address of its own choice: its neighbours hear it, and no lease says so."""
        if not self.reaches(address):
            return False
        self._fixed[mac] = address
        self._gone.discard(mac)
        self._write_neighbours(self._rows())
        return True

    def leave(self, mac: str) -> None:
        """`mac` is switched off: its lease stays until it expires, and nobody hears from it any more."""
        self._gone.add(mac)
        self._write_neighbours(self._rows())

    def _write_neighbours(self, rows: list[list[str]]) -> None:
        known = [r for r in rows if len(r) == 5 and r[1] not in self._fixed]
        known += [["", mac, address] for mac, address in self._fixed.items()]
        lines = (f"{r[2]} dev lan0 lladdr {r[1]} {'STALE' if r[1] in self._gone else 'REACHABLE'}\n" for r in known)
        self._folder.write_text(self._folder.neighbours_file, "".join(lines))

    def _free(self, rows: list[list[str]]) -> str:
        used = {r[2] for r in rows} | set(self._fixed.values())
        return next(str(h) for h in list(self._lan.hosts())[FIRST_HOST - 1 :] if str(h) not in used)
