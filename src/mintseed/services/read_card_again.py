"""Read all of a written card from its medium, and compare it with what was proven of it block by block."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import nullcontext

from mintseed.core.card.again import ReadAgain
from mintseed.core.card.drives import Drive
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.card.samples import BlockDigests, compared
from mintseed.ports.card_readers import CardReaders
from mintseed.services import back_up_card
from mintseed.services.refuse import refuse_stops

TELL_EVERY = 16
"""blocks between two words of how far it is: a mebibyte of a usual card"""


def execute(
    drive: Drive, known: BlockDigests, *, readers: CardReaders, tell: Callable[[Progress], None] = lambda progress: None
) -> ReadAgain:
    """Return in what `drive` is otherwise than `known`. Raises RefusedError where it is in use, DriveError, StoppedError when `tell` says so."""
    refuse_stops(back_up_card.check(drive))
    began, other, first, done, whole = time.monotonic(), 0, None, 0, known.known_bytes
    # Nobody writes to it meanwhile; what memory holds of it is forgotten first.
    with nullcontext() if drive.read_only else readers.held(drive.path) as flush, readers.look(drive) as disk:
        if flush is not None:
            flush()
        for number, (begins, length, alike) in enumerate(compared(disk, known)):
            if not alike:
                other, first = other + length, first if first is not None else begins
            done += length
            if number % TELL_EVERY == 0 or done == whole:
                tell(Progress(Phase.COMPARING, done, whole, time.monotonic() - began))
    return ReadAgain(whole, other, first, known.length_bytes - whole)
