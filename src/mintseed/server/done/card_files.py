"""Settings files of a card that is written already: read, mended, or filled in their place, by the bench whose reader it lies in.

What was found and what is to be put there opens networks; it lies sealed, and is gone after an hour.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime, timedelta

from mintseed import wiring
from mintseed.core.card.drives import Drive
from mintseed.core.card.samples import BlockDigests, between, holds_all, read_anew
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Severity, verdict
from mintseed.core.image.partitions import Partition
from mintseed.core.image.report import XRay
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.fill import fill_files
from mintseed.core.visible import one_line
from mintseed.ports.card_readers import ReadableDrive
from mintseed.server.done.agent.drives import RECOGNITION
from mintseed.server.done.cards import settings_paths
from mintseed.server.done.proofs import standing, void
from mintseed.server.judged.changes import changed
from mintseed.server.judged.journal import record
from mintseed.server.judged.load import load
from mintseed.server.kept.models import CardErrand, Deployment, ReportedDrive, Write, WrittenBlocks
from mintseed.server.kept.stored_types import stored
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import examine_card, recognise_card, write_card

GONE_AFTER = timedelta(hours=1)
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
    """Do the errand, where the card is. Raises MintSeedError; what was found is stored then too, where it was read."""
    bench = wiring.bench()
    drive = write_card.pick_drive(bench.readers, errand.drive_path, errand.drive_serial)
    if drive.size_bytes != errand.drive_size_bytes:
        raise RefusedError("another card is in the reader now", next_step="Look at the drives and pick again.")
    recipe = load(errand.deployment_id).live.recipe if errand.deployment_id is not None else None
    if errand.does == CardErrand.Does.READ:
        with bench.readers.look(drive) as disk:
            _, volume = examine_card.boot_volume(disk.path, disk, bench.tools)
            _store(errand, {one.path: one.content for one in examine_card.execute(volume, recipe)})
    else:
        with bench.readers.held(drive.path) as flush, bench.readers.look(drive) as disk:
            partition, volume = examine_card.boot_volume(disk.path, disk, bench.tools)
            if errand.does == CardErrand.Does.FILL:
                put = _filled(errand, examine_card.as_image(volume, _known(recipe), _release(errand)))
            else:
                put, was = (unpacked(json.loads(errand.wanted or "{}").get(word, "")) for word in ("put", "was"))
                for path, content in was.items():
                    if volume.read(path, len(content) + 1) != content:
                        raise RefusedError(
                            f"{path} is no longer as it was read",
                            where="the card",
                            next_step="Read the card again, then mend it.",
                        )
            proven = _proven_on_it(errand, disk, partition)
            examine_card.put(volume, put, flush)
            _store(errand, put)
            _after(errand, drive, disk, partition, proven, tuple(put))
    changed(f"card-files/{errand.pk}")


def _known(recipe: Recipe | None) -> Recipe:
    if recipe is None:
        raise RefusedError("nothing says whose files these are", next_step="Begin from a deployment's Settings.")
    return recipe


def _release(errand: CardErrand) -> str:
    walk = load(errand.deployment_id or 0).live.walk
    return walk.inputs.xray.release if walk.inputs.xray else ""


def _filled(errand: CardErrand, image: XRay) -> dict[str, bytes]:
    """Return the deployment's files as they have to stand on this card. Raises RefusedError where one cannot be filled."""
    one = load(errand.deployment_id or 0).live
    if verdict(one.walk.value_findings) is Severity.STOP:
        raise RefusedError(one.walk.value_findings[0].title, next_step="Mend it under Settings.")
    filled = [f for f in fill_files(one.recipe, one.values, image) if not f.on_root]
    stop = next((f for file in filled for f in file.findings if f.severity is Severity.STOP), None)
    if stop is not None:
        raise RefusedError(
            stop.title, where="the card", next_step=stop.fix or "Look whether this is the card that was written."
        )
    return {f.path: f.content for f in filled}


def _store(errand: CardErrand, files: Files) -> None:
    CardErrand.objects.filter(pk=errand.pk).update(found=packed(files))


def _proven_on_it(errand: CardErrand, disk: ReadableDrive, boot: Partition) -> Write | None:
    """Return the write of the errand's own deployment that is proven on this card, where every block of its boot volume is still as it was proven:
    what is put there then leaves the proof as it was, but for these files. Only of a device whose files are put there after the writing."""
    row = ReportedDrive.objects.filter(bench=errand.bench, path=errand.drive_path).first()
    found = stored(RECOGNITION, row.recognised, None) if row and row.recognised else None
    if errand.does != CardErrand.Does.FILL or found is None or found.kind != "same":
        return None
    write = standing().filter(pk=found.write_id, deployment=errand.deployment_id or 0, unsure_at=None).first()
    blocks = WrittenBlocks.objects.filter(write=write).first() if write else None
    if write is None or blocks is None:
        return None
    known = BlockDigests(blocks.block_bytes, write.written_bytes, bytes(blocks.digests))
    return write if holds_all(disk, known, between(known, boot.offset_bytes, boot.end_bytes)) else None


def _after(
    errand: CardErrand, drive: Drive, disk: ReadableDrive, boot: Partition, proven: Write | None, paths: tuple[str, ...]
) -> None:  # fmt: skip
    """Say what was done, and what it does to proofs: the one it rests on goes on with these files, every other one ends."""
    now, bench = wiring.bench().clock.now(), wiring.bench()
    fresh: tuple[BlockDigests, dict[str, object]] | None = None
    if proven is not None:
        held = WrittenBlocks.objects.get(write=proven)
        known = BlockDigests(held.block_bytes, proven.written_bytes, bytes(held.digests))
        marks = recognise_card.execute(drive, settings_paths(paths), readers=bench.readers, tools=bench.tools)
        fresh = read_anew(disk, known, between(known, boot.offset_bytes, boot.end_bytes)), asdict(marks)
    _note(errand, proven, fresh, paths, now)


@all_or_nothing
def _note(
    errand: CardErrand, proven: Write | None, fresh: tuple[BlockDigests, dict[str, object]] | None, paths: tuple[str, ...], now: datetime
) -> None:  # fmt: skip
    names = ", ".join(one_line(p) for p in paths[:4]) + (f" and {len(paths) - 4} more" if len(paths) > 4 else "")
    row = ReportedDrive.objects.filter(bench=errand.bench, path=errand.drive_path).first()
    if row is not None:
        on_it = standing().filter(card=row.card) if row.card_id else standing().none()
        stayed = standing().filter(bench=row.bench, drive_path=row.path, proven_at__gte=row.appeared_at)
        ends = {*on_it.values_list("pk", flat=True), *stayed.values_list("pk", flat=True)} - {
            proven.pk if proven else None
        }
        void({pk for pk in ends if pk}, now, f"settings files were put on its card: {names}")
        ReportedDrive.objects.filter(pk=row.pk).update(recognised=None, card=None)
    if proven is not None and fresh is not None:
        blocks, marks = fresh
        WrittenBlocks.objects.filter(write=proven).update(digests=blocks.digests)
        Write.objects.filter(pk=proven.pk).update(marks=marks, proven_at=now, digest="")
    deployment = Deployment.objects.filter(pk=errand.deployment_id).first() if errand.deployment_id else None
    record(
        deployment,
        "settings",
        "settings.put-on-card",
        f"Put on the card in {errand.reader or errand.drive_path} and read back: {names or 'nothing'}",
    )
    changed("drives")


def forget_errands(now: datetime) -> int:
    """Remove what is older than an hour. Returns how many."""
    gone, _ = CardErrand.objects.filter(created_at__lt=now - GONE_AFTER).delete()
    return gone
