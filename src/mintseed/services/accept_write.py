"""May this deployment be written to that drive now? If so, what exactly is to be written."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.card.drives import Drive
from mintseed.core.findings import Finding, Severity, Where, worst_first
from mintseed.core.units import decimal_size, drive_size
from mintseed.core.walk import Walk
from mintseed.services import write_card
from mintseed.services.refuse import refuse_stops


@dataclass(frozen=True, slots=True)
class DriveUse:
    """What is known of the drive's use: who writes to it now (empty: nobody), whether its bench's worker lives, and whether
    somebody is still to say whose card is in it. `busy_with`: whose cards the bench is at, as many as it writes side by side; nothing while it may begin another. `room_bytes`: how much a pretend card may still grow by a test of its whole
    room, None where that does not matter."""

    writer: str = ""
    bench_alive: bool = True
    bench_name: str = ""
    whose_is_asked: bool = False
    busy_with: str = ""
    room_bytes: int | None = None


@dataclass(frozen=True, slots=True)
class WriteOrder:
    """What was agreed: the fingerprint of the filled image, its length, and what the log says."""

    fingerprint: str
    total_bytes: int
    image_name: str
    log_text: str


def check(walk: Walk, drive: Drive, *, serial: str, again: str, use: DriveUse) -> tuple[Finding, ...]:
    """Return what stands for and against writing `walk` to `drive`, worst first.

    `serial` and `again` are the drive as the person picked it, twice.
    """
    where = Where(part=drive.path)
    found: list[Finding] = []
    if why := walk.not_ready_to_write():
        found.append(Finding("card.not-ready", Severity.STOP, why, fix="Go back along the line."))
    if again != serial:
        found.append(Finding("card.second-pick", Severity.STOP, "The second pick names another drive",
                             fix="Pick the same one twice.", where=where))  # fmt: skip
    if not use.bench_alive:
        found.append(Finding("card.bench-silent", Severity.STOP, f"The worker of {use.bench_name} does not answer",
                             fix="Start it on the machine with the reader, then write.", where=where))  # fmt: skip
    if use.whose_is_asked:
        found.append(Finding("card.whose", Severity.STOP, "Nobody said yet whose card this is",
                             "It holds an image that was written here, and could be one of several cards. Writing to it ends what "
                             "is proven on it.", "Say it beside the card, then write.", where))  # fmt: skip
    if use.room_bytes is not None and use.room_bytes < drive.size_bytes:
        found.append(Finding("card.no-room-to-pretend", Severity.STOP, "No room to test all of a pretend card",
                             f"A pretend card is a file here: it would grow to {drive_size(drive.size_bytes)}, and {decimal_size(use.room_bytes)} are left.",
                             "Write it without the full test, or make room on this disk.", where))  # fmt: skip
    if use.writer:
        found.append(Finding("card.being-written", Severity.STOP, f"It is in use already, for {use.writer}",
                             fix="Wait for it, or stop it.", where=where))  # fmt: skip
    if use.busy_with and not use.writer and not walk.inputs.write.writing:
        found.append(Finding("card.bench-busy", Severity.STOP, f"{use.bench_name} is at as many cards as it writes side by side, for {use.busy_with}",
                             "", "Wait until one of them is done, then write this one.", where))  # fmt: skip
    if walk.inputs.write.writing and not use.writer:
        found.append(Finding("card.writing-elsewhere", Severity.STOP, "This deployment is being written already, to another drive",
                             fix="Wait for it, or stop it.", where=where))  # fmt: skip
    if walk.inputs.run is not None and walk.inputs.run.powered and not walk.inputs.kept:
        found.append(Finding("card.board-powered", Severity.STOP, "Its board is powered, with its card in it",
                             fix="Power it off under First boot first.", where=where))  # fmt: skip
    if walk.inputs.xray is not None:
        found += write_card.check(drive, walk.inputs.xray)
    return worst_first(found)


def execute(walk: Walk, drive: Drive, *, serial: str, again: str, use: DriveUse) -> WriteOrder:
    """Return what is to be written. Raises RefusedError when anything stands against it."""
    refuse_stops(check(walk, drive, serial=serial, again=again, use=use))
    xray = walk.inputs.xray
    assert xray is not None
    reader = " ".join(t for t in (drive.model, drive.serial) if t) or drive.path
    return WriteOrder(
        walk.fingerprint,
        xray.unpacked_bytes,
        xray.file_name,
        f"Writing {xray.file_name}, filled, to the card in {reader}",
    )
