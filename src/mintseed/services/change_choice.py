"""Change what was chosen for a device: its plan, image or settings."""

from __future__ import annotations

from mintseed.core.errors import RefusedError
from mintseed.core.walk import Walk


def refuse_closed(*, closed: bool) -> None:
    """Raise RefusedError for a device in service: what its record says stays as it was."""
    if closed:
        raise RefusedError(
            "its record is closed", next_step="Use “The same again”, or write its card again to begin anew."
        )


def check(walk: Walk, *, closed: bool, moves_board: bool = False) -> None:
    """Raise RefusedError while what was chosen may not change. `closed`: it is in service; `moves_board`: the change is of its board, or
    of the way it joins by."""
    refuse_closed(closed=closed)
    if walk.inputs.write.writing:
        raise RefusedError("its card is being written", next_step="Wait for it, or stop it under Card.")
    if moves_board and walk.inputs.run is not None and walk.inputs.run.powered:
        raise RefusedError("its board is powered", next_step="Power it off under First boot, then change the plan.")
