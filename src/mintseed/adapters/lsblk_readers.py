"""Card readers of this machine, listed by lsblk(8) and the kernel's sysfs, written as block devices."""

from __future__ import annotations

import grp
import os
import pwd
import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from mintseed.adapters.block_device import BlockDevice, LookedAt, flushed
from mintseed.adapters.drive_events import DriveEvents
from mintseed.adapters.run_tool import run_tool
from mintseed.core.card.drives import LSBLK_COLUMNS, Drive, Medium, Right, judge_drive, parse_lsblk
from mintseed.core.errors import DriveError, RefusedError
from mintseed.core.findings import Severity
from mintseed.ports.card_readers import Released

_LOOP = re.compile(r"/dev/loop\d+")

_IN_FLIGHT = 8
"""Field of /sys/block/*/stat that counts requests not yet answered. Source: Linux documentation, block/stat."""


def loop_cards(paths: Sequence[str]) -> tuple[str, ...]:
    """Return `paths` of loop devices that stand for cards. Raises RefusedError for anything else."""
    for path in paths:
        if not _LOOP.fullmatch(path):
            raise RefusedError(
                f"{path} is not a loop device", expected="/dev/loop and a number", where="MINTSEED_LOOP_CARDS"
            )
    return tuple(paths)


class LsblkReaders:
    """Implements ports.CardReaders. `cards` are loop devices that stand for cards."""

    def __init__(self, cards: Sequence[str] = (), sysfs: Path = Path("/sys")) -> None:
        self._cards, self._sysfs = loop_cards(cards), sysfs
        self._events = DriveEvents()

    def drives(self) -> tuple[Drive, ...]:
        arguments = ["lsblk", "--json", "--bytes", "--output", LSBLK_COLUMNS]
        text = run_tool(arguments, package="util-linux").decode("utf-8", "replace")
        listed = parse_lsblk(text)
        names = [d.name for d in listed]
        media = {name: medium for name in names if (medium := self._medium(name))}
        # Linux documentation, sysfs-block: /sys/block/*/diskseq, since 5.15.
        told = {name: _line(self._sysfs / "block" / name / "diskseq") for name in names}
        numbers = {name: int(number) for name, number in told.items() if number.isdecimal()}
        rights = {d.path: right_to(d.path) for d in listed}
        return parse_lsblk(text, media=media, cards=self._cards, rights=rights, numbers=numbers)

    def signature(self) -> object:
        # proc(5): whole drives and partitions with their sizes, this process's mounts, swap. A card that is changed for one as large leaves them alike.
        self._events.listen()
        found: list[object] = [self._events.heard]
        for name in ("partitions", "self/mountinfo", "swaps"):
            with suppress(OSError):
                found.append((Path("/proc") / name).read_bytes())
        return tuple(found)

    def awaited(self) -> tuple[int, ...]:
        return self._events.descriptors()

    def _medium(self, name: str) -> Medium | None:
        device = self._sysfs / "block" / name / "device"
        kind = _line(device / "type")
        return Medium(kind, _line(device / "cid")) if kind in ("SD", "MMC") else None

    @contextmanager
    def look(self, drive: Drive) -> Iterator[LookedAt]:
        looked = LookedAt(drive.path, drive.size_bytes)
        try:
            yield looked
        finally:
            looked.close()

    @contextmanager
    def open(self, drive: Drive) -> Iterator[BlockDevice]:
        now = next((d for d in self.drives() if d.path == drive.path), None)
        told = (drive.serial, drive.size_bytes, drive.card_number)
        if now is None or (now.serial, now.size_bytes, now.card_number) != told:
            raise DriveError("the drive is gone or another one now", expected=drive.serial or drive.model, where=drive.path,
                             next_step="Look at the drives again and pick it again.")  # fmt: skip
        _refuse_locked(now)
        device = BlockDevice(drive.path)
        try:
            yield device
        finally:
            device.close()

    @contextmanager
    def held(self, path: str) -> Iterator[Callable[[], None]]:
        """Keep a card from being mounted while a tool changes it; what is handed over flushes it and forgets what memory holds of it.

        Raises DriveError where no whole drive is at `path`, RefusedError for one that is never written to.
        """
        now = next((d for d in self.drives() if d.path == path), None)
        if now is None:
            raise DriveError("no whole drive is there", expected="a drive, not a part of one", where=path)
        _refuse_locked(now)
        with flushed(path, os.O_EXCL) as flush:
            yield flush

    def set_free(self, drive: Drive) -> Released:
        """A device that was flushed holds nothing unwritten unless something else began to use it meanwhile."""
        now = next((d for d in self.drives() if d.path == drive.path), None)
        if now is None:
            return Released(False, "the drive is gone")
        if now.mounted_at:
            return Released(False, f"it was mounted at {now.mounted_at[0]}: unmount it first")
        fields = _line(self._sysfs / "block" / now.name / "stat").split()
        if len(fields) <= _IN_FLIGHT or fields[_IN_FLIGHT] != "0":
            return Released(False, "the kernel still has work for it: wait for its light")
        return Released(True, "flushed, and the kernel holds nothing more for it")


def _refuse_locked(drive: Drive) -> None:
    stop = next((f for f in judge_drive(drive) if f.severity is Severity.STOP), None)
    if stop is not None:
        raise RefusedError(stop.title, where=drive.path, next_step=stop.fix)


def right_to(path: str) -> Right:
    """Return what this process may do with the device at `path`."""
    group = ""
    with suppress(OSError, KeyError):
        group = grp.getgrgid(Path(path).stat().st_gid).gr_name
    try:
        user = pwd.getpwuid(os.geteuid()).pw_name
    except KeyError:
        user = str(os.geteuid())
    return Right(
        os.access(path, os.R_OK, effective_ids=True), os.access(path, os.W_OK, effective_ids=True), group, user
    )


def _line(path: Path) -> str:
    try:
        return path.read_text().strip()
    except OSError:
        return ""
