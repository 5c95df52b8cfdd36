"""What nobody needs any more goes: old copies of filled images, scratch of dead processes, what the owner no longer keeps."""

from __future__ import annotations

import logging
import time
from datetime import datetime

from mintseed import wiring
from mintseed.server.done.card_files import forget_errands
from mintseed.server.done.card_orders import remove_stray_backups
from mintseed.server.done.copies import remove_old_copies
from mintseed.server.doors.passwords import forget_wrong_passwords
from mintseed.server.judged.changes import forget_changes
from mintseed.server.judged.judging import judge_the_never_judged
from mintseed.server.judged.keeping import let_go

log = logging.getLogger("mintseed.keeping")

EVERY_S = 300.0


class Housekeeping:
    """Runs at the agent's first turn and every few minutes from then on."""

    def __init__(self) -> None:
        self._last_s = -EVERY_S

    def turn(self, now: datetime) -> None:
        if time.monotonic() - self._last_s < EVERY_S:
            return
        self._last_s = time.monotonic()
        judge_the_never_judged()
        forget_changes(now)
        forget_wrong_passwords(now)
        forget_errands(now)
        swept = wiring.sweep_scratch() + remove_old_copies(now) + remove_stray_backups(now)
        gone = {name: count for name, count in let_go(now).items() if count}
        if swept or gone:
            log.info("let go: %s files, %s", swept, gone or "no rows")
