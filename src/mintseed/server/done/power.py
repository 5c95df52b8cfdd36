"""Boot runs: begun and ended, with the hardware of a stand-in bench following. Rows only; the services decide."""

from __future__ import annotations

from datetime import datetime

from mintseed import wiring
from mintseed.core.card.identity import UNKNOWN, Recognition
from mintseed.core.card.samples import SAMPLES_BEFORE_POWER
from mintseed.core.errors import MintSeedError, RefusedError
from mintseed.core.find.before import Itself
from mintseed.server.done.agent.bench_row import own_bench, unit_key
from mintseed.server.done.agent.drives import DRIVE, RECOGNITION, look_at_card
from mintseed.server.done.asking import has_looked
from mintseed.server.done.proofs import after_look
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import held, judged
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import Bench, BoardUnit, BootRun, Deployment, ReportedDrive, Write
from mintseed.server.kept.stored_types import CANDIDATES, CAUSES, seen_of, stored
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import power_off, power_on


def facts(one: Loaded, *, look: bool = False) -> power_on.PowerFacts:
    """Return what decides whether the board of `one` may be powered. Whose card is in the drive is as its bench last
    reported it, unless somebody is to `look` now, as before power-on."""
    write, unit = one.write, one.row.board_unit
    busy = (
        BootRun.objects.filter(off_at=None, board_unit=unit).select_related("deployment")
        if unit
        else BootRun.objects.none()
    )
    other = busy.exclude(deployment=one.row).first()
    by_hand = write is None or write.bench.kind == Bench.Kind.REAL
    silent = look and by_hand and write is not None and not _have_looked(write.bench)
    rows = list(ReportedDrive.objects.filter(bench=write.bench)) if write else []
    in_readers = {
        row.path: r for row in rows if row.recognised and (r := stored(RECOGNITION, row.recognised, None)) is not None
    }
    looked_at = None
    if not by_hand and write is not None:
        looked_at = in_readers.get(write.drive_path)
        # What its bench has not looked at yet, or not since it was written, is looked at here.
        if look or (looked_at is None and any(row.path == write.drive_path for row in rows)):
            looked_at = _look_now(write, one.now)
    return power_on.PowerFacts(
        write_id=write.pk if write else None,
        by_hand=by_hand,
        board_runs=other.deployment.name if other else "",
        in_readers=tuple(in_readers.values()),
        drive_looked_at=looked_at,
        ran_before=one.run is not None,
        bench_silent=write.bench.name if silent and write is not None else "",
    )


def _look_now(write: Write, now: datetime) -> Recognition | None:
    """Look at the pretend card where it was written, None when it is not there. Stand-in benches live in this home."""
    outside = wiring.bench(write.bench.name)
    drive = next((d for d in outside.readers.drives() if d.path == write.drive_path), None)
    if drive is None:
        return None
    seen = look_at_card(drive, outside, SAMPLES_BEFORE_POWER)
    if seen is None:
        return UNKNOWN
    row = ReportedDrive.objects.select_related("bench").filter(bench=write.bench, path=drive.path).first()
    if row is not None:
        after_look(row, seen.found, seen.marks, now)
    return seen.found


def _have_looked(bench: Bench) -> bool:
    """Have the worker of a real bench look at the cards in its readers, and wait until it did. Nobody else asks its hardware."""

    def done(asked: datetime) -> bool:
        left = Bench.objects.filter(pk=bench.pk).values_list("look_wanted_at", flat=True).first()
        return left is None or left > asked

    return has_looked(bench.pk, done)


def begin_run(pk: int, *, ago_s: float) -> BootRun:
    """Begin a run of deployment `pk`, and let the hardware of a stand-in bench follow. Raises RefusedError when it may not be."""
    # Looking takes its time, so it is done before any row is locked. What it finds may end the proof: then it is loaded again.
    deciding = facts(judged(pk).loaded.live, look=True)
    return _begin(pk, deciding, ago_s)


@all_or_nothing
def _begin(pk: int, deciding: power_on.PowerFacts, ago_s: float) -> BootRun:
    one = held(pk).loaded.live
    write, row = one.write, one.row
    bench = write.bench if write else _bench_at(row)
    if (write.pk if write else None) != deciding.write_id:
        raise RefusedError(
            "another card was written meanwhile", next_step="Look at how things stand, then power it on."
        )
    on = power_on.execute(
        one.walk,
        deciding,
        now=one.now,
        ago_s=ago_s,
        seen=seen_of(bench.network_seen),
        watching_since=bench.watching_since,
        itself=_itself(row),
        scanned_at=bench.scanned_at,
    )
    assert row.board_unit_id is not None
    # One run a board at a time, whoever asks at this moment.
    unit = BoardUnit.objects.select_for_update().get(pk=row.board_unit_id)
    if BootRun.objects.filter(off_at=None, board_unit=unit).exists():
        raise RefusedError("that board is powered already", next_step="Power it off first.")
    run = BootRun.objects.create(
        deployment=row, write=write, board_unit=unit, board_name=unit.name, board_kind=unit.board,
        board_mark=on.board.printed_mark[:80], bench=bench, by_hand=deciding.by_hand, powered_at=on.powered_at,
        known_before=None if on.known_before is None else list(on.known_before),
    )  # fmt: skip
    record(row, "boot", "boot.powered-on", on.log_text)
    # Last, so that what the hardware refuses undoes the rows.
    if write is not None and not deciding.by_hand and (power := wiring.bench(bench.name).power):
        drive = DRIVE.validate_python(ReportedDrive.objects.get(bench=bench, path=write.drive_path).drive)
        power.power_on(unit_key(unit.pk), on.board, drive, cable=row.way == "cable")
    return run


def _bench_at(row: Deployment) -> Bench:
    """Return the bench that watches the network of the place where a device stands: this home's own, or the first there. Raises RefusedError."""
    own = own_bench()
    found = own if own.site_id == row.site_id else Bench.there.filter(site_id=row.site_id).order_by("pk").first()
    if found is None:
        raise RefusedError(
            f"no bench stands at {row.site.name}",
            next_step="Nobody could see it join there. Start a worker at that place.",
        )
    return found


def _itself(row: Deployment) -> Itself:
    """Return what is known of the board of `row`: its own hardware addresses, and where it was when it ran last."""
    unit = row.board_unit
    if unit is None:
        return Itself()
    last = BootRun.objects.filter(board_unit=unit, off_at__isnull=False).order_by("-off_at").first()
    if last is None:
        return Itself(frozenset(unit.macs))
    joined = next((c for c in stored(CANDIDATES, last.candidates, ()) if c.address == last.joined_address), None)
    own = {*unit.macs, *([joined.mac] if joined and joined.mac else [])}
    return Itself(frozenset(own), last.joined_address, last.off_at)


GHOST_AFTER_S = 10.0
"""seconds a stand-in board may be powered before its run must be on record: longer than any transaction takes."""


def switch_off_ghosts(bench: Bench, now: datetime) -> list[str]:
    """Switch off stand-in boards that no open run knows of: left by a process that died between hardware and row."""
    power = wiring.bench(bench.name).power
    if power is None:
        return []
    powered = power.powered_since_s()
    if not powered:
        return []
    known = {
        unit_key(pk) for pk in BootRun.objects.filter(bench=bench, off_at=None).values_list("board_unit_id", flat=True)
    }
    ghosts = [
        unit for unit, since_s in powered.items() if unit not in known and now.timestamp() - since_s > GHOST_AFTER_S
    ]
    for unit in ghosts:
        power.power_off(unit)
    return ghosts


def end_run(one: Loaded) -> bool:
    """End the run of `one`, if it runs; the hardware of a stand-in bench follows. Returns whether it ran."""
    run = one.run
    if run is None or run.off_at is not None:
        return False
    if not run.by_hand and (power := wiring.bench(run.bench.name).power):
        power.power_off(unit_key(run.board_unit_id))
    one = one.live
    try:
        off = power_off.execute(one.walk, by_hand=run.by_hand)
        lasted_s, ended, causes, text = (
            off.lasted_s,
            off.ended,
            CAUSES.dump_python(off.causes, mode="json"),
            off.log_text,
        )
    except MintSeedError:
        # A deployment that cannot be judged can still be switched off.
        lasted_s, ended, causes, text = (
            (one.now - run.powered_at).total_seconds() * run.bench.boot_pace,
            "early",
            [],
            "Powered off",
        )
    _ended(one, run, {"off_at": one.now, "lasted_s": lasted_s, "ended": ended, "causes": causes or run.causes}, text)
    return True


@all_or_nothing
def _ended(one: Loaded, run: BootRun, values: dict[str, object], text: str) -> None:
    if BootRun.objects.filter(pk=run.pk, off_at=None).update(**values):
        record(one.row, "boot", "boot.powered-off", text)
