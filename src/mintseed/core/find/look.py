"""What one look for a powered board changes: when who was first seen, whether it counts, and whether the board joined."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from mintseed.core.find.candidates import Candidate
from mintseed.core.find.sightings import pair

MOST_SEEN = 200
"""candidates whose first moment is kept with one boot."""


def seen_key(candidate: Candidate) -> str:
    """Return under what the moment is kept at which `candidate` was first seen: who had its address before does not count for it."""
    return pair(candidate.address, candidate.mac) if candidate.mac else candidate.address


@dataclass(frozen=True, slots=True)
class KeptLook:
    """`seen`: `seen_key` → the moment it was first seen, ISO 8601. `counts`: whether not having seen the board means something.
    `joined_after_s`: seconds of boot after which it was first seen, None while it was not."""

    seen: dict[str, str]
    counts: bool
    joined_after_s: float | None


def kept_look(
    seen: Mapping[str, str],
    candidates: Sequence[Candidate],
    winner: Candidate | None,
    seen_at: datetime,
    *,
    powered_at: datetime,
    pace: float,
    settled: bool,
) -> KeptLook:
    """Return what a look at `seen_at` adds to what was `seen`. `settled`: the bench has been looking for a while; a look of one that only
    just began, and did not see the board, does not count. `pace`: seconds of boot in one second."""
    now = dict(seen)
    for candidate in candidates[:MOST_SEEN]:
        now.setdefault(seen_key(candidate), seen_at.isoformat())
    if winner is None:
        return KeptLook(now, settled, None)
    # The moment it was first seen, not the moment its page was through.
    first = datetime.fromisoformat(now.get(seen_key(winner), seen_at.isoformat()))
    return KeptLook(now, True, max(0.0, (first - powered_at).total_seconds() * pace))
