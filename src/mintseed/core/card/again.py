"""What a card that was written holds when all of it is read once more."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.units import decimal_size


@dataclass(frozen=True, slots=True)
class ReadAgain:
    """`other_bytes` of `length_bytes` lie in blocks that hold something else than was proven; the first of them begins at `first_bytes`. `left_bytes`
    more nothing uses: they were left as they were when it was written, and nothing is known of them."""

    length_bytes: int
    other_bytes: int = 0
    first_bytes: int | None = None
    left_bytes: int = 0


def judge_again(found: ReadAgain, path: str, *, booted: bool) -> Finding:
    """Return what reading all of a written card once more came to. `booted`: it was in a powered board since."""
    where, whole = Where(part=path), decimal_size(found.length_bytes)
    if not found.other_bytes:
        left = (
            f" The {decimal_size(found.left_bytes)} that nothing uses were not written, and are not compared."
            if found.left_bytes
            else ""
        )
        return Finding("card.holds-as-written", Severity.OK, "It holds what was written to it, byte for byte",
                       f"{whole} were read from the card and compared, block by block, with what was proven.{left}", where=where)  # fmt: skip
    other = f"{decimal_size(found.other_bytes)} of {whole} lie in blocks that hold something else, the first of them at {decimal_size(found.first_bytes or 0)}."
    if booted:
        return Finding("card.lived-with", Severity.NOTE, "It holds something else than was written, as a booted card does",
                       f"{other} A system writes to its card from its first boot on; the proof spoke for the time before.", where=where)  # fmt: skip
    return Finding(
        "card.changed-unbooted", Severity.STOP, "It holds something else than was written, and was in no board here since",
        f"{other} Something else wrote to it, or it is failing.", "Write it again. If it is otherwise once more, take another card.", where,
    )  # fmt: skip
