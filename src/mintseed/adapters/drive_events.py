"""What the kernel and udev tell everybody who listens, as it happens: a drive came, went, or was given another medium."""

from __future__ import annotations

import errno
import socket
import weakref
from contextlib import suppress

_KOBJECT_UEVENT = 15
_KERNEL, _UDEV = 1, 2
"""Source: linux/netlink.h, NETLINK_KOBJECT_UEVENT; systemd, sd-device monitor: group 1 is the kernel's, group 2 udev's, who speaks once its rules are through."""

_MOST_BYTES = 16 * 1024
_OF_DRIVES = b"SUBSYSTEM=block"


class DriveEvents:
    """Listens from the first time it is asked. Where nobody may listen, or nobody speaks (in many containers), it hears nothing."""

    def __init__(self) -> None:
        self._socket: socket.socket | None = None
        self._asked = False
        self.heard = 0
        """of drives, so far"""

    def descriptors(self) -> tuple[int, ...]:
        """Return what can be read once something was said; see `listen`."""
        if not self._asked:
            self._asked = True
            with suppress(OSError):
                kind = socket.SOCK_RAW | socket.SOCK_CLOEXEC | socket.SOCK_NONBLOCK
                opened = socket.socket(socket.AF_NETLINK, kind, _KOBJECT_UEVENT)
                weakref.finalize(self, opened.close)
                opened.bind((0, _KERNEL | _UDEV))
                self._socket = opened
        return () if self._socket is None else (self._socket.fileno(),)

    def listen(self) -> None:
        """Take everything that was said meanwhile, and count what is of drives."""
        while self._socket is not None:
            try:
                said = self._socket.recv(_MOST_BYTES)
            except BlockingIOError:
                return
            except OSError as error:
                # More was said than was kept (netlink(7)), so it may have been of drives.
                self.heard += 1
                if error.errno == errno.ENOBUFS:
                    continue
                self._socket.close()
                self._socket = None
                return
            self.heard += _OF_DRIVES in said.split(b"\0")
