"""What is said of drives is counted, and nothing else. Messages as the kernel (lib/kobject_uevent.c) and udev (sd-device) lay them out."""

from __future__ import annotations

import errno
import socket
from collections.abc import Iterator

import pytest

from mintseed.adapters import drive_events
from mintseed.adapters.drive_events import DriveEvents

CARD_CHANGED = b"change@/devices/usb1/block/sdx\0ACTION=change\0SUBSYSTEM=block\0DISK_MEDIA_CHANGE=1\0DEVNAME=sdx\0"
CARD_CAME = b"libudev\0\xfe\xed\xca\xfe" + bytes(28) + b"ACTION=add\0SUBSYSTEM=block\0DEVNAME=/dev/sdx\0"
CABLE = b"add@/devices/virtual/net/veth0\0ACTION=add\0SUBSYSTEM=net\0INTERFACE=veth0\0"


@pytest.fixture
def said(monkeypatch: pytest.MonkeyPatch) -> Iterator[socket.socket]:
    """Where a test says what the kernel would."""
    mouth, ear = socket.socketpair(socket.AF_UNIX, socket.SOCK_DGRAM)
    ear.setblocking(False)

    class Ear:
        fileno, recv, close = ear.fileno, ear.recv, ear.close

        def bind(self, at: tuple[int, int]) -> None: ...

    monkeypatch.setattr(drive_events.socket, "socket", lambda *kind: Ear())
    yield mouth
    mouth.close()
    ear.close()


def test_only_what_is_of_drives_counts(said: socket.socket) -> None:
    events = DriveEvents()
    assert len(events.descriptors()) == 1
    for message in (CABLE, b"", b"SUBSYSTEM=blocks\0", b"\xff" * 3000):
        said.send(message)
    events.listen()
    assert events.heard == 0
    for message in (CARD_CHANGED, CABLE, CARD_CAME):
        said.send(message)
    events.listen()
    events.listen()
    assert events.heard == 2


def test_where_nobody_may_listen_nothing_is_heard(monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*kind: int) -> socket.socket:
        raise PermissionError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(drive_events.socket, "socket", refused)
    events = DriveEvents()
    assert events.descriptors() == ()
    events.listen()
    assert events.heard == 0


@pytest.mark.parametrize(("number", "goes_on"), [(errno.ENOBUFS, True), (errno.EBADF, False)])
def test_what_was_lost_may_have_been_of_drives(number: int, goes_on: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    answers = [OSError(number, "lost"), BlockingIOError()]

    class Ear:
        def bind(self, at: tuple[int, int]) -> None: ...

        def fileno(self) -> int:
            return 7

        def recv(self, length: int) -> bytes:
            raise answers.pop(0)

        def close(self) -> None: ...

    monkeypatch.setattr(drive_events.socket, "socket", lambda *kind: Ear())
    events = DriveEvents()
    assert events.descriptors() == (7,)
    events.listen()
    assert events.heard == 1
    assert (events.descriptors() == (7,)) is goes_on
