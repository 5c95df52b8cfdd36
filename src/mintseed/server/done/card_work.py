"""What is done to a card for no deployment, where its reader is: read back into a file, tested, cleared."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime

from django.utils import timezone

from mintseed import wiring
from mintseed.core.card.again import judge_again
from mintseed.core.card.drives import Drive
from mintseed.core.card.identity import CardMarks
from mintseed.core.card.room import judge_room
from mintseed.core.card.samples import SAMPLES_WHILE_IT_LIES, BlockDigests
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Finding
from mintseed.core.units import decimal_size, drive_size
from mintseed.server.done.agent.drives import look_at_card
from mintseed.server.done.cards import known_card, settings_paths
from mintseed.server.done.jobs.leases import holds_lease
from mintseed.server.done.proofs import end_in_drive, half_written, void, was_booted
from mintseed.server.judged.journal import record
from mintseed.server.kept.models import CardWork, Job, ReportedDrive, Write, WrittenBlocks
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import back_up_card, empty_card, read_card_again, write_card

WHY = {CardWork.Does.TEST: "all of its card's room was tested", CardWork.Does.CLEAR: "its card was cleared"}


def stored_as(work: CardWork) -> str:
    """Return the name under which a backup lies in its folder."""
    return f"{work.pk}.img.zst"


def run(work: CardWork, tell: empty_card.Tell) -> dict[str, object]:
    """Do it; return what is to be stored once its job is done. Raises MintSeedError."""
    bench = wiring.bench()
    if not holds_lease(work):
        raise RefusedError("the drive was handed to other work", next_step="Look at the drives, then ask again.")
    drive = write_card.pick_drive(bench.readers, work.drive_path, work.drive_serial)
    if drive.size_bytes != work.drive_size_bytes:
        raise RefusedError(
            "another card is in the reader now",
            expected=drive_size(work.drive_size_bytes),
            next_step="Look at the drives and pick again.",
        )
    began = timezone.now()
    if work.does == CardWork.Does.BACK_UP:
        _began(work, began)
        saved = back_up_card.execute(
            drive, stored_as(work), readers=bench.readers, tools=bench.tools, copies=wiring.backups(), tell=tell
        )
        return {
            "image_bytes": saved.image_bytes, "left_out_bytes": saved.left_out_bytes, "size_bytes": saved.packed_bytes,
            "sha256": saved.sha256, "took_s": saved.took_s, "findings": [],
        }  # fmt: skip

    if work.does == CardWork.Does.PROVE:
        _began(work, began)
        return {"findings": [asdict(_proven_again(drive, tell))], "took_s": (timezone.now() - began).total_seconds()}

    def looked(marks: CardMarks) -> None:
        _takes_all(work, marks, timezone.now())

    if work.does == CardWork.Does.TEST:
        found = judge_room(empty_card.measure_room(drive, settings_paths(), readers=bench.readers, tools=bench.tools, tell=tell, looked=looked), drive.path)  # fmt: skip
    else:
        found = empty_card.clear(drive, settings_paths(), readers=bench.readers, tools=bench.tools, tell=tell, looked=looked)  # fmt: skip
    return {"findings": [asdict(found)], "took_s": (timezone.now() - began).total_seconds()}


def _proven_again(drive: Drive, tell: empty_card.Tell) -> Finding:
    """Compare the card with what was proven of it. A proof that stood and does not hold ends."""
    seen = look_at_card(drive, wiring.bench(), SAMPLES_WHILE_IT_LIES)
    write = Write.objects.filter(pk=seen.found.write_id or 0).first() if seen is not None else None
    blocks = WrittenBlocks.objects.filter(write=write).first() if write is not None else None
    if write is None or blocks is None:
        raise RefusedError(
            "nothing on record says what should be on this card", where=drive.path,
            next_step="Compare it with an image on the command line: mintseed prove CARD --against IMAGE.",
        )  # fmt: skip
    known = BlockDigests(blocks.block_bytes, write.written_bytes, bytes(blocks.digests))
    found = read_card_again.execute(drive, known, readers=wiring.bench().readers, tell=tell)
    booted = was_booted(write)
    if found.other_bytes and not booted:
        void([write.pk], timezone.now(), "all of its card was read again and holds something else")
    return judge_again(found, drive.path, booted=booted)


def _began(work: CardWork, now: datetime) -> None:
    CardWork.objects.filter(pk=work.pk).update(began_at=now)
    work.began_at = now


@all_or_nothing
def _takes_all(work: CardWork, marks: CardMarks, now: datetime) -> None:
    """The drive is ours alone and what is on the card is about to go: what was proven on it ends."""
    row = ReportedDrive.objects.filter(bench=work.bench, path=work.drive_path).first()
    card, _ = known_card(marks, half_written(row) if row else None)
    end_in_drive(card, work.bench, work.drive_path, now, WHY[CardWork.Does(work.does)])
    ReportedDrive.objects.filter(bench=work.bench, path=work.drive_path).update(recognised=None, card=None)
    _began(work, now)


@all_or_nothing
def store(job: Job, work: CardWork, came_to: dict[str, object]) -> bool:
    """Keep what it came to, only while the job is alive and holds its drive. Returns whether it was kept."""
    now = timezone.now()
    if not holds_lease(work) or not Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(
        state=Job.State.DONE, finished_at=now
    ):
        return False
    CardWork.objects.filter(pk=work.pk).update(**came_to, done_at=now)
    work.refresh_from_db()
    record(None, "card", f"card.{work.does}", _text(work))
    return True


def _text(work: CardWork) -> str:
    where = work.reader or work.drive_path
    if work.does == CardWork.Does.BACK_UP:
        return (
            f"Card in {where} read back into {work.file_name}: {decimal_size(work.size_bytes)}, compared with the card"
        )
    found = str(work.findings[0].get("title", "")) if work.findings else ""
    return f"Card in {where}: {found}"
