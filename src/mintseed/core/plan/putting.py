"""Putting a part into a plan: how many it holds, and what gives way to what came."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mintseed.core.errors import RefusedError

MOST_PARTS = 20


@dataclass(frozen=True, slots=True)
class Held:
    """A part of the plan: its kind, and the key of the one on the shelf, None while it is to be bought."""

    kind: str
    owned: int | None


@dataclass(frozen=True, slots=True)
class Put:
    """`instead_of`: the place, from 0, of what gives way; None where the part comes beside the others. `already`: it is in there."""

    instead_of: int | None = None
    already: bool = False


def put_in(held: Sequence[Held], part: Held) -> Put:
    """Return where `part` goes in a plan that holds `held`. Raises RefusedError when it holds no more."""
    if part.owned is not None and part in held:
        return Put(already=True)
    # What was to be bought has come: it takes the place of its kind.
    waiting = Held(part.kind, None)
    if part.owned is not None and waiting in held:
        return Put(instead_of=list(held).index(waiting))
    if len(held) >= MOST_PARTS:
        raise RefusedError(f"a plan holds at most {MOST_PARTS} parts", next_step="Leave one out first.")
    return Put()
