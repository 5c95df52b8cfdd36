"""Settings files of a card that is written already: read, mended, or filled in their place, by the bench whose reader it lies in.

What was found and what is to be put there opens networks; it lies sealed, and is gone after an hour.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Collection, Mapping
from dataclasses import asdict
from datetime import datetime, timedelta

from mintseed import wiring
from mintseed.core.card.drives import Drive
from mintseed.core.card.samples import SAMPLES_BEFORE_POWER, BlockDigests, between, holds_all, read_anew
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Severity
from mintseed.core.image.partitions import Partition
from mintseed.core.settings.fill import fill_files
from mintseed.core.visible import one_line
from mintseed.core.words import some
from mintseed.ports.card_readers import ReadableDrive
from mintseed.ports.volume import Volume
from mintseed.server.done.agent.drives import SeenCard, look_at_card
from mintseed.server.done.cards import settings_paths
from mintseed.server.done.proofs import prove_anew, standing, suspend, void
from mintseed.server.judged.journal import record
from mintseed.server.judged.load import load
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import CardErrand, ReportedDrive, Write, WrittenBlocks
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import examine_card, recognise_card, write_card

GONE_AFTER = timedelta(hours=1)
MOST_BYTES = 4 * 1024 * 1024
"""of all files of a card that are kept for the doctor; those of real cards are some tens of kilobytes"""
Files = Mapping[str, bytes]


def packed(files: Files) -> str:
    """Return files as they lie in a sealed column."""
    return json.dumps({path: base64.b64encode(content).decode() for path, content in files.items()})


def unpacked(text: str) -> dict[str, bytes]:
    """Return what `packed` made; nothing of what cannot be read."""
    try:
        return {str(path): base64.b64decode(content) for path, content in json.loads(text or "{}").items()}
    except (ValueError, TypeError, AttributeError):
        return {}


def run(errand: CardErrand) -> None:
    """Do the errand, where the card is. Raises MintSeedError. Proofs that rest on the card end, or are doubted, before its first byte changes:
    whatever comes in between, none stands that nothing checked."""
    bench = wiring.bench()
    drive = write_card.pick_drive(bench.readers, errand.drive_path, errand.drive_serial)
    if drive.size_bytes != errand.drive_size_bytes:
        raise RefusedError("another card is in the reader now", next_step="Look at the drives and pick again.")
    one = load(errand.deployment_id).live if errand.deployment_id is not None else None
    if errand.does == CardErrand.Does.READ:
        with bench.readers.look(drive) as disk:
            _, volume = examine_card.boot_volume(disk.path, disk, bench.tools)
            _store(errand, {f.path: f.content for f in examine_card.execute(volume, one.recipe if one else None)})
        return
    with bench.readers.held(drive.path) as flush, bench.readers.look(drive) as disk:
        boot, volume = examine_card.boot_volume(disk.path, disk, bench.tools)
        put = _filled(one, volume) if errand.does == CardErrand.Does.FILL else _mended(errand, volume)
        fresh = {path: content for path, content in put.items() if volume.read(path, len(content) + 1) != content}
        if fresh:
            proof = _Proof(errand, drive, disk, boot)
            proof.doubt(fresh)
            examine_card.put(volume, fresh, flush)
            proof.go_on(fresh)
        if errand.does == CardErrand.Does.FILL and one is not None and one.write is not None:
            Write.objects.filter(pk=one.write.pk).update(put_mark=one.walk.put_mark)
            judge_soon(pk=one.row.pk)
        _store(errand, put)
    names = _names(fresh)
    said = (
        f"put on the card in {errand.reader or errand.drive_path} and read back: {names}"
        if fresh
        else f"as they should be already on the card in {errand.reader or errand.drive_path}"
    )
    record(one.row if one else None, "settings", "settings.put-on-card", f"Settings files {said}")


def _names(paths: Collection[str]) -> str:
    return some(one_line(p) for p in paths)


def _mended(errand: CardErrand, volume: Volume) -> dict[str, bytes]:
    """Return what is to be put there. Raises RefusedError where something else lies there than was read."""
    put, was = (unpacked(json.loads(errand.wanted or "{}").get(word, "")) for word in ("put", "was"))
    for path, content in was.items():
        if volume.read(path, len(content) + 1) != content:
            raise RefusedError(
                f"{one_line(path)} is no longer as it was read",
                where="the card",
                next_step="Read the card again, then mend it.",
            )
    return put


def _filled(one: Loaded | None, volume: Volume) -> dict[str, bytes]:
    """Return a deployment's files as they have to stand on this card. Raises RefusedError where one cannot be filled."""
    if one is None:
        raise RefusedError("nothing says whose files these are", next_step="Begin from a deployment's Settings.")
    walk = one.walk
    image = examine_card.as_image(volume, one.recipe, walk.inputs.xray.release if walk.inputs.xray else "")
    filled = [f for f in fill_files(one.recipe, one.values, image) if not f.on_root]
    found = (*walk.value_findings, *(f for file in filled for f in file.findings))
    stop = next((f for f in found if f.severity is Severity.STOP), None)
    if stop is not None:
        raise RefusedError(
            stop.title, where="the card", next_step=stop.fix or "Look whether this is the card that was written."
        )
    return {f.path: f.content for f in filled}


def _store(errand: CardErrand, files: Files) -> None:
    """Keep what lies there now, as much of it as is kept."""
    kept: dict[str, bytes] = {}
    for path, content in files.items():
        if sum(map(len, kept.values())) + len(content) <= MOST_BYTES:
            kept[path] = content
    found = json.dumps({"files": packed(kept), "left_out": len(files) - len(kept)})
    CardErrand.objects.filter(pk=errand.pk).update(found=found)


def found_by(errand: CardErrand) -> tuple[dict[str, bytes], int]:
    """Return the files an errand found or put there, and how many it left out."""
    try:
        said = json.loads(errand.found or "{}")
    except ValueError:
        said = {}
    return unpacked(said.get("files", "")), int(said.get("left_out", 0))


class _Proof:
    """What was proven on the card that is about to change. It ends; but where a device's own files are filled after the writing, and every block of
    the boot volume is still as it was proven, it goes on with these files once they were read back."""

    def __init__(self, errand: CardErrand, drive: Drive, disk: ReadableDrive, boot: Partition) -> None:
        self._errand, self._drive, self._disk, self._boot = errand, drive, disk, boot
        self._row = ReportedDrive.objects.filter(bench=errand.bench, path=errand.drive_path).first()
        seen = look_at_card(drive, wiring.bench(), SAMPLES_BEFORE_POWER)
        self._on_it = self._rest_on(seen)
        self._goes_on = self._own(seen)
        self._suspended_at = wiring.bench().clock.now()

    def _rest_on(self, seen: SeenCard | None) -> set[int]:
        """Return the writes whose proof may rest on this card."""
        found = {seen.found.write_id, *seen.found.could_be} if seen else set[int | None]()
        rows = standing().filter(pk__in=[pk for pk in found if pk])
        if seen and seen.card:
            rows |= standing().filter(card=seen.card)
        if self._row is not None:
            row = self._row
            rows |= standing().filter(bench=row.bench, drive_path=row.path, proven_at__gte=row.appeared_at)
        return set(rows.values_list("pk", flat=True))

    def _own(self, seen: SeenCard | None) -> int | None:
        """Return the write whose proof goes on."""
        errand = self._errand
        if errand.does != CardErrand.Does.FILL or seen is None or seen.found.kind != "same":
            return None
        own = (
            standing().filter(pk=seen.found.write_id or 0, deployment=errand.deployment_id or 0, unsure_at=None).first()
        )
        known = _blocks_of(own) if own else None
        if own is None or known is None or not holds_all(self._disk, known, self._range(known)):
            return None
        return own.pk

    def _range(self, known: BlockDigests) -> range:
        return between(known, self._boot.offset_bytes, self._boot.end_bytes)

    @all_or_nothing
    def doubt(self, paths: Collection[str]) -> None:
        """End every proof that rests on the card, the one that may go on too, before anything changes."""
        now = self._suspended_at
        void(self._on_it - {self._goes_on or 0}, now, f"settings files were put on its card: {_names(paths)}")
        if self._goes_on is not None:
            suspend(
                self._goes_on,
                now,
                f"settings files were being put on its card, and nobody saw the end of it: {_names(paths)}",
            )
        if self._row is not None:
            ReportedDrive.objects.filter(pk=self._row.pk).update(recognised=None, card=None)

    def go_on(self, paths: Collection[str]) -> None:
        """Have the proof go on with what lies there now, where it may."""
        own = Write.objects.filter(pk=self._goes_on or 0).first()
        known = _blocks_of(own) if own else None
        if own is None or known is None:
            return
        bench = wiring.bench()
        marks = recognise_card.execute(self._drive, settings_paths(paths), readers=bench.readers, tools=bench.tools)
        fresh = read_anew(self._disk, known, self._range(known))
        prove_anew(own.pk, self._suspended_at, bench.clock.now(), fresh.digests, asdict(marks))


def _blocks_of(write: Write) -> BlockDigests | None:
    held = WrittenBlocks.objects.filter(write=write).first()
    return BlockDigests(held.block_bytes, write.written_bytes, bytes(held.digests)) if held else None


def forget_errands(now: datetime) -> int:
    """Remove what is older than an hour. Returns how many."""
    gone, _ = CardErrand.objects.filter(created_at__lt=now - GONE_AFTER).delete()
    return gone
