"""How long a write will still take in all, by how the same card went before. Of a card that was never written here nothing is said."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from mintseed.core.card.progress import Phase

ORDER = (Phase.FILLING_ROOM, Phase.WRITING, Phase.FLUSHING, Phase.READING_BACK, Phase.READING_ROOM)
"""the parts of a write that take time, as they follow one another"""

_BEFORE_IT = ("", Phase.FILLING)
"""what a write says of itself before the first byte goes"""


def seconds_a_byte(taken: Sequence[Mapping[str, object]]) -> dict[Phase, float]:
    """Return what each part of an earlier write took for a byte; `taken` is what was kept of it: phase, bytes_done, took_s."""
    found: dict[Phase, float] = {}
    for one in taken:
        phase, done, took = one.get("phase"), one.get("bytes_done"), one.get("took_s")
        if (
            isinstance(phase, str)
            and phase in ORDER
            and isinstance(done, int)
            and isinstance(took, (int, float))
            and done > 0
            and took >= 0
        ):
            found[Phase(phase)] = took / done
    return found


def left_in_all_s(
    phase: str, done_bytes: int, left_s: float | None, sizes: Mapping[Phase, int], before: Mapping[Phase, float]
) -> float | None:
    """Return how many seconds a write is still at it, None where its card's history does not tell.

    `phase`, `done_bytes`, `left_s`: the part it is at, how much of that is done, and how long that part still takes by its own rate, where
    that is known; `sizes`: the bytes of each part there is; `before`: seconds a byte of each took when this card was written last.
    """
    coming = [p for p in ORDER if sizes.get(p)]
    if phase in _BEFORE_IT:
        at = -1
    elif phase in coming:
        at = coming.index(Phase(phase))
    else:
        return None
    if any(p not in before for p in coming[at + 1 :]):
        return None
    left = sum(sizes[p] * before[p] for p in coming[at + 1 :])
    if at < 0:
        return left
    if left_s is None:
        if coming[at] not in before:
            return None
        left_s = max(0, sizes[coming[at]] - done_bytes) * before[coming[at]]
    return left + left_s
