"""python -m proving [--only BUILD ...] [--case CASE ...] [--walk] [--no-table]

Fills cards, starts them in virtual machines and writes docs/proving.md: every build with every case, as many side by side as there is memory and
processors for. Wants root and the packages of `scripts/prepare --machine`.
"""

from __future__ import annotations

import argparse
import fcntl
import ipaddress
import os
import platform
import queue
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.errors import MintSeedError, RefusedError
from mintseed.core.image.report import XRay
from mintseed.core.recipes.draft import draft_of, recipe_text
from mintseed.core.recipes.model import Recipe
from mintseed.core.visible import one_line
from mintseed.services import inspect_image
from mintseed.standins.machine import needs
from mintseed.standins.machine.access_point import hostapd_conf
from mintseed.standins.machine.assay import build as assay
from mintseed.standins.machine.ground import ground
from mintseed.standins.machine.machine import Machine, accelerates, running
from mintseed.wiring import PROJECT, read_recipe
from proving import table
from proving.cases import CASES, Case, fixed_address
from proving.cell import Place, Seen, pretended, said_before, values_for, watch, write_card

TABLE, KEPT = PROJECT / "docs" / "proving.md", PROJECT / "docs" / "proving.json"
CACHE = Path(os.environ.get("MINTSEED_MACHINES") or PROJECT / "var" / "machines")
LAN = "10.91.5.0/24"
PLAIN = "no recipe"
"""the image that no recipe names: its recipe is drafted from what stands in it"""
BUILDS = (*assay.BUILDS, PLAIN)
PLAYED = {"wpa-supplicant", "keyfile", PLAIN}
"""builds whose network file the pretend board reads"""


class Slots:
    """Places of machines that run side by side."""

    def __init__(self, count: int) -> None:
        self._free: queue.SimpleQueue[int] = queue.SimpleQueue()
        for number in range(count):
            self._free.put(number)

    def take(self) -> int:
        return self._free.get()

    def give(self, slot: int) -> None:
        self._free.put(slot)


def tried(place: Place, build: str, case: Case, slots: Slots, stop: threading.Event) -> table.Row | None:
    """Return what comes of one card, None where it was stopped."""
    slot = slots.take()
    try:
        return _tried(place, build, case, slot, stop)
    except (MintSeedError, OSError) as error:
        # One card that cannot be made spoils its own cell.
        why = f"could not be tried: {one_line(str(error))[:160]}"
        return table.Row(build, case.ident, datetime.now(UTC).strftime("%Y-%m-%d"), "", "", why, {}, (why,), 0)
    finally:
        slots.give(slot)


_reading = threading.Lock()
_read: dict[str, tuple[Recipe, XRay]] = {}


def described(place: Place, build: str) -> tuple[Recipe, XRay]:
    """Return the recipe of a build and the X-ray of its image, made once. What no recipe names gets one from its X-ray."""
    with _reading:
        if build not in _read:
            library = LibraryFolder(place.library, place.folder / "scratch")
            told = [] if build == PLAIN else [read_recipe(assay.recipe_text(build), where=f"assay-{build}")]
            name = assay.PLAIN_FILE if build == PLAIN else assay.file_name(build)
            xray = inspect_image.execute(name, library=library, tools=OffsetVolumeTools(), recipes=told)
            recipe = told[0] if told else read_recipe(recipe_text(draft_of(xray)), where=name)
            _read[build] = recipe, xray
        return _read[build]


def _tried(place: Place, build: str, case: Case, slot: int, stop: threading.Event) -> table.Row | None:
    if stop.is_set():
        return None
    # Names of machines side by side differ, and no name is as long as a label may be.
    host_name = f"{build}-{case.ident}".replace(" ", "-")[:40]
    recipe, xray = described(place, build)
    values = values_for(recipe, case, place, slot, host_name)
    said, filled = said_before(recipe, values, case, xray)
    when, fixed = (
        datetime.now(UTC).strftime("%Y-%m-%d"),
        fixed_address(str(place.here.lan), slot).address if case.fixed else "",
    )
    if said.joins is None:
        return table.Row(build, case.ident, when, table.said_words(said), "", table.real_words(None), {}, (), 0)
    card = write_card(place, xray, filled, host_name)
    try:
        played = pretended(card, case) if build in PLAYED else "reads no such file"
        seen = started(place, card, recipe, case, slot, host_name, stop)
        if stop.is_set():
            return None
        (place.folder / "consoles").mkdir(exist_ok=True)
        (place.folder / "consoles" / f"{host_name}.txt").write_text(seen.console)
    finally:
        card.unlink(missing_ok=True)
    found = table.differences(
        said, played, seen, case, host_name, plays=build in PLAYED, logs_in=build != PLAIN, fixed=fixed
    )
    return table.Row(
        build,
        case.ident,
        when,
        table.said_words(said),
        played,
        table.real_words(seen),
        table.asked(seen),
        found,
        seen.after_s,
        seen.held_mb,
    )


def started(
    place: Place, card: Path, recipe: Recipe, case: Case, slot: int, host_name: str, stop: threading.Event
) -> Seen:
    """Return what a machine with `card` as its disk does."""
    point, number = place.folder / f"{slot}.hostapd.conf", place.folder / f"{slot}.slot"
    point.write_text(hostapd_conf(case.network))
    number.write_text(str(slot))
    machine = Machine(
        slot,
        card,
        place.folder / f"{slot}.console",
        cable=case.cable,
        access_points=() if case.cable else (point,),
        slot_file=number,
        accelerated=place.accelerated,
    )
    with running(machine, place.here) as process:
        return watch(place, machine, process, host_name, recipe, stop)


def about(accelerated: bool) -> str:
    """Return when and with what it was made."""
    emulator = subprocess.run(
        ["qemu-system-x86_64", "--version"], capture_output=True, text=True, check=True
    ).stdout.split("\n")[0]
    versions = [f"{name} {version}" for name, version in assay.versions(CACHE).items()]
    how = "accelerated" if accelerated else "in software, as this computer lets no guest run on its processor"
    return (f"Last run {datetime.now(UTC):%Y-%m-%d} on {platform.system()} {platform.machine()}, {os.cpu_count()} processors, {emulator}, machines {how}. "
            f"In the machines: {', '.join(versions)}.")  # fmt: skip


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="prove", description="fill cards, start them in virtual machines, and write docs/proving.md"
    )
    parser.add_argument("--only", nargs="+", choices=BUILDS, default=list(BUILDS), metavar="BUILD")
    parser.add_argument(
        "--case",
        nargs="+",
        choices=[case.ident for case in CASES],
        default=[case.ident for case in CASES],
        metavar="CASE",
    )
    parser.add_argument("--no-table", action="store_true", help="print, and leave docs/proving.md as it is")
    parser.add_argument("--keep-consoles", metavar="FOLDER", help="keep what the machines said on their serial lines")
    arguments = parser.parse_args()
    if sentence := needs.missing():
        print(sentence, file=sys.stderr)
        return 1
    stop = threading.Event()

    def end(*_: object) -> None:
        stop.set()
        raise KeyboardInterrupt

    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, end)
    library = CACHE / "library"
    CACHE.mkdir(parents=True, exist_ok=True, mode=0o700)
    try:
        with alone():
            for build in arguments.only:
                built(build, library)
            with tempfile.TemporaryDirectory(prefix=SCRATCH, dir=CACHE) as scratch:
                folder, cases = Path(scratch), [c for c in CASES if c.ident in arguments.case]
                fresh = _run(folder, library, arguments.only, cases, stop, silent if arguments.no_table else into_table)
                if arguments.keep_consoles:
                    shutil.copytree(folder / "consoles", arguments.keep_consoles, dirs_exist_ok=True)
    except MintSeedError as error:
        print(error.sentence(), file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    differ = sum(bool(row.differences) for row in fresh)
    print(f"{len(fresh)} tried, {differ} with a difference")
    return int(differ > 0)


SCRATCH = "prove-"


@contextmanager
def alone() -> Iterator[None]:
    """Be the only one that proves from this folder, and take away what a run that was killed left: cards of a gigabyte each. Raises RefusedError."""
    with (CACHE / "proving.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise RefusedError("another run proves from this folder", where=str(CACHE), next_step="Wait for it, or set MINTSEED_MACHINES to another folder.") from error  # fmt: skip
        for left in CACHE.glob(f"{SCRATCH}*"):
            shutil.rmtree(left, ignore_errors=True)
        yield


def built(build: str, library: Path) -> None:
    """Have the image of a build in the library."""

    def tell(text: str) -> None:
        print(f"  {text}", flush=True)

    if build == PLAIN:
        assay.build_plain(library, CACHE, tell)
    else:
        assay.build_image(build, library, CACHE, tell)


def silent(row: table.Row, accelerated: bool) -> None:
    """Print what came of one card."""
    differ = "".join(f"\n      DIFFERENCE: {text}" for text in row.differences)
    print(
        f"  {row.build:<16} {row.case:<8} core: {row.said}; real: {row.real}, {row.after_s:.0f} s{differ}", flush=True
    )


def into_table(row: table.Row, accelerated: bool) -> None:
    """Print what came of one card and have it in the table, so that a run that is stopped leaves what it saw."""
    silent(row, accelerated)
    rows = table.merged(table.kept(KEPT), [row], BUILDS)
    table.keep(KEPT, rows)
    TABLE.write_text(table.document(rows, BUILDS, about(accelerated)))


def _run(
    folder: Path,
    library: Path,
    builds: list[str],
    cases: list[Case],
    stop: threading.Event,
    note: Callable[[table.Row, bool], None],
) -> list[table.Row]:
    for name in ("cards", "scratch"):
        (folder / name).mkdir()
    key = folder / "key"
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "prove", "-f", str(key)], check=True)
    accelerated = accelerates(folder)
    side_by_side = needs.at_once(needs.free_memory_mb(), os.cpu_count() or 1)
    print(
        f"  {len(builds) * len(cases)} cards, {side_by_side} machines side by side, {'accelerated' if accelerated else 'in software'}",
        flush=True,
    )
    rows: list[table.Row] = []
    with ground(folder, ipaddress.IPv4Network(LAN)) as here, ThreadPoolExecutor(side_by_side) as pool:
        place, slots = Place(here, folder, library, key, accelerated), Slots(side_by_side)
        waiting = [pool.submit(tried, place, build, case, slots, stop) for case in cases for build in builds]
        try:
            for future in as_completed(waiting):
                row = future.result()
                if row is not None:
                    rows.append(row)
                    note(row, accelerated)
        except BaseException:
            stop.set()
            pool.shutdown(cancel_futures=True)
            raise
    return rows


if __name__ == "__main__":
    sys.exit(main())
