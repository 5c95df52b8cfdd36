"""The drive a person picked on a screen, as it is now: never another one that came into its place meanwhile."""

from __future__ import annotations

from mintseed.core.card.drives import Drive
from mintseed.core.errors import MissingError, RefusedError
from mintseed.server.done.agent.drives import DRIVE
from mintseed.server.kept.models import ReportedDrive


def picked_drive(drive_id: int, path: str, serial: str) -> tuple[ReportedDrive, Drive]:
    """Return the row of the drive and the drive. Raises MissingError when it is gone, RefusedError when another one is there now."""
    row = ReportedDrive.objects.select_related("bench", "question").filter(pk=drive_id).first()
    if row is None:
        raise MissingError("the card is gone from its reader", where=path, next_step="Put it in and pick it again.")
    if row.path != path or row.drive.get("serial") != serial:
        raise RefusedError("another drive is there now", where=row.path, next_step="Look at the drives and pick again.")
    drive: Drive = DRIVE.validate_python(row.drive)
    return row, drive
