"""What is changed of a device while its record is open, and holds until it is kept: of two at one moment, one comes after the other."""

from __future__ import annotations

from mintseed.server.judged.judging import Judged, held
from mintseed.server.judged.loaded import Loaded
from mintseed.services import change_choice


def held_open(pk: int) -> Loaded:
    """Return a device that nobody else changes or closes until this transaction ends. Raises RefusedError where its record is closed."""
    return opened(held(pk))


def opened(view: Judged) -> Loaded:
    """Return what may still be changed. Raises RefusedError for a closed record."""
    change_choice.refuse_closed(closed=view.closed)
    return view.loaded


def held_for_choice(pk: int, *, moves_board: bool = False) -> Loaded:
    """As `held_open`, and raise RefusedError too while what was chosen may not change."""
    view = held(pk)
    change_choice.check(view.loaded.walk, closed=view.closed, moves_board=moves_board)
    return view.loaded
