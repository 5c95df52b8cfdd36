"""How long a first boot takes, and where on that band this one stands."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity
from mintseed.core.recipes.model import Recipe
from mintseed.core.units import clock, duration


class BootState(StrEnum):
    EARLY = "early"
    USUAL = "usual"
    SLOW = "slow"
    LATE = "late"
    HOPELESS = "hopeless"
    JOINED = "joined"


@dataclass(frozen=True, slots=True)
class Band:
    """Seconds from power-on: usual from/to, late after, hopeless after."""

    usual_from_s: float
    usual_to_s: float
    late_after_s: float
    hopeless_after_s: float
    page_after_s: float = 0.0
    prepares_s: tuple[float, float] = (0.0, 0.0)
    """how much longer it prepares itself once its page is there, from and to"""
    assumed: bool = False
    """nobody measured or said these times"""

    @property
    def usual(self) -> str:
        """What is usual, in a sentence."""
        times = f"{clock(self.usual_from_s)} to {clock(self.usual_to_s)}"
        if self.assumed:
            return f"How long this image takes nobody said; {times} is assumed."
        return f"Usual for this image on this board: {times}."


def band_for(recipe: Recipe, board: Board) -> Band:
    """Return the band of `recipe` on `board`; slower and faster boards take the recipe's factor for them."""
    factor = recipe.boot.by_speed.get(board.speed, 1.0)
    times = recipe.boot
    return Band(
        times.usual_from_s * factor,
        times.usual_to_s * factor,
        times.late_after_s * factor,
        times.hopeless_after_s * factor,
        times.page_after_s,
        (times.prepares_from_s * factor, times.prepares_to_s * factor),
        times.assumed,
    )


def state_at(band: Band, elapsed_s: float, joined_after_s: float | None) -> BootState:
    """Return where on `band` a boot stands `elapsed_s` seconds after power-on."""
    if joined_after_s is not None:
        return BootState.JOINED
    for state, limit_s in (
        (BootState.HOPELESS, band.hopeless_after_s),
        (BootState.LATE, band.late_after_s),
        (BootState.SLOW, band.usual_to_s),
        (BootState.USUAL, band.usual_from_s),
    ):
        if elapsed_s >= limit_s:
            # Times that nobody said give up nothing.
            return BootState.LATE if band.assumed and state is BootState.HOPELESS else state
    return BootState.EARLY


def judge_boot(
    band: Band, elapsed_s: float, joined_after_s: float | None, *, run: int = 1, off: bool = False
) -> Finding:
    """Return the one finding about boot number `run`, which has lasted `elapsed_s` seconds; `off` once it was ended.

    The running time is the screen's to show: while time passes the finding says from when to when.
    """
    state = state_at(band, elapsed_s, joined_after_s)
    usual = band.usual
    if joined_after_s is not None:
        was_late = (
            f" It was called late after {duration(band.late_after_s)}." if joined_after_s >= band.late_after_s else ""
        )
        page = f" Its page follows within {duration(band.page_after_s)}." if band.page_after_s else ""
        if band.prepares_s[1]:
            page += f" It prepares itself for {duration(band.prepares_s[0])} to {duration(band.prepares_s[1])} more; leave the power on."
        return Finding(
            "boot.joined", Severity.OK, f"On the network after {duration(joined_after_s)}", usual + was_late + page
        )
    if off:
        late = elapsed_s >= band.late_after_s
        return Finding(
            "boot.failed-run" if late else "boot.cut-short", Severity.CHECK,
            f"Run {run}: powered for {duration(elapsed_s)}, never on the network",
            usual if late else f"{usual} It was switched off before it was late.",
            "Go through the causes, the likeliest first; then power it on again with the same card, or write it again."
            if late else "Power it on again and give it the time.",
        )  # fmt: skip
    if state in (BootState.LATE, BootState.HOPELESS):
        fix = "Go through the causes below, the likeliest first."
        if state is BootState.HOPELESS:
            after = duration(band.hopeless_after_s)
            return Finding(
                "boot.hopeless", Severity.STOP, f"Hopeless: over {after}, and not on the network", usual, fix
            )
        return Finding(
            "boot.late", Severity.CHECK, f"Late: over {duration(band.late_after_s)}, and not on the network", usual, fix
        )
    return Finding(
        "boot.waiting", Severity.NOTE, "Nothing to do yet", f"{usual} Late after {clock(band.late_after_s)}.",
        "Leave the power on: it writes to the card.",
    )  # fmt: skip


NOT_LOOKED = timedelta(seconds=5)
"""A bench looks twice a second; after this long without a look nobody does."""

WAITING_SHARE, MOST_BETWEEN_S = 0.05, 60.0
"""A board that is late, or joined and waits to be claimed, is looked at again after this share of the time it has been so, a minute at most: who comes
after an hour, and a page that follows after ten minutes, are seen soon enough."""

TURN_S = 17.0
"""seconds that a bench which has nothing else to do rests between two turns, and some to spare."""


def waiting_since(
    powered_at: datetime, pace: float, joined_after_s: float | None, late_at: datetime | None
) -> datetime | None:
    """Return when a board joined, or was called late: from then on it only waits. None while it is awaited itself."""
    if joined_after_s is not None:
        return powered_at + timedelta(seconds=joined_after_s / pace)
    return late_at


def look_every_s(since: datetime | None, now: datetime) -> float:
    """Return in how many seconds a board is looked at again that waits `since` then; 0 while it is awaited itself."""
    return 0.0 if since is None else min(MOST_BETWEEN_S, max(0.0, (now - since).total_seconds()) * WAITING_SHARE)


def not_looked_at(last: datetime, now: datetime, late_since: datetime | None = None) -> bool:
    """Return whether nobody looked since `last`; one that is late since `late_since` is looked at less often."""
    between_s = look_every_s(late_since, now)
    pause = timedelta(seconds=between_s + TURN_S) if between_s else NOT_LOOKED
    return now - last > max(NOT_LOOKED, pause)


def not_looked(found: Finding, since: str) -> Finding:
    """Return what is said of a boot that stood as `found` says when it was last looked at, at the clock time `since`."""
    if found.severity is not Severity.NOTE:
        return replace(found, detail=f"{found.detail} Not looked at since {since}.")
    return Finding("boot.not-looked-at", Severity.CHECK, f"Not looked at since {since}",
                   "Its bench does not look at the moment, so how the boot goes is not known. Time in which nobody looks makes no boot late.",
                   "See that the application runs on its bench; the board can stay powered.")  # fmt: skip
