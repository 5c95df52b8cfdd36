"""The device itself, once it joined or was claimed: its addresses, what is known of its name, and by which way it came."""

from __future__ import annotations

from collections.abc import Collection

from mintseed.core.boards.model import Board
from mintseed.core.boot.run import RunFacts
from mintseed.core.findings import Finding, Severity, Where


def own_addresses(run: RunFacts | None, claimed: str) -> frozenset[str]:
    """Return the addresses of the device itself: where it joined or was claimed, and the others it has."""
    own = {a for a in (claimed, run.joined_address if run else "") if a}
    return frozenset({*own, *(a for c in (run.candidates if run else ()) if c.address in own for a in c.also)})


def answers_to_name(run: RunFacts | None, addresses: Collection[str]) -> bool:
    """Return whether the device was heard to answer to its own name."""
    return run is not None and bool(set(addresses) & set(run.naming.answers_at))


def wifi_not_proven(board: Board | None) -> Finding:
    """Return the finding about a device that was to join by Wi-Fi and came by cable."""
    mark = (
        f" Look at its printed mark once more: {board.printed_mark} has a radio; boards that look alike have none."
        if board
        else ""
    )
    return Finding("find.joined-by-cable", Severity.CHECK, "Joined by cable, Wi-Fi not proven",
                   f"The plan says Wi-Fi, and nobody has seen it join by that.{mark}",
                   "Shut it down, pull the cable, power it again and claim what joins then.", Where(part="way"))  # fmt: skip
