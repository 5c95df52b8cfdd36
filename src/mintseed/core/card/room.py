"""What a card was found to hold when all of its room was written and read back.

A card that says more than it has keeps what was written to it last and begins anew at its beginning, or forgets what lies beyond its
end. Either way as much comes back right as it really holds, so that is counted to the end and not given up at the first fault. One that
gives back a little wrong is failing.
"""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.units import decimal_size

TELLS_MORE_BELOW = 0.99
"""share of a card that comes back right, below which it is called smaller than it says, not failing: bad places are few when a card
begins to fail, and cards that lie do so by half or more (common practice)"""


@dataclass(frozen=True, slots=True)
class RoomTest:
    """`right_bytes` of the card's `size_bytes` came back as they were written, in pieces; seconds that writing and reading took."""

    size_bytes: int
    right_bytes: int
    wrote_s: float
    read_s: float


def judge_room(test: RoomTest, path: str) -> Finding:
    """Return what the test of all of a card's room came to."""
    where = Where(part=path)
    rates = f"Written at {_rate(test.size_bytes, test.wrote_s)}, read back at {_rate(test.size_bytes, test.read_s)}, measured here."
    if test.right_bytes >= test.size_bytes:
        return Finding(
            "card.room-holds", Severity.OK, f"It holds all of the {decimal_size(test.size_bytes)} it says", f"Every byte was written and read back alike. {rates}", where=where
        )  # fmt: skip
    wrong = test.size_bytes - test.right_bytes
    if test.right_bytes < test.size_bytes * TELLS_MORE_BELOW:
        return Finding(
            "card.holds-less", Severity.STOP, f"It holds about {decimal_size(test.right_bytes)} of the {decimal_size(test.size_bytes)} it says",
            f"{decimal_size(wrong)} of what was written did not come back. {rates}",
            "Throw it away or give it back: a system on it loses its data once it grows.", where,
        )  # fmt: skip
    return Finding(
        "card.gives-other-bytes", Severity.STOP, f"{decimal_size(wrong)} of it came back other than written", f"The card or the reader is failing. {rates}",
        "Test it once more in another reader; if it comes out the same, throw it away.", where,
    )  # fmt: skip


def _rate(size_bytes: int, seconds: float) -> str:
    return f"{decimal_size(round(size_bytes / seconds))}/s" if seconds > 0 else "a rate too high to be measured"
